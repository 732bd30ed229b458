package planning

import (
	"context"
	"maps"
	"slices"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/core/naming"
	"ambrosa/core/picturespec"
	"ambrosa/core/plan"
	"ambrosa/core/rights"
	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// batch is how many products or categories are planned in one piece, so that
// memory does not grow with the lot.
const batch = 500

// drafting computes a plan, whole or in part, and writes it.
type drafting struct {
	tx   *door.Tx
	id   int64
	way  plan.Way
	from source
	mark bool // what becomes different is marked as made again
}

// source is where a plan's pictures come from: the paired files of lots, the one file
// that goes on many, or files that take the place of others.
type source struct {
	lots []int64
	file int64
	swap bool
}

func sourceOf(p store.Plan) source { return source{p.LotIDs(), p.File, p.Kind == "swap"} }

// arrivals returns what arrives at some products and categories.
func (s source) arrivals(ctx context.Context, db store.DB, id int64, owners []catalog.Target) ([]store.Arrival, error) {
	if s.swap {
		return store.Swapped(ctx, db, id, owners)
	}
	if s.file != 0 {
		return store.Spread(ctx, db, id, s.file, owners)
	}
	return store.Arrivals(ctx, db, id, s.lots, owners)
}

// whole plans every product and category that the lots' decisions would change, and
// returns how many are no longer among them.
func (d drafting) whole(ctx context.Context) (gone int, err error) {
	owners, err := store.UnsettledOwners(ctx, d.tx, d.from.lots)
	if err != nil {
		return 0, err
	}
	if gone, err = store.KeepChangesOf(ctx, d.tx, d.id, owners); err != nil {
		return 0, err
	}
	for some := range slices.Chunk(owners, batch) {
		if _, err := d.of(ctx, some); err != nil {
			return 0, err
		}
	}
	return gone, store.PlanIsOfNow(ctx, d.tx, d.id)
}

// overtaken plans again what changed since it was planned, and returns how much
// is no longer in the plan.
func (d drafting) overtaken(ctx context.Context) (gone int, err error) {
	for last := int64(0); ; {
		found, upTo, err := store.Overtaken(ctx, d.tx, d.id, last, batch)
		if err != nil || len(found) == 0 {
			return gone, err
		}
		last = upTo
		left, err := d.of(ctx, found)
		if err != nil {
			return gone, err
		}
		gone += left
	}
}

// of computes what the plan does to some products and categories and writes it;
// those that nothing arrives for any more leave the plan, and it returns how many.
func (d drafting) of(ctx context.Context, owners []catalog.Target) (gone int, err error) {
	on, err := load(ctx, d.tx, d.id, d.from, owners)
	if err != nil {
		return 0, err
	}
	var drafts []store.Drafted
	var reached []catalog.Target
	for _, owner := range owners {
		after, warnings, touched := on.wanted(d.id, d.way, owner)
		if !touched {
			continue
		}
		before := on.standing[owner]
		difference := plan.Diff(before, after)
		drafts = append(drafts, store.Drafted{Owner: owner, Version: on.versions[owner], Before: before, After: after,
			Difference: difference, Warnings: append(warnings, difference.Warnings...), Settles: on.settles(d.from, owner)})
		reached = append(reached, owner)
	}
	if err := store.WriteDrafted(ctx, d.tx, d.id, drafts, d.mark); err != nil {
		return 0, err
	}
	return store.DropChanges(ctx, d.tx, d.id, owners, reached)
}

// basis is what a plan of some products and categories is made on.
type basis struct {
	standing map[catalog.Target]plan.Arrangement
	versions map[catalog.Target]int64
	arrivals map[catalog.Target][]store.Arrival
	comes    map[catalog.Target]map[int64]plan.Entry // in the stead of a file, by that
	leaving  map[catalog.Target]map[int64]bool       // files that an earlier plan of the lots placed by mistake
	orders   map[catalog.Target]plan.Orders
	known    plan.Facts
}

func load(ctx context.Context, db store.DB, id int64, from source, owners []catalog.Target) (b basis, err error) {
	if b.standing, err = store.Standing(ctx, db, owners); err != nil {
		return b, err
	}
	arrivals, err := from.arrivals(ctx, db, id, owners)
	if err != nil {
		return b, err
	}
	b.arrivals, b.versions = map[catalog.Target][]store.Arrival{}, map[catalog.Target]int64{}
	b.comes = map[catalog.Target]map[int64]plan.Entry{}
	for _, a := range arrivals {
		owner := a.Owner()
		b.arrivals[owner] = append(b.arrivals[owner], a)
		b.versions[owner] = a.Version
		if a.InSteadOf != 0 {
			if b.comes[owner] == nil {
				b.comes[owner] = map[int64]plan.Entry{}
			}
			b.comes[owner][a.InSteadOf] = entryOf(id, a)
		}
	}
	if b.leaving, err = b.leavingFrom(ctx, db, from.lots, owners); err != nil {
		return b, err
	}
	facts, err := store.StandingFacts(ctx, db, owners)
	if err != nil {
		return b, err
	}
	b.known = make(plan.Facts, len(facts))
	for _, f := range facts {
		b.known[f.Sum] = factOf(f)
	}
	b.orders, err = store.OrdersOf(ctx, db, from.lots, owners)
	return b, err
}

// leavingFrom returns the files that are to leave products and categories, and notes the versions of these.
func (b basis) leavingFrom(
	ctx context.Context, db store.DB, lots []int64, owners []catalog.Target,
) (map[catalog.Target]map[int64]bool, error) {
	if len(lots) == 0 {
		return nil, nil
	}
	files, err := store.LeavingFrom(ctx, db, lots, owners)
	leaving := map[catalog.Target]map[int64]bool{}
	for _, f := range files {
		owner := f.Owner()
		if leaving[owner] == nil {
			leaving[owner] = map[int64]bool{}
		}
		leaving[owner][f.File] = true
		b.versions[owner] = f.Version
	}
	return leaving, err
}

// settles is what applying the plan settles of its lots' files on a product or category.
func (b basis) settles(from source, owner catalog.Target) []store.Settled {
	if len(from.lots) == 0 {
		return nil
	}
	settled := make([]store.Settled, 0, len(b.arrivals[owner]))
	for _, a := range b.arrivals[owner] {
		settled = append(settled, a.Settles())
	}
	return settled
}

// way is the way of a product or category: its own, else the plan's.
func (b basis) way(way plan.Way, owner catalog.Target) plan.Way {
	if arrivals := b.arrivals[owner]; len(arrivals) > 0 {
		if own := plan.Way(arrivals[0].OwnWay); own.Valid() {
			return own
		}
	}
	return way
}

// wanted is what a product or category would show; touched tells whether anything arrives
// for it or leaves it at all.
func (b basis) wanted(id int64, way plan.Way, owner catalog.Target) (after plan.Arrangement, warnings []plan.Warning, touched bool) {
	if len(b.comes[owner]) > 0 {
		if after, touched = plan.Exchange(b.standing[owner], b.comes[owner]); touched {
			warnings = plan.Warn(b.standing[owner], after, b.factsWith(owner))
		}
		return after, warnings, touched
	}
	if !b.touched(owner) {
		return nil, nil, false
	}
	after, warnings = b.arrange(id, way, owner)
	return after, warnings, true
}

// touched tells whether a product or category would change: a file is new there, was decided anew, or is to leave it.
func (b basis) touched(owner catalog.Target) bool {
	return len(b.leaving[owner]) > 0 || slices.ContainsFunc(b.arrivals[owner], func(a store.Arrival) bool {
		return a.Placed == nil || *a.Placed != plan.Placed{Place: a.Place, View: a.View}
	})
}

// factsWith is what is known of what stands, and of what arrives at a product or category.
func (b basis) factsWith(owner catalog.Target) plan.Facts {
	known := maps.Clone(b.known)
	for _, a := range b.arrivals[owner] {
		known[a.Sum] = factOf(a.PictureFacts)
	}
	return known
}

// arrange computes what a product or category would show.
func (b basis) arrange(id int64, way plan.Way, owner catalog.Target) (plan.Arrangement, []plan.Warning) {
	known := b.factsWith(owner)
	arriving := make([]plan.Arriving, 0, len(b.arrivals[owner]))
	type shown struct {
		on   catalog.Target
		file int64
	}
	stays := map[shown]bool{}
	for _, a := range b.arrivals[owner] {
		stays[shown{a.Target(), a.File}] = true
		arriving = append(arriving, plan.Arriving{Target: a.Target(), Place: a.Place, Path: a.Path, Bare: a.Bare, Entry: entryOf(id, a),
			Placed: a.Placed})
	}
	standing := b.standing[owner]
	left := standing.Withdraw(func(on catalog.Target, file int64) bool { return b.leaving[owner][file] && !stays[shown{on, file}] })
	after, warnings := b.orders[owner].Settle(plan.Arrange(left, arriving, b.way(way, owner), known))
	return after, append(warnings, plan.Warn(standing, after, known)...)
}

// entryOf is a file as it would stand: with the text that a sheet gives it, else
// a draft.
func entryOf(id int64, a store.Arrival) plan.Entry {
	e := plan.Entry{File: a.File, Sum: a.Sum, View: a.View, Alt: a.Alt, AltBy: "person", Plan: id}
	if a.Alt == "" {
		e.Alt, e.AltBy = naming.AltText(a.Title, valuesOf(a.Values), a.View), "draft"
	}
	return e
}

func valuesOf(options []catalog.Option) []string {
	values := make([]string, 0, len(options))
	for _, o := range options {
		values = append(values, o.Value)
	}
	return values
}

// factOf is what a plan needs to know of a picture.
func factOf(f store.PictureFacts) plan.Fact {
	of := rights.Rights{State: rights.State(f.Rights), Licence: f.Licence, Credit: f.Credit, Expires: f.Expires}
	_, held := of.MayBeHandedOn(time.Now())
	return plan.Fact{
		Pixels:   f.Pixels,
		Look:     upkeep.Look{Fingerprint: uint64(f.Fingerprint), Tint: string(f.Tint)},
		Small:    picturespec.Mark(f.Marks)&picturespec.Small != 0,
		HeldBack: held,
	}
}
