// Package store keeps Ambrosa's data in PostgreSQL: a file an aggregate, the
// SQL beside its use. It owns transactions and what must hold between rows;
// rules that need no database are in core.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"

	"ambrosa/internal/database"
	"ambrosa/internal/door"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound means that there is no such row.
var ErrNotFound = errors.New("not found")

// ErrChanged means that a row was changed by someone else in between.
var ErrChanged = errors.New("changed in between")

// ErrTaken means that another row has what only one may have.
var ErrTaken = errors.New("another has it")

// Store is what is read of the database, with the door through which it is changed.
type Store struct {
	*door.Door
	// pool is for reading: its sessions cannot write.
	pool *pgxpool.Pool
	// writing is the door's.
	writing *pgxpool.Pool
	// leases is the door over the connections that never wait.
	leases *door.Door
	// Name tells this process from all others on the database; its sessions bear it.
	Name string
	// Lease is how long this process may do background work after it last said that it is alive.
	Lease time.Duration

	// control has the few connections that must never wait for the others: for the lease, for
	// hearing events, and for telling whether the database answers.
	control *pgxpool.Pool
	health  health
	address string
}

// Open connects to a database.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("read the database's address: %w", err)
	}
	s := &Store{Name: processName(), Lease: leaseTerm, address: url}
	config.MaxConns = max(config.MaxConns, 16)
	config.PrepareConn = prepare
	parameters := config.ConnConfig.RuntimeParams
	parameters["application_name"] = s.Name
	for name, value := range sessionLimits {
		if parameters[name] == "" {
			parameters[name] = value
		}
	}
	control := config.Copy()
	control.MaxConns, control.PrepareConn = 4, nil
	control.ConnConfig.RuntimeParams["statement_timeout"] = "10s"
	control.ConnConfig.ConnectTimeout = 5 * time.Second
	reading := config.Copy()
	reading.ConnConfig.RuntimeParams["default_transaction_read_only"] = "on"
	for _, open := range []struct {
		pool **pgxpool.Pool
		with *pgxpool.Config
	}{{&s.pool, reading}, {&s.writing, config}, {&s.control, control}} {
		if *open.pool, err = pgxpool.NewWithConfig(ctx, open.with); err != nil {
			s.Close()
			return nil, err
		}
	}
	s.Door, s.leases = door.New(s.writing, nil), door.New(s.control, nil)
	if err := s.pool.Ping(ctx); err != nil {
		s.Close()
		return nil, fmt.Errorf("connect to the database: %w", err)
	}
	return s, nil
}

// Close lets all connections go.
func (s *Store) Close() {
	for _, pool := range []*pgxpool.Pool{s.pool, s.writing, s.control} {
		if pool != nil {
			pool.Close()
		}
	}
}

// Migrate brings the database to the newest form: the project's own tables and
// the queue's.
// Of several processes that start at the same time, one does it, and the others wait.
func (s *Store) Migrate(ctx context.Context) (err error) {
	alone, err := s.control.Acquire(ctx)
	if err != nil {
		return err
	}
	defer alone.Release()
	const wait, done = `select set_config('statement_timeout', '0', false), pg_advisory_lock(6401)`,
		`select pg_advisory_unlock(6401), set_config('statement_timeout', '10s', false)`
	if _, err := alone.Exec(ctx, wait); err != nil {
		return fmt.Errorf("wait for another process that migrates: %w", err)
	}
	defer func() {
		_, ended := alone.Exec(context.WithoutCancel(ctx), done)
		err = errors.Join(err, ended)
	}()
	if err := s.goose(func(provider *goose.Provider) error {
		_, err := provider.Up(ctx)
		return err
	}); err != nil {
		return fmt.Errorf("migrate the database: %w", err)
	}
	queue, err := rivermigrate.New(riverpgxv5.New(s.writing), nil)
	if err != nil {
		return err
	}
	if _, err := queue.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrate the queue: %w", err)
	}
	return nil
}

// MigrateDown brings the database's own tables back to an older form, by the
// number of the migration that shall be the last: for going back to the program
// before. What only the newer form can hold is lost.
func (s *Store) MigrateDown(ctx context.Context, last int64) error {
	if err := s.goose(func(provider *goose.Provider) error {
		_, err := provider.DownTo(ctx, last)
		return err
	}); err != nil {
		return fmt.Errorf("migrate the database back: %w", err)
	}
	return nil
}

func (s *Store) goose(work func(*goose.Provider) error) error {
	folder, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	var db *sql.DB = stdlib.OpenDBFromPool(s.writing)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, folder)
	if err != nil {
		return err
	}
	return work(provider)
}

// DB is a pool or a transaction.
type DB interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// QueueDriver is what the queue reaches its own tables with.
func (s *Store) QueueDriver() *riverpgxv5.Driver { return riverpgxv5.New(s.writing) }

// Address is where the database is, as Open was told.
func (s *Store) Address() string { return s.address }

// Ping tells whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.pool.Ping(ctx) }

// Reader is for reading outside a transaction; its sessions cannot write.
func (s *Store) Reader() DB { return s.pool }

func list[T any](ctx context.Context, db DB, query string, args ...any) ([]T, error) {
	rows, err := db.Query(ctx, query, args...)
	if err != nil {
		return nil, database.Away(err)
	}
	found, err := pgx.CollectRows(rows, pgx.RowToStructByName[T])
	return found, database.Away(err)
}

func one[T any](ctx context.Context, db DB, query string, args ...any) (T, error) {
	var none T
	rows, err := db.Query(ctx, query, args...)
	if err != nil {
		return none, database.Away(err)
	}
	row, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[T])
	if errors.Is(err, pgx.ErrNoRows) {
		return none, ErrNotFound
	}
	return row, database.Away(err)
}

func number(ctx context.Context, db DB, query string, args ...any) (n int64, err error) {
	err = db.QueryRow(ctx, query, args...).Scan(&n)
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return n, database.Away(err)
}

// numbers returns the one column of a query.
func numbers(ctx context.Context, db DB, query string, args ...any) ([]int64, error) {
	rows, err := db.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

func texts(ctx context.Context, db DB, query string, args ...any) ([]string, error) {
	rows, err := db.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// copyInto writes rows by COPY.
func copyInto(ctx context.Context, tx *door.Tx, table string, columns []string, rows pgx.CopyFromSource) error {
	_, err := tx.CopyFrom(ctx, pgx.Identifier{table}, columns, rows)
	return err
}

// Listen calls heard for every event until ctx ends. A lost connection is made
// again; then reconnected is called, since events may have been missed.
func (s *Store) Listen(ctx context.Context, heard func(door.Event), reconnected func()) {
	listens := func() {}
	for ctx.Err() == nil {
		if err := s.listenOnce(ctx, heard, listens); err != nil && ctx.Err() == nil {
			select {
			case <-time.After(time.Second):
			case <-ctx.Done():
			}
			listens = reconnected
		}
	}
}

func (s *Store) listenOnce(ctx context.Context, heard func(door.Event), listens func()) error {
	pooled, err := s.control.Acquire(ctx)
	if err != nil {
		return err
	}
	connection := pooled.Hijack()
	defer connection.Close(context.WithoutCancel(ctx))
	if _, err := connection.Exec(ctx, "listen "+door.Channel); err != nil {
		return err
	}
	listens()
	for {
		notification, err := connection.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		var event door.Event
		if json.Unmarshal([]byte(notification.Payload), &event) == nil {
			heard(event)
		}
	}
}
