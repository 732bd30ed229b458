package run

import (
	"context"
	"errors"
	"fmt"

	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

func init() {
	register(Kind{Name: "apply", Action: identity.PlanApply, Tells: true,
		Doing: "Applying", Leads: ToPlan, report: (*Runner).reportPlan, work: (*Runner).applyPlan})
}

// applyPlan makes a plan's changes, one after the other, each in a transaction of
// its own.
func (r *Runner) applyPlan(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	found, err := r.Store.Plan(ctx, run.PlanID)
	if err != nil {
		return "", err
	}
	p.Set(int64(found.Applied), int64(found.Products))
	err = r.eachChange(ctx, run.PlanID, "planned", func(change int64) error {
		if err := r.Planner.ApplyChange(ctx, run.Who(), change); err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if refused := (identity.Refused{}); errors.As(err, &refused) {
				return err
			}
			r.Log.Error("a product was not changed", "run", run.ID, "plan", run.PlanID, "change", change, "error", err)
			why := fmt.Sprintf("something went wrong inside Ambrosa; in its log this is run %d", run.ID)
			if err := r.Planner.FailChange(ctx, change, why); err != nil {
				return err
			}
		}
		p.Add(1, 0)
		return nil
	})
	if err != nil {
		return "", err
	}
	if found, err = r.Store.Plan(ctx, run.PlanID); err != nil {
		return "", err
	}
	message := "applied to " + plan.Products(found.Applied)
	if found.Stale+found.Failed > 0 {
		message += fmt.Sprintf(", %d could not be changed", found.Stale+found.Failed)
	}
	return message, r.Planner.Applied(ctx, run.Who(), run.PlanID)
}

// eachChange goes through a plan's changes in a state, until the context ends.
func (r *Runner) eachChange(ctx context.Context, plan int64, state string, each func(change int64) error) error {
	last := int64(0)
	for {
		changes, err := r.Store.NextChanges(ctx, plan, state, last, 200)
		if err != nil || len(changes) == 0 {
			return err
		}
		for _, change := range changes {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if err := each(change); err != nil {
				return err
			}
			last = change
		}
	}
}
