package store

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/plan"
)

// ordersOf returns the orders that persons gave pictures of products by hand
// while they decided on lots; of two for one target, the later one.
func ordersOf(ctx context.Context, db DB, lots, products []int64) (map[int64]plan.Orders, error) {
	type row struct {
		Product, Variant int64
		Pictures         []plan.Ref
	}
	rows, err := list[row](ctx, db, `select distinct on (product_id, variant_id) product_id as product, variant_id as variant, pictures
		from lot_order where lot_id = any($1) and product_id = any($2) order by product_id, variant_id, set_at desc, lot_id desc`, lots, products)
	orders := map[int64]plan.Orders{}
	for _, r := range rows {
		if orders[r.Product] == nil {
			orders[r.Product] = plan.Orders{}
		}
		orders[r.Product][r.Variant] = r.Pictures
	}
	return orders, err
}

// SetOrder gives the pictures of a product (variant 0) or variant the order in
// which they will stand when a lot is applied; an empty one leaves it to the
// lot's names again.
func (s *Store) SetOrder(ctx context.Context, lot, product, variant int64, order []plan.Ref) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		err := deciding(ctx, tx, lot)
		if err == nil {
			err = isTarget(ctx, tx, product, variant)
		}
		if errors.Is(err, ErrNotFound) {
			return ErrChanged
		}
		if err != nil {
			return err
		}
		if len(order) == 0 {
			_, err = tx.Exec(ctx, `delete from lot_order where lot_id = $1 and product_id = $2 and variant_id = $3`, lot, product, variant)
		} else {
			_, err = tx.Exec(ctx, `insert into lot_order (lot_id, product_id, variant_id, pictures) values ($1, $2, $3, $4)
				on conflict (lot_id, product_id, variant_id) do update set pictures = excluded.pictures, set_at = now()`, lot, product, variant, order)
		}
		if err != nil {
			return err
		}
		return Notify(ctx, tx, Event{Topic: "files", ID: lot})
	})
}
