package run

import (
	"context"
	"errors"
	"fmt"

	"ambrosa/core/identity"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
	"ambrosa/internal/upkeeping"
)

func init() {
	register(Kind{Name: upkeeping.SweepRun, Action: identity.SweepBegin, Tells: true,
		Doing: "Sweeping", Leads: ToUpkeep, Long: true, work: (*Runner).sweep,
		report: (*Runner).reportSweep})
	register(Kind{Name: upkeeping.PurgeRun, Action: identity.HoldingPurge,
		Doing: "Purging", Leads: ToUpkeep, Long: true, work: (*Runner).purge})
}

// sweep looks for what nothing needs, and what is there twice.
func (r *Runner) sweep(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	found, err := r.Upkeeper.DoSweep(ctx, run.Who(), run.SweepID, func(n int64) { p.Set(n, 0) })
	return fmt.Sprintf("%d findings", found), ofObjects(err)
}

// purge has files go that are past their term, or that a person chose.
func (r *Runner) purge(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	if err := r.Upkeeper.DoPurge(ctx, run.Who(), run.ReceiptID, func(n int64) { p.Set(n, 0) }); err != nil {
		return "", ofObjects(err)
	}
	receipt, err := r.Store.Receipt(ctx, run.ReceiptID)
	said := fmt.Sprintf("%d files went, %d bytes are free", receipt.Files, receipt.Freed)
	if receipt.Kept > 0 {
		said += fmt.Sprintf("; %d are needed again and stay", receipt.Kept)
	}
	return said, err
}

// ofObjects words what the object store did not do.
func ofObjects(err error) error {
	var refused *upkeeping.StoreError
	switch {
	case errors.Is(err, upkeeping.ErrStoreEmpty):
		return task.Failure{Reason: "The object store shows none of its objects: is it there, and the right one? Nothing was recorded."}
	case errors.As(err, &refused):
		return task.Failure{Reason: "The object store does not answer, or refuses: " + refused.Error() + ". What is done stays, and the run " +
			"can go on."}
	}
	return err
}
