package store

import (
	"cmp"
	"context"

	"ambrosa/core/plan"
)

// Preview is what a product shows now and what it would show.
type Preview struct {
	Before, After plan.Arrangement
	Warnings      []plan.Warning
	Orders        plan.Orders // given by hand
	Way           plan.Way    // that it is planned in
	Lots          []PlanLot   // whose files it would show
	LeftOut       bool        // of the plan: it would stay as it is
}

// Preview returns what a product shows now, and what it would show with a lot's
// files behind it: as the lot's draft has it, with the lots and in the way that
// it is planned, else on its own and after what stands. Nothing is written.
func (s *Store) Preview(ctx context.Context, lot, product int64) (p Preview, err error) {
	standing, err := Standing(ctx, s.Pool, []int64{product})
	if err != nil {
		return p, err
	}
	draft, err := s.draft(ctx, lot)
	if err != nil {
		return p, err
	}
	p = Preview{Before: standing[product], After: standing[product], Way: plan.Way(draft.Way), Lots: draft.Lots}
	rows, err := arrivals(ctx, s.Pool, draft.ID, draft.lots(), []int64{product})
	if err != nil || len(rows) == 0 {
		return p, err
	}
	known, err := facts(ctx, s.Pool, []int64{product})
	if err != nil {
		return p, err
	}
	orders, err := ordersOf(ctx, s.Pool, draft.lots(), []int64{product})
	if err != nil {
		return p, err
	}
	p.Orders, p.LeftOut = orders[product], rows[0].LeftOut
	p.Way = cmp.Or(plan.Way(rows[0].OwnWay), p.Way)
	if !p.LeftOut {
		p.After, p.Warnings = arrange(draft.ID, p.Way, standing[product], rows, known, p.Orders)
	}
	return p, nil
}
