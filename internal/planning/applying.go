package planning

import (
	"context"
	"errors"
	"fmt"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/naming"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// ApplyChange makes one change of a plan, in a transaction with its reverse,
// exactly once: what stands is left alone, and a product or category that changed
// since the plan was made becomes stale.
func (p *Planner) ApplyChange(ctx context.Context, who identity.Actor, change int64) error {
	return p.Store.Do(ctx, door.By(who, identity.PicturesPlace), func(tx *door.Tx) error {
		return applyChange(ctx, tx, change)
	})
}

func applyChange(ctx context.Context, tx *door.Tx, change int64) error {
	c, now, err := store.LockChange(ctx, tx, change)
	switch {
	case err != nil:
		return err
	case c.State != "planned":
		tx.Unchanged()
		return nil
	case c.Version != now:
		tx.Unchanged()
		return store.MoveChange(ctx, tx, change, "stale", "planned", "the "+string(c.Owner.Kind)+" changed since the plan was made")
	}
	tx.About(subject(c.Owner), audit.Of(identity.Plan, c.Plan))
	tx.Changed(nil, moved(c))
	if err := store.WriteArrangement(ctx, tx, c.Owner, c.After); err != nil {
		return err
	}
	// What stands now has the numbers of its placements.
	standing, err := store.Standing(ctx, tx, []catalog.Target{c.Owner})
	if err != nil {
		return err
	}
	if err := store.ChangeApplied(ctx, tx, change, standing[c.Owner]); err != nil {
		return err
	}
	return store.SettleChange(ctx, tx, change)
}

// moved is what the record has of a change of pictures.
func moved(c store.PlanChange) map[string]int {
	return map[string]int{"added": c.Added, "removed": c.Removed, "moved": c.Moved}
}

// FailChange records why a change could not be made.
func (p *Planner) FailChange(ctx context.Context, change int64, problem string) error {
	return p.Store.Step(ctx, func(tx *door.Tx) error {
		return store.MoveChange(ctx, tx, change, "failed", "planned", problem)
	})
}

// RevertChange takes one change of a plan back, exactly once. What was changed by
// others since stays.
func (p *Planner) RevertChange(ctx context.Context, who identity.Actor, change int64) (reverted bool, err error) {
	err = p.Store.Do(ctx, door.By(who, identity.PicturesRevert), func(tx *door.Tx) error {
		c, _, err := store.LockChange(ctx, tx, change)
		if reverted = false; err != nil || c.State != "applied" {
			tx.Unchanged()
			return err
		}
		tx.About(subject(c.Owner), audit.Of(identity.Plan, c.Plan))
		tx.Changed(moved(c), nil)
		standing, err := store.Standing(ctx, tx, []catalog.Target{c.Owner})
		if err != nil {
			return err
		}
		// Past the way back's term a picture may have been purged: the others come back without it.
		before, gone, err := store.WithoutGone(ctx, tx, c.Before)
		if err != nil {
			return err
		}
		if gone > 0 {
			c.Problem = fmt.Sprintf("%d of its pictures were purged, and did not come back", gone)
		}
		if err := store.WriteArrangement(ctx, tx, c.Owner, plan.Reverse(before, c.After, standing[c.Owner])); err != nil {
			return err
		}
		reverted = true
		if err := store.ReverseEnds(ctx, tx, change); err != nil {
			return err
		}
		if err := store.UnsettleChange(ctx, tx, change); err != nil {
			return err
		}
		return store.MoveChange(ctx, tx, change, "reverted", "applied", c.Problem)
	})
	return reverted, err
}

// Applied records that all of a plan that could be applied is. Those of its lots in
// which no file waits for a decision are finished; the others stay open.
func (p *Planner) Applied(ctx context.Context, who identity.Actor, id int64) error {
	return p.Store.Do(ctx, door.By(who, identity.PlanApplied, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		found, err := store.LockPlan(ctx, tx, id)
		if err != nil {
			return err
		}
		tx.About(audit.All(identity.Lot, found.LotIDs())...)
		if err := store.MovePlan(ctx, tx, id, "applied", "applying", "applied"); err != nil {
			return err
		}
		return store.FinishDecided(ctx, tx, id)
	})
}

// Reverted records that a plan is taken back, and that its lots can be decided on
// again.
func (p *Planner) Reverted(ctx context.Context, who identity.Actor, id int64) error {
	return p.Store.Do(ctx, door.By(who, identity.PlanReverted, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		found, err := store.LockPlan(ctx, tx, id)
		if err != nil {
			return err
		}
		tx.About(audit.All(identity.Lot, found.LotIDs())...)
		if err := store.MovePlan(ctx, tx, id, "reverted", "reverting"); err != nil {
			return err
		}
		for _, l := range found.Lots { // also those that are open: less of them is placed now
			if err := tx.Announce(ctx, door.Event{Topic: "lot", ID: l.ID}); err != nil {
				return err
			}
		}
		return store.MoveLotsOf(ctx, tx, id, lot.Ready, lot.Applied)
	})
}

// NoTarget means that a product or category has no such target.
type NoTarget struct{ Target catalog.Target }

func (e NoTarget) Error() string { return "there is no " + e.Target.String() + " here" }

// Arrange makes the pictures of a product with its variants, or of a category,
// stand as a person wants them: a plan of its own, which is applied at once and
// can be reverted like any other. version is the product's or category's as the
// person saw it; another one, or a picture that does not stand any more, is
// store.ErrChanged. The error may be plan.ErrTwice or a NoTarget. It returns the
// plan.
func (p *Planner) Arrange(
	ctx context.Context, who identity.Actor, owner catalog.Target, version int64, pictures []plan.Wanted,
) (id int64, err error) {
	err = p.Store.Do(ctx, door.By(who, identity.PicturesEdit), func(tx *door.Tx) error {
		now, err := store.LockOwner(ctx, tx, owner)
		if err != nil {
			return err
		}
		if now != version {
			return store.ErrChanged
		}
		named, err := store.TargetsOf(ctx, tx, owner)
		if err != nil {
			return err
		}
		names, draft := drafter(named)
		for _, w := range pictures {
			if _, known := names[w.Target]; !known {
				return NoTarget{w.Target}
			}
		}
		standing, err := store.Standing(ctx, tx, []catalog.Target{owner})
		if err != nil {
			return err
		}
		before := standing[owner]
		after, err := plan.ByHand(before, pictures, draft)
		if errors.Is(err, plan.ErrGone) {
			return store.ErrChanged
		}
		if err != nil {
			return err
		}
		drafted := store.Drafted{Owner: owner, Version: now, Before: before, After: after, Difference: plan.Diff(before, after)}
		id, err = byHand(ctx, tx, []store.Drafted{drafted})
		return err
	})
	return id, err
}

// drafter returns targets by what they are, and what words the alternative text of a picture that shows one in a view.
func drafter(named []store.Named) (names map[catalog.Target]store.Named, draft func(target catalog.Target, view string) string) {
	names = map[catalog.Target]store.Named{}
	for _, n := range named {
		names[n.Target] = n
	}
	return names, func(target catalog.Target, view string) string {
		return naming.AltText(names[target].Title, valuesOf(names[target].Options), view)
	}
}

// mostRewritten is how many pictures all products have together whose views are set at once: each product's are written.
const mostRewritten = 20_000

// ErrTooMany means that the products have too many pictures to be changed at once.
var ErrTooMany = errors.New("too many pictures at once")

// SetViews sets the views of pictures on products, in one plan that is applied at once and can be reverted like any
// other. It returns the plan, and how many pictures have another view now. A picture that is gone, or whose view somebody
// changed since the person saw it, keeps its view; if that is true of all, the error is store.ErrChanged. Several products
// with more than mostRewritten pictures together are ErrTooMany.
func (p *Planner) SetViews(ctx context.Context, who identity.Actor, views []plan.ViewSet) (id int64, set int, err error) {
	ids := make([]int64, len(views))
	for i, s := range views {
		ids[i] = s.ID
	}
	err = p.Store.Do(ctx, door.By(who, identity.PicturesViews), func(tx *door.Tx) error {
		set = 0
		owners, versions, err := store.LockProductsOf(ctx, tx, ids)
		if err != nil {
			return err
		}
		pictures, err := store.CountPlacements(ctx, tx, owners)
		if err != nil {
			return err
		}
		if len(owners) > 1 && pictures > mostRewritten {
			return ErrTooMany
		}
		standing, err := store.Standing(ctx, tx, owners)
		if err != nil {
			return err
		}
		var drafts []store.Drafted
		for i, owner := range owners {
			named, err := store.TargetsOf(ctx, tx, owner)
			if err != nil {
				return err
			}
			_, draft := drafter(named)
			before := standing[owner]
			after, changed := plan.WithViews(before, views, draft)
			if set += len(changed); len(changed) > 0 {
				drafts = append(drafts, store.Drafted{Owner: owner, Version: versions[i], Before: before, After: after})
			}
		}
		if len(drafts) == 0 {
			return store.ErrChanged
		}
		id, err = byHand(ctx, tx, drafts)
		return err
	})
	return id, set, err
}

// byHand writes changes by hand as a plan and applies them.
func byHand(ctx context.Context, tx *door.Tx, drafts []store.Drafted) (id int64, err error) {
	if id, err = store.NewPlan(ctx, tx, "hand", plan.Instead); err != nil {
		return 0, err
	}
	if err := store.WriteDrafted(ctx, tx, id, drafts, false); err != nil {
		return 0, err
	}
	for _, draft := range drafts {
		change, err := store.ChangeOf(ctx, tx, id, draft.Owner)
		if err != nil {
			return 0, err
		}
		if err := applyChange(ctx, tx, change); err != nil {
			return 0, err
		}
	}
	return id, store.MovePlan(ctx, tx, id, "applied", "draft")
}
