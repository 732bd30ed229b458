// Package planning makes, changes, applies and takes back plans: whoever acts
// says what they want, core/plan says what that would show, and the store keeps
// it, in one transaction. It is what the API, the runs and the command call.
package planning

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/core/upkeep"
	"ambrosa/internal/deciding"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Planner is the use cases of plans.
type Planner struct {
	Store *store.Store
	Runs  store.Queue
}

// OfLot plans a lot, together with those that it is being planned with; "" is
// the way of its draft, else of the plan of it that was applied last, else after.
func (p *Planner) OfLot(ctx context.Context, who identity.Actor, lot int64, way plan.Way) (id int64, err error) {
	draft, err := p.draft(ctx, lot)
	if err != nil {
		return 0, err
	}
	return p.Make(ctx, who, draft.LotIDs(), cmp.Or(way, plan.Way(draft.Way)))
}

// draft returns the draft that a lot is planned in; of a lot without one, what it
// would be: the lot alone, in the way that it was applied in last, else after what
// stands, with id 0.
func (p *Planner) draft(ctx context.Context, lot int64) (store.Plan, error) {
	found, err := p.Store.DraftOf(ctx, lot)
	if errors.Is(err, store.ErrNotFound) {
		way, err := p.Store.LastWay(ctx, lot)
		return store.Plan{Lots: []store.PlanLot{{ID: lot}}, Way: cmp.Or(way, string(plan.After))}, err
	}
	return found, err
}

// Make writes a plan for what the decisions on lots' files would change that no plan of
// them has applied yet, in the given way, and returns its id. A draft of the same lots
// is made anew, and single products keep their own way in it; other drafts of any of
// them are deleted. Lots of which a plan is being applied or reverted cannot be planned.
func (p *Planner) Make(ctx context.Context, who identity.Actor, lots []int64, way plan.Way) (id int64, err error) {
	lots = slices.Compact(slices.Sorted(slices.Values(lots)))
	err = p.Store.Do(ctx, door.By(who, identity.PlanMake, audit.All(identity.Lot, lots)...), func(tx *door.Tx) error {
		standing, err := store.LockLots(ctx, tx, lots)
		if err != nil {
			return err
		}
		for _, l := range standing {
			if err := l.State.Plannable(l.UnderWay); err != nil {
				return fmt.Errorf("lot %d: %w: %w", l.ID, err, store.ErrChanged)
			}
		}
		if id, err = store.TakeDraft(ctx, tx, lots, way); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Plan, id))
		if _, err := (drafting{tx, id, way, source{lots: lots}, false}).whole(ctx); err != nil {
			return err
		}
		return store.Revise(ctx, tx, id, plan.Remade{})
	})
	return id, err
}

// Finish ends the work on a lot: files that are not decided on stay so, and are needed no longer. lot.ErrApplied means that it
// is finished already or that a plan of it is being applied.
func (p *Planner) Finish(ctx context.Context, who identity.Actor, id int64) error {
	return p.Store.Do(ctx, door.By(who, identity.LotFinish, audit.Of(identity.Lot, id)), func(tx *door.Tx) error {
		standing, err := store.LockLots(ctx, tx, []int64{id})
		if err != nil {
			return err
		}
		if err := standing[0].State.Finishable(standing[0].UnderWay); err != nil {
			return changed(err)
		}
		return store.FinishLot(ctx, tx, id)
	})
}

// Reopen opens a finished lot again, so that its other files can be decided on.
func (p *Planner) Reopen(ctx context.Context, who identity.Actor, id int64) error {
	return p.Store.Do(ctx, door.By(who, identity.LotReopen, audit.Of(identity.Lot, id)), func(tx *door.Tx) error {
		standing, err := store.LockLots(ctx, tx, []int64{id})
		if err != nil {
			return err
		}
		if standing[0].State != lot.Applied || standing[0].UnderWay {
			return store.ErrChanged
		}
		return store.ReopenLot(ctx, tx, id)
	})
}

// changed makes of a lot's state that does not allow something what a person is told of a world that moved on.
func changed(err error) error {
	var notReady lot.NotReady
	if errors.As(err, &notReady) {
		return fmt.Errorf("%w: %w", err, store.ErrChanged)
	}
	return err
}

// Spread plans to put one picture on many products, as a whole, and categories, in one
// way, and returns the plan. store.ErrNotFound means that there is no such picture, or
// none of those that it shall stand on.
func (p *Planner) Spread(ctx context.Context, who identity.Actor, file int64, on []catalog.Target, way plan.Way) (id int64, err error) {
	err = p.Store.Do(ctx, door.By(who, identity.PlanSpread, audit.Of(identity.File, file)), func(tx *door.Tx) error {
		if id, err = store.NewSpread(ctx, tx, file, way); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Plan, id))
		if _, err := (drafting{tx, id, way, source{file: file}, false}).of(ctx, on); err != nil {
			return err
		}
		return reaching(ctx, tx, id)
	})
	return id, err
}

// Swap plans to have files take the place of others, wherever those stand, or (with on) only
// on some products and categories, and returns the plan. store.ErrNotFound means that none of
// the others stands there.
func (p *Planner) Swap(ctx context.Context, who identity.Actor, swaps []upkeep.Swap, on []catalog.Target) (id int64, err error) {
	err = p.Store.Do(ctx, door.By(who, identity.PlanSwap), func(tx *door.Tx) error {
		if id, err = store.NewSwap(ctx, tx, swaps); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Plan, id))
		for last := (catalog.Target{}); ; {
			owners, err := store.OwnersShowing(ctx, tx, id, on, last, batch)
			if err != nil {
				return err
			}
			if len(owners) == 0 {
				break
			}
			last = owners[len(owners)-1]
			if _, err := (drafting{tx, id, plan.Instead, source{swap: true}, false}).of(ctx, owners); err != nil {
				return err
			}
		}
		return reaching(ctx, tx, id)
	})
	return id, err
}

// subject is what a change of a product, variant or category is about.
func subject(of catalog.Target) audit.Subject { return audit.Of(identity.Thing(of.Kind), of.ID) }

// reaching makes a draft known that was made just now; one that changes nothing at all is
// store.ErrNotFound.
func reaching(ctx context.Context, tx *door.Tx, id int64) error {
	all, _, err := store.CountChanges(ctx, tx, id)
	if err == nil && all == 0 {
		err = store.ErrNotFound
	}
	if err != nil {
		return err
	}
	return store.Revise(ctx, tx, id, plan.Remade{})
}

// SetWay gives one product or category of a draft its own way ("" for the
// plan's), or leaves it out, and plans it again.
func (p *Planner) SetWay(ctx context.Context, who identity.Actor, id int64, owner catalog.Target, way plan.Way, leftOut bool) error {
	return p.Store.Do(ctx, door.By(who, identity.PlanChange, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		found, err := store.LockPlan(ctx, tx, id)
		if err != nil {
			return err
		}
		if found.State != "draft" {
			return store.ErrChanged
		}
		tx.About(subject(owner))
		change, err := store.ChangeOf(ctx, tx, id, owner)
		if err != nil {
			return err
		}
		if err := store.SetWay(ctx, tx, change, way, leftOut); err != nil {
			return err
		}
		if _, err := (drafting{tx, id, plan.Way(found.Way), sourceOf(found), false}).of(ctx, []catalog.Target{owner}); err != nil {
			return err
		}
		return store.Revise(ctx, tx, id, found.Remade())
	})
}

// SetAside sets files aside that a draft would place, and plans it again, in one
// step: nobody finds the one without the other. files are as they stand;
// store.ErrChanged means that one of them is not of the plan's lots, or that the
// plan is no draft.
func (p *Planner) SetAside(ctx context.Context, who identity.Actor, id int64, files []int64, reason string) (decisions []int64, err error) {
	err = p.Store.Do(ctx, door.By(who, identity.PlanSetAside, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		found, err := store.LockPlan(ctx, tx, id)
		if err != nil {
			return err
		}
		if found.State != "draft" {
			return store.ErrChanged
		}
		decisions = nil
		tx.About(audit.All(identity.File, files)...)
		byLot, err := store.FilesByLot(ctx, tx, files)
		if err != nil {
			return err
		}
		for _, of := range slices.Sorted(maps.Keys(byLot)) {
			if !slices.Contains(found.LotIDs(), of) {
				return store.ErrChanged
			}
			done, err := deciding.SetAsideWithin(ctx, tx, of, store.FileFilter{Chosen: byLot[of]}, reason)
			if err != nil {
				return err
			}
			decisions = append(decisions, done.ID)
		}
		if _, err := (drafting{tx, id, plan.Way(found.Way), sourceOf(found), false}).whole(ctx); err != nil {
			return err
		}
		return store.Revise(ctx, tx, id, found.Remade())
	})
	return decisions, err
}

// Again plans what could not be changed of a plan, on what it shows now, so that
// it can be looked at and applied.
func (p *Planner) Again(ctx context.Context, who identity.Actor, id int64) error {
	return p.Store.Do(ctx, door.By(who, identity.PlanRemake, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		found, err := store.LockPlan(ctx, tx, id)
		if err != nil {
			return err
		}
		troubled, err := store.Troubled(ctx, tx, id)
		if err != nil {
			return err
		}
		if len(troubled) == 0 || found.Kind == "hand" || found.State != "applied" {
			return store.ErrChanged
		}
		if _, err := (drafting{tx, id, plan.Way(found.Way), sourceOf(found), true}).of(ctx, troubled); err != nil {
			return err
		}
		return store.Revise(ctx, tx, id, plan.Remade{})
	})
}

// Refresh makes what decisions or products have overtaken of a plan again.
// revision is the plan's as the person saw it; another one is store.ErrChanged.
func (p *Planner) Refresh(ctx context.Context, who identity.Actor, id int64, revision int) error {
	return p.Store.Do(ctx, door.By(who, identity.PlanRemake, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		remade, err := refresh(ctx, tx, id, revision)
		if err == nil && !remade.Any() {
			tx.Unchanged()
		}
		return err
	})
}

// Apply queues the applying of a plan: of a draft, or of what was planned again
// of an applied one. revision is the plan's as the person saw it; another one is
// store.ErrChanged. A plan that decisions or products have overtaken is made
// again instead, and the error is a plan.Remade.
func (p *Planner) Apply(ctx context.Context, who identity.Actor, id int64, revision int) (run int64, err error) {
	var remade plan.Remade
	err = p.Store.Do(ctx, door.By(who, identity.PlanApply, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		if remade, err = refresh(ctx, tx, id, revision); err != nil || remade.Any() {
			tx.As(identity.PlanRemake)
			return err
		}
		run, err = p.queue(ctx, tx, who, store.About{Plan: id}, "apply", "applying", "draft", "applied")
		return err
	})
	if err == nil && remade.Any() {
		err = remade
	}
	return run, err
}

// Revert queues the reverting of a plan that was applied, or was stopped while it
// was; owner is the one product or category to take back, none for all of it.
func (p *Planner) Revert(ctx context.Context, who identity.Actor, id int64, owner catalog.Target) (run int64, err error) {
	to, from := "reverting", []string{"applied", "applying"}
	if !owner.None() {
		to, from = "applied", []string{"applied"}
	}
	err = p.Store.Do(ctx, door.By(who, identity.PlanRevert, audit.Of(identity.Plan, id)), func(tx *door.Tx) error {
		if !owner.None() {
			tx.About(subject(owner))
		}
		run, err = p.queue(ctx, tx, who, store.About{Plan: id, Owner: owner}, "revert", to, from...)
		return err
	})
	return run, err
}

// queue moves a plan on and queues a run of it.
func (p *Planner) queue(
	ctx context.Context, tx *door.Tx, who identity.Actor, about store.About, kind, to string, from ...string,
) (int64, error) {
	found, err := store.LockPlan(ctx, tx, about.Plan)
	if err != nil {
		return 0, err
	}
	if about.Owner.None() { // else nothing becomes of its lots
		tx.About(audit.All(identity.Lot, found.LotIDs())...)
	}
	if err := store.MovePlan(ctx, tx, about.Plan, to, from...); err != nil {
		return 0, err
	}
	busy, err := store.RunOfPlan(ctx, tx, about.Plan)
	if err != nil {
		return 0, err
	}
	if busy {
		return 0, fmt.Errorf("a run of this plan is under way: %w", store.ErrChanged)
	}
	return p.Runs.Queue(ctx, tx, who, kind, about)
}

// refresh looks in a transaction whether a plan still says what applying it would
// do, and makes again what does not: all of it where its lots were decided on
// since, else the products that changed. Ways and what was left out stay. It locks
// the plan and its lots, so that nothing is decided until the transaction ends,
// and returns what became different.
func refresh(ctx context.Context, tx *door.Tx, id int64, revision int) (r plan.Remade, err error) {
	found, err := store.LockPlan(ctx, tx, id)
	if err != nil {
		return r, err
	}
	waits := found.State == "draft" || found.State == "applied" && found.Planned > 0
	if found.Kind == "hand" || found.Revision != revision || !waits {
		return r, store.ErrChanged
	}
	decided, err := store.Decided(ctx, tx, id)
	if err != nil {
		return r, err
	}
	before, err := store.Unmark(ctx, tx, id)
	if err != nil {
		return r, err
	}
	again := drafting{tx, id, plan.Way(found.Way), sourceOf(found), true}
	if decided && found.State == "draft" {
		r.Gone, err = again.whole(ctx)
	} else {
		r.Gone, err = again.overtaken(ctx)
	}
	if err != nil {
		return r, err
	}
	all, remade, err := store.CountChanges(ctx, tx, id)
	if err != nil {
		return r, err
	}
	r.Fresh = all + r.Gone - int(before)
	r.Changed = remade - r.Fresh
	if !r.Any() {
		return r, nil
	}
	return r, store.Revise(ctx, tx, id, r)
}
