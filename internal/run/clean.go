package run

import (
	"context"
	"errors"
	"time"

	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Terms are how long what is not complete is kept.
type Terms struct {
	Upload  time.Duration // for an upload to arrive
	Refused time.Duration // that the bytes of an upload are kept that could not be read whole
}

// cleanEvery is how often is looked for what is past its term.
const cleanEvery = time.Hour

// Clean lets go what is past its term: uploads that did not arrive, with lots
// that nothing came for, the bytes of uploads that could not be read whole, packages, and
// renditions; and it keeps what coverage comes to today.
func (r *Runner) Clean(ctx context.Context) error {
	late, err := r.Store.LateUploads(ctx, r.Terms.Upload)
	if err != nil {
		return err
	}
	for _, u := range late {
		if err := r.Gatherer.GiveUpUpload(ctx, identity.Ambrosa, u.ID); err != nil {
			return err
		}
		r.Log.Info("an upload did not arrive in its time", "upload", u.ID, "lot", u.LotID, "path", u.Path)
	}
	if err := r.Store.Step(ctx, func(tx *door.Tx) error {
		return errors.Join(store.ForgetStale(ctx, tx), store.DeleteOldKeys(ctx, tx))
	}); err != nil {
		return err
	}
	if err := r.Upkeeper.DropLeaving(ctx); err != nil {
		return err
	}
	if err := r.Dispatcher.LetPackagesGo(ctx); err != nil {
		return err
	}
	if err := r.Dispatcher.LetRenditionsGo(ctx); err != nil {
		return err
	}
	if err := r.Store.Step(ctx, func(tx *door.Tx) error { return store.RecountFindings(ctx, tx) }); err != nil {
		return err
	}
	if err := r.Coverer.KeepDay(ctx); err != nil {
		return err
	}
	return r.Gatherer.CleanUploads(ctx, r.Terms.Refused)
}
