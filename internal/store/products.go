package store

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
)

// Product is a row of the catalog list.
type Product struct {
	ID       int64  `json:"id"`
	Code     string `json:"code"`
	Title    string `json:"title"`
	Category string `json:"category"`
	Variants int    `json:"variants" doc:"Number of variants"`
	Pictures int    `json:"pictures" doc:"Number of pictures on the product and its variants"`
	Lead     string `json:"lead" doc:"SHA-256 of the lead picture, empty when there is none"`
	Version  int64  `json:"version"`
}

// Variant is a variant of a product.
type Variant struct {
	ID       int64            `json:"id"`
	SKU      string           `json:"sku"`
	Title    string           `json:"title"`
	GTIN     string           `json:"gtin"`
	Codes    []string         `json:"codes" nullable:"false"`
	Options  []catalog.Option `json:"options" nullable:"false"`
	Pictures int              `json:"pictures"`
}

// ProductFilter chooses products for the list.
type ProductFilter struct {
	Query     string // part of a code, SKU, title or GTIN
	Category  string // path; those below it are included
	NoPicture bool
	Offset    int
	Limit     int
}

const productColumns = `
	p.id, p.code, p.title, coalesce(c.path, '') as category, p.version, p.pictures,
	(select count(*) from variant v where v.product_id = p.id)::int as variants,
	coalesce((select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id
		left join variant v on v.id = pl.variant_id
		where pl.product_id = p.id order by pl.variant_id is not null, v.position, pl.place limit 1), '') as lead`

// where returns the conditions of a filter on a product p, and their arguments.
func (f ProductFilter) where() (string, pgx.NamedArgs) {
	where, args := f.whereButText()
	if f.Query != "" {
		where += ` and p.id in (
			select id from product where words like @like
			union all select product_id from variant where words like @like)`
	}
	return where, args
}

// whereButText is where without the condition of the text. Its arguments include the text.
func (f ProductFilter) whereButText() (string, pgx.NamedArgs) {
	conditions := []string{"true"}
	args := pgx.NamedArgs{"offset": f.Offset, "limit": f.Limit, "category": f.Category, "like": Like(f.Query)}
	if f.NoPicture {
		conditions = append(conditions, "p.pictures = 0")
	}
	if f.Category != "" {
		conditions = append(conditions, inOrBelow("p.category_id", "@category"))
	}
	return strings.Join(conditions, " and "), args
}

// found is the SQL that selects the ID and code of all products of a filter; where is its other conditions.
func (f ProductFilter) found(where string) string {
	if f.Query == "" {
		return `select id, code from product p where ` + where
	}
	return `select p.id, p.code from product p where p.words like @like and ` + where + `
		union select p.id, p.code from variant v join product p on p.id = v.product_id where v.words like @like and ` + where
}

// Like makes a pattern that finds text anywhere, in lower case.
func Like(text string) string {
	return "%" + strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`).Replace(strings.ToLower(text)) + "%"
}

// Products returns a page of the catalog in order of code, and how many
// products there are in all.
func (s *Store) Products(ctx context.Context, f ProductFilter) (page []Product, total int64, err error) {
	where, args := f.whereButText()
	if f.Query == "" {
		if total, err = s.countProducts(ctx, f); err != nil {
			return nil, 0, err
		}
	}
	// Where few are chosen they are found first, and put into order then; of many, the order finds the page.
	if f.Query == "" && (f.Category == "" || total > fewProducts) {
		where = strings.Replace(where, inOrBelow("p.category_id", "@category"), leaveOrder(inOrBelow("p.category_id", "@category")), 1)
		page, err = list[Product](ctx, s.pool, `
			select `+productColumns+`
			from (select id from product p where `+where+` order by code, id offset @offset limit @limit) page
			join product p using (id) left join category c on c.id = p.category_id
			order by p.code, p.id`, args)
		return page, total, err
	}
	// What is found is looked for once, for the page and for how many there are.
	type found struct {
		Product
		Total int64
	}
	rows, err := list[found](ctx, s.pool, `
		with found as materialized (`+f.found(where)+`)
		select `+productColumns+`, (select count(*) from found) as total
		from (select id from found order by code, id offset @offset limit @limit) page
		join product p using (id) left join category c on c.id = p.category_id
		order by p.code, p.id`, args)
	for _, row := range rows {
		page, total = append(page, row.Product), row.Total
	}
	if err != nil || f.Query == "" {
		return page, total, err
	}
	if len(rows) == 0 && f.Offset > 0 { // behind the last
		total, err = number(ctx, s.pool, `select count(*) from (`+f.found(where)+`) found`, args)
	}
	return page, total, err
}

// fewProducts is up to how many products of a category are put into order after they are found.
const fewProducts = 5_000

// countProducts counts the products of a filter without a text, from the counts that are kept.
func (s *Store) countProducts(ctx context.Context, f ProductFilter) (int64, error) {
	what, where := "products", "true"
	if f.NoPicture {
		what = "bare"
	}
	if f.Category != "" {
		where = inOrBelow("category_id", "@category")
	}
	return number(ctx, s.pool, `select coalesce(sum(`+what+`), 0) from product_count where `+where, pgx.NamedArgs{"category": f.Category})
}

// Product returns one product.
func (s *Store) Product(ctx context.Context, id int64) (Product, error) {
	return one[Product](
		ctx,
		s.pool,
		`select `+productColumns+` from product p left join category c on c.id = p.category_id where p.id = $1`,
		id,
	)
}

// Variants returns a product's variants in order.
func (s *Store) Variants(ctx context.Context, product int64) ([]Variant, error) {
	return list[Variant](ctx, s.pool, `
		select v.id, v.sku, v.title, coalesce(v.gtin, '') as gtin, v.codes, v.options,
			(select count(*) from placement pl where pl.variant_id = v.id)::int as pictures
		from variant v where v.product_id = $1 order by v.position, v.id`, product)
}

func orEmpty[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// KeyRow is what pairing needs to know of a variant.
type KeyRow struct {
	Variant int64
	Product int64
	SKU     string
	Code    string
	Title   string
	GTIN    string
	Codes   []string
	Options []catalog.Option
}

// CatalogVersion counts up with every change of products and variants.
func (s *Store) CatalogVersion(ctx context.Context) (int64, error) {
	return number(ctx, s.pool, `select version from catalog_version`)
}

// Keys returns the variants of all products with their keys that were changed
// behind a version of the catalog (0 for all), in order of product and position,
// and which products these are: some may have no variant any more, or be gone.
func (s *Store) Keys(ctx context.Context, since int64) (keys []KeyRow, products []int64, err error) {
	// Both are read as they are at one moment.
	err = pgx.BeginTxFunc(ctx, s.pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select id from product where keys_version > $1
			union all select product_id from product_gone where version > $1 and $1 > 0 order by id`, since)
		if err != nil {
			return err
		}
		if products, err = pgx.CollectRows(rows, pgx.RowTo[int64]); err != nil || len(products) == 0 {
			return err
		}
		keys, err = list[KeyRow](ctx, tx, `
			select v.id as variant, p.id as product, v.sku, p.code, coalesce(nullif(v.title, ''), p.title) as title,
				coalesce(v.gtin, '') as gtin, v.codes, v.options
			from variant v join product p on p.id = v.product_id where p.keys_version > $1 order by p.id, v.position, v.id`, since)
		return err
	})
	return keys, products, err
}

// LeadsOf returns what variants show first, their own or their product's, as SHA-256 by variant;
// those that show nothing are left out.
func (s *Store) LeadsOf(ctx context.Context, variants []int64) (map[int64]string, error) {
	rows, err := s.pool.Query(ctx, `select v.id, encode(l.sha256, 'hex') from variant v cross join lateral (
			select f.sha256 from placement pl join file f on f.id = pl.file_id
			where pl.product_id = v.product_id and (pl.variant_id = v.id or pl.variant_id is null)
			order by pl.variant_id is null, pl.place limit 1) l where v.id = any($1)`, variants)
	if err != nil {
		return nil, err
	}
	leads := make(map[int64]string, len(variants))
	var variant int64
	var sum string
	_, err = pgx.ForEachRow(rows, []any{&variant, &sum}, func() error {
		leads[variant] = sum
		return nil
	})
	return leads, err
}
