// Package door is the one way to change anything. Do asks whether the actor may, makes a transaction,
// does the work in it again where others were in the way, and writes what was done into the record, all of
// it or none. The store's functions that write take a *Tx, which is made here and nowhere else: a change
// that nobody may make, or that leaves no record, does not compile.
package door

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/rivertype"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/database"
)

// Door is where changes are made.
type Door struct {
	pool *pgxpool.Pool
	// may answers why an actor may not do something, nil where they may.
	may func(identity.Actor, identity.Action) error

	mu     sync.RWMutex
	actors map[identity.Actor]int64 // by kind and name
	jobs   Jobs
}

// Jobs is the queue that follow-up work is put into.
type Jobs interface {
	InsertTx(ctx context.Context, tx pgx.Tx, args river.JobArgs, options *river.InsertOpts) (*rivertype.JobInsertResult, error)
}

// New returns the door to a database. may says who may do what; nil for the usual table.
func New(pool *pgxpool.Pool, may func(identity.Actor, identity.Action) error) *Door {
	if may == nil {
		may = identity.May
	}
	return &Door{pool: pool, may: may, actors: map[identity.Actor]int64{}}
}

// Judge replaces what says who may do what.
func (d *Door) Judge(may func(identity.Actor, identity.Action) error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.may = may; may == nil {
		d.may = identity.May
	}
}

// Queue says where follow-up work goes.
func (d *Door) Queue(jobs Jobs) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.jobs = jobs
}

// Deed says who does what, to what.
type Deed struct {
	Who    identity.Actor
	Action identity.Action
	About  []audit.Subject
	step   bool // a part of what is recorded elsewhere
}

// By is a deed. What it is about may be said in the work as well (Tx.About), where it is known only then.
func By(who identity.Actor, action identity.Action, about ...audit.Subject) Deed {
	return Deed{Who: who, Action: action, About: about}
}

// Allowed returns an identity.Refused where an actor may not do something, for work that reaches outside the database
// before it changes anything.
func (d *Door) Allowed(who identity.Actor, action identity.Action) error {
	d.mu.RLock()
	defer d.mu.RUnlock()
	return d.may(who, action)
}

// tries is how often a transaction is tried that others are in the way of.
const tries = 5

// Do makes a change. The error of an actor who may not is an identity.Refused; what work returns is
// returned as it is, and nothing is changed then. In the context of a run's attempt it may return
// ErrSuperseded. Work is done again where another transaction was in the way (a deadlock, a serialization
// failure): it has to come to the same however often it is done.
func (d *Door) Do(ctx context.Context, deed Deed, work func(*Tx) error) (err error) {
	if err := d.Allowed(deed.Who, deed.Action); err != nil {
		return err
	}
	if deed.Who.ID, err = d.number(ctx, deed.Who); err != nil {
		return database.Away(err)
	}
	for n := range tries {
		if err = d.once(ctx, deed, work); !database.IsTransient(err) {
			break
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Duration(rand.IntN(20<<n)) * time.Millisecond):
		}
	}
	return database.Away(err)
}

// once makes a change in one transaction.
func (d *Door) once(ctx context.Context, deed Deed, work func(*Tx) error) error {
	tx := &Tx{door: d, entry: audit.Entry{Who: deed.Who, Action: deed.Action, About: deed.About}}
	if run, works := attemptOf(ctx); works {
		tx.entry.Run = run.Run
	}
	tx.entry.Request = requestOf(ctx)
	written := func() {}
	err := pgx.BeginFunc(ctx, d.pool, func(inner pgx.Tx) error {
		if err := checkAttempt(ctx, inner); err != nil {
			return err
		}
		tx.inner = inner
		if err := work(tx); err != nil {
			return err
		}
		if tx.unchanged || deed.step || deed.Action.IsStep() {
			return nil
		}
		if err := tx.record(ctx); err != nil {
			return fmt.Errorf("record %s by %s: %w", deed.Action, deed.Who.Name, err)
		}
		var err error
		written, err = tx.writeKey(ctx)
		return err
	})
	if err == nil {
		written()
	}
	return err
}

// ErrSuperseded means that another process has taken over the run that a write belongs to. Nothing
// was written.
var ErrSuperseded = errors.New("another process has taken over this run")

// Get makes a change, as Do does, and returns what it came to.
func Get[T any](ctx context.Context, d *Door, deed Deed, work func(*Tx) (T, error)) (got T, err error) {
	err = d.Do(ctx, deed, func(tx *Tx) (err error) {
		got, err = work(tx)
		return err
	})
	return got, err
}
