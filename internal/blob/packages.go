package blob

import (
	"context"
	"fmt"
	"io"

	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
)

func packageKey(id int64) string { return fmt.Sprintf("packages/%d.zip", id) }

// WritePackage stores what write writes as the package of a number, and returns its size. What
// cannot be written whole is not there.
func (s *Store) WritePackage(ctx context.Context, id int64, write func(io.Writer) error) (size int64, err error) {
	writing, stop := context.WithCancel(ctx)
	defer stop()
	w, err := s.bucket.NewWriter(writing, packageKey(id), &blob.WriterOptions{ContentType: "application/zip"})
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

type counter struct {
	to io.Writer
	n  int64
}

func (c *counter) Write(p []byte) (int, error) {
	n, err := c.to.Write(p)
	c.n += int64(n)
	return n, err
}

// DropPackage removes a package; one that is not there is gone already.
func (s *Store) DropPackage(ctx context.Context, id int64) error {
	if err := s.bucket.Delete(ctx, packageKey(id)); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
		return fmt.Errorf("drop package %d: %w", id, err)
	}
	return nil
}

// Package returns a package's bytes; the caller closes them. ErrNotFound means that it is not
// there any more.
func (s *Store) Package(ctx context.Context, id int64) (io.ReadCloser, int64, error) {
	return s.open(ctx, packageKey(id))
}
