package run

import (
	"context"
	"fmt"

	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

func init() {
	register(Kind{Name: "revert", Action: identity.PlanRevert,
		Doing: "Reverting", Leads: ToPlan, report: (*Runner).reportPlan, work: (*Runner).revertPlan})
}

// revertPlan takes a plan's changes back, one after the other, or the change of
// one product or category.
func (r *Runner) revertPlan(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	if run.Owner != nil {
		return r.revertOne(ctx, run, p)
	}
	found, err := r.Store.Plan(ctx, run.PlanID)
	if err != nil {
		return "", err
	}
	p.Set(0, int64(found.Applied))
	err = r.eachChange(ctx, run.PlanID, "applied", func(change int64) error {
		_, err := r.Planner.RevertChange(ctx, run.Who(), change)
		p.Add(1, 0)
		return err
	})
	if err != nil {
		return "", err
	}
	if err := r.Planner.Reverted(ctx, run.Who(), run.PlanID); err != nil {
		return "", err
	}
	without, err := r.Store.NotBroughtBack(ctx, run.PlanID)
	if without > 0 {
		return fmt.Sprintf("reverted on %s, of which %d do not show all that they did: some of their pictures were purged",
			plan.Products(found.Applied), without), err
	}
	return "reverted on " + plan.Products(found.Applied), err
}

func (r *Runner) revertOne(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	p.Set(0, 1)
	named, err := r.Store.Named(ctx, *run.Owner)
	if err != nil {
		return "", err
	}
	change, err := store.ChangeOf(ctx, r.Store.Reader(), run.PlanID, *run.Owner)
	if err != nil {
		return "", err
	}
	reverted, err := r.Planner.RevertChange(ctx, run.Who(), change)
	if err != nil {
		return "", err
	}
	p.Set(1, 1)
	if !reverted {
		return named[0].Code + " had been taken back already", nil
	}
	return named[0].Code + " shows what it showed before", nil
}
