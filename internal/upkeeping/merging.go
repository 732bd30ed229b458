package upkeeping

import (
	"context"
	"errors"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/core/upkeep"
	"ambrosa/internal/store"
)

// Plans are how files come to stand in the stead of others.
type Plans interface {
	// Swap plans it, wherever those stand, or (with on) only on some, and returns the plan.
	Swap(ctx context.Context, who identity.Actor, swaps []upkeep.Swap, on []catalog.Target) (id int64, err error)
	// Spread plans that one picture goes on some products and categories.
	Spread(ctx context.Context, who identity.Actor, file int64, on []catalog.Target, way plan.Way) (id int64, err error)
}

// ErrNothingToMerge means that nothing of what was chosen stands in another's stead.
var ErrNothingToMerge = errors.New("nothing that stands would be led to another")

// ErrStands means that a file is shown where it was to be put back.
var ErrStands = errors.New("the file stands there")

// Merge plans that of files which are, or look, the same one stays, and that the places of
// the others are led to it: those of keep, else of each group the one that core/upkeep says.
// Of a single finding its whole group is meant.
func (u *Upkeeper) Merge(ctx context.Context, who identity.Actor, q store.FindingFilter, keep []int64) (id int64, err error) {
	twins, err := u.Store.Twins(ctx, q, len(q.IDs) == 1)
	if err != nil {
		return 0, err
	}
	swaps := upkeep.Merged(twins, keep)
	if len(swaps) == 0 {
		return 0, ErrNothingToMerge
	}
	id, err = u.Plans.Swap(ctx, who, swaps, nil)
	if errors.Is(err, store.ErrNotFound) {
		err = ErrNothingToMerge
	}
	return id, err
}

// PutBack plans that a file stands again where it was replaced: in the stead of the file that
// took its place on a product or category, or behind what stands there where that one does
// not stand any more. ErrStands means that the file stands there already.
func (u *Upkeeper) PutBack(ctx context.Context, who identity.Actor, file, instead int64, on catalog.Target) (id int64, err error) {
	if on, err = store.OwnerOf(ctx, u.Store.Reader(), on); err != nil { // of a variant, its product
		return 0, err
	}
	stands, err := u.Store.Shows(ctx, on, file)
	if err == nil && stands {
		err = ErrStands
	}
	if err != nil {
		return 0, err
	}
	if instead != 0 && instead != file {
		id, err = u.Plans.Swap(ctx, who, []upkeep.Swap{{From: instead, To: file}}, []catalog.Target{on})
		if !errors.Is(err, store.ErrNotFound) {
			return id, err
		}
	}
	return u.Plans.Spread(ctx, who, file, []catalog.Target{on}, plan.After)
}
