package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/plan"
)

// placementRow is a placement as a plan sees it.
type placementRow struct {
	ID      int64
	Product int64
	Variant int64
	File    int64
	Sum     string
	View    string
	Alt     string
	AltBy   string
	Plan    int64
}

const placementQuery = `
	select pl.id, pl.product_id as product, coalesce(pl.variant_id, 0) as variant, pl.file_id as file, encode(f.sha256, 'hex') as sum,
		pl.view, pl.alt, pl.alt_by, coalesce(pl.plan_id, 0) as plan
	from placement pl join file f on f.id = pl.file_id`

// Standing returns what products show now.
func Standing(ctx context.Context, db DB, products []int64) (map[int64]plan.Arrangement, error) {
	rows, err := list[placementRow](ctx, db, placementQuery+` where pl.product_id = any($1) order by pl.product_id, pl.variant_id, pl.place`, products)
	if err != nil {
		return nil, err
	}
	standing := make(map[int64]plan.Arrangement, len(products))
	for _, id := range products {
		standing[id] = plan.Arrangement{}
	}
	for _, r := range rows {
		standing[r.Product][r.Variant] = append(standing[r.Product][r.Variant],
			plan.Entry{ID: r.ID, File: r.File, Sum: r.Sum, View: r.View, Alt: r.Alt, AltBy: r.AltBy, Plan: r.Plan})
	}
	return standing, nil
}

// ApplyProduct makes a plan's change to one product, in a transaction with its
// reverse, exactly once: a product whose change stands is left alone, and one
// that changed since the plan was made becomes stale.
func (s *Store) ApplyProduct(ctx context.Context, id, product int64) (applied bool, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		applied, err = applyProduct(ctx, tx, id, product)
		return err
	})
	return applied, err
}

func applyProduct(ctx context.Context, tx pgx.Tx, id, product int64) (bool, error) {
	now, err := number(ctx, tx, `select version from product where id = $1 for update`, product)
	if err != nil {
		return false, err
	}
	var state string
	var version int64
	var content []byte
	err = tx.QueryRow(ctx, `select state, version, after from plan_product where plan_id = $1 and product_id = $2 for update`, id, product).Scan(&state, &version, &content)
	if err != nil {
		return false, orNotFound(err)
	}
	if state != "planned" {
		return false, nil
	}
	if version != now {
		_, err := tx.Exec(ctx, `update plan_product set state = 'stale', problem = 'the product changed since the plan was made' where plan_id = $1 and product_id = $2`, id, product)
		return false, err
	}
	var after plan.Arrangement
	if err := json.Unmarshal(content, &after); err != nil {
		return false, err
	}
	if err := writeArrangement(ctx, tx, product, after); err != nil {
		return false, err
	}
	standing, err := Standing(ctx, tx, []int64{product})
	if err != nil {
		return false, err
	}
	written, err := json.Marshal(standing[product])
	if err != nil {
		return false, err
	}
	_, err = tx.Exec(ctx, `update plan_product set state = 'applied', after = $3 where plan_id = $1 and product_id = $2`, id, product, written)
	return true, err
}

// writeArrangement makes a product show exactly what is wanted and counts its
// version up.
func writeArrangement(ctx context.Context, tx pgx.Tx, product int64, wanted plan.Arrangement) error {
	if _, err := tx.Exec(ctx, `delete from placement where product_id = $1`, product); err != nil {
		return err
	}
	batch := &pgx.Batch{}
	for variant, entries := range wanted {
		for i, e := range entries {
			batch.Queue(`insert into placement (id, product_id, variant_id, file_id, place, view, alt, alt_by, plan_id)
				values (case when $1::bigint = 0 then nextval(pg_get_serial_sequence('placement', 'id')) else $1 end, $2, nullif($3::bigint, 0), $4, $5, $6, $7, $8, nullif($9::bigint, 0))`,
				e.ID, product, variant, e.File, i+1, e.View, e.Alt, orDraft(e.AltBy), e.Plan)
		}
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("write placements: %w", err)
	}
	if _, err := tx.Exec(ctx, `update product set version = version + 1, updated_at = now(),
		pictures = (select count(*) from placement where product_id = $1) where id = $1`, product); err != nil {
		return err
	}
	return Notify(ctx, tx, Event{Topic: "product", ID: product})
}

func orDraft(by string) string {
	if by == "" {
		return "draft"
	}
	return by
}

// RevertProduct takes a plan's change to one product back, exactly once. What
// was changed by others since stays.
func (s *Store) RevertProduct(ctx context.Context, id, product int64) (reverted bool, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		if _, err := number(ctx, tx, `select version from product where id = $1 for update`, product); err != nil {
			return err
		}
		var state string
		var beforeJSON, afterJSON []byte
		err := tx.QueryRow(ctx, `select state, before, after from plan_product where plan_id = $1 and product_id = $2 for update`, id, product).
			Scan(&state, &beforeJSON, &afterJSON)
		if err != nil {
			return orNotFound(err)
		}
		if state != "applied" {
			return nil
		}
		var before, after plan.Arrangement
		if err := errors.Join(json.Unmarshal(beforeJSON, &before), json.Unmarshal(afterJSON, &after)); err != nil {
			return err
		}
		standing, err := Standing(ctx, tx, []int64{product})
		if err != nil {
			return err
		}
		if err := writeArrangement(ctx, tx, product, plan.Reverse(before, after, standing[product])); err != nil {
			return err
		}
		reverted = true
		_, err = tx.Exec(ctx, `update plan_product set state = 'reverted' where plan_id = $1 and product_id = $2`, id, product)
		return err
	})
	return reverted, err
}

// FailProduct records why a product's change could not be made.
func (s *Store) FailProduct(ctx context.Context, id, product int64, problem string) error {
	_, err := s.Pool.Exec(ctx, `update plan_product set state = 'failed', problem = $3 where plan_id = $1 and product_id = $2 and state = 'planned'`, id, product, problem)
	return err
}

// Rearrange is a change by hand: a plan of one product that is applied at once
// and can be reverted like any other. version is the product's as the person
// saw it. It returns the plan.
func (s *Store) Rearrange(ctx context.Context, product, version int64, change func(plan.Arrangement) (plan.Arrangement, error)) (id int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		now, err := number(ctx, tx, `select version from product where id = $1 for update`, product)
		if err != nil {
			return err
		}
		if now != version {
			return ErrChanged
		}
		standing, err := Standing(ctx, tx, []int64{product})
		if err != nil {
			return err
		}
		after, err := change(standing[product].Clone())
		if err != nil {
			return err
		}
		difference := plan.Diff(standing[product], after)
		before, err := json.Marshal(standing[product])
		if err != nil {
			return err
		}
		wanted, err := json.Marshal(after)
		if err != nil {
			return err
		}
		if id, err = number(ctx, tx, `insert into plan (kind, way, state, applied_at) values ('hand', 'instead', 'applied', now()) returning id`); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `insert into plan_product (plan_id, product_id, version, before, after, added, removed, moved)
			values ($1, $2, $3, $4, $5, $6, $7, $8)`, id, product, now, before, wanted, difference.Added, difference.Removed, difference.Moved); err != nil {
			return err
		}
		_, err = applyProduct(ctx, tx, id, product)
		return err
	})
	return id, err
}

// Shown is a picture on a product's page.
type Shown struct {
	ID      int64  `json:"id"`
	Variant int64  `json:"variant" doc:"0 for the product as a whole"`
	File    int64  `json:"file"`
	Sum     string `json:"sum"`
	Place   int    `json:"place"`
	View    string `json:"view"`
	Alt     string `json:"alt"`
	AltBy   string `json:"altBy" enum:"draft,person"`
	Path    string `json:"path"`
	Lot     int64  `json:"lot"`
	LotName string `json:"lotName"`
	Width   int    `json:"width"`
	Height  int    `json:"height"`
	Bytes   int64  `json:"bytes"`
	Plan    int64  `json:"plan"`
}

// Change is a plan that touched a product.
type Change struct {
	Plan      int64     `json:"plan"`
	Kind      string    `json:"kind" enum:"lot,hand"`
	LotName   string    `json:"lotName"`
	State     string    `json:"state" enum:"applied,reverted"`
	AppliedAt time.Time `json:"appliedAt"`
	Added     int       `json:"added"`
	Removed   int       `json:"removed"`
	Moved     int       `json:"moved"`
}

// Changes returns what was done to a product's pictures, the newest first.
func (s *Store) Changes(ctx context.Context, product int64) ([]Change, error) {
	return list[Change](ctx, s.Pool, `
		select p.id as plan, p.kind, coalesce(l.name, '') as lot_name, pp.state, coalesce(p.applied_at, p.created_at) as applied_at, pp.added, pp.removed, pp.moved
		from plan_product pp join plan p on p.id = pp.plan_id left join lateral (select min(l.id) as id, string_agg(l.name, ' and ' order by l.id) as name from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = p.id) l on true
		where pp.product_id = $1 and pp.state in ('applied', 'reverted') order by p.id desc limit 50`, product)
}

// Shown returns a product's pictures: its own, then its variants', in order.
func (s *Store) Shown(ctx context.Context, product int64) ([]Shown, error) {
	return list[Shown](ctx, s.Pool, `
		select pl.id, coalesce(pl.variant_id, 0) as variant, pl.file_id as file, encode(f.sha256, 'hex') as sum, pl.place, pl.view, pl.alt, pl.alt_by,
			f.path, f.lot_id as lot, l.name as lot_name, b.width, b.height, b.bytes, coalesce(pl.plan_id, 0) as plan
		from placement pl join file f on f.id = pl.file_id join lot l on l.id = f.lot_id join blob b on b.sha256 = f.sha256
		left join variant v on v.id = pl.variant_id
		where pl.product_id = $1 order by pl.variant_id is not null, v.position, v.id, pl.place`, product)
}
