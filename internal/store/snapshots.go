package store

import (
	"context"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/door"
)

// snapshotRow is a product with its variants as one row.
type snapshotRow struct {
	ID       int64
	Code     string
	Ref      string
	Title    string
	Category string
	Variants []catalog.VariantSnapshot
}

const snapshotQuery = `select p.id, p.code, p.ref, p.title, coalesce(c.path, '') as category,
	coalesce((select jsonb_agg(jsonb_build_object('id', v.id, 'sku', v.sku, 'title', v.title, 'description', v.description,
		'gtin', coalesce(v.gtin, ''), 'codes', to_jsonb(v.codes), 'options', v.options, 'attributes', v.attributes, 'retired', v.retired,
		'position', v.position) order by v.position, v.id) from variant v where v.product_id = p.id), '[]') as variants
	from product p left join category c on c.id = p.category_id`

// Snapshots returns products as they stand, by number, and locks them.
func Snapshots(ctx context.Context, tx *door.Tx, products []int64) (map[int64]catalog.Snapshot, error) {
	return snapshots(ctx, tx, ` where p.id = any($1) order by p.id for update of p`, products)
}

// SnapshotsByCode returns those whose code is one of these, in lower case, and locks
// them.
func SnapshotsByCode(ctx context.Context, tx *door.Tx, codes []string) (map[int64]catalog.Snapshot, error) {
	return snapshots(ctx, tx, ` where lower(p.code) = any($1) order by p.id for update of p`, codes)
}

// SnapshotOf returns a product as it stands.
func (s *Store) SnapshotOf(ctx context.Context, product int64) (catalog.Snapshot, error) {
	found, err := snapshots(ctx, s.pool, ` where p.id = any($1)`, []int64{product})
	if err == nil && len(found) == 0 {
		err = ErrNotFound
	}
	return found[product], err
}

func snapshots(ctx context.Context, tx DB, where string, which any) (map[int64]catalog.Snapshot, error) {
	rows, err := list[snapshotRow](ctx, tx, snapshotQuery+where, which)
	all := make(map[int64]catalog.Snapshot, len(rows))
	for _, r := range rows {
		all[r.ID] = catalog.Snapshot{Code: r.Code, Ref: r.Ref, Title: r.Title, Category: r.Category, Variants: r.Variants}
	}
	return all, err
}

// Written is a product that is to be as Is says; Was is nil for one that is to be made.
type Written struct {
	ID  int64
	Was *catalog.Snapshot
	Is  catalog.Snapshot
}

// HoldCatalog counts the catalog's version up and keeps others from changing products
// until the transaction ends: what is changed in one version is seen with that
// version.
func HoldCatalog(ctx context.Context, tx *door.Tx) (version int64, err error) {
	return number(ctx, tx, `update catalog_version set version = version + 1 returning version`)
}

// WriteProducts makes products be as they are wanted, and gives those that are made and
// their variants their numbers, and variants their positions: Is is what stands then. It
// returns the categories that it made. version is HoldCatalog's.
func WriteProducts(ctx context.Context, tx *door.Tx, version int64, products []Written) (categories []int64, err error) {
	w := &productWriter{ctx: ctx, tx: tx, version: version}
	if err := w.categories(products); err != nil {
		return nil, fmt.Errorf("write categories: %w", err)
	}
	if err := w.products(products); err != nil {
		return nil, fmt.Errorf("write products: %w", err)
	}
	if err := w.variants(products); err != nil {
		return nil, fmt.Errorf("write variants: %w", err)
	}
	var standing, fresh []int64 // those that are made have version and search text already
	for _, p := range products {
		if p.Was != nil {
			standing = append(standing, p.ID)
		} else {
			fresh = append(fresh, p.ID)
		}
	}
	if len(standing) > 0 {
		if _, err := tx.Exec(ctx, `update product set keys_version = $1 where id = any($2)`, version, standing); err != nil {
			return nil, err
		}
	}
	return w.made, keepSearch(ctx, tx, version, fresh)
}

type productWriter struct {
	ctx     context.Context
	tx      *door.Tx
	version int64
	made    []int64 // categories
}

// categories makes those that are not there yet, with those above them, and keeps which
// these are.
func (w *productWriter) categories(products []Written) error {
	var wanted []string
	for _, p := range products {
		if p.Was == nil || p.Was.Category != p.Is.Category {
			wanted = append(wanted, p.Is.Category)
		}
	}
	made, err := makePaths(w.ctx, w.tx, wanted)
	w.made = append(w.made, made...)
	return err
}

func (w *productWriter) products(products []Written) error {
	if err := w.makeProducts(products); err != nil {
		return err
	}
	var ids []int64
	var codes, refs, titles, categories []string
	for i := range products {
		p := &products[i]
		is := p.Is
		if p.Was == nil {
			continue
		}
		if p.Was.Code != is.Code || p.Was.Ref != is.Ref || p.Was.Title != is.Title || p.Was.Category != is.Category {
			ids = append(ids, p.ID)
			codes, refs, titles, categories = append(codes, is.Code), append(refs, is.Ref), append(titles, is.Title), append(categories, is.Category)
		}
	}
	_, err := w.tx.Exec(w.ctx, `update product p set code = g.code, ref = g.ref, title = g.title,
			category_id = (select id from category where path = g.category), updated_at = now()
		from unnest($1::bigint[], $2::text[], $3::text[], $4::text[], $5::text[]) as g (id, code, ref, title, category) where p.id = g.id`,
		ids, codes, refs, titles, categories)
	return err
}

// makeProducts inserts those that are to be made, in order, and gives them their
// numbers.
func (w *productWriter) makeProducts(products []Written) error {
	var codes, refs, titles, categories, searched []string
	var made []*Written
	for i := range products {
		if p := &products[i]; p.Was == nil {
			made = append(made, p)
			codes, refs = append(codes, p.Is.Code), append(refs, p.Is.Ref)
			titles, categories = append(titles, p.Is.Title), append(categories, p.Is.Category)
			searched = append(searched, searchText(p.Is))
		}
	}
	if len(made) == 0 {
		return nil
	}
	rows, err := w.tx.Query(w.ctx, `insert into product (code, ref, title, category_id, search, keys_version)
		select g.code, g.ref, g.title, c.id, lower(g.search), $6
		from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[]) with ordinality as g (code, ref, title, category, search, at)
		left join category c on c.path = g.category order by g.at returning id, code`, codes, refs, titles, categories, searched, w.version)
	if err != nil {
		return err
	}
	numbers := map[string]int64{}
	var id int64
	var code string
	if _, err := pgx.ForEachRow(rows, []any{&id, &code}, func() error { numbers[code] = id; return nil }); err != nil {
		return err
	}
	for _, p := range made {
		p.ID = numbers[p.Is.Code]
	}
	return nil
}

// variants writes those that are new, other than before, or gone.
func (w *productWriter) variants(products []Written) error {
	var gone, moved []int64
	// GTINs and SKUs may go round among variants: first those that go, then those that stay, then new ones.
	changed, fresh := &variantColumns{}, &variantColumns{}
	for i := range products {
		p := &products[i]
		for j := range p.Is.Variants {
			p.Is.Variants[j].Position = j
			v := p.Is.Variants[j]
			was := was(p.Was, v.ID)
			switch {
			case v.ID == 0:
				fresh.add(p.ID, v)
			case was == nil:
				moved = append(moved, v.ID)
				changed.add(p.ID, v)
			case !catalog.SameVariant(*was, v):
				changed.add(p.ID, v)
			}
		}
		if p.Was != nil {
			gone = append(gone, goneFrom(p, products)...)
		}
	}
	if len(gone) > 0 {
		if _, err := w.tx.Exec(w.ctx, `delete from variant where id = any($1)`, gone); err != nil {
			return err
		}
	}
	if len(changed.ids) > 0 {
		if _, err := w.tx.Exec(w.ctx, `update variant v set product_id = g.product, sku = g.sku, title = g.title, description = g.description,
				gtin = nullif(g.gtin, ''), codes = coalesce((select array_agg(c) from jsonb_array_elements_text(g.codes) c), '{}'),
				options = g.options, attributes = g.attributes, retired = g.retired, position = g.position
			from `+variantsGiven+` where v.id = g.id`, changed.arguments()...); err != nil {
			return err
		}
	}
	if len(moved) > 0 {
		if err := w.movePictures(moved); err != nil {
			return err
		}
	}
	if len(fresh.ids) == 0 {
		return nil
	}
	return w.makeVariants(products, fresh)
}

// makeVariants inserts variants and gives them their numbers.
func (w *productWriter) makeVariants(products []Written, fresh *variantColumns) error {
	rows, err := w.tx.Query(w.ctx, `insert into variant
			(product_id, sku, title, description, gtin, codes, options, attributes, retired, position)
		select g.product, g.sku, g.title, g.description, nullif(g.gtin, ''),
			coalesce((select array_agg(c) from jsonb_array_elements_text(g.codes) c), '{}'), g.options, g.attributes, g.retired, g.position
		from `+variantsGiven+` order by g.at returning id, sku`, fresh.arguments()...)
	if err != nil {
		return err
	}
	numbers := map[string]int64{}
	var id int64
	var sku string
	if _, err := pgx.ForEachRow(rows, []any{&id, &sku}, func() error { numbers[sku] = id; return nil }); err != nil {
		return err
	}
	for i := range products {
		for j := range products[i].Is.Variants {
			if v := &products[i].Is.Variants[j]; v.ID == 0 {
				v.ID = numbers[v.SKU]
			}
		}
	}
	return nil
}

func was(s *catalog.Snapshot, id int64) *catalog.VariantSnapshot {
	if s == nil || id == 0 {
		return nil
	}
	return s.Variant(id)
}

// goneFrom returns the variants that a product had and none of the products has any
// more.
func goneFrom(p *Written, products []Written) (gone []int64) {
	for _, v := range p.Was.Variants {
		if p.Is.Variant(v.ID) != nil {
			continue
		}
		elsewhere := slices.ContainsFunc(products, func(o Written) bool { return o.Is.Variant(v.ID) != nil })
		if !elsewhere {
			gone = append(gone, v.ID)
		}
	}
	return gone
}

// movePictures has the pictures of variants stand with the products that they were
// moved to.
func (w *productWriter) movePictures(moved []int64) error {
	if _, err := w.tx.Exec(w.ctx, `update placement pl set product_id = v.product_id from variant v
		where v.id = pl.variant_id and v.id = any($1)`, moved); err != nil {
		return err
	}
	_, err := w.tx.Exec(w.ctx, `update file f set product_id = v.product_id from variant v
		where v.id = f.variant_id and v.id = any($1)`, moved)
	return err
}

// RecountPictures counts the pictures of products again, and their versions up.
func RecountPictures(ctx context.Context, tx *door.Tx, products []int64) error {
	_, err := tx.Exec(ctx, `update product p set version = version + 1, updated_at = now(),
		pictures = (select count(*) from placement where product_id = p.id) where id = any($1)`, products)
	return err
}

const variantsGiven = `unnest($1::bigint[], $2::bigint[], $3::text[], $4::text[], $5::text[], $6::text[], $7::jsonb[], $8::jsonb[],
	$9::jsonb[], $10::boolean[], $11::int[]) with ordinality
	as g (id, product, sku, title, description, gtin, codes, options, attributes, retired, position, at)`

// variantColumns are variants by columns, as one statement takes them.
type variantColumns struct {
	ids, products              []int64
	skus, titles, descriptions []string
	gtins                      []string
	codes                      [][]string
	options, attributes        [][]catalog.Option
	retired                    []bool
	positions                  []int
}

func (c *variantColumns) add(product int64, v catalog.VariantSnapshot) {
	c.ids, c.products = append(c.ids, v.ID), append(c.products, product)
	c.skus, c.titles, c.descriptions = append(c.skus, v.SKU), append(c.titles, v.Title), append(c.descriptions, v.Description)
	c.gtins, c.codes = append(c.gtins, v.GTIN), append(c.codes, orEmpty(v.Codes))
	c.options, c.attributes = append(c.options, orEmpty(v.Options)), append(c.attributes, orEmpty(v.Attributes))
	c.retired, c.positions = append(c.retired, v.Retired), append(c.positions, v.Position)
}

func (c *variantColumns) arguments() []any {
	return []any{c.ids, c.products, c.skus, c.titles, c.descriptions, c.gtins, asJSON(c.codes), asJSON(c.options), asJSON(c.attributes),
		c.retired, c.positions}
}

// VariantsInUse returns those of some variants that pictures stand on, or that files hold.
func VariantsInUse(ctx context.Context, db DB, variants []int64) ([]int64, error) {
	return numbers(ctx, db, `select id from variant v where id = any($1) and (exists (select from placement where variant_id = v.id)
		or `+heldByFile("variant_id", "v.id")+`)`, variants)
}

// DeleteProducts deletes, in HoldCatalog's version, products that nothing but their variants
// belongs to, and returns those that stay, since pictures, files or plans are about them.
func DeleteProducts(ctx context.Context, tx *door.Tx, products []int64) (stay []int64, err error) {
	stay, err = numbers(ctx, tx, `select id from product p where id = any($1) and (
		exists (select from placement where product_id = p.id) or `+heldByFile("product_id", "p.id")+`
		or exists (select from plan_change where product_id = p.id) or exists (select from lot where product_id = p.id))`, products)
	if err != nil {
		return nil, err
	}
	_, err = tx.Exec(ctx, `with gone as (delete from product where id = any($1) returning id)
		insert into product_gone (product_id, version) select gone.id, v.version from gone, catalog_version v`, Without(products, stay))
	return stay, err
}

// asJSON are values as an array of JSON takes them.
func asJSON[T any](values []T) []any {
	all := make([]any, len(values))
	for i, v := range values {
		all[i] = v
	}
	return all
}
