package blob

import (
	"context"
	"errors"
	"fmt"
	"io"

	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
)

// packageKey is where a part of a package lies, counted from 1. The first has no number in its
// name; a package of one part is that.
func packageKey(id int64, part int, ending string) string {
	if part < 2 {
		return fmt.Sprintf("packages/%d.%s", id, ending)
	}
	return fmt.Sprintf("packages/%d-%d.%s", id, part, ending)
}

// WritePackage stores what write writes as a part, from 1, of the package of a number, and returns
// its size. ending is that of its name: zip or tar. What cannot be written whole is not there.
func (s *Store) WritePackage(ctx context.Context, id int64, part int, ending string, write func(io.Writer) error) (size int64, err error) {
	if err := s.There(ctx); err != nil {
		return 0, err
	}
	writing, stop := context.WithCancel(ctx)
	defer stop()
	w, err := s.bucket.NewWriter(writing, packageKey(id, part, ending), &blob.WriterOptions{ContentType: PackageType(ending)})
	if err != nil {
		return 0, err
	}
	counted := &counter{to: w}
	if err := write(counted); err != nil {
		stop() // so that closing does not store what there is so far
		_ = w.Close()
		return 0, err
	}
	return counted.n, w.Close()
}

// PackageType is the IANA media type of a package by the ending of its name (application/x-tar:
// common practice).
func PackageType(ending string) string {
	if ending == "tar" {
		return "application/x-tar"
	}
	return "application/zip"
}

type counter struct {
	to io.Writer
	n  int64
}

func (c *counter) Write(p []byte) (int, error) {
	n, err := c.to.Write(p)
	c.n += int64(n)
	return n, err
}

// DropPackage removes a package, all parts of it; one that is not there is gone already.
func (s *Store) DropPackage(ctx context.Context, id int64) error {
	for _, prefix := range []string{fmt.Sprintf("packages/%d.", id), fmt.Sprintf("packages/%d-", id)} {
		parts := s.bucket.List(&blob.ListOptions{Prefix: prefix})
		for {
			part, err := parts.Next(ctx)
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return fmt.Errorf("list the parts of package %d: %w", id, err)
			}
			if err := s.bucket.Delete(ctx, part.Key); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
				return fmt.Errorf("drop package %d: %w", id, err)
			}
		}
	}
	return nil
}

// PackageSize is how many bytes a part, from 1, of a package has. ErrNotFound means that it is not there
// (any more).
func (s *Store) PackageSize(ctx context.Context, id int64, part int, ending string) (int64, error) {
	about, err := s.bucket.Attributes(ctx, packageKey(id, part, ending))
	if gcerrors.Code(err) == gcerrors.NotFound {
		return 0, fmt.Errorf("package %d: %w", id, ErrNotFound)
	}
	if err != nil {
		return 0, err
	}
	return about.Size, nil
}

// Package returns some bytes, from one on, of a part, from 1, of a package; the caller closes them.
// ErrNotFound means that it is not there (any more).
func (s *Store) Package(ctx context.Context, id int64, part int, ending string, from, length int64) (io.ReadCloser, error) {
	reader, err := s.bucket.NewRangeReader(ctx, packageKey(id, part, ending), from, length, nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, fmt.Errorf("package %d: %w", id, ErrNotFound)
	}
	return reader, err
}
