package store

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/naming"
	"ambrosa/core/plan"
	"ambrosa/core/rights"
	"ambrosa/core/upkeep"
)

type arrivingRow struct {
	Product  int64
	Variant  int64
	File     int64
	Path     string
	Place    int
	View     string
	Bare     bool
	Title    string
	Options  []catalog.Option
	Version  int64
	OwnWay   string
	LeftOut  bool
	VariantT string
	Alt      string
	factRow
}

// factRow is what is known of a picture.
type factRow struct {
	Sum         string
	Pixels      int64
	Fingerprint int64
	Tint        []byte
	Small       bool
	Rights      string
	Licence     string
	Credit      string
	Expires     *time.Time
}

func (r factRow) fact() plan.Fact {
	_, held := rights.Rights{State: rights.State(r.Rights), Licence: r.Licence, Credit: r.Credit, Expires: r.Expires}.MayBeHandedOn(time.Now())
	return plan.Fact{Pixels: r.Pixels, Look: upkeep.Look{Fingerprint: uint64(r.Fingerprint), Tint: string(r.Tint)}, Small: r.Small, HeldBack: held}
}

const factColumns = `encode(f.sha256, 'hex') as sum, coalesce(b.width::bigint * b.height, 0) as pixels, coalesce(b.fingerprint, 0) as fingerprint, coalesce(b.tint, '') as tint,
	coalesce(b.marks, 0) & 1 <> 0 as small, f.rights, f.licence, f.credit, f.expires::timestamptz as expires`

// facts returns what is known of the pictures that stand on products.
func facts(ctx context.Context, db DB, products []int64) (plan.Facts, error) {
	rows, err := list[factRow](ctx, db, `select `+factColumns+` from placement pl join file f on f.id = pl.file_id join blob b on b.sha256 = f.sha256 where pl.product_id = any($1)`, products)
	known := plan.Facts{}
	for _, r := range rows {
		known[r.Sum] = r.fact()
	}
	return known, err
}

// batchProducts is how many products are planned in one piece, so that memory
// does not grow with the lot.
const batchProducts = 500

// PlanLot plans a lot, together with those that it is being planned with; "" is
// the way of its draft, or after where there is none.
func (s *Store) PlanLot(ctx context.Context, lot int64, way plan.Way) (id int64, err error) {
	draft, err := s.draft(ctx, lot)
	if err != nil {
		return 0, err
	}
	return s.MakePlan(ctx, draft.lots(), cmp.Or(way, plan.Way(draft.Way)))
}

// draft returns the draft that a lot is planned in; of a lot without one, what it
// would be: the lot alone, after what stands, with id 0.
func (s *Store) draft(ctx context.Context, lot int64) (Plan, error) {
	found, err := one[Plan](ctx, s.Pool, planQuery+` where p.id = (
		select p.id from plan p join plan_lot pl on pl.plan_id = p.id where pl.lot_id = $1 and p.state = 'draft' order by p.id desc limit 1)`, lot)
	if errors.Is(err, ErrNotFound) {
		return Plan{Lots: []PlanLot{{ID: lot}}, Way: string(plan.After)}, nil
	}
	return found, err
}

// MakePlan writes a plan for what the paired files of lots would change, in the
// given way, and returns its id. A draft of the same lots is made anew, and
// single products keep their own way in it; other drafts of any of them are
// given up. Lots of which a plan stands or is under way cannot be planned.
func (s *Store) MakePlan(ctx context.Context, lots []int64, way plan.Way) (id int64, err error) {
	slices.Sort(lots)
	lots = slices.Compact(lots)
	err = s.Within(ctx, func(tx pgx.Tx) error {
		if err := lotsToPlan(ctx, tx, lots); err != nil {
			return err
		}
		if id, err = draftOf(ctx, tx, lots, way); err != nil {
			return err
		}
		if _, err := (planning{tx, id, way, lots, false}).whole(ctx); err != nil {
			return err
		}
		return revise(ctx, tx, id, plan.Remade{})
	})
	return id, err
}

// revise records that a plan shows something else now, and what of that was not
// asked for.
func revise(ctx context.Context, tx pgx.Tx, id int64, r plan.Remade) error {
	if _, err := tx.Exec(ctx, `update plan set revision = revision + 1, remade_changed = $2, remade_fresh = $3, remade_gone = $4 where id = $1`,
		id, r.Changed, r.Fresh, r.Gone); err != nil {
		return err
	}
	return Notify(ctx, tx, Event{Topic: "plan", ID: id})
}

// planning computes a plan, whole or in part, and writes it.
type planning struct {
	tx   pgx.Tx
	id   int64
	way  plan.Way
	lots []int64
	mark bool // products that become different are marked as made again
}

// whole plans every product that the lots bring a picture for, and returns how
// many products are no longer among them.
func (p planning) whole(ctx context.Context) (gone int, err error) {
	tag, err := p.tx.Exec(ctx, `delete from plan_product pp where plan_id = $1 and state = 'planned' and not exists (
		select from file f where f.lot_id = any($2) and f.verdict = 'paired' and f.product_id = pp.product_id)`, p.id, p.lots)
	if err != nil {
		return 0, err
	}
	for last := int64(0); ; {
		rows, err := p.tx.Query(ctx, `select distinct product_id from file where lot_id = any($1) and verdict = 'paired' and product_id > $2
			order by product_id limit $3`, p.lots, last, batchProducts)
		if err != nil {
			return 0, err
		}
		products, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return 0, err
		}
		if len(products) == 0 {
			break
		}
		last = products[len(products)-1]
		if _, err := p.products(ctx, products); err != nil {
			return 0, err
		}
	}
	_, err = p.tx.Exec(ctx, `update plan_lot pl set decisions = l.decisions from lot l where pl.plan_id = $1 and l.id = pl.lot_id`, p.id)
	return int(tag.RowsAffected()), err
}

// overtaken plans the products again that changed since they were planned, and
// returns how many are no longer in the plan.
func (p planning) overtaken(ctx context.Context) (gone int, err error) {
	for last := int64(0); ; {
		rows, err := p.tx.Query(ctx, `select pp.product_id from plan_product pp join product o on o.id = pp.product_id
			where pp.plan_id = $1 and pp.state = 'planned' and pp.version <> o.version and pp.product_id > $2 order by pp.product_id limit $3`, p.id, last, batchProducts)
		if err != nil {
			return gone, err
		}
		products, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil || len(products) == 0 {
			return gone, err
		}
		last = products[len(products)-1]
		left, err := p.products(ctx, products)
		if err != nil {
			return gone, err
		}
		gone += left
	}
}

// lotsToPlan locks lots and sees whether they can be planned.
func lotsToPlan(ctx context.Context, tx pgx.Tx, lots []int64) error {
	rows, err := tx.Query(ctx, `select state from lot where id = any($1) order by id for update`, lots)
	if err != nil {
		return err
	}
	states, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	if len(states) < len(lots) || len(lots) == 0 {
		return ErrNotFound
	}
	for _, state := range states {
		if state != "ready" {
			return fmt.Errorf("a lot is %s: %w", state, ErrChanged)
		}
	}
	busy, err := number(ctx, tx, `select count(*) from plan p join plan_lot pl on pl.plan_id = p.id where pl.lot_id = any($1) and p.state in ('applying', 'reverting')`, lots)
	if err == nil && busy > 0 {
		err = fmt.Errorf("a plan of these lots is under way: %w", ErrChanged)
	}
	return err
}

// draftOf returns the draft of just these lots, which may be a new one, and
// gives up all other drafts of any of them.
func draftOf(ctx context.Context, tx pgx.Tx, lots []int64, way plan.Way) (id int64, err error) {
	id, err = number(ctx, tx, `select id from plan p where state = 'draft'
		and (select array_agg(lot_id order by lot_id) from plan_lot where plan_id = p.id) = $1 order by id desc limit 1 for update`, lots)
	if errors.Is(err, ErrNotFound) {
		if id, err = number(ctx, tx, `insert into plan (kind, way) values ('lot', $1) returning id`, way); err != nil {
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
	_, err = tx.Exec(ctx, `delete from plan where state = 'draft' and id <> $1 and id in (select plan_id from plan_lot where lot_id = any($2))`, id, lots)
	return id, err
}

// products computes what the plan does to some products and writes it; those
// that nothing arrives for any more leave the plan, and it returns how many.
func (p planning) products(ctx context.Context, products []int64) (gone int, err error) {
	standing, err := Standing(ctx, p.tx, products)
	if err != nil {
		return 0, err
	}
	rows, err := arrivals(ctx, p.tx, p.id, p.lots, products)
	if err != nil {
		return 0, err
	}
	known, err := facts(ctx, p.tx, products)
	if err != nil {
		return 0, err
	}
	orders, err := ordersOf(ctx, p.tx, p.lots, products)
	if err != nil {
		return 0, err
	}
	batch := &pgx.Batch{}
	var reached []int64
	for len(rows) > 0 {
		n := 1
		for n < len(rows) && rows[n].Product == rows[0].Product {
			n++
		}
		product := rows[0].Product
		if err := p.queue(batch, standing[product], rows[:n], known, orders[product]); err != nil {
			return 0, err
		}
		reached = append(reached, product)
		rows = rows[n:]
	}
	if err := p.tx.SendBatch(ctx, batch).Close(); err != nil {
		return 0, err
	}
	tag, err := p.tx.Exec(ctx, `delete from plan_product where plan_id = $1 and product_id = any($2) and product_id <> all(coalesce($3, '{}'::bigint[]))
		and state in ('planned', 'stale', 'failed')`, p.id, products, reached)
	return int(tag.RowsAffected()), err
}

// arrivals returns the paired files of lots for some products.
func arrivals(ctx context.Context, db DB, id int64, lots, products []int64) ([]arrivingRow, error) {
	return list[arrivingRow](ctx, db, `
		select f.product_id as product, coalesce(f.variant_id, 0) as variant, f.id as file, f.path, f.alt, `+factColumns+`,
			coalesce(f.place, 0) as place, f.view, coalesce((f.evidence->>'bare')::boolean, false) as bare, p.title, coalesce(v.options, '[]') as options,
			coalesce(v.title, '') as variant_t, p.version, coalesce(pp.way, '') as own_way, coalesce(pp.left_out, false) as left_out
		from file f join product p on p.id = f.product_id left join variant v on v.id = f.variant_id join blob b on b.sha256 = f.sha256
		left join plan_product pp on pp.plan_id = $3 and pp.product_id = p.id
		where f.lot_id = any($1) and f.verdict = 'paired' and f.product_id = any($2) order by f.product_id, f.id`, lots, products, id)
}

// arrange computes what a product would show.
func arrange(id int64, way plan.Way, standing plan.Arrangement, rows []arrivingRow, known plan.Facts, orders plan.Orders) (plan.Arrangement, []plan.Warning) {
	known = maps.Clone(known)
	arriving := make([]plan.Arriving, 0, len(rows))
	for _, r := range rows {
		title := r.VariantT
		if title == "" {
			title = r.Title
		}
		values := make([]string, 0, len(r.Options))
		for _, o := range r.Options {
			values = append(values, o.Value)
		}
		entry := plan.Entry{File: r.File, Sum: r.Sum, View: r.View, Alt: naming.AltText(title, values, r.View), AltBy: "draft", Plan: id}
		if r.Alt != "" {
			entry.Alt, entry.AltBy = r.Alt, "person"
		}
		known[r.Sum] = r.fact()
		arriving = append(arriving, plan.Arriving{Variant: r.Variant, Place: r.Place, Path: r.Path, Bare: r.Bare, Entry: entry})
	}
	if own := plan.Way(rows[0].OwnWay); own.Valid() {
		way = own
	}
	after, warnings := orders.Settle(plan.Arrange(standing, arriving, way, known))
	return after, append(warnings, plan.Warn(standing, after, known)...)
}

// queue writes what the plan does to the product that rows arrive for.
func (p planning) queue(batch *pgx.Batch, standing plan.Arrangement, rows []arrivingRow, known plan.Facts, orders plan.Orders) error {
	after, warnings := arrange(p.id, p.way, standing, rows, known, orders)
	difference := plan.Diff(standing, after)
	warnings = append(warnings, difference.Warnings...)
	before, err := json.Marshal(standing)
	if err != nil {
		return err
	}
	wanted, err := json.Marshal(after)
	if err != nil {
		return err
	}
	notes, err := json.Marshal(orEmpty(warnings))
	if err != nil {
		return err
	}
	batch.Queue(`insert into plan_product (plan_id, product_id, version, before, after, added, removed, moved, warnings, remade)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
		on conflict (plan_id, product_id) do update set version = excluded.version, before = excluded.before, after = excluded.after,
			added = excluded.added, removed = excluded.removed, moved = excluded.moved, warnings = excluded.warnings, problem = '',
			remade = excluded.remade and not plan_product.left_out and plan_product.after <> excluded.after,
			state = case when plan_product.left_out then 'left out' else 'planned' end
		where plan_product.state in ('planned', 'stale', 'failed', 'left out')`,
		p.id, rows[0].Product, rows[0].Version, before, wanted, difference.Added, difference.Removed, difference.Moved, notes, p.mark)
	return nil
}

// SetProductWay gives one product of a draft its own way ("" for the plan's),
// or leaves it out, and plans it again.
func (s *Store) SetProductWay(ctx context.Context, id, product int64, way plan.Way, leftOut bool) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		p, err := one[Plan](ctx, tx, planQuery+` where p.id = $1 for update of p`, id)
		if err != nil {
			return err
		}
		if p.State != "draft" {
			return ErrChanged
		}
		tag, err := tx.Exec(ctx, `update plan_product set way = nullif($3, ''), left_out = $4, state = case when $4 then 'left out' else 'planned' end
			where plan_id = $1 and product_id = $2`, id, product, string(way), leftOut)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return ErrNotFound
		}
		if _, err := (planning{tx, id, plan.Way(p.Way), p.lots(), false}).products(ctx, []int64{product}); err != nil {
			return err
		}
		return revise(ctx, tx, id, p.remade())
	})
}

// PlanAgain plans the stale and failed products of a plan on what they show
// now, so that they can be looked at and applied.
func (s *Store) PlanAgain(ctx context.Context, id int64) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		p, err := one[Plan](ctx, tx, planQuery+` where p.id = $1 for update of p`, id)
		if err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `select product_id from plan_product where plan_id = $1 and state in ('stale', 'failed') order by product_id`, id)
		if err != nil {
			return err
		}
		products, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		if len(products) == 0 || p.Kind != "lot" || p.State != "applied" {
			return ErrChanged
		}
		if _, err := (planning{tx, id, plan.Way(p.Way), p.lots(), true}).products(ctx, products); err != nil {
			return err
		}
		return revise(ctx, tx, id, plan.Remade{})
	})
}

// Refresh looks in a transaction whether a plan still says what applying it would
// do, and makes again what does not: all of it where its lots were decided on
// since, else the products that changed. Ways and products left out stay. It
// locks the plan and its lots, so that nothing is decided until the transaction
// ends, and returns what became different. revision is the plan's as the person
// saw it; another one is ErrChanged.
func Refresh(ctx context.Context, tx pgx.Tx, id int64, revision int) (r plan.Remade, err error) {
	p, err := one[Plan](ctx, tx, planQuery+` where p.id = $1 for update of p`, id)
	if err != nil {
		return r, err
	}
	if p.Kind != "lot" || p.Revision != revision {
		return r, ErrChanged
	}
	if p.State != "draft" && (p.State != "applied" || p.Planned == 0) {
		return r, ErrChanged
	}
	if _, err := tx.Exec(ctx, `select from lot where id = any($1) order by id for update`, p.lots()); err != nil {
		return r, err
	}
	decided, err := number(ctx, tx, `select count(*) from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = $1 and pl.decisions <> l.decisions`, id)
	if err != nil {
		return r, err
	}
	before, err := tx.Exec(ctx, `update plan_product set remade = false where plan_id = $1`, id)
	if err != nil {
		return r, err
	}
	again := planning{tx, id, plan.Way(p.Way), p.lots(), true}
	if decided > 0 && p.State == "draft" {
		r.Gone, err = again.whole(ctx)
	} else {
		r.Gone, err = again.overtaken(ctx)
	}
	if err != nil {
		return r, err
	}
	var now, remade int
	if err := tx.QueryRow(ctx, `select count(*), count(*) filter (where remade) from plan_product where plan_id = $1`, id).Scan(&now, &remade); err != nil {
		return r, err
	}
	r.Fresh = now + r.Gone - int(before.RowsAffected())
	r.Changed = remade - r.Fresh
	if !r.Any() {
		return r, nil
	}
	return r, revise(ctx, tx, id, r)
}
