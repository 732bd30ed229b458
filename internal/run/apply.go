package run

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

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

// Apply queues the applying of a draft plan.
func (r *Runner) Apply(ctx context.Context, plan int64) (id int64, err error) {
	return r.ofPlan(ctx, plan, 0, "apply", "applying", "draft")
}

// Revert queues the reverting of a plan that was applied, or was stopped while
// it was; product is 0 for all of it.
func (r *Runner) Revert(ctx context.Context, plan, product int64) (id int64, err error) {
	if product != 0 {
		return r.ofPlan(ctx, plan, product, "revert", "applied", "applied")
	}
	return r.ofPlan(ctx, plan, 0, "revert", "reverting", "applied", "applying")
}

// ApplyAgain plans those products of an applied plan again that were stale or
// failed, and queues applying them.
func (r *Runner) ApplyAgain(ctx context.Context, plan int64) (id int64, err error) {
	if err := r.Store.PlanAgain(ctx, plan); err != nil {
		return 0, err
	}
	return r.ofPlan(ctx, plan, 0, "apply", "applying", "applied", "applying")
}

func (r *Runner) ofPlan(ctx context.Context, plan, product int64, kind, to string, from ...string) (id int64, err error) {
	err = r.Store.Within(ctx, func(tx pgx.Tx) error {
		if err := store.PlanState(ctx, tx, plan, to, from...); err != nil {
			return err
		}
		busy := false
		if err := tx.QueryRow(ctx, `select exists (select from run where plan_id = $1 and state in ('queued', 'running', 'stopping'))`, plan).Scan(&busy); err != nil {
			return err
		}
		if busy {
			return fmt.Errorf("a run of this plan is under way: %w", store.ErrChanged)
		}
		id, err = r.enqueue(ctx, tx, kind, store.About{Plan: plan, Product: product})
		return err
	})
	return id, err
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
				if err := r.Store.FailProduct(ctx, run.PlanID, product, err.Error()); err != nil {
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
