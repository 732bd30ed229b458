package store

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/dispatch"
	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
)

// ToDispatch returns the pictures of the products that an outlet's settings choose, product by
// product, its own first, then those of its variants; and then those of categories, where they go.
func (s *Store) ToDispatch(ctx context.Context, settings dispatch.Settings) ([]dispatch.Item, error) {
	items, err := s.productsToDispatch(ctx, settings)
	if err != nil {
		return nil, err
	}
	if settings.Shared {
		variants, err := s.variantsOf(ctx, items)
		if err != nil {
			return nil, err
		}
		items = dispatch.WithShared(items, variants)
	}
	if !settings.OfCats {
		return items, nil
	}
	more, err := s.categoriesToDispatch(ctx, settings)
	return append(items, more...), err
}

// ofFile are the columns of a file f and its bytes b, as scanItems reads them behind others.
const ofFile = `f.id, f.path, encode(f.sha256, 'hex'), f.bytes, coalesce(b.type, ''), coalesce(b.damage, ''), f.rights,
	f.licence, f.credit, f.expires::timestamptz, coalesce(b.width, 0), coalesce(b.height, 0), coalesce(b.frames, 1),
	coalesce(b.stated, '{}')`

func scanItems(rows pgx.Rows) (items []dispatch.Item, err error) {
	var i dispatch.Item
	var kind picturespec.Type
	_, err = pgx.ForEachRow(rows, []any{&i.Product, &i.Variant, &i.Of, &i.Code, &i.Picture.ID, &i.Category, &i.SKU, &i.Title, &i.Options,
		&i.GTIN, &i.View, &i.Place, &i.Alt, &i.File, &i.Picture.Name, &i.Sum, &i.Bytes, &kind, &i.Damage, &i.State, &i.Licence, &i.Credit,
		&i.Expires, &i.Width, &i.Height, &i.Frames, &i.Stated},
		func() error {
			i.Ending = kind.Ending()
			if n := len(items); n > 0 {
				shareTexts(&i, &items[n-1])
			}
			items = append(items, i)
			i.Options, i.Expires, i.Stated = nil, nil, rights.Stated{}
			return nil
		})
	return items, err
}

// shareTexts has an item keep no texts of its own that the one before it has: those of one product
// stand beside each other.
func shareTexts(i, before *dispatch.Item) {
	for _, text := range [][2]*string{{&i.Code, &before.Code}, {&i.Picture.ID, &before.Picture.ID}, {&i.Category, &before.Category},
		{&i.SKU, &before.SKU}, {&i.Title, &before.Title}, {&i.GTIN, &before.GTIN}, {&i.View, &before.View}, {&i.Licence, &before.Licence},
		{&i.Credit, &before.Credit}} {
		if *text[0] == *text[1] {
			*text[0] = *text[1]
		}
	}
}

func (s *Store) productsToDispatch(ctx context.Context, settings dispatch.Settings) ([]dispatch.Item, error) {
	where, args := ProductFilter{Query: settings.Query, Category: settings.Category}.where()
	if len(settings.SKUs) > 0 {
		where += ` and (lower(p.code) = any(@skus) or exists (select from variant v where v.product_id = p.id and lower(v.sku) = any(@skus)))`
		args["skus"] = lowered(settings.SKUs)
	}
	if settings.Lot > 0 {
		where += ` and p.id in (select x.product_id from placement x join file y on y.id = x.file_id where y.lot_id = @lot)`
		args["lot"] = settings.Lot
	}
	args["language"] = settings.Language
	rows, err := s.pool.Query(ctx, `
		select p.id, coalesce(pl.variant_id, 0), 0, p.code, coalesce(nullif(p.ref, ''), p.id::text),
			coalesce(nullif(c.ref, ''), c.id::text, ''),
			coalesce(v.sku, case when w.alone then w.sku end, p.code), coalesce(nullif(v.title, ''), p.title), coalesce(v.options, '[]'),
			coalesce(v.gtin, case when w.alone then w.gtin end, ''),
			pl.view, pl.place, case when @language = '' then pl.alt else coalesce(t.text, '') end, `+ofFile+`
		`+standingPictures+` left join blob b on b.sha256 = f.sha256 where `+where+standingOrder, args)
	if err != nil {
		return nil, err
	}
	return scanItems(rows)
}

// categoriesToDispatch are the pictures of the categories that settings choose: none where they
// choose products one by one.
func (s *Store) categoriesToDispatch(ctx context.Context, settings dispatch.Settings) ([]dispatch.Item, error) {
	if settings.Query != "" || len(settings.SKUs) > 0 {
		return nil, nil
	}
	rows, err := s.pool.Query(ctx, `
		select 0, 0, c.id, c.path, coalesce(nullif(c.ref, ''), c.id::text), coalesce(nullif(c.ref, ''), c.id::text), '', c.name, '[]'::jsonb, '',
			pl.view, pl.place, case when $1::text = '' then pl.alt else '' end, `+ofFile+`
		from category c join placement pl on pl.category_id = c.id join file f on f.id = pl.file_id left join blob b on b.sha256 = f.sha256
		where ($2::text = '' or `+inOrBelow("c.id", "$2")+`)
			and ($3::bigint = 0 or c.id in (select x.category_id from placement x join file y on y.id = x.file_id where y.lot_id = $3))
		order by c.path, c.id, pl.place`, settings.Language, settings.Category, settings.Lot)
	if err != nil {
		return nil, err
	}
	return scanItems(rows)
}

// variantsOf returns the variants of the products of items that are not retired, in their order.
func (s *Store) variantsOf(ctx context.Context, items []dispatch.Item) (map[int64][]dispatch.Variant, error) {
	var products []int64
	for i, item := range items {
		if i == 0 || items[i-1].Product != item.Product {
			products = append(products, item.Product)
		}
	}
	rows, err := s.pool.Query(ctx, `select v.product_id, v.id, v.sku, coalesce(nullif(v.title, ''), p.title), v.options, coalesce(v.gtin, '')
		from variant v join product p on p.id = v.product_id where v.product_id = any($1) and not v.retired
		order by v.product_id, v.position, v.id`, products)
	if err != nil {
		return nil, err
	}
	found := map[int64][]dispatch.Variant{}
	var product int64
	var v dispatch.Variant
	_, err = pgx.ForEachRow(rows, []any{&product, &v.ID, &v.SKU, &v.Title, &v.Options, &v.GTIN}, func() error {
		found[product] = append(found[product], v)
		v.Options = nil
		return nil
	})
	return found, err
}

func lowered(texts []string) []string {
	low := make([]string, 0, len(texts))
	for _, t := range texts {
		low = append(low, strings.ToLower(strings.TrimSpace(t)))
	}
	return low
}

// HandedStamp tells whether what is handed on is as it was: it is the same number as long as nobody
// wrote a product, a variant, a category, a placement, a file, its bytes or a text. quiet says that
// nobody is writing anything now: only what is read behind such an answer is all that the number
// stands for, as what is written under a number can be seen after it.
func (s *Store) HandedStamp(ctx context.Context) (stamp int64, quiet bool, err error) {
	err = s.pool.QueryRow(ctx, `select last_value, not exists (select from pg_stat_activity
		where backend_xid is not null and datname = current_database()) from handed_stamp`).Scan(&stamp, &quiet)
	return stamp, quiet, err
}
