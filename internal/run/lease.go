package run

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"ambrosa/core/identity"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// dueEvery is how often is looked for what a timetable says.
const dueEvery = 10 * time.Second

// beat is how often this process extends its lease, and looks for work that others abandoned.
func (r *Runner) beat() time.Duration { return r.Store.Lease / 6 }

// Start takes a lease and begins to do work, in the background, until Stop.
func (r *Runner) Start(ctx context.Context) error {
	if err := r.Store.TakeLease(ctx); err != nil {
		return fmt.Errorf("announce this process: %w", err)
	}
	if err := r.rescue(ctx); err != nil {
		return err
	}
	watching, cancel := context.WithCancel(context.WithoutCancel(ctx))
	r.watch = cancel
	background := func(what string, work func(context.Context)) {
		r.leased.Add(1)
		contained.Background(r.Log, what, func() {
			defer r.leased.Done()
			work(watching)
		})
	}
	background("hold the lease of this process", r.holdLease)
	background("look after abandoned work", r.rescueNowAndThen)
	background("begin what is due", r.beginDue)
	return r.client.Start(context.WithoutCancel(ctx))
}

// Stop ends all work in progress; another process, or the next start, goes on
// with it.
func (r *Runner) Stop(ctx context.Context) error {
	if r.watch == nil {
		return nil
	}
	err := r.client.StopAndCancel(ctx)
	r.watch()
	r.leased.Wait()
	return errors.Join(err, r.Store.EndLease(ctx))
}

// holdLease extends the lease of this process. Where that does not succeed within its term, what this
// process does is ended: another may do it already.
func (r *Runner) holdLease(ctx context.Context) {
	extended := time.Now()
	for pause(ctx, r.beat()) {
		asked := time.Now()
		asking, cancel := context.WithTimeout(ctx, r.beat())
		err := r.Store.ExtendLease(asking)
		cancel()
		switch {
		case err == nil:
			extended = asked
		case ctx.Err() != nil:
			return
		case errors.Is(err, store.ErrNoLease):
			r.Log.Warn("another process has taken over what this one did")
			r.loseAll()
			if err := r.Store.TakeLease(ctx); err != nil {
				r.Log.Warn("take a new lease", "error", err)
				continue
			}
			extended = asked
		case time.Since(extended) > r.Store.Lease-r.beat():
			r.Log.Warn("the lease of this process could not be extended", "error", err)
			r.loseAll()
		}
	}
}

// loseAll ends the runs that this process does.
func (r *Runner) loseAll() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, cancel := range r.active {
		cancel(errLost)
	}
}

// doing returns the runs that this process does.
func (r *Runner) doing() []int64 {
	r.mu.Lock()
	defer r.mu.Unlock()
	list := make([]int64, 0, len(r.active))
	for id := range r.active {
		list = append(list, id)
	}
	slices.Sort(list)
	return list
}

// rescue makes work available again whose process died, was cut off, or lost track of it.
func (r *Runner) rescue(ctx context.Context) error {
	ended, err := r.Store.Rescue(ctx)
	if len(ended) > 0 {
		r.Log.Info("took up the work of other processes", "processes", ended)
	}
	if err != nil {
		return fmt.Errorf("look for abandoned work: %w", err)
	}
	left, err := r.Store.Unfinished(ctx, r.doing())
	if err != nil {
		return fmt.Errorf("look for runs that nobody does: %w", err)
	}
	for _, u := range left {
		err := r.Store.Do(ctx, door.By(identity.Ambrosa, identity.Keep), func(tx *door.Tx) error {
			if still, err := store.AdoptRun(ctx, tx, u.ID); err != nil || !still {
				return err
			}
			r.Log.Info("queued a run again that no job led to", "run", u.ID)
			return r.insert(ctx, tx, u.Kind, u.ID)
		})
		if err != nil {
			return fmt.Errorf("queue run %d again: %w", u.ID, err)
		}
	}
	return nil
}

func (r *Runner) rescueNowAndThen(ctx context.Context) {
	for pause(ctx, r.beat()) {
		if err := r.rescue(ctx); err != nil && ctx.Err() == nil {
			r.Log.Warn("rescue", "error", err)
		}
	}
}

// beginDue begins what a timetable says, and lets go what is past its term.
func (r *Runner) beginDue(ctx context.Context) {
	cleaned := time.Time{}
	for {
		if time.Since(cleaned) > cleanEvery {
			cleaned = time.Now()
			if err := r.Clean(ctx); err != nil && ctx.Err() == nil {
				r.Log.Error("let go what is past its term", "error", err)
			}
		}
		if !pause(ctx, dueEvery) {
			return
		}
		for _, due := range []struct {
			what  string
			begin func(context.Context) error
		}{
			{"fetch what is due", r.Gatherer.FetchDue},
			{"send what is due", r.Dispatcher.Due},
			{"sweep and purge what is due", r.Upkeeper.Due},
			{"fold counts", r.foldCounts},
			{"refresh fingerprints", r.Gatherer.RefreshFingerprints},
		} {
			if err := due.begin(ctx); err != nil && ctx.Err() == nil {
				r.Log.Warn(due.what, "error", err)
			}
		}
	}
}

func (r *Runner) foldCounts(ctx context.Context) error {
	return r.Store.Step(ctx, func(tx *door.Tx) error { return store.FoldCounts(ctx, tx) })
}

// pause waits, and returns false when ctx ended meanwhile.
func pause(ctx context.Context, wait time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(wait):
		return true
	}
}

// quieter passes on what a library has to say from warnings upwards.
type quieter struct{ slog.Handler }

// Enabled tells whether a line of a level is passed on.
func (q quieter) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelWarn && q.Handler.Enabled(ctx, level)
}

// WithAttrs returns the handler with attributes.
func (q quieter) WithAttrs(attributes []slog.Attr) slog.Handler {
	return quieter{q.Handler.WithAttrs(attributes)}
}

// WithGroup returns the handler within a group.
func (q quieter) WithGroup(name string) slog.Handler { return quieter{q.Handler.WithGroup(name)} }
