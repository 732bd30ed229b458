package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/naming"
	"ambrosa/core/plan"
	"ambrosa/core/rights"
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
	return plan.Fact{Pixels: r.Pixels, Fingerprint: uint64(r.Fingerprint), Tint: string(r.Tint), Small: r.Small, HeldBack: held}
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

// MakePlan writes a plan for what a lot's paired files would change, in the
// given way, and returns its id. A draft of the lot is replaced; single
// products keep their own way. A lot whose plan stands cannot be planned.
func (s *Store) MakePlan(ctx context.Context, lot int64, way plan.Way) (id int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		var state string
		if err := tx.QueryRow(ctx, `select state from lot where id = $1 for update`, lot).Scan(&state); err != nil {
			return orNotFound(err)
		}
		if state != "ready" {
			return fmt.Errorf("the lot is %s: %w", state, ErrChanged)
		}
		id, err = number(ctx, tx, `select id from plan where lot_id = $1 and state = 'draft' for update`, lot)
		if errors.Is(err, ErrNotFound) {
			id, err = number(ctx, tx, `insert into plan (kind, lot_id, way) values ('lot', $1, $2) returning id`, lot, way)
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update plan set way = $2 where id = $1`, id, way); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from plan_product pp where plan_id = $1 and state = 'planned' and not exists (
			select from file f where f.lot_id = $2 and f.verdict = 'paired' and f.product_id = pp.product_id)`, id, lot); err != nil {
			return err
		}
		last := int64(0)
		for {
			products, err := tx.Query(ctx, `select distinct product_id from file where lot_id = $1 and verdict = 'paired' and product_id > $2
				order by product_id limit $3`, lot, last, batchProducts)
			if err != nil {
				return err
			}
			ids, err := pgx.CollectRows(products, pgx.RowTo[int64])
			if err != nil {
				return err
			}
			if len(ids) == 0 {
				break
			}
			last = ids[len(ids)-1]
			if err := planProducts(ctx, tx, id, lot, way, ids); err != nil {
				return err
			}
		}
		return Notify(ctx, tx, Event{Topic: "plan", ID: id})
	})
	return id, err
}

// planProducts computes what a plan does to some products and writes it.
func planProducts(ctx context.Context, tx pgx.Tx, id, lot int64, way plan.Way, products []int64) error {
	standing, err := Standing(ctx, tx, products)
	if err != nil {
		return err
	}
	rows, err := arrivals(ctx, tx, id, lot, products)
	if err != nil {
		return err
	}
	known, err := facts(ctx, tx, products)
	if err != nil {
		return err
	}
	batch := &pgx.Batch{}
	for len(rows) > 0 {
		n := 1
		for n < len(rows) && rows[n].Product == rows[0].Product {
			n++
		}
		if err := queuePlanProduct(batch, id, way, standing[rows[0].Product], rows[:n], known); err != nil {
			return err
		}
		rows = rows[n:]
	}
	return tx.SendBatch(ctx, batch).Close()
}

// arrivals returns the paired files of a lot for some products.
func arrivals(ctx context.Context, db DB, id, lot int64, products []int64) ([]arrivingRow, error) {
	return list[arrivingRow](ctx, db, `
		select f.product_id as product, coalesce(f.variant_id, 0) as variant, f.id as file, f.path, f.alt, `+factColumns+`,
			coalesce(f.place, 0) as place, f.view, coalesce((f.evidence->>'bare')::boolean, false) as bare, p.title, coalesce(v.options, '[]') as options,
			coalesce(v.title, '') as variant_t, p.version, coalesce(pp.way, '') as own_way, coalesce(pp.left_out, false) as left_out
		from file f join product p on p.id = f.product_id left join variant v on v.id = f.variant_id join blob b on b.sha256 = f.sha256
		left join plan_product pp on pp.plan_id = $3 and pp.product_id = p.id
		where f.lot_id = $1 and f.verdict = 'paired' and f.product_id = any($2) order by f.product_id, f.id`, lot, products, id)
}

// arrange computes what a product would show.
func arrange(id int64, way plan.Way, standing plan.Arrangement, rows []arrivingRow, known plan.Facts) (plan.Arrangement, []plan.Warning) {
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
	after, warnings := plan.Arrange(standing, arriving, way, known)
	return after, append(warnings, plan.Warn(standing, after, known)...)
}

// Preview returns what a product shows now, and what it would show with a lot's
// files behind it. Nothing is written.
func (s *Store) Preview(ctx context.Context, lot, product int64) (before, after plan.Arrangement, warnings []plan.Warning, err error) {
	standing, err := Standing(ctx, s.Pool, []int64{product})
	if err != nil {
		return nil, nil, nil, err
	}
	rows, err := arrivals(ctx, s.Pool, 0, lot, []int64{product})
	if err != nil || len(rows) == 0 {
		return standing[product], standing[product], nil, err
	}
	known, err := facts(ctx, s.Pool, []int64{product})
	if err != nil {
		return nil, nil, nil, err
	}
	after, warnings = arrange(0, plan.After, standing[product], rows, known)
	return standing[product], after, warnings, nil
}

func queuePlanProduct(batch *pgx.Batch, id int64, way plan.Way, standing plan.Arrangement, rows []arrivingRow, known plan.Facts) error {
	after, warnings := arrange(id, way, standing, rows, known)
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
	batch.Queue(`insert into plan_product (plan_id, product_id, version, before, after, added, removed, moved, warnings)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9)
		on conflict (plan_id, product_id) do update set version = excluded.version, before = excluded.before, after = excluded.after,
			added = excluded.added, removed = excluded.removed, moved = excluded.moved, warnings = excluded.warnings, problem = '',
			state = case when plan_product.left_out then 'left out' else 'planned' end
		where plan_product.state in ('planned', 'stale', 'failed', 'left out')`,
		id, rows[0].Product, rows[0].Version, before, wanted, difference.Added, difference.Removed, difference.Moved, notes)
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
		if err := planProducts(ctx, tx, id, p.LotID, plan.Way(p.Way), []int64{product}); err != nil {
			return err
		}
		return Notify(ctx, tx, Event{Topic: "plan", ID: id})
	})
}

// PlanAgain plans the stale and failed products of a plan on what they show
// now.
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
		if len(products) == 0 || p.Kind != "lot" {
			return ErrChanged
		}
		return planProducts(ctx, tx, id, p.LotID, plan.Way(p.Way), products)
	})
}
