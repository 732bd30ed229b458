package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/sheet"
)

// CatalogShape is what the columns of a catalog depend on.
type CatalogShape struct {
	Options    []string
	Attributes []string
	Codes      int // most further codes that a variant has
}

// mostNames bounds how many options, and how many attributes, go out as columns.
const mostNames = 500

// Shape returns it, names in alphabetical order.
func (s *Store) Shape(ctx context.Context) (shape CatalogShape, err error) {
	err = s.pool.QueryRow(ctx, `select
		coalesce((select array_agg(name order by name) from (select distinct o->>'name' as name from variant,
			jsonb_array_elements(options) o order by 1 limit $1) n), '{}'),
		coalesce((select array_agg(name order by name) from (select distinct o->>'name' as name from variant,
			jsonb_array_elements(attributes) o order by 1 limit $1) n), '{}'),
		coalesce((select max(cardinality(codes)) from variant), 0)`, mostNames).Scan(&shape.Options, &shape.Attributes, &shape.Codes)
	return shape, err
}

// Columns are all columns that the catalog goes out with.
func (c CatalogShape) Columns() []sheet.OutColumn {
	return sheet.OutColumns(c.Options, c.Attributes, c.Codes)
}

// VariantIDs returns the variants of the products that a filter chooses, in order.
func (s *Store) VariantIDs(ctx context.Context, f ProductFilter) ([]int64, error) {
	where, args := f.where()
	return numbers(ctx, s.pool, `select v.id from variant v join product p on p.id = v.product_id where `+where+`
		order by p.code, p.id, v.position, v.id`, args)
}

// ItemsByID returns variants as a sheet has them, in the order of their numbers here.
func (s *Store) ItemsByID(ctx context.Context, ids []int64) ([]sheet.Item, error) {
	return list[sheet.Item](ctx, s.pool, itemQuery+` where v.id = any($1) order by array_position($1, v.id)`, ids)
}

// SKUsOf returns the SKUs of all variants of products.
func (s *Store) SKUsOf(ctx context.Context, products []int64) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select sku from variant where product_id = any($1) order by product_id, position, id`, products)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
