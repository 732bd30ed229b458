package planning

import (
	"context"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
)

// Preview is what a product or category shows now and what it would show.
type Preview struct {
	Before, After plan.Arrangement
	Warnings      []plan.Warning
	Orders        plan.Orders     // given by hand
	Way           plan.Way        // that it is planned in
	Lots          []store.PlanLot // whose files it would show
	LeftOut       bool            // of the plan: it would stay as it is
}

// Preview returns what a product or category shows now, and what it would show
// with a lot's files: as the lot's draft has it, with the lots and in the way that
// it is planned, else on its own and after what stands. Nothing is written.
func (p *Planner) Preview(ctx context.Context, lot int64, owner catalog.Target) (Preview, error) {
	draft, err := p.draft(ctx, lot)
	if err != nil {
		return Preview{}, err
	}
	on, err := load(ctx, p.Store.Reader(), draft.ID, sourceOf(draft), []catalog.Target{owner})
	if err != nil {
		return Preview{}, err
	}
	shows := Preview{
		Before: on.standing[owner],
		After:  on.standing[owner],
		Orders: on.orders[owner],
		Way:    on.way(plan.Way(draft.Way), owner),
		Lots:   draft.Lots,
	}
	if !on.touched(owner) {
		return shows, nil
	}
	if arrivals := on.arrivals[owner]; len(arrivals) > 0 {
		shows.LeftOut = arrivals[0].LeftOut
	}
	if !shows.LeftOut {
		shows.After, shows.Warnings = on.arrange(draft.ID, plan.Way(draft.Way), owner)
	}
	return shows, nil
}
