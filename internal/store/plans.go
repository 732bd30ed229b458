package store

import (
	"context"
	"errors"
	"strings"
	"time"

	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// Plan is everything that applying a lot, or a change by hand, would change.
type Plan struct {
	ID         int64      `json:"id"`
	Kind       string     `json:"kind" enum:"lot,hand,spread,swap"`
	Lots       []PlanLot  `json:"lots" nullable:"false" doc:"Whose files it places; none for other kinds"`
	File       int64      `json:"file,omitempty" doc:"The one picture that it puts on many"`
	FilePath   string     `json:"filePath,omitempty"`
	Way        string     `json:"way"`
	State      string     `json:"state" enum:"draft,applying,applied,reverting,reverted"`
	CreatedAt  time.Time  `json:"createdAt"`
	MadeBy     string     `json:"madeBy"`
	AppliedBy  string     `json:"appliedBy"`
	RevertedBy string     `json:"revertedBy"`
	AppliedAt  *time.Time `json:"appliedAt"`
	Products   int        `json:"products" doc:"Products and categories that it changes"`
	Categories int        `json:"categories" doc:"Those of them that are categories"`
	LeftOut    int        `json:"leftOut"`
	Added      int        `json:"added"`
	Removed    int        `json:"removed"`
	Moved      int        `json:"moved"`
	Warned     int        `json:"warned" doc:"Products with a warning"`
	Applied    int        `json:"applied" doc:"Products whose change stands"`
	Stale      int        `json:"stale" doc:"Products that changed since the plan was made"`
	Failed     int        `json:"failed"`
	Planned    int        `json:"planned" doc:"Products whose change waits to be applied"`
	Revision   int        `json:"revision" doc:"Of what it shows: only what was seen is applied"`
	Outdated   bool       `json:"outdated" doc:"Decisions or products changed since it was made"`

	RemadeChanged int `json:"remadeChanged" doc:"Products that would show something else than they did when the plan was last looked at"`
	RemadeFresh   int `json:"remadeFresh" doc:"Products that came to it since"`
	RemadeGone    int `json:"remadeGone" doc:"Products that are no longer in it"`
}

// LotIDs returns the lots that a plan is made of.
func (p Plan) LotIDs() []int64 {
	lots := make([]int64, 0, len(p.Lots))
	for _, l := range p.Lots {
		lots = append(lots, l.ID)
	}
	return lots
}

// Remade is what became different when it was last made again.
func (p Plan) Remade() plan.Remade {
	return plan.Remade{Changed: p.RemadeChanged, Fresh: p.RemadeFresh, Gone: p.RemadeGone}
}

// PlanLot is a lot that a plan is made of.
type PlanLot struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

// versionOf is the SQL of the version that the product or category of a plan's
// change c has now.
const versionOf = `coalesce((select o.version from product o where o.id = c.product_id), (select o.version from category o
	where o.id = c.category_id))`

var planQuery = `
	select p.id, p.kind, coalesce(p.file_id, 0) as file,
		coalesce((select path from file where id = p.file_id), '') as file_path,
		coalesce(o.lots, '[]') as lots, p.way, p.state, p.created_at, actor_name(p.made_by_id) as made_by,
		actor_name(p.applied_by_id) as applied_by,
		actor_name(p.reverted_by_id) as reverted_by, p.applied_at,
		coalesce(t.products, 0)::int as products, coalesce(t.categories, 0)::int as categories,
		coalesce(t.left_out, 0)::int as left_out, coalesce(t.added, 0)::int as added,
		coalesce(t.removed, 0)::int as removed, coalesce(t.moved, 0)::int as moved, coalesce(t.warned, 0)::int as warned,
		coalesce(t.applied, 0)::int as applied, coalesce(t.stale, 0)::int as stale, coalesce(t.failed, 0)::int as failed,
		coalesce(t.planned, 0)::int as planned, p.revision, p.remade_changed, p.remade_fresh, p.remade_gone,
		p.kind <> 'hand' and (p.state = 'draft' and exists (select from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = p.id
		and pl.decisions <> ` + decisionsOf("l") + `)
			or p.state in ('draft', 'applied') and exists (select from plan_change c
				where c.plan_id = p.id and c.state = 'planned' and c.version <> ` + versionOf + `)) as outdated
	from plan p
	left join lateral (select jsonb_agg(jsonb_build_object('id', l.id, 'name', l.name) order by l.id) as lots
		from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = p.id) o on true
	left join lateral (
		select count(*) filter (where not left_out) as products, count(category_id) filter (where not left_out) as categories,
			count(*) filter (where left_out) as left_out,
			sum(added) filter (where not left_out) as added, sum(removed) filter (where not left_out) as removed,
			sum(moved) filter (where not left_out) as moved, count(*) filter (where warnings <> '[]' and not left_out) as warned,
			count(*) filter (where state = 'applied') as applied, count(*) filter (where state = 'stale') as stale,
			count(*) filter (where state = 'failed') as failed, count(*) filter (where state = 'planned') as planned
		from plan_change where plan_id = p.id) t on true`

// Plan returns one plan with its totals.
func (s *Store) Plan(ctx context.Context, id int64) (Plan, error) {
	return one[Plan](ctx, s.pool, planQuery+` where p.id = $1`, id)
}

// LockPlan returns a plan and keeps others from changing it, and from deciding on
// its lots, until the transaction ends. Lots are locked before plans, here as
// where lots are planned, so that two people never wait for each other.
func LockPlan(ctx context.Context, tx *door.Tx, id int64) (Plan, error) {
	if _, err := tx.Exec(ctx, `select from lot where id in (select lot_id from plan_lot where plan_id = $1)
		order by id for no key update`, id); err != nil {
		return Plan{}, err
	}
	return one[Plan](ctx, tx, planQuery+` where p.id = $1 for no key update of p`, id)
}

// DraftOf returns the draft that a lot is planned in; ErrNotFound where there is
// none.
func (s *Store) DraftOf(ctx context.Context, lot int64) (Plan, error) {
	return one[Plan](ctx, s.pool, planQuery+` where p.id = (
		select p.id from plan p join plan_lot pl on pl.plan_id = p.id where pl.lot_id = $1 and p.state = 'draft'
			order by p.id desc limit 1)`, lot)
}

// LastWay returns the way in which a lot was applied last, "" where no plan of it was.
func (s *Store) LastWay(ctx context.Context, lot int64) (way string, err error) {
	err = s.pool.QueryRow(ctx, `select coalesce((select p.way from plan p join plan_lot pl on pl.plan_id = p.id
		where pl.lot_id = $1 and p.state = 'applied' order by p.id desc limit 1), '')`, lot).Scan(&way)
	return way, err
}

// TakeDraft returns the draft of just these lots, which may be a new one, sets
// its way, and forgets all other drafts of any of them.
func TakeDraft(ctx context.Context, tx *door.Tx, lots []int64, way plan.Way) (id int64, err error) {
	id, err = number(ctx, tx, `select id from plan p where state = 'draft'
		and (select array_agg(lot_id order by lot_id) from plan_lot where plan_id = p.id) = $1 order by id desc limit 1
		for no key update`, lots)
	if errors.Is(err, ErrNotFound) {
		if id, err = NewPlan(ctx, tx, "lot", way); err != nil {
			return 0, err
		}
		_, err = tx.Exec(ctx, `insert into plan_lot (plan_id, lot_id) select $1, unnest($2::bigint[])`, id, lots)
	}
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `update plan set way = $2 where id = $1`, id, way); err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, `delete from plan where state = 'draft' and id <> $1 and id in (select plan_id from plan_lot
		where lot_id = any($2))`, id, lots)
	return id, err
}

// NewPlan writes a draft of nothing yet.
func NewPlan(ctx context.Context, tx *door.Tx, kind string, way plan.Way) (int64, error) {
	return number(ctx, tx, `insert into plan (kind, way, made_by_id) values ($1, $2, $3) returning id`, kind, way, tx.Who().ID)
}

// NewSpread writes a draft of nothing yet that puts one file on many.
func NewSpread(ctx context.Context, tx *door.Tx, file int64, way plan.Way) (int64, error) {
	return number(ctx, tx, `insert into plan (kind, way, made_by_id, file_id) select 'spread', $1, $2, id from file
		where id = $3 and sha256 is not null and verdict not in ('unusable', 'sheet') returning id`, way, tx.Who().ID, file)
}

// Revise records that a plan shows something else now, and what of that was not
// asked for.
func Revise(ctx context.Context, tx *door.Tx, id int64, r plan.Remade) error {
	if _, err := tx.Exec(ctx, `update plan set revision = revision + 1, remade_changed = $2, remade_fresh = $3, remade_gone = $4
		where id = $1`,
		id, r.Changed, r.Fresh, r.Gone); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "plan", ID: id})
}

// MovePlan moves a plan on for whoever does it, when it is in one of the states
// given; ErrChanged means that it is not.
func MovePlan(ctx context.Context, tx *door.Tx, id int64, to string, from ...string) error {
	tag, err := tx.Exec(ctx, `update plan set state = $2, applied_at = case when $2 = 'applied' then coalesce(applied_at, now())
		else applied_at end,
		reverted_at = case when $2 = 'reverted' then now() else reverted_at end,
		applied_by_id = case when $2 = 'applying' or $2 = 'applied' and applied_by_id is null then $4 else applied_by_id end,
		reverted_by_id = case when $2 = 'reverting' then $4 else reverted_by_id end where id = $1 and state = any($3)`, id, to, from, tx.Who().ID)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	if err := endNeeds(ctx, tx, id, to); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "plan", ID: id})
}

// MoveLotsOf moves a plan's lots on, those that are in the state given, and
// returns which they were.
func MoveLotsOf(ctx context.Context, tx *door.Tx, id int64, to, from lot.State) error {
	lots, err := numbers(ctx, tx, `update lot set state = $2 where id in (select lot_id from plan_lot where plan_id = $1) and state = $3
		returning id`, id, to, from)
	if err != nil {
		return err
	}
	needed := releaseLots
	if to.Open() {
		needed = keepLots
	}
	if err := needed(ctx, tx, lots); err != nil {
		return err
	}
	for _, lot := range lots {
		if err := tx.Announce(ctx, door.Event{Topic: "lot", ID: lot}); err != nil {
			return err
		}
	}
	return nil
}

// RunOfPlan tells whether a run of a plan is under way.
func RunOfPlan(ctx context.Context, tx *door.Tx, id int64) (busy bool, err error) {
	err = tx.QueryRow(ctx, `select exists (select from run where plan_id = $1 and state in ('queued', 'running', 'stopping'))`, id).Scan(&busy)
	return busy, err
}

// Describe says what a plan is, for messages.
func (p Plan) Describe() string {
	if p.Kind == "hand" {
		return "change by hand"
	}
	if p.Kind == "spread" {
		return p.FilePath[strings.LastIndex(p.FilePath, "/")+1:] + " on many"
	}
	if p.Kind == "swap" {
		return "exchange of pictures"
	}
	names := make([]string, 0, len(p.Lots))
	for _, l := range p.Lots {
		names = append(names, l.Name)
	}
	return "plan of " + strings.Join(names, " and ")
}
