package planning

import (
	"context"
	"slices"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Transfer moves pictures, by placement, to a product, variant or category, or copies them there: one plan that is applied at
// once and can be reverted like any other. plan is 0 where nothing changed because the target shows all of them already. If no
// picture is where the person saw it, the error is store.ErrChanged; store.ErrNotFound means that there is no such target, and
// ErrTooMany that the products have too many pictures together.
func (p *Planner) Transfer(
	ctx context.Context, who identity.Actor, pictures []int64, to catalog.Target, copies bool,
) (id int64, done plan.Transferred, err error) {
	err = p.Store.Do(ctx, door.By(who, identity.PicturesTransfer), func(tx *door.Tx) error {
		id = 0
		owner, err := store.OwnerOf(ctx, tx, to)
		if err != nil {
			return err
		}
		versions, err := store.LockOwnersOf(ctx, tx, pictures, owner)
		if err != nil {
			return err
		}
		owners := make([]catalog.Target, 0, len(versions))
		for of := range versions {
			owners = append(owners, of)
		}
		slices.SortFunc(owners, catalog.Target.Compare)
		if n, err := store.CountPlacements(ctx, tx, owners); err != nil {
			return err
		} else if len(owners) > 1 && n > mostRewritten {
			return ErrTooMany
		}
		standing, err := store.Standing(ctx, tx, owners)
		if err != nil {
			return err
		}
		named, err := store.TargetsOf(ctx, tx, owner)
		if err != nil {
			return err
		}
		_, draft := drafter(named)
		var shows map[catalog.Target]plan.Arrangement
		shows, done = plan.Transfer(standing, owner, to, pictures, copies, func(view string) string { return draft(to, view) })
		var drafts []store.Drafted
		for _, of := range owners {
			before, after := standing[of], shows[of]
			if difference := plan.Diff(before, after); !before.Equal(after) {
				drafts = append(drafts, store.Drafted{Owner: of, Version: versions[of], Before: before, After: after, Difference: difference})
			}
		}
		if len(drafts) == 0 {
			if done.There == 0 {
				return store.ErrChanged
			}
			tx.Unchanged()
			return nil
		}
		id, err = byHand(ctx, tx, drafts)
		return err
	})
	return id, done, err
}
