package store

import (
	"context"
	"errors"
	"math/rand/v2"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// Attempt is one try of one process at one run. Whatever the try writes is checked against it: as
// soon as another process has begun a later attempt, this one can write nothing more.
type Attempt struct{ Run, Number int64 }

type attemptKey struct{}

// WithAttempt returns a context whose writes belong to an attempt.
func WithAttempt(ctx context.Context, a Attempt) context.Context {
	return context.WithValue(ctx, attemptKey{}, a)
}

// ErrSuperseded means that another process has taken over the run that a write belongs to. Nothing
// was written.
var ErrSuperseded = errors.New("another process has taken over this run")

// checkAttempt locks the run's row against being taken over until the transaction ends, and returns
// ErrSuperseded when it was taken over before. Contexts of no attempt pass.
func checkAttempt(ctx context.Context, tx pgx.Tx) error {
	attempt, belongs := ctx.Value(attemptKey{}).(Attempt)
	if !belongs {
		return nil
	}
	tag, err := tx.Exec(ctx, `select from run where id = $1 and attempt = $2 for key share`, attempt.Run, attempt.Number)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrSuperseded
	}
	return err
}

// Current returns ErrSuperseded when another process has taken over the attempt of a context. Work
// that reaches outside the database asks before it does.
func (s *Store) Current(ctx context.Context) error {
	attempt, belongs := ctx.Value(attemptKey{}).(Attempt)
	if !belongs {
		return nil
	}
	var current bool
	err := s.Pool.QueryRow(ctx, `select exists (select from run where id = $1 and attempt = $2)`, attempt.Run, attempt.Number).Scan(&current)
	if err == nil && !current {
		err = ErrSuperseded
	}
	return away(err)
}

// Within runs work in a transaction. In the context of an attempt it may return ErrSuperseded.
func (s *Store) Within(ctx context.Context, work func(pgx.Tx) error) error {
	return away(pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := checkAttempt(ctx, tx); err != nil {
			return err
		}
		return work(tx)
	}))
}

// tries is how often a transaction is tried that others are in the way of.
const tries = 5

// Retried is Within, again where another transaction was in the way (a deadlock, a serialization
// failure): work has to come to the same however often it is done.
func (s *Store) Retried(ctx context.Context, work func(pgx.Tx) error) (err error) {
	for n := range tries {
		if err = s.Within(ctx, work); !IsTransient(err) {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Duration(rand.IntN(20<<n)) * time.Millisecond):
		}
	}
	return err
}

// exec runs one statement that writes, checked as Within checks.
func (s *Store) exec(ctx context.Context, sql string, args ...any) (tag pgconn.CommandTag, err error) {
	if ctx.Value(attemptKey{}) == nil {
		return s.Pool.Exec(ctx, sql, args...)
	}
	err = s.Within(ctx, func(tx pgx.Tx) error {
		tag, err = tx.Exec(ctx, sql, args...)
		return err
	})
	return tag, err
}

// returning runs one statement that writes and returns a number, checked as Within checks.
func (s *Store) returning(ctx context.Context, sql string, args ...any) (n int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		n, err = number(ctx, tx, sql, args...)
		return err
	})
	return n, err
}

// copyInto writes rows by COPY, checked as Within checks.
func (s *Store) copyInto(ctx context.Context, table string, columns []string, rows pgx.CopyFromSource) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		_, err := tx.CopyFrom(ctx, pgx.Identifier{table}, columns, rows)
		return err
	})
}
