package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// Settled is a file as a plan places it on a target: with the place and view that were decided.
type Settled struct {
	File     int64  `json:"file"`
	Product  *int64 `json:"product,omitempty"`
	Variant  *int64 `json:"variant,omitempty"`
	Category *int64 `json:"category,omitempty"`
	Place    int    `json:"place,omitempty"`
	View     string `json:"view,omitempty"`
}

// Settles is what applying a change settles of a file that arrives.
func (a Arrival) Settles() Settled {
	return Settled{File: a.File, Product: orNil(a.Product), Variant: orNil(a.Variant), Category: orNil(a.Category),
		Place: a.Place, View: a.View}
}

func orNil(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

// decidedOn is the SQL of what the files of lots ($1) are decided to show: a row for each file and target.
const decidedOn = `
	select f.id as file_id, f.product_id, f.variant_id, f.category_id, f.place, f.view from file f
	where f.lot_id = any($1) and f.verdict = 'paired'
	union all
	select f.id, (o->>'product')::bigint, (o->>'variant')::bigint, (o->>'category')::bigint, f.place, f.view
	from file f cross join jsonb_array_elements(f.others) o
	where f.lot_id = any($1) and f.verdict = 'paired' and f.others <> '[]'`

// settledOn is the SQL of what plans of lots ($1) placed, where no later one ended it.
const settledOn = `
	select s.file_id, s.product_id, s.variant_id, s.category_id, s.place, s.view from settled s
	where s.lot_id = any($1) and s.ended_by is null`

// UnsettledOwners returns the products and categories that a plan of lots would change, in order: those that a file is
// decided to show differently from what earlier plans of these lots settled.
func UnsettledOwners(ctx context.Context, db DB, lots []int64) ([]catalog.Target, error) {
	return owners(ctx, db, `with decided as materialized (`+decidedOn+`), stands as materialized (`+settledOn+`)
		select `+ownerOf("d")+` from (select distinct product_id, category_id from (
			(select * from decided except select * from stands) union all (select * from stands except select * from decided)) c) d
		where coalesce(product_id, category_id) is not null order by product_id, category_id`, lots)
}

// KeepChangesOf forgets what a plan would do to products and categories other than these, and returns to how many.
func KeepChangesOf(ctx context.Context, tx *door.Tx, id int64, owners []catalog.Target) (int, error) {
	products, categories := split(owners)
	tag, err := tx.Exec(ctx, `delete from plan_change where plan_id = $1 and state in ('planned', 'left out')
		and (product_id is not null and product_id <> all($2) or category_id is not null and category_id <> all($3))`,
		id, orEmpty(products), orEmpty(categories))
	return int(tag.RowsAffected()), err
}

// Arrivals returns the paired files of lots for some products and categories, those of one beside each other, also those
// that an earlier plan of the lots placed there; id is the plan whose ways they have.
func Arrivals(ctx context.Context, db DB, id int64, lots []int64, of []catalog.Target) ([]Arrival, error) {
	products, categories := split(of)
	type row struct {
		Arrival
		Stands   bool
		WasPlace int
		WasView  string
	}
	rows, err := list[row](ctx, db, `with decided as (select * from (`+decidedOn+`) d where d.product_id = any($3) or d.category_id = any($4))
		select coalesce(d.product_id, 0) as product, coalesce(d.variant_id, 0) as variant, coalesce(d.category_id, 0) as category,
			f.id as file, 0::bigint as instead, f.path, f.alt, `+factColumns+`, coalesce(f.place, 0) as place, f.view,
			coalesce((f.evidence->>'bare')::boolean, false) as bare, coalesce(c.way, '') as own_way,
			coalesce(c.left_out, false) as left_out, coalesce(nullif(v.title, ''), p.title, g.name, '') as title,
			coalesce(v.options, '[]') as values, coalesce(p.version, g.version, 0) as version,
			s.id is not null as stands, coalesce(s.place, 0) as was_place, coalesce(s.view, '') as was_view
		from decided d join file f on f.id = d.file_id join blob b on b.sha256 = f.sha256
		left join product p on p.id = d.product_id left join variant v on v.id = d.variant_id left join category g on g.id = d.category_id
		left join settled s on s.file_id = f.id and s.ended_by is null and s.product_id is not distinct from d.product_id
			and s.variant_id is not distinct from d.variant_id and s.category_id is not distinct from d.category_id
		left join plan_change c on c.plan_id = $2 and (c.product_id = d.product_id or c.category_id = d.category_id)
		where coalesce(p.id, g.id) is not null and (d.variant_id is null or v.id is not null)
		order by d.product_id, d.category_id, f.id`, lots, id, orEmpty(products), orEmpty(categories))
	found := make([]Arrival, len(rows))
	for i, r := range rows {
		if found[i] = r.Arrival; r.Stands {
			found[i].Placed = &plan.Placed{Place: r.WasPlace, View: r.WasView}
		}
	}
	return found, err
}

// Leaving is a file that an earlier plan of a lot placed, and that is decided to show something else now.
type Leaving struct {
	targetColumns
	File    int64
	Version int64 // of the product or category
}

// Owner is the product or category that the file leaves.
func (l Leaving) Owner() catalog.Target { return l.owner() }

// LeavingFrom returns the files of lots that are to leave some products and categories.
func LeavingFrom(ctx context.Context, db DB, lots []int64, of []catalog.Target) ([]Leaving, error) {
	products, categories := split(of)
	return list[Leaving](ctx, db, `select coalesce(s.product_id, 0) as product, coalesce(s.variant_id, 0) as variant,
			coalesce(s.category_id, 0) as category, f.id as file, coalesce(p.version, g.version) as version
		from settled s join file f on f.id = s.file_id left join product p on p.id = s.product_id left join category g on g.id = s.category_id
		where s.ended_by is null and f.lot_id = any($1) and (s.product_id = any($2) or s.category_id = any($3))
			and not (f.verdict = 'paired' and f.product_id is not distinct from s.product_id
				and f.variant_id is not distinct from s.variant_id and f.category_id is not distinct from s.category_id)
			and not (f.verdict = 'paired' and exists (select from jsonb_array_elements(f.others) o
				where (o->>'product')::bigint is not distinct from s.product_id and (o->>'variant')::bigint is not distinct from s.variant_id
					and (o->>'category')::bigint is not distinct from s.category_id))
		order by s.id`, lots, orEmpty(products), orEmpty(categories))
}

// ShownOn is a product, variant or category that a file shows.
type ShownOn struct {
	Target catalog.Target `json:"target"`
	Code   string         `json:"code" doc:"SKU of a variant, code of a product, path of a category"`
	Title  string         `json:"title"`
	Plan   int64          `json:"plan" doc:"That placed it there, 0 for none"`
	Stands bool           `json:"stands" doc:"It is there now; a person may have moved or removed it since"`
}

// ShownOn returns what a file is decided to show beside its first target, and where plans of its lot placed it.
func (s *Store) ShownOn(ctx context.Context, file int64) (others, placed []ShownOn, err error) {
	const named = `coalesce(v.sku, p.code, g.path) as code, coalesce(nullif(v.title, ''), p.title, g.name, '') as title`
	const stands = `exists (select from placement s where s.file_id = $1 and s.product_id is not distinct from t.product_id
		and s.variant_id is not distinct from t.variant_id and s.category_id is not distinct from t.category_id) as stands`
	const joins = ` left join product p on p.id = t.product_id left join variant v on v.id = t.variant_id
		left join category g on g.id = t.category_id where coalesce(p.id, g.id) is not null`
	if others, err = list[ShownOn](ctx, s.pool, `select `+targetOf("t")+` as target, `+named+`, 0::bigint as plan, `+stands+`
		from (select at, (o->>'product')::bigint as product_id, (o->>'variant')::bigint as variant_id, (o->>'category')::bigint as category_id
			from file cross join jsonb_array_elements(others) with ordinality o (o, at) where id = $1) t`+joins+` order by at`, file); err != nil {
		return nil, nil, err
	}
	placed, err = list[ShownOn](ctx, s.pool, `select `+targetOf("t")+` as target, `+named+`, c.plan_id as plan, `+stands+`
		from settled t join plan_change c on c.id = t.by_change`+joins+` and t.file_id = $1 and t.ended_by is null order by t.id`, file)
	return orEmpty(others), orEmpty(placed), err
}

// SettleChange records where a change that is applied placed the files of its plan's lots: what it no longer shows is ended.
// Reading leaves what is settled as it is.
func SettleChange(ctx context.Context, tx *door.Tx, change int64) error {
	const settles = `from plan_change c cross join jsonb_to_recordset(c.settles)
		w (file bigint, product bigint, variant bigint, category bigint, place int, view text)
		join file f on f.id = w.file where c.id = $1`
	const same = `s.file_id = w.file and s.product_id is not distinct from w.product and s.variant_id is not distinct from w.variant
		and s.category_id is not distinct from w.category and coalesce(s.place, 0) = coalesce(w.place, 0) and s.view = coalesce(w.view, '')`
	if _, err := tx.Exec(ctx, `update settled s set ended_by = c.id from plan_change c
		where c.id = $1 and s.ended_by is null and (s.product_id = c.product_id or s.category_id = c.category_id)
			and s.lot_id in (select lot_id from plan_lot where plan_id = c.plan_id)
			and not exists (select from jsonb_to_recordset(c.settles)
				w (file bigint, product bigint, variant bigint, category bigint, place int, view text) where `+same+`)`, change); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `with fresh as (
			insert into settled (file_id, lot_id, product_id, variant_id, category_id, place, view, by_change)
			select f.id, f.lot_id, w.product, w.variant, w.category, nullif(w.place, 0), coalesce(w.view, ''), c.id `+settles+`
				and not exists (select from settled s where s.ended_by is null and `+same+`)
			returning file_id)
		update file set decided_by = 'plan' where id in (select file_id from fresh) and decided_by = 'reading'`, change)
	return err
}

// UnsettleChange undoes what a change settled.
func UnsettleChange(ctx context.Context, tx *door.Tx, change int64) error {
	files, err := numbers(ctx, tx, `delete from settled where by_change = $1 returning file_id`, change)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `update settled set ended_by = null where ended_by = $1`, change); err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `update file f set decided_by = 'reading' where id = any($1) and decided_by = 'plan'
		and not exists (select from settled s where s.file_id = f.id and s.ended_by is null)`, files)
	return err
}

// waitsFor is the SQL of how many files of the lot l wait for a decision.
const waitsFor = `(select coalesce(sum(files), 0) from file_count where lot_id = l.id and verdict in ('contested', 'loose', 'unread'))`

// FinishDecided finishes those lots of a plan in which no file waits for a decision, and announces the others: they stay open.
func FinishDecided(ctx context.Context, tx *door.Tx, plan int64) error {
	return finish(ctx, tx, `select l.id, `+waitsFor+` > 0 as waits from lot l join plan_lot p on p.lot_id = l.id
		where p.plan_id = $1 and l.state = 'ready' order by l.id`, plan)
}

// FinishUnchanged finishes an open lot again whose correction was undone: nothing of it waits, and its plans stand as they
// were applied.
func FinishUnchanged(ctx context.Context, tx *door.Tx, lot int64) error {
	open, err := number(ctx, tx, `select count(*) from lot l where id = $1 and state = 'ready' and `+waitsFor+` = 0
		and exists (select from plan_lot p join plan on plan.id = p.plan_id where p.lot_id = l.id and plan.state = 'applied')`, lot)
	if err != nil || open == 0 {
		return err
	}
	changed, err := UnsettledOwners(ctx, tx, []int64{lot})
	if err != nil || len(changed) > 0 {
		return err
	}
	return finish(ctx, tx, `select id, false as waits from lot where id = $1`, lot)
}

func finish(ctx context.Context, tx *door.Tx, query string, of int64) error {
	rows, err := tx.Query(ctx, query, of)
	if err != nil {
		return err
	}
	type row struct {
		ID    int64
		Waits bool
	}
	found, err := pgx.CollectRows(rows, pgx.RowToStructByName[row])
	if err != nil {
		return err
	}
	var done []int64
	for _, l := range found {
		if l.Waits {
			err = tx.Announce(ctx, door.Event{Topic: "lot", ID: l.ID})
		} else {
			err = SetLotState(ctx, tx, l.ID, lot.Applied)
			done = append(done, l.ID)
		}
		if err != nil {
			return err
		}
	}
	return releaseLots(ctx, tx, done)
}

// FinishLot ends the work on a lot; what is undecided stays undecided, and its files are needed no longer.
func FinishLot(ctx context.Context, tx *door.Tx, id int64) error {
	if err := SetLotState(ctx, tx, id, lot.Applied); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from plan where state = 'draft' and id in (select plan_id from plan_lot where lot_id = $1)`,
		id); err != nil {
		return err
	}
	return releaseLots(ctx, tx, []int64{id})
}

// ReopenLot opens a lot again that was finished: its files are needed again.
func ReopenLot(ctx context.Context, tx *door.Tx, id int64) error {
	if err := SetLotState(ctx, tx, id, lot.Ready); err != nil {
		return err
	}
	return keepLots(ctx, tx, []int64{id})
}
