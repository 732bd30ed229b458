package upkeeping

import (
	"context"
	"math/rand/v2"

	"ambrosa/core/identity"
	"ambrosa/core/shelf"
	"ambrosa/internal/shelving"
	"ambrosa/internal/testdb"
)

// shelves saves a file for later, takes one off, or takes the last such act back.
func (w *world) shelves(ctx context.Context, r *rand.Rand) error {
	s := &shelving.Shelver{Store: w.store}
	if r.IntN(3) == 0 {
		act, err := w.anAct(ctx)
		if err == nil {
			_, err = s.Undo(ctx, identity.Specialist, act)
		}
		return err
	}
	file, err := w.someFile(ctx, testdb.Pool(w.store))
	if err == nil {
		_, err = s.Change(ctx, identity.Specialist, []int64{file}, shelf.Change{Add: []string{"later"}, Off: r.IntN(2) == 0})
	}
	return err
}

// anAct is the last thing that was done on the shelf.
func (w *world) anAct(ctx context.Context) (act int64, err error) {
	err = testdb.Pool(w.store).QueryRow(ctx, `select coalesce(max(id), 0) from shelf_act where undone_at is null`).Scan(&act)
	return act, err
}
