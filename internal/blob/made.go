package blob

import (
	"context"
	"fmt"
	"io"
	"os"

	"gocloud.dev/gcerrors"
)

// madeKey names what was made of a blob's bytes in a way that made tells from others.
func madeKey(made string, of Sum) string {
	text := of.String()
	return "made/" + made + "/" + text[:2] + "/" + text
}

// KeepMade stores a spooled file as what was made of a blob, in the stead of what was made so
// before, and removes it from the spool.
func (s *Store) KeepMade(ctx context.Context, made string, of Sum, f Spooled) error {
	defer f.Remove()
	if err := s.There(ctx); err != nil {
		return err
	}
	return s.moveIn(ctx, madeKey(made, of), f)
}

// OpenMade returns what was made of a blob; the caller closes it. ErrNotFound means that it is
// not there (any more).
func (s *Store) OpenMade(ctx context.Context, made string, of Sum) (io.ReadCloser, int64, error) {
	return s.open(ctx, madeKey(made, of))
}

// DropMade removes what was made of a blob; what is not there is gone already.
func (s *Store) DropMade(ctx context.Context, made string, of Sum) error {
	if err := s.bucket.Delete(ctx, madeKey(made, of)); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
		return fmt.Errorf("drop what was made of %s: %w", of, err)
	}
	return nil
}

// SpoolPath is where a file in passing can be written that does not exist yet.
func (s *Store) SpoolPath() (string, error) {
	file, err := os.CreateTemp(s.spool, "made-*")
	if err != nil {
		return "", err
	}
	return file.Name(), file.Close()
}
