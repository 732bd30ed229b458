package store

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambrosa/internal/door"
)

// DropPeople returns the names of those who may drop files.
func (s *Store) DropPeople(ctx context.Context) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select name from drop_person order by lower(name)`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// AddDropPerson lets someone drop files, with a password whose SHA-256 is
// given. ErrChanged means that the name is taken.
func AddDropPerson(ctx context.Context, tx *door.Tx, name string, password []byte) error {
	_, err := tx.Exec(ctx, `insert into drop_person (name, password) values ($1, $2)`, name, password)
	var refused *pgconn.PgError
	if errors.As(err, &refused) && refused.ConstraintName == "drop_person_name" {
		return ErrChanged
	}
	return err
}

// RemoveDropPerson forgets someone.
func RemoveDropPerson(ctx context.Context, tx *door.Tx, name string) error {
	tag, err := tx.Exec(ctx, `delete from drop_person where name = $1`, name)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNotFound
	}
	return err
}

// DropPassword returns the SHA-256 of a person's password.
func (s *Store) DropPassword(ctx context.Context, name string) (password []byte, err error) {
	err = s.pool.QueryRow(ctx, `select password from drop_person where name = $1`, name).Scan(&password)
	return password, orNotFound(err)
}

// AddUploads records files of a lot that are here already, as uploads that are
// complete; those that are recorded stay as they are.
func AddUploads(ctx context.Context, tx *door.Tx, uploads []Upload) error {
	batch := &pgx.Batch{}
	for _, u := range uploads {
		batch.Queue(
			`insert into upload (id, lot_id, path, bytes, finished_at) values ($1, $2, $3, $4, now()) on conflict do nothing`,
			u.ID, u.LotID, u.Path, u.Bytes,
		)
	}
	return tx.SendBatch(ctx, batch).Close()
}

// EmptyDropLots returns the lots that were made for what was dropped, and got
// nothing.
func (s *Store) EmptyDropLots(ctx context.Context) ([]int64, error) {
	rows, err := s.pool.Query(
		ctx,
		`select id from lot l where origin = 'drop' and state = 'receiving' and not exists (select from upload where lot_id = l.id)`,
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// WaitsForDrop tells whether a lot was made for what was dropped and is not
// complete yet.
func (s *Store) WaitsForDrop(ctx context.Context, lot int64) (waits bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from lot where id = $1 and origin = 'drop' and state = 'receiving')`, lot).
		Scan(&waits)
	return waits, err
}
