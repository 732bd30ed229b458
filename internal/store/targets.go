package store

import (
	"context"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/door"
)

// targetOf is the SQL of a row's target as JSON, null for none: of a table with
// product_id, variant_id and category_id.
func targetOf(table string) string {
	return fmt.Sprintf(`case when %[1]s.variant_id is not null then jsonb_build_object('kind', 'variant', 'id', %[1]s.variant_id)
		when %[1]s.product_id is not null then jsonb_build_object('kind', 'product', 'id', %[1]s.product_id)
		when %[1]s.category_id is not null then jsonb_build_object('kind', 'category', 'id', %[1]s.category_id) end`, table)
}

// ownerOf is the SQL of the product or category of a row as JSON: of a table with
// product_id and category_id.
func ownerOf(table string) string {
	return fmt.Sprintf(`case when %[1]s.product_id is not null then jsonb_build_object('kind', 'product', 'id', %[1]s.product_id)
		else jsonb_build_object('kind', 'category', 'id', %[1]s.category_id) end`, table)
}

// targetColumns is a target as rows hold it; each is 0 for none.
type targetColumns struct{ Product, Variant, Category int64 }

func (c targetColumns) target() catalog.Target {
	if c.Category != 0 {
		return catalog.Category(c.Category)
	}
	return catalog.TargetOf(c.Product, c.Variant)
}

// owner is what changes together with the target: its product, or the category.
func (c targetColumns) owner() catalog.Target {
	if c.Category != 0 {
		return catalog.Category(c.Category)
	}
	return catalog.Product(c.Product)
}

// ownerColumns are a product or category as rows hold it; nil for none.
func ownerColumns(owner catalog.Target) (product, category *int64) {
	if owner.Kind == catalog.KindCategory {
		return nil, &owner.ID
	}
	return &owner.ID, nil
}

// split returns the products and the categories of owners.
func split(owners []catalog.Target) (products, categories []int64) {
	for _, o := range owners {
		if o.Kind == catalog.KindCategory {
			categories = append(categories, o.ID)
		} else {
			products = append(products, o.ID)
		}
	}
	return products, categories
}

// OwnerOf returns what changes together with a target: the product of a variant,
// else the target itself. ErrNotFound means that there is no such target.
func OwnerOf(ctx context.Context, db DB, t catalog.Target) (catalog.Target, error) {
	columns, err := columnsOf(ctx, db, t)
	return columns.owner(), err
}

// columnsOf looks a target up and returns what its rows hold; ErrNotFound means
// that there is none.
func columnsOf(ctx context.Context, db DB, t catalog.Target) (c targetColumns, err error) {
	switch t.Kind {
	case catalog.KindProduct:
		c.Product, err = number(ctx, db, `select id from product where id = $1`, t.ID)
	case catalog.KindVariant:
		c.Variant = t.ID
		c.Product, err = number(ctx, db, `select product_id from variant where id = $1`, t.ID)
	case catalog.KindCategory:
		c.Category, err = number(ctx, db, `select id from category where id = $1`, t.ID)
	default:
		return c, ErrNotFound
	}
	return c, err
}

// LockOwner locks a product or category whose pictures are to be changed and
// returns its version.
func LockOwner(ctx context.Context, tx *door.Tx, owner catalog.Target) (version int64, err error) {
	if owner.Kind == catalog.KindCategory {
		return number(ctx, tx, `select version from category where id = $1 for update`, owner.ID)
	}
	return number(ctx, tx, `select version from product where id = $1 for update`, owner.ID)
}

// LockProductsOf locks the products that have some placements, by ID, and returns them with their versions.
func LockProductsOf(ctx context.Context, tx *door.Tx, placements []int64) (owners []catalog.Target, versions []int64, err error) {
	rows, err := tx.Query(ctx, `select id, version from product where id in (select product_id from placement where id = any($1))
		order by id for update`, placements)
	if err != nil {
		return nil, nil, err
	}
	var id, version int64
	_, err = pgx.ForEachRow(rows, []any{&id, &version}, func() error {
		owners, versions = append(owners, catalog.Product(id)), append(versions, version)
		return nil
	})
	return owners, versions, err
}

// LockOwnersOf locks the products and categories that have some placements, and one more, and returns their versions.
func LockOwnersOf(ctx context.Context, tx *door.Tx, placements []int64, also catalog.Target) (map[catalog.Target]int64, error) {
	of, err := owners(ctx, tx, `select distinct `+ownerOf("p")+` from placement p where id = any($1)`, placements)
	if err != nil {
		return nil, err
	}
	of = append(of, also)
	slices.SortFunc(of, catalog.Target.Compare)
	versions := map[catalog.Target]int64{}
	for _, owner := range slices.Compact(of) {
		if versions[owner], err = LockOwner(ctx, tx, owner); err != nil {
			return nil, err
		}
	}
	return versions, nil
}

// CountPlacements counts the pictures that products, with their variants, and categories have.
func CountPlacements(ctx context.Context, db DB, owners []catalog.Target) (int64, error) {
	products, categories := split(owners)
	return number(ctx, db, `select count(*) from placement where product_id = any($1) or category_id = any($2)`, products, categories)
}

// Named is how a target is called.
type Named struct {
	Target  catalog.Target   `json:"target"`
	Code    string           `json:"code" doc:"SKU of a variant, code of a product, path of a category"`
	Title   string           `json:"title"`
	Options []catalog.Option `json:"options" nullable:"false" doc:"What tells a variant from its siblings"`
}

// TargetsOf returns how a product and its variants are called, in order; of a
// category, the category alone. ErrNotFound means that there is no such owner.
func TargetsOf(ctx context.Context, db DB, owner catalog.Target) ([]Named, error) {
	query := `select jsonb_build_object('kind', 'category', 'id', id) as target, path as code, name as title, '[]'::jsonb as options
		from category where id = $1`
	if owner.Kind == catalog.KindProduct {
		query = `select target, code, title, options from (
			select jsonb_build_object('kind', 'product', 'id', id) as target, code, title, '[]'::jsonb as options, -1 as at, 0 as id
			from product where id = $1
			union all
			select jsonb_build_object('kind', 'variant', 'id', v.id), v.sku, coalesce(nullif(v.title, ''), p.title), v.options, v.position, v.id
			from variant v join product p on p.id = v.product_id where p.id = $1) named order by at, id`
	}
	named, err := list[Named](ctx, db, query, owner.ID)
	if err == nil && len(named) == 0 {
		err = ErrNotFound
	}
	return named, err
}

// Named returns how a product and its variants, or a category, are called.
func (s *Store) Named(ctx context.Context, owner catalog.Target) ([]Named, error) {
	return TargetsOf(ctx, s.pool, owner)
}
