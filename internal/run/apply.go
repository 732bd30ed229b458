package run

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"ambrosa/core/plan"
	"ambrosa/internal/store"
)

type applyArgs struct {
	Run int64 `json:"run"`
}

func (applyArgs) Kind() string { return "apply" }

type applyWorker struct {
	river.WorkerDefaults[applyArgs]
	runner *Runner
}

// Apply queues the applying of a plan: of a draft, or of those products of an
// applied one that were planned again. revision is the plan's as the person saw
// it; another one is store.ErrChanged. A plan that decisions or products have
// overtaken is made again instead, and the error is a plan.Remade.
func (r *Runner) Apply(ctx context.Context, id int64, revision int) (run int64, err error) {
	var remade plan.Remade
	err = r.Store.Within(ctx, func(tx pgx.Tx) error {
		if remade, err = store.Refresh(ctx, tx, id, revision); err != nil || remade.Any() {
			return err
		}
		run, err = r.ofPlan(ctx, tx, store.About{Plan: id}, "apply", "applying", "draft", "applied")
		return err
	})
	if err == nil && remade.Any() {
		err = remade
	}
	return run, err
}

// Refresh makes what decisions or products have overtaken of a plan again.
func (r *Runner) Refresh(ctx context.Context, id int64, revision int) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		_, err := store.Refresh(ctx, tx, id, revision)
		return err
	})
}

// Revert queues the reverting of a plan that was applied, or was stopped while
// it was; product is 0 for all of it.
func (r *Runner) Revert(ctx context.Context, id, product int64) (run int64, err error) {
	to, from := "reverting", []string{"applied", "applying"}
	if product != 0 {
		to, from = "applied", []string{"applied"}
	}
	err = r.Store.Within(ctx, func(tx pgx.Tx) error {
		run, err = r.ofPlan(ctx, tx, store.About{Plan: id, Product: product}, "revert", to, from...)
		return err
	})
	return run, err
}

// ofPlan moves a plan on and queues a run of it.
func (r *Runner) ofPlan(ctx context.Context, tx pgx.Tx, about store.About, kind, to string, from ...string) (int64, error) {
	if err := store.PlanState(ctx, tx, about.Plan, to, from...); err != nil {
		return 0, err
	}
	busy := false
	if err := tx.QueryRow(ctx, `select exists (select from run where plan_id = $1 and state in ('queued', 'running', 'stopping'))`, about.Plan).Scan(&busy); err != nil {
		return 0, err
	}
	if busy {
		return 0, fmt.Errorf("a run of this plan is under way: %w", store.ErrChanged)
	}
	return r.enqueue(ctx, tx, kind, about)
}

// Work applies the plan product by product, each in a transaction of its own.
func (w *applyWorker) Work(ctx context.Context, job *river.Job[applyArgs]) error {
	r := w.runner
	return r.do(ctx, job.Args.Run, func(ctx context.Context, run store.Run, p *progress) (string, error) {
		found, err := r.Store.Plan(ctx, run.PlanID)
		if err != nil {
			return "", err
		}
		p.set(int64(found.Applied), int64(found.Products))
		err = r.eachProduct(ctx, run.PlanID, "planned", func(product int64) error {
			if _, err := r.Store.ApplyProduct(ctx, run.PlanID, product); err != nil {
				if ctx.Err() != nil {
					return ctx.Err()
				}
				r.Log.Error("a product was not changed", "run", run.ID, "plan", run.PlanID, "product", product, "error", err)
				why := fmt.Sprintf("something went wrong inside Ambrosa; in its log this is run %d", run.ID)
				if err := r.Store.FailProduct(ctx, run.PlanID, product, why); err != nil {
					return err
				}
			}
			p.add(1, 0)
			return nil
		})
		if err != nil {
			return "", err
		}
		if found, err = r.Store.Plan(ctx, run.PlanID); err != nil {
			return "", err
		}
		err = r.Store.Within(ctx, func(tx pgx.Tx) error {
			if err := store.PlanState(ctx, tx, run.PlanID, "applied", "applying", "applied"); err != nil {
				return err
			}
			return store.LotsOf(ctx, tx, run.PlanID, "applied", "ready")
		})
		message := fmt.Sprintf("%d products have their pictures", found.Applied)
		if found.Stale+found.Failed > 0 {
			message += fmt.Sprintf(", %d could not be changed", found.Stale+found.Failed)
		}
		return message, err
	})
}

// eachProduct goes through a plan's products in a state, until the context
// ends.
func (r *Runner) eachProduct(ctx context.Context, plan int64, state string, each func(product int64) error) error {
	last := int64(0)
	for {
		products, err := r.Store.NextProducts(ctx, plan, state, last, 200)
		if err != nil || len(products) == 0 {
			return err
		}
		for _, product := range products {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if err := each(product); err != nil {
				return err
			}
			last = product
		}
	}
}
