// Package s3 reads buckets of object stores that speak S3.
package s3

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"

	"github.com/aws/aws-sdk-go-v2/aws"
	"github.com/aws/aws-sdk-go-v2/credentials"
	"github.com/aws/aws-sdk-go-v2/service/s3"
	"github.com/aws/smithy-go"

	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// Kind is the kind of origin.
var Kind = origin.Kind{
	Name: "s3", Label: "S3 bucket",
	Host: origin.HostIn("address"),
	Fields: []origin.Field{
		{Name: "address", Label: "Address", Hint: "https://objects.example.com", Type: "text", Required: true},
		{Name: "bucket", Label: "Bucket", Type: "text", Required: true},
		{Name: "region", Label: "Region", Hint: "us-east-1 when the store has none", Type: "text"},
		{Name: "access", Label: "Access key", Type: "text"},
		{Name: "secret", Label: "Secret key", Type: "secret"},
	},
	Open: open,
}

type drive struct {
	client       *s3.Client
	transport    *http.Transport
	host, bucket string
}

func open(_ context.Context, settings map[string]string, guard outgoing.Guard) (origin.Drive, error) {
	address, err := origin.Address(settings["address"])
	if err != nil {
		return nil, err
	}
	region := settings["region"]
	if region == "" {
		region = "us-east-1"
	}
	d := &drive{transport: guard.Transport(), host: address.Host, bucket: settings["bucket"]}
	options := s3.Options{
		Region: region, BaseEndpoint: aws.String(address.String()), UsePathStyle: true,
		HTTPClient:       &http.Client{Transport: d.transport, CheckRedirect: outgoing.Redirects(3, nil)},
		RetryMaxAttempts: 1, // runs try again by themselves
	}
	if settings["access"] != "" {
		options.Credentials = credentials.NewStaticCredentialsProvider(settings["access"], settings["secret"], "")
	} else {
		options.Credentials = aws.AnonymousCredentials{}
	}
	d.client = s3.New(options)
	return d, nil
}

func (d *drive) Pinned() string { return "" }

func (d *drive) Close() error {
	d.transport.CloseIdleConnections()
	return nil
}

func (d *drive) List(ctx context.Context, folder string) ([]origin.Entry, error) {
	prefix := ""
	if folder != "" {
		prefix = folder + "/"
	}
	var entries []origin.Entry
	pages := s3.NewListObjectsV2Paginator(d.client, &s3.ListObjectsV2Input{Bucket: &d.bucket, Prefix: &prefix, Delimiter: aws.String("/")})
	for pages.HasMorePages() {
		page, err := pages.NextPage(ctx)
		if err != nil {
			return nil, d.explain("list /"+folder, folder, err)
		}
		for _, below := range page.CommonPrefixes {
			entries = append(entries, origin.Entry{Path: strings.TrimSuffix(aws.ToString(below.Prefix), "/"), Folder: true})
		}
		for _, object := range page.Contents {
			if name := aws.ToString(object.Key); !strings.HasSuffix(name, "/") {
				entries = append(
					entries,
					origin.Entry{
						Path:     name,
						Bytes:    aws.ToInt64(object.Size),
						Modified: aws.ToTime(object.LastModified),
						Tag:      aws.ToString(object.ETag),
					},
				)
			}
		}
	}
	if len(entries) == 0 && folder != "" {
		return nil, origin.Faulty("there is no /"+folder+" in the bucket "+d.bucket, false, nil)
	}
	return entries, nil
}

func (d *drive) Read(ctx context.Context, name string) (io.ReadCloser, error) {
	answer, err := d.client.GetObject(ctx, &s3.GetObjectInput{Bucket: &d.bucket, Key: &name})
	if err != nil {
		return nil, d.explain("read /"+name, name, err)
	}
	return origin.Content(
		answer.Body,
		func() { _ = answer.Body.Close() },
		func(err error) error { return d.explain("read /"+name, name, err) },
	), nil
}

func (d *drive) explain(doing, name string, err error) error {
	var refused smithy.APIError
	if !errors.As(err, &refused) {
		return origin.Explained(doing, d.host, err)
	}
	switch refused.ErrorCode() {
	case "NoSuchBucket":
		return origin.Faulty("there is no bucket "+d.bucket+" at "+d.host, false, err)
	case "NoSuchKey", "NotFound":
		return origin.Faulty("there is no /"+name+" in the bucket "+d.bucket, false, err)
	case "AccessDenied", "Forbidden":
		return origin.Faulty("this key may not "+doing+" in the bucket "+d.bucket, false, err)
	case "InvalidAccessKeyId", "SignatureDoesNotMatch":
		return origin.Faulty("the access key or the secret key is wrong", false, err)
	case "SlowDown", "InternalError", "ServiceUnavailable":
		return origin.Faulty(d.host+" cannot answer now", true, err)
	}
	return origin.Faulty(d.host+" refuses to "+doing+": "+refused.ErrorMessage(), false, err)
}
