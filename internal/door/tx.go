package door

import (
	"context"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/riverqueue/river"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
)

// Tx is a transaction that somebody may make, and that is recorded. Only Do makes one.
type Tx struct {
	inner     pgx.Tx
	door      *Door
	entry     audit.Entry
	unchanged bool
	announced bool // it told what changed
	within    *Tx  // that this is a part of
}

// Who is the actor.
func (t *Tx) Who() identity.Actor { return t.entry.Who }

// NumberOf returns the ID of another actor, whom something is done for.
func (t *Tx) NumberOf(ctx context.Context, who identity.Actor) (int64, error) {
	return t.door.number(ctx, who)
}

// About adds what the change is about.
func (t *Tx) About(subjects ...audit.Subject) {
	for t.within != nil {
		t = t.within
	}
	t.entry.About = append(t.entry.About[:len(t.entry.About):len(t.entry.About)], subjects...)
}

// Changed says what was changed, before and after, in short. Both become JSON; nil says nothing.
func (t *Tx) Changed(before, after any) {
	for t.within != nil {
		t = t.within
	}
	t.entry.Before, t.entry.After = before, after
}

// As says that something else was done than was meant: what was decided meanwhile left no other way.
func (t *Tx) As(action identity.Action) {
	for t.within != nil {
		t = t.within
	}
	t.entry.Action = action
}

// Unchanged says that there was nothing to change after all: nothing is recorded.
func (t *Tx) Unchanged() {
	for t.within != nil {
		t = t.within
	}
	t.unchanged = true
}

// Part does work that may fail without the rest of the transaction: everything it wrote is reverted then.
func (t *Tx) Part(ctx context.Context, work func(*Tx) error) error {
	part := &Tx{door: t.door, entry: t.entry, within: t}
	err := pgx.BeginFunc(ctx, t.inner, func(inner pgx.Tx) error {
		part.inner = inner
		return work(part)
	})
	if err == nil {
		t.announced = t.announced || part.announced
	}
	return err
}

// FollowUp puts a job into the queue; it is there when the transaction is.
func (t *Tx) FollowUp(ctx context.Context, job river.JobArgs, options *river.InsertOpts) error {
	t.door.mu.RLock()
	jobs := t.door.jobs
	t.door.mu.RUnlock()
	_, err := jobs.InsertTx(ctx, t.inner, job, options)
	return err
}

// Exec carries out a statement.
func (t *Tx) Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error) {
	return t.inner.Exec(ctx, sql, args...)
}

// Query carries out a statement and returns its rows.
func (t *Tx) Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error) {
	return t.inner.Query(ctx, sql, args...)
}

// QueryRow carries out a statement and returns its row.
func (t *Tx) QueryRow(ctx context.Context, sql string, args ...any) pgx.Row {
	return t.inner.QueryRow(ctx, sql, args...)
}

// SendBatch carries out several statements.
func (t *Tx) SendBatch(ctx context.Context, batch *pgx.Batch) pgx.BatchResults {
	return t.inner.SendBatch(ctx, batch)
}

// CopyFrom writes rows by COPY.
func (t *Tx) CopyFrom(ctx context.Context, table pgx.Identifier, columns []string, rows pgx.CopyFromSource) (int64, error) {
	return t.inner.CopyFrom(ctx, table, columns, rows)
}
