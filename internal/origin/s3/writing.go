package s3

import (
	"context"
	"io"
	"net/url"

	"github.com/aws/aws-sdk-go-v2/aws"
	"github.com/aws/aws-sdk-go-v2/service/s3"
)

// Whole: an object is there when all of it was sent.
func (d *drive) Whole() bool { return true }

func (d *drive) Write(ctx context.Context, name string, content io.ReadSeeker, size int64) error {
	_, err := d.client.PutObject(ctx, &s3.PutObjectInput{Bucket: &d.bucket, Key: &name, Body: content, ContentLength: aws.Int64(size)})
	return d.explainWriting("write /"+name, name, err)
}

func (d *drive) Move(ctx context.Context, from, to string) error {
	source := (&url.URL{Path: d.bucket + "/" + from}).EscapedPath()
	_, err := d.client.CopyObject(ctx, &s3.CopyObjectInput{Bucket: &d.bucket, Key: &to, CopySource: &source})
	if err == nil {
		return d.Remove(ctx, from)
	}
	return d.explainWriting("rename /"+from, from, err)
}

func (d *drive) Remove(ctx context.Context, name string) error {
	_, err := d.client.DeleteObject(ctx, &s3.DeleteObjectInput{Bucket: &d.bucket, Key: &name})
	return d.explainWriting("remove /"+name, name, err)
}

func (d *drive) explainWriting(doing, name string, err error) error {
	if err == nil {
		return nil
	}
	return d.explain(doing, name, err)
}
