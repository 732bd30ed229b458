package run

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"ambrosa/internal/store"
)

type pairArgs struct {
	Run int64 `json:"run"`
}

func (pairArgs) Kind() string { return "pair" }

type pairWorker struct {
	river.WorkerDefaults[pairArgs]
	runner *Runner
}

// Pair queues reading a lot's files again; what persons decided stays.
func (r *Runner) Pair(ctx context.Context, lot int64) (id int64, err error) {
	err = r.Store.Within(ctx, func(tx pgx.Tx) error {
		id, err = r.enqueue(ctx, tx, "pair", store.About{Lot: lot})
		return err
	})
	return id, err
}

// Work reads a lot's files and makes the lot ready to be decided on.
func (w *pairWorker) Work(ctx context.Context, job *river.Job[pairArgs]) error {
	r := w.runner
	return r.do(ctx, job.Args.Run, func(ctx context.Context, run store.Run, p *progress) (string, error) {
		if err := r.Index.ReadLot(ctx, run.LotID, p.set); err != nil {
			return "", err
		}
		lot, err := r.Store.Lot(ctx, run.LotID)
		if err != nil {
			return "", err
		}
		if lot.State == "examining" {
			if err := r.Store.SetLotState(ctx, lot.ID, "ready"); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("%d paired, %d contested, %d loose", lot.Paired, lot.Contested, lot.Loose), nil
	})
}
