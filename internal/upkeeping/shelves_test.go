package upkeeping

import (
	"context"
	"math/rand/v2"

	"ambrosa/core/acting"
	"ambrosa/core/shelf"
	"ambrosa/internal/shelving"
)

// shelves saves a file for later, takes one off, or takes the last such act back.
func (w *world) shelves(ctx context.Context, r *rand.Rand) error {
	s := &shelving.Shelver{Store: w.store}
	if r.IntN(3) == 0 {
		act, err := w.anAct(ctx)
		if err == nil {
			_, err = s.Undo(ctx, acting.Specialist, act)
		}
		return err
	}
	file, err := w.someFile(ctx, w.store.Pool)
	if err == nil {
		_, err = s.Change(ctx, acting.Specialist, []int64{file}, shelf.Change{Add: []string{"later"}, Off: r.IntN(2) == 0})
	}
	return err
}

// anAct is the last thing that was done on the shelf.
func (w *world) anAct(ctx context.Context) (act int64, err error) {
	err = w.store.Pool.QueryRow(ctx, `select coalesce(max(id), 0) from shelf_act where undone_at is null`).Scan(&act)
	return act, err
}
