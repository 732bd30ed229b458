package store

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/plan"
)

// Plan is everything that applying a lot, or a change by hand, would change.
type Plan struct {
	ID        int64      `json:"id"`
	Kind      string     `json:"kind" enum:"lot,hand"`
	Lots      []PlanLot  `json:"lots" nullable:"false" doc:"Whose files it places; none for a change by hand"`
	Way       string     `json:"way"`
	State     string     `json:"state" enum:"draft,applying,applied,reverting,reverted"`
	CreatedAt time.Time  `json:"createdAt"`
	AppliedAt *time.Time `json:"appliedAt"`
	Products  int        `json:"products"`
	LeftOut   int        `json:"leftOut"`
	Added     int        `json:"added"`
	Removed   int        `json:"removed"`
	Moved     int        `json:"moved"`
	Warned    int        `json:"warned" doc:"Products with a warning"`
	Applied   int        `json:"applied" doc:"Products whose change stands"`
	Stale     int        `json:"stale" doc:"Products that changed since the plan was made"`
	Failed    int        `json:"failed"`
	Planned   int        `json:"planned" doc:"Products whose change waits to be applied"`
	Revision  int        `json:"revision" doc:"Of what it shows: only what was seen is applied"`
	Outdated  bool       `json:"outdated" doc:"Decisions or products changed since it was made"`

	RemadeChanged int `json:"remadeChanged" doc:"Products that would show something else than they did when the plan was last looked at"`
	RemadeFresh   int `json:"remadeFresh" doc:"Products that came to it since"`
	RemadeGone    int `json:"remadeGone" doc:"Products that are no longer in it"`
}

func (p Plan) lots() []int64 {
	lots := make([]int64, 0, len(p.Lots))
	for _, l := range p.Lots {
		lots = append(lots, l.ID)
	}
	return lots
}

func (p Plan) remade() plan.Remade {
	return plan.Remade{Changed: p.RemadeChanged, Fresh: p.RemadeFresh, Gone: p.RemadeGone}
}

// PlanLot is a lot that a plan is made of.
type PlanLot struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

const planQuery = `
	select p.id, p.kind, coalesce(o.lots, '[]') as lots, p.way, p.state, p.created_at, p.applied_at,
		coalesce(t.products, 0)::int as products, coalesce(t.left_out, 0)::int as left_out, coalesce(t.added, 0)::int as added,
		coalesce(t.removed, 0)::int as removed, coalesce(t.moved, 0)::int as moved, coalesce(t.warned, 0)::int as warned,
		coalesce(t.applied, 0)::int as applied, coalesce(t.stale, 0)::int as stale, coalesce(t.failed, 0)::int as failed,
		coalesce(t.planned, 0)::int as planned, p.revision, p.remade_changed, p.remade_fresh, p.remade_gone,
		p.kind = 'lot' and (p.state = 'draft' and exists (select from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = p.id and pl.decisions <> l.decisions)
			or p.state in ('draft', 'applied') and exists (select from plan_product pp join product o on o.id = pp.product_id
				where pp.plan_id = p.id and pp.state = 'planned' and pp.version <> o.version)) as outdated
	from plan p
	left join lateral (select jsonb_agg(jsonb_build_object('id', l.id, 'name', l.name) order by l.id) as lots
		from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = p.id) o on true
	left join lateral (
		select count(*) filter (where not left_out) as products, count(*) filter (where left_out) as left_out,
			sum(added) filter (where not left_out) as added, sum(removed) filter (where not left_out) as removed,
			sum(moved) filter (where not left_out) as moved, count(*) filter (where warnings <> '[]' and not left_out) as warned,
			count(*) filter (where state = 'applied') as applied, count(*) filter (where state = 'stale') as stale,
			count(*) filter (where state = 'failed') as failed, count(*) filter (where state = 'planned') as planned
		from plan_product where plan_id = p.id) t on true`

// Plan returns one plan with its totals.
func (s *Store) Plan(ctx context.Context, id int64) (Plan, error) {
	return one[Plan](ctx, s.Pool, planQuery+` where p.id = $1`, id)
}

// PlanProduct is what a plan does to one product.
type PlanProduct struct {
	Product  int64           `json:"product"`
	Code     string          `json:"code"`
	Title    string          `json:"title"`
	Way      string          `json:"way" doc:"Its own way; empty means the plan's"`
	LeftOut  bool            `json:"leftOut"`
	State    string          `json:"state" enum:"planned,applied,reverted,stale,failed,left out"`
	Added    int             `json:"added"`
	Removed  int             `json:"removed"`
	Moved    int             `json:"moved"`
	Before   json.RawMessage `json:"-"`
	After    json.RawMessage `json:"-"`
	Warnings json.RawMessage `json:"-"`
	Problem  string          `json:"problem"`
	Remade   bool            `json:"remade" doc:"It would show something else than it did when the plan was last looked at"`
}

// PlanProducts returns a page of a plan's products, those with trouble, made
// again or with warnings first, and how many there are.
func (s *Store) PlanProducts(ctx context.Context, id int64, warned bool, offset, limit int) (page []PlanProduct, total int64, err error) {
	where := "pp.plan_id = $1 and ($2 = false or pp.warnings <> '[]' or pp.remade or pp.state in ('stale', 'failed'))"
	if total, err = number(ctx, s.Pool, `select count(*) from plan_product pp where `+where, id, warned); err != nil {
		return nil, 0, err
	}
	page, err = list[PlanProduct](ctx, s.Pool, `
		select pp.product_id as product, p.code, p.title, coalesce(pp.way, '') as way, pp.left_out, pp.state, pp.added, pp.removed, pp.moved,
			pp.before, pp.after, pp.warnings, pp.problem, pp.remade
		from plan_product pp join product p on p.id = pp.product_id
		where `+where+` order by pp.state in ('stale', 'failed') desc, pp.remade desc, pp.warnings = '[]', p.code offset $3 limit $4`, id, warned, offset, limit)
	return page, total, err
}

// PlanState moves a plan on, when it is in one of the states given.
func PlanState(ctx context.Context, tx pgx.Tx, id int64, to string, from ...string) error {
	tag, err := tx.Exec(ctx, `update plan set state = $2, applied_at = case when $2 = 'applied' then coalesce(applied_at, now()) else applied_at end,
		reverted_at = case when $2 = 'reverted' then now() else reverted_at end where id = $1 and state = any($3)`, id, to, from)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	return Notify(ctx, tx, Event{Topic: "plan", ID: id})
}

// LotsOf moves a plan's lots on, those that are in the state given.
func LotsOf(ctx context.Context, tx pgx.Tx, id int64, to, from string) error {
	rows, err := tx.Query(ctx, `update lot set state = $2 where id in (select lot_id from plan_lot where plan_id = $1) and state = $3 returning id`, id, to, from)
	if err != nil {
		return err
	}
	lots, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	for _, lot := range lots {
		if err := Notify(ctx, tx, Event{Topic: "lot", ID: lot}); err != nil {
			return err
		}
	}
	return nil
}

// NextProducts returns products of a plan in a state, behind after.
func (s *Store) NextProducts(ctx context.Context, id int64, state string, after int64, limit int) ([]int64, error) {
	rows, err := s.Pool.Query(ctx, `select product_id from plan_product where plan_id = $1 and state = $2 and product_id > $3
		order by product_id limit $4`, id, state, after, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// Describe says what a plan is, for messages.
func (p Plan) Describe() string {
	if p.Kind == "hand" {
		return "change by hand"
	}
	names := make([]string, 0, len(p.Lots))
	for _, l := range p.Lots {
		names = append(names, l.Name)
	}
	return "plan of " + strings.Join(names, " and ")
}
