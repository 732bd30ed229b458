package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// OrdersOf returns the orders that persons gave pictures of products and
// categories by hand while they decided on lots, by product or category; of two
// for one target, the later one.
func OrdersOf(ctx context.Context, db DB, lots []int64, of []catalog.Target) (map[catalog.Target]plan.Orders, error) {
	type row struct {
		targetColumns
		Pictures []plan.Ref
	}
	products, categories := split(of)
	rows, err := list[row](ctx, db, `select distinct on (product_id, variant_id, category_id) coalesce(product_id, 0) as product,
			coalesce(variant_id, 0) as variant, coalesce(category_id, 0) as category, pictures
		from lot_order where lot_id = any($1) and (product_id = any($2) or category_id = any($3))
		order by product_id, variant_id, category_id, set_at desc, lot_id desc`, lots, products, categories)
	orders := map[catalog.Target]plan.Orders{}
	for _, r := range rows {
		if orders[r.owner()] == nil {
			orders[r.owner()] = plan.Orders{}
		}
		orders[r.owner()][r.target()] = r.Pictures
	}
	return orders, err
}

// SetOrder writes the order that a person gave the pictures of a target for when
// a lot is applied; an empty one leaves it to the lot's names again. ErrNotFound
// means that there is no such target.
func SetOrder(ctx context.Context, tx *door.Tx, lot int64, target catalog.Target, order []plan.Ref) error {
	columns, err := columnsOf(ctx, tx, target)
	if err != nil {
		return err
	}
	args := pgx.NamedArgs{
		"lot": lot, "product": columns.Product, "variant": columns.Variant, "category": columns.Category,
		"pictures": order, "actor": tx.Who().ID,
	}
	if len(order) == 0 {
		_, err = tx.Exec(ctx, `delete from lot_order where lot_id = @lot and coalesce(product_id, 0) = @product
			and coalesce(variant_id, 0) = @variant and coalesce(category_id, 0) = @category`, args)
	} else {
		_, err = tx.Exec(ctx, `with ordered as (
				insert into lot_order (lot_id, product_id, variant_id, category_id, pictures, actor_id)
				values (@lot, nullif(@product::bigint, 0), nullif(@variant::bigint, 0), nullif(@category::bigint, 0), @pictures, @actor)
				on conflict on constraint lot_order_target do update set pictures = excluded.pictures, set_at = now(), actor_id = excluded.actor_id
				returning id, pictures),
			before as (delete from reference where lot_order_id in (select id from ordered))
			insert into reference (file_id, lot_order_id)
			select distinct f.id, o.id from ordered o, jsonb_array_elements(o.pictures) p join file f on f.id = (p->>'file')::bigint`, args)
	}
	if err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "files", ID: lot})
}
