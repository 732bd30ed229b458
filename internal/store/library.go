package store

import (
	"context"
	"errors"
)

// LibraryMark returns what the object store of this library is told by; "" where that was not decided yet.
func (s *Store) LibraryMark(ctx context.Context) (mark string, err error) {
	found, err := texts(ctx, s.Pool, `select mark from library`)
	if err != nil || len(found) == 0 {
		return "", err
	}
	return found[0], nil
}

// SetLibraryMark keeps a mark, unless another process was first, and returns the one that counts.
func (s *Store) SetLibraryMark(ctx context.Context, mark string) (string, error) {
	if _, err := s.exec(ctx, `insert into library (mark) values ($1) on conflict (single) do nothing`, mark); err != nil {
		return "", err
	}
	kept, err := s.LibraryMark(ctx)
	if err == nil && kept == "" {
		err = errors.New("the mark of the library was not kept")
	}
	return kept, err
}
