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
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"ambrosa/core/acting"
	"ambrosa/internal/archive"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/covering"
	"ambrosa/internal/deciding"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/drives"
	"ambrosa/internal/importing"
	"ambrosa/internal/mail"
	"ambrosa/internal/picture"
	"ambrosa/internal/planning"
	"ambrosa/internal/reading"
	"ambrosa/internal/receiving"
	"ambrosa/internal/shelving"
	"ambrosa/internal/store"
	"ambrosa/internal/upkeeping"
)

// Runner queues work, and does it when it was started.
type Runner struct {
	Store    *store.Store
	Blobs    *blob.Store
	Pictures *picture.Pool
	Readers  contained.Program // of archives and sheets
	Index    *reading.Index
	Planner  *planning.Planner
	Decider  *deciding.Decider
	Receiver *receiving.Receiver
	Importer *importing.Importer
	Shelver  *shelving.Shelver
	Upkeeper *upkeeping.Upkeeper
	// Dispatcher hands pictures on.
	Dispatcher *dispatching.Dispatcher
	// Coverer counts how far products have their pictures.
	Coverer *covering.Coverer
	Drives  *drives.Opener
	Mail    *mail.Sender // nil when messages do not go by mail
	Uploads string       // folder that complete uploads lie in, by id
	Limits  archive.Limits
	Terms   Terms
	Log     *slog.Logger

	client  *river.Client[pgx.Tx]
	release func()
	watch   context.CancelFunc

	mu     sync.Mutex
	active map[int64]context.CancelCauseFunc
}

var errStopped = errors.New("stopped by a person")

// Open makes the runner ready to queue work. name tells this process from all
// others on the database.
func (r *Runner) Open(name string) error {
	r.active = map[int64]context.CancelCauseFunc{}
	if r.Limits == (archive.Limits{}) {
		r.Limits = archive.DefaultLimits
	}
	workers := river.NewWorkers()
	river.AddWorker(workers, &worker{runner: r})
	river.AddWorker(workers, &mailWorker{runner: r})
	client, err := river.NewClient(riverpgxv5.New(r.Store.Pool), &river.Config{
		ID:         name,
		Workers:    workers,
		Queues:     map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 6}, longQueue: {MaxWorkers: 12}},
		JobTimeout: -1,
		Logger:     slog.New(slog.DiscardHandler),
		// A process that dies is noticed by its missing presence, at once.
		RescueStuckJobsAfter: 24 * time.Hour,
		FetchPollInterval:    500 * time.Millisecond,
		FetchCooldown:        100 * time.Millisecond,
	})
	if err != nil {
		return fmt.Errorf("open the queue: %w", err)
	}
	r.client = client
	return nil
}

// Start begins to do work, in the background, until Stop.
func (r *Runner) Start(ctx context.Context) error {
	release, err := r.Store.HoldPresence(ctx, r.client.ID())
	if err != nil {
		return fmt.Errorf("announce this process: %w", err)
	}
	r.release = release
	if err := r.rescue(ctx); err != nil {
		return err
	}
	watching, cancel := context.WithCancel(context.WithoutCancel(ctx))
	r.watch = cancel
	contained.Background(r.Log, "look after abandoned work", func() { r.rescueNowAndThen(watching) })
	return r.client.Start(context.WithoutCancel(ctx))
}

func (r *Runner) rescue(ctx context.Context) error {
	n, err := r.Store.RescueAbandoned(ctx)
	if err != nil {
		return fmt.Errorf("look for abandoned work: %w", err)
	}
	if n > 0 {
		r.Log.Info("took up abandoned work", "runs", n)
	}
	return nil
}

func (r *Runner) rescueNowAndThen(ctx context.Context) {
	cleaned := time.Time{}
	for {
		if time.Since(cleaned) > cleanEvery {
			cleaned = time.Now()
			if err := r.Clean(ctx); err != nil && ctx.Err() == nil {
				r.Log.Error("let go what is past its term", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(10 * time.Second):
			if err := r.rescue(ctx); err != nil && ctx.Err() == nil {
				r.Log.Warn("rescue", "error", err)
			}
			if err := r.fetchDue(ctx); err != nil && ctx.Err() == nil {
				r.Log.Warn("fetch what is due", "error", err)
			}
			if err := r.Dispatcher.Due(ctx); err != nil && ctx.Err() == nil {
				r.Log.Warn("hand on what is due", "error", err)
			}
			if err := r.Upkeeper.Due(ctx); err != nil && ctx.Err() == nil {
				r.Log.Warn("sweep and purge what is due", "error", err)
			}
		}
	}
}

// Stop ends all work in progress; another process, or the next start, goes on
// with it.
func (r *Runner) Stop(ctx context.Context) error {
	if r.watch == nil {
		return nil
	}
	r.watch()
	err := r.client.StopAndCancel(ctx)
	r.release()
	return err
}

// Heard acts on events: a run that shall stop and is done here is stopped.
func (r *Runner) Heard(event store.Event) {
	if event.Topic != "run" || event.Note != "stop" {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if cancel := r.active[event.ID]; cancel != nil {
		cancel(errStopped)
	}
}

// Queue records a run and its job in one transaction.
func (r *Runner) Queue(ctx context.Context, tx pgx.Tx, who acting.Actor, kind string, about store.About) (int64, error) {
	id, err := store.NewRun(ctx, tx, who, kind, about)
	if err != nil {
		return 0, err
	}
	return id, r.insert(ctx, tx, kind, id)
}

func (r *Runner) insert(ctx context.Context, tx pgx.Tx, kind string, id int64) error {
	k, err := kindOf(kind)
	if err != nil {
		return err
	}
	_, err = r.client.InsertTx(ctx, tx, workArgs{Run: id}, &river.InsertOpts{Queue: k.queue()})
	return err
}

// Resume lets a stopped or failed run go on.
func (r *Runner) Resume(ctx context.Context, id int64) error {
	found, err := r.Store.Run(ctx, id)
	if err != nil {
		return err
	}
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		if err := store.RequeueRun(ctx, tx, id); err != nil {
			return err
		}
		return r.insert(ctx, tx, found.Kind, id)
	})
}

// progress is how far a run is; its counts may be changed by many goroutines.
type progress struct {
	mu          sync.Mutex
	done, total int64
}

func (p *progress) set(done, total int64) {
	p.mu.Lock()
	p.done, p.total = done, total
	p.mu.Unlock()
}

func (p *progress) add(done, total int64) {
	p.mu.Lock()
	p.done += done
	p.total += total
	p.mu.Unlock()
}

func (p *progress) get() (done, total int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.done, p.total
}

// failure is an end that a person has to know of, in their words.
type failure struct{ reason string }

func (f failure) Error() string { return f.reason }

// do carries out a run: it keeps the run's row up to date, watches for a stop,
// and records the end.
func (r *Runner) do(ctx context.Context, id int64) error {
	started, err := r.Store.StartRun(ctx, id)
	if err != nil || !started {
		return err
	}
	found, err := r.Store.Run(ctx, id)
	if err != nil {
		return err
	}
	kind, err := kindOf(found.Kind)
	if err != nil {
		return err
	}
	if found.Deaths >= kind.deaths() {
		return r.end(
			ctx,
			found,
			"failed",
			fmt.Sprintf(
				"The program ended %d times while it did this, and it did not get on. Nothing is lost, and the run can go on by hand. In the log "+
					"this is run %d.",
				found.Deaths,
				id,
			),
		)
	}
	working, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	r.mu.Lock()
	r.active[id] = cancel
	r.mu.Unlock()
	defer func() {
		r.mu.Lock()
		delete(r.active, id)
		r.mu.Unlock()
	}()
	p := &progress{}
	reported := make(chan struct{})
	go func() {
		defer close(reported)
		r.report(working, id, p, cancel)
	}()
	var message string
	err = contained.Safely(func() (err error) {
		message, err = kind.work(r, working, found, p)
		return err
	})()
	stopped := errors.Is(context.Cause(working), errStopped)
	cancel(nil)
	<-reported
	if ctx.Err() != nil {
		return river.JobSnooze(0) // this process ends; another goes on
	}
	done, total := p.get()
	if _, reportErr := r.Store.Progress(ctx, id, done, total); reportErr != nil {
		return reportErr
	}
	switch {
	case err == nil:
		return r.end(ctx, found, "done", message)
	case stopped:
		return r.end(ctx, found, "stopped", "Stopped. What is done stays, the rest can go on.")
	}
	r.Log.Error("run failed", "run", id, "kind", found.Kind, "error", err)
	var known failure
	if !errors.As(err, &known) {
		known.reason = fmt.Sprintf(
			"Something went wrong inside Ambrosa. Nothing is lost, and the run can go on. In its log this is run %d.",
			id,
		)
	}
	return r.end(ctx, found, "failed", known.reason)
}

// end records how a run ended, together with what is said of it to people.
func (r *Runner) end(ctx context.Context, run store.Run, state, message string) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		if err := store.EndRun(ctx, tx, run.ID, state, message); err != nil {
			return err
		}
		if k := kinds[run.Kind]; k.report != nil {
			return k.report(r, ctx, tx, run, state, message)
		}
		return nil
	})
}

func (r *Runner) report(ctx context.Context, id int64, p *progress, cancel context.CancelCauseFunc) {
	ticker := time.NewTicker(250 * time.Millisecond)
	defer ticker.Stop()
	lastDone, lastTotal := int64(-1), int64(-1)
	for {
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
			done, total := p.get()
			if done == lastDone && total == lastTotal {
				continue
			}
			lastDone, lastTotal = done, total
			stop, err := r.Store.Progress(ctx, id, done, total)
			if err == nil && stop {
				cancel(errStopped)
			}
		}
	}
}
