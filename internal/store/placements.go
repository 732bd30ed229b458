package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// placementRow is a placement as a plan sees it.
type placementRow struct {
	ID int64
	targetColumns
	File  int64
	Sum   string
	View  string
	Alt   string
	AltBy string
	Plan  int64
}

const placementQuery = `
	select pl.id, coalesce(pl.product_id, 0) as product, coalesce(pl.variant_id, 0) as variant, coalesce(pl.category_id, 0) as category,
		pl.file_id as file, encode(f.sha256, 'hex') as sum, pl.view, pl.alt, pl.alt_by, coalesce(pl.plan_id, 0) as plan
	from placement pl join file f on f.id = pl.file_id`

// Standing returns what products, with their variants, and categories show now.
func Standing(ctx context.Context, db DB, owners []catalog.Target) (map[catalog.Target]plan.Arrangement, error) {
	standing := make(map[catalog.Target]plan.Arrangement, len(owners))
	for _, owner := range owners {
		standing[owner] = plan.Arrangement{}
	}
	read := func(column string, ids []int64) error {
		if len(ids) == 0 {
			return nil
		}
		rows, err := list[placementRow](ctx, db,
			placementQuery+` where pl.`+column+` = any($1) order by pl.`+column+`, pl.variant_id, pl.place`, ids)
		for _, r := range rows {
			shows := standing[r.owner()]
			entry := plan.Entry{ID: r.ID, File: r.File, Sum: r.Sum, View: r.View, Alt: r.Alt, AltBy: r.AltBy, Plan: r.Plan}
			shows[r.target()] = append(shows[r.target()], entry)
		}
		return err
	}
	products, categories := split(owners)
	if err := read("product_id", products); err != nil {
		return nil, err
	}
	return standing, read("category_id", categories)
}

// WriteArrangement makes a product with its variants, or a category, show
// exactly what is wanted, and counts its version up.
func WriteArrangement(ctx context.Context, tx *door.Tx, owner catalog.Target, wanted plan.Arrangement) error {
	product, category := ownerColumns(owner)
	if _, err := tx.Exec(ctx, `delete from placement where product_id = $1 or category_id = $2`, product, category); err != nil {
		return err
	}
	batch := &pgx.Batch{}
	for _, target := range wanted.Targets() {
		var variant *int64
		if target.Kind == catalog.KindVariant {
			variant = &target.ID
		}
		for i, e := range wanted[target] {
			batch.Queue(`with placed as (
					insert into placement (id, product_id, variant_id, category_id, file_id, place, view, alt, alt_by, plan_id)
					values (case when $1::bigint = 0 then nextval(pg_get_serial_sequence('placement', 'id')) else $1 end,
						$2, $3, $4, $5, $6, $7, $8, coalesce(nullif($9, ''), 'draft'), nullif($10::bigint, 0)) returning id, file_id)
				insert into reference (file_id, placement_id) select file_id, id from placed`,
				e.ID, product, variant, category, e.File, i+1, e.View, e.Alt, e.AltBy, e.Plan)
		}
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("write placements: %w", err)
	}
	if owner.Kind == catalog.KindCategory {
		if _, err := tx.Exec(ctx, `update category set version = version + 1, updated_at = now(),
			pictures = (select count(*) from placement where category_id = $1) where id = $1`, owner.ID); err != nil {
			return err
		}
		return tx.Announce(ctx, door.Event{Topic: "category", ID: owner.ID})
	}
	if _, err := tx.Exec(ctx, `update product set version = version + 1, updated_at = now(),
		pictures = (select count(*) from placement where product_id = $1) where id = $1`, owner.ID); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "product", ID: owner.ID})
}

// Shown is a picture on a product's or category's page.
type Shown struct {
	ID      int64          `json:"id"`
	Target  catalog.Target `json:"target" doc:"What it stands on"`
	File    int64          `json:"file"`
	Sum     string         `json:"sum"`
	Place   int            `json:"place"`
	View    string         `json:"view"`
	Alt     string         `json:"alt"`
	AltBy   string         `json:"altBy" enum:"draft,person"`
	Path    string         `json:"path"`
	Lot     int64          `json:"lot"`
	LotName string         `json:"lotName"`
	Width   int            `json:"width"`
	Height  int            `json:"height"`
	Bytes   int64          `json:"bytes"`
	Plan    int64          `json:"plan"`
}

// Shown returns the pictures of a product, its own, then its variants', or of a
// category, in order.
func (s *Store) Shown(ctx context.Context, owner catalog.Target) ([]Shown, error) {
	product, category := ownerColumns(owner)
	return list[Shown](ctx, s.pool, `
		select pl.id, `+targetOf("pl")+` as target, pl.file_id as file, encode(f.sha256, 'hex') as sum, pl.place, pl.view, pl.alt, pl.alt_by,
			f.path, f.lot_id as lot, l.name as lot_name, b.width, b.height, b.bytes, coalesce(pl.plan_id, 0) as plan
		from placement pl join file f on f.id = pl.file_id join lot l on l.id = f.lot_id join blob b on b.sha256 = f.sha256
		left join variant v on v.id = pl.variant_id
		where pl.product_id = $1 or pl.category_id = $2 order by pl.variant_id is not null, v.position, v.id, pl.place`, product, category)
}

// Change is a plan that touched a product or category.
type Change struct {
	Plan      int64     `json:"plan"`
	Kind      string    `json:"kind" enum:"lot,hand,spread"`
	LotName   string    `json:"lotName"`
	State     string    `json:"state" enum:"applied,reverted"`
	AppliedAt time.Time `json:"appliedAt"`
	By        string    `json:"by" doc:"Who applied it"`
	Added     int       `json:"added"`
	Removed   int       `json:"removed"`
	Moved     int       `json:"moved"`
}

// Changes returns what was done to the pictures of a product or category, the
// newest first.
func (s *Store) Changes(ctx context.Context, owner catalog.Target) ([]Change, error) {
	product, category := ownerColumns(owner)
	return list[Change](ctx, s.pool, `
		select p.id as plan, p.kind, coalesce(l.name, '') as lot_name, c.state, coalesce(p.applied_at, p.created_at) as applied_at,
			actor_name(p.applied_by_id) as by, c.added, c.removed, c.moved
		from plan_change c join plan p on p.id = c.plan_id
		left join lateral (select string_agg(l.name, ' and ' order by l.id) as name
			from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = p.id) l on true
		where (c.product_id = $1 or c.category_id = $2) and c.state in ('applied', 'reverted') order by p.id desc limit 50`, product, category)
}
