package store

import (
	"context"
	"errors"

	"ambrosa/internal/door"
)

// LibraryMark returns what the object store of this library is told by; "" where that was not decided yet.
func (s *Store) LibraryMark(ctx context.Context) (mark string, err error) {
	found, err := texts(ctx, s.pool, `select mark from library`)
	if err != nil || len(found) == 0 {
		return "", err
	}
	return found[0], nil
}

// SetLibraryMark keeps a mark, unless another process was first, and returns the one that counts.
func SetLibraryMark(ctx context.Context, tx *door.Tx, mark string) (string, error) {
	if _, err := tx.Exec(ctx, `insert into library (mark) values ($1) on conflict (single) do nothing`, mark); err != nil {
		return "", err
	}
	kept, err := texts(ctx, tx, `select mark from library`)
	if err != nil || len(kept) == 0 {
		return "", errors.Join(err, errors.New("the mark of the library was not kept"))
	}
	return kept[0], nil
}
