package run

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"ambrosa/internal/store"
)

type revertArgs struct {
	Run int64 `json:"run"`
}

func (revertArgs) Kind() string { return "revert" }

type revertWorker struct {
	river.WorkerDefaults[revertArgs]
	runner *Runner
}

// Work takes a plan's changes back, product by product.
func (w *revertWorker) Work(ctx context.Context, job *river.Job[revertArgs]) error {
	r := w.runner
	return r.do(ctx, job.Args.Run, func(ctx context.Context, run store.Run, p *progress) (string, error) {
		if product := run.Product; product != 0 {
			p.set(0, 1)
			reverted, err := r.Store.RevertProduct(ctx, run.PlanID, product)
			if err != nil {
				return "", err
			}
			p.set(1, 1)
			of, err := r.Store.Product(ctx, product)
			if !reverted {
				return of.Code + " had been taken back already", err
			}
			return of.Code + " shows what it showed before", err
		}
		found, err := r.Store.Plan(ctx, run.PlanID)
		if err != nil {
			return "", err
		}
		p.set(0, int64(found.Applied))
		err = r.eachProduct(ctx, run.PlanID, "applied", func(product int64) error {
			_, err := r.Store.RevertProduct(ctx, run.PlanID, product)
			p.add(1, 0)
			return err
		})
		if err != nil {
			return "", err
		}
		err = r.Store.Within(ctx, func(tx pgx.Tx) error {
			if err := store.PlanState(ctx, tx, run.PlanID, "reverted", "reverting"); err != nil {
				return err
			}
			return store.LotsOf(ctx, tx, run.PlanID, "ready", "applied")
		})
		return fmt.Sprintf("%d products are as they were before", found.Applied), err
	})
}
