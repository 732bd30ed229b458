// Package run does background work: examining lots, pairing them, applying and
// reverting plans. Each kind of work is a file that registers it: its name, its
// words and its work. Every run can be watched, stopped and resumed, and a run
// whose process dies is taken up again where it was.
package run

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/covering"
	"ambrosa/internal/deciding"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/door"
	"ambrosa/internal/gathering"
	"ambrosa/internal/importing"
	"ambrosa/internal/mail"
	"ambrosa/internal/planning"
	"ambrosa/internal/store"
	"ambrosa/internal/upkeeping"
)

// Runner queues work, and does it when it was started.
type Runner struct {
	Store      *store.Store
	Gatherer   *gathering.Gatherer     // brings files in, and reads their names
	Decider    *deciding.Decider       // pairs by sheets
	Importer   *importing.Importer     // of sheets
	Planner    *planning.Planner       // applies and reverts plans
	Upkeeper   *upkeeping.Upkeeper     // sweeps and purges
	Dispatcher *dispatching.Dispatcher // hands pictures on
	Coverer    *covering.Coverer       // counts how far products have their pictures
	Mail       *mail.Sender            // nil when messages do not go by mail
	Terms      Terms
	Log        *slog.Logger

	client *river.Client[pgx.Tx]
	watch  context.CancelFunc
	leased sync.WaitGroup // what watches

	mu     sync.Mutex
	active map[int64]context.CancelCauseFunc
}

var errStopped = errors.New("stopped by a person")

// errLost ends a run that another process has taken over, or may have.
var errLost = errors.New("this process may not do the run any more")

// Open makes the runner ready to queue work.
func (r *Runner) Open() error {
	r.active = map[int64]context.CancelCauseFunc{}
	workers := river.NewWorkers()
	river.AddWorker(workers, &worker{runner: r})
	river.AddWorker(workers, &mailWorker{runner: r})
	client, err := river.NewClient(r.Store.QueueDriver(), &river.Config{
		ID:           r.Store.Name,
		Workers:      workers,
		Queues:       map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 6}, longQueue: {MaxWorkers: 12}},
		JobTimeout:   -1,
		Logger:       slog.New(quieter{r.Log.Handler()}),
		ErrorHandler: &faults{r.Log},
		// The leases of processes tell which work was abandoned.
		RescueStuckJobsAfter: 24 * time.Hour,
		FetchPollInterval:    500 * time.Millisecond,
		FetchCooldown:        100 * time.Millisecond,
	})
	if err != nil {
		return fmt.Errorf("open the queue: %w", err)
	}
	r.client = client
	r.Store.Queue(client)
	return nil
}

// Heard acts on events: a run that shall stop and is done here is stopped.
func (r *Runner) Heard(event door.Event) {
	if event.Topic != "run" || event.Note != "stop" {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if cancel := r.active[event.ID]; cancel != nil {
		cancel(errStopped)
	}
}

// Queue records a run and its job in one transaction. A run of a kind that joins another is the one that waits.
func (r *Runner) Queue(ctx context.Context, tx *door.Tx, who identity.Actor, kind string, about store.About) (int64, error) {
	k, err := kindOf(kind)
	if err != nil {
		return 0, err
	}
	if k.Joins {
		if waiting, err := store.WaitingRun(ctx, tx, who, kind, about); !errors.Is(err, store.ErrNotFound) {
			return waiting, err
		}
	}
	id, err := store.NewRun(ctx, tx, who, kind, about)
	if err != nil {
		return 0, err
	}
	return id, r.insert(ctx, tx, kind, id)
}

func (r *Runner) insert(ctx context.Context, tx *door.Tx, kind string, id int64) error {
	k, err := kindOf(kind)
	if err != nil {
		return err
	}
	return tx.FollowUp(ctx, workArgs{Run: id}, &river.InsertOpts{Queue: k.queue()})
}

// Resume lets a stopped or failed run go on.
func (r *Runner) Resume(ctx context.Context, who identity.Actor, id int64) error {
	found, err := r.Store.Run(ctx, id)
	if err != nil {
		return err
	}
	return r.Store.Do(ctx, door.By(who, identity.RunResume, audit.Of(identity.Run, id)), func(tx *door.Tx) error {
		if err := store.RequeueRun(ctx, tx, id); err != nil {
			return err
		}
		return r.insert(ctx, tx, found.Kind, id)
	})
}

// StopRun asks a run to stop; one that has not begun stops at once. store.ErrChanged means that it has ended.
func (r *Runner) StopRun(ctx context.Context, who identity.Actor, id int64) error {
	return r.Store.Do(ctx, door.By(who, identity.RunStop, audit.Of(identity.Run, id)), func(tx *door.Tx) error {
		return store.StopRun(ctx, tx, id)
	})
}
