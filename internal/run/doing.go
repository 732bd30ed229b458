package run

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/riverqueue/river"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/database"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// takenUpAfter is how soon a job is tried again whose run could not be begun or finished because of
// the database or the lease.
const takenUpAfter = time.Second

// do carries out a run, as an attempt of its own: it keeps the run's row up to date, watches for a
// stop, and records the end. An attempt that another process has taken over ends without a trace.
func (r *Runner) do(ctx context.Context, id int64) error {
	working, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	if !r.activate(id, cancel) {
		return nil // another job of the same run
	}
	defer r.deactivate(id)
	var run store.Run
	var attempt door.Attempt
	err := r.Store.Step(working, func(tx *door.Tx) (err error) {
		run, attempt, err = store.StartRun(working, tx, r.Store.Name, id)
		return err
	})
	switch {
	case errors.Is(err, store.ErrChanged):
		return nil // it has ended, or another process does it
	case err != nil && ctx.Err() == nil && (errors.Is(err, store.ErrNoLease) || database.IsAway(err)):
		return river.JobSnooze(takenUpAfter)
	case err != nil:
		return err
	}
	attempt.Who, attempt.Action = run.Who(), kinds[run.Kind].Action
	working = door.WithAttempt(working, attempt)
	message, err := r.attempt(working, run, cancel)
	switch cause := context.Cause(working); {
	case errors.Is(cause, errLost), errors.Is(err, door.ErrSuperseded):
		return river.JobSnooze(takenUpAfter) // where another does it, the job finds nothing to begin
	case ctx.Err() != nil:
		return river.JobSnooze(0) // this process ends, and its lease with it; another goes on
	case database.IsAway(err):
		return r.release(ctx, id, err)
	case errors.Is(cause, errStopped) && err != nil:
		return r.end(door.WithAttempt(ctx, attempt), run, "stopped", "Stopped. What is done stays, the rest can go on.")
	case err == nil:
		err = r.end(door.WithAttempt(ctx, attempt), run, "done", message)
	default:
		r.Log.Error("run failed", "run", id, "kind", run.Kind, "error", err)
		err = r.end(door.WithAttempt(ctx, attempt), run, "failed", reasonOf(err, id))
	}
	if database.IsAway(err) {
		return r.release(ctx, id, err)
	}
	return err
}

// reasonOf says to people why a run failed.
func reasonOf(err error, id int64) string {
	var known task.Failure
	var refused identity.Refused
	switch {
	case errors.As(err, &refused):
		return "It was stopped because " + refused.Who.Name + " may not do this any more. What is done stays, and nothing is lost."
	case errors.As(err, &known):
		return known.Reason
	case blob.IsFull(err):
		return "The disk is full. What is done stays, nothing is lost, and the run can go on when there is room."
	case errors.Is(err, blob.ErrElsewhere):
		return "The object store is not there, or is that of another library: a disk may not be mounted. What is done stays, nothing is lost, " +
			"and the run can go on when it is back."
	}
	return fmt.Sprintf("Something went wrong inside Ambrosa. Nothing is lost, and the run can go on. In its log this is run %d.", id)
}

// activate notes what ends a run that this process does; false when it does it already.
func (r *Runner) activate(id int64, cancel context.CancelCauseFunc) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.active[id] != nil {
		return false
	}
	r.active[id] = cancel
	return true
}

func (r *Runner) deactivate(id int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.active, id)
}

// attempt does the work of a run, and returns what it came to.
func (r *Runner) attempt(ctx context.Context, run store.Run, cancel context.CancelCauseFunc) (message string, err error) {
	kind, err := kindOf(run.Kind)
	if err != nil {
		return "", err
	}
	if run.State == "stopping" {
		cancel(errStopped)
		return "", errStopped
	}
	if run.Deaths >= cmp.Or(kind.Deaths, usualDeaths) {
		return "", task.Failure{Reason: fmt.Sprintf("The program or the database ended %d times while it did this, and it did not get on. "+
			"Nothing is lost, "+
			"and the run can go on by hand. In the log this is run %d.", run.Deaths, run.ID)}
	}
	p := &task.Progress{}
	reporting, stopReporting := context.WithCancel(ctx)
	reported := make(chan struct{})
	go func() {
		defer close(reported)
		r.report(reporting, run.ID, p, cancel)
	}()
	err = contained.Safely(func() (err error) {
		message, err = kind.work(r, ctx, run, p)
		return err
	})()
	stopReporting()
	<-reported
	if ctx.Err() != nil && errors.Is(context.Cause(ctx), errStopped) {
		ctx = context.WithoutCancel(ctx)
	}
	done, total := p.Get()
	if _, reportErr := door.Get(ctx, r.Store.Door, door.Step(ctx), func(tx *door.Tx) (bool, error) {
		return store.Progress(ctx, tx, run.ID, done, total)
	}); reportErr != nil && err == nil {
		err = reportErr
	}
	return message, err
}

// release lets go of a run that the database's absence has broken off, as soon as the database is
// there again; until then, or until the lease is lost, it waits.
func (r *Runner) release(ctx context.Context, id int64, why error) error {
	r.Log.Warn("the database went away during a run, which goes on", "run", id, "error", why)
	for end := time.Now().Add(r.Store.Lease); time.Now().Before(end); {
		asking, cancel := context.WithTimeout(ctx, 2*time.Second)
		err := r.Store.Step(asking, func(tx *door.Tx) error { return store.ReleaseRun(asking, tx, r.Store.Name, id, true) })
		cancel()
		if err == nil || !pause(ctx, 500*time.Millisecond) {
			break
		}
	}
	return river.JobSnooze(takenUpAfter)
}

// end records how a run ended, together with what is said of it to people.
func (r *Runner) end(ctx context.Context, run store.Run, state, message string) error {
	who := run.Who()
	if r.Store.Allowed(who, identity.RunEnd) != nil {
		who = identity.Ambrosa // who began it may do nothing any more, and it ends
	}
	deed := door.By(who, identity.RunEnd, aboutRun(run)...)
	if kinds[run.Kind].Tells && state == "done" {
		deed = door.Step(ctx)
	}
	err := r.Store.Do(ctx, deed, func(tx *door.Tx) error {
		tx.Changed(nil, map[string]string{"kind": run.Kind, "state": state, "message": message})
		if err := store.EndRun(ctx, tx, run.ID, state, message); err != nil {
			return err
		}
		if k := kinds[run.Kind]; k.report != nil {
			return k.report(r, ctx, tx, run, state, message)
		}
		return nil
	})
	if errors.Is(err, door.ErrSuperseded) {
		return nil
	}
	return err
}

// aboutRun is what a run was to work on, and the run.
func aboutRun(run store.Run) (about []audit.Subject) {
	for _, of := range []audit.Subject{audit.Of(identity.Lot, run.LotID), audit.Of(identity.Plan, run.PlanID),
		audit.Of(identity.Origin, run.Origin),
		audit.Of(identity.Sheet, run.SheetID), audit.Of(identity.Sweep, run.SweepID), audit.Of(identity.Receipt, run.ReceiptID),
		audit.Of(identity.Dispatch, run.DispatchID), audit.Of(identity.Run, run.ID)} {
		if of.ID != 0 {
			about = append(about, of)
		}
	}
	return about
}

// reportEvery is how often how far a run is is written, where that has changed.
const reportEvery = 500 * time.Millisecond

// report writes how far a run is, now and then, and ends it when it shall stop or another process has
// taken it over.
func (r *Runner) report(ctx context.Context, id int64, p *task.Progress, cancel context.CancelCauseFunc) {
	lastDone, lastTotal := int64(-1), int64(-1)
	for pause(ctx, reportEvery) {
		done, total := p.Get()
		if done == lastDone && total == lastTotal {
			continue
		}
		lastDone, lastTotal = done, total
		stop, err := door.Get(ctx, r.Store.Door, door.Step(ctx), func(tx *door.Tx) (bool, error) {
			return store.Progress(ctx, tx, id, done, total)
		})
		switch {
		case errors.Is(err, door.ErrSuperseded):
			cancel(errLost)
		case err == nil && stop:
			cancel(errStopped)
		}
	}
}
