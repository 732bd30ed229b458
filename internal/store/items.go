package store

import (
	"context"
	"maps"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/sheet"
)

const itemQuery = `select p.id as product, v.id as variant, v.sku, p.code, p.ref as product_id,
	coalesce(nullif(v.title, ''), p.title) as title, p.title as of_product, v.description, coalesce(v.gtin, '') as gtin,
	coalesce(c.path, '') as category, coalesce(c.ref, '') as category_id, v.codes, v.options, v.attributes, v.retired
	from variant v join product p on p.id = v.product_id left join category c on c.id = p.category_id`

// Items returns what rows of a sheet ask of the catalog, as it is now. Files are looked for
// among those that came with the sheet first; of is 0 for none.
func Items(ctx context.Context, db DB, of int64, asked *sheet.Asked) (*sheet.Items, error) {
	keys := func(f sheet.Field) []string { return spelt(asked.Keys[f]) }
	loose := func(f sheet.Field) []string { return slices.Collect(maps.Keys(asked.Loose[f])) }
	items, err := list[sheet.Item](ctx, db, itemQuery+` where v.id in (
			select id from variant where lower(sku) = any(@skus)
			union all select id from variant where loose = any(@loose)
			union all select id from variant where gtin = any(@gtins)
			union all select v.id from variant v join product p on p.id = v.product_id where lower(p.code) = any(@codes)
			union all select v.id from variant v join product p on p.id = v.product_id where p.loose = any(@looseCodes)
			union all select v.id from variant v join product p on p.id = v.product_id where p.ref <> '' and lower(p.ref) = any(@refs)
			union all select id from variant where codes <> '{}' and codes && @further
			union all select v.id from variant v join product p on p.id = v.product_id
				where cardinality(@titles::text[]) > 0 and lower(coalesce(nullif(v.title, ''), p.title)) = any(@titles))`,
		pgx.NamedArgs{"skus": keys(sheet.SKU), "loose": loose(sheet.SKU), "gtins": keys(sheet.GTIN), "codes": keys(sheet.Product),
			"looseCodes": loose(sheet.Product), "refs": keys(sheet.ProductID), "further": further(asked.Keys[sheet.Code]),
			"titles": keys(sheet.Title)})
	if err != nil {
		return nil, err
	}
	known := sheet.NewItems(items)
	categories, err := list[sheet.CategoryItem](ctx, db, branchQuery+` where lower(path) = any($1) or ref <> '' and lower(ref) = any($2)
		or lower(name) = any($3)`, keys(sheet.Category), keys(sheet.CategoryID), spelt(asked.Names))
	if err != nil {
		return nil, err
	}
	for _, c := range categories {
		known.AddCategory(c)
	}
	if err := addFiles(ctx, db, of, known, slices.Collect(maps.Keys(asked.Files))); err != nil {
		return nil, err
	}
	fetched, err := FilesAt(ctx, db, slices.Collect(maps.Keys(asked.Addresses)))
	for _, f := range fetched {
		known.AddFetched(f.Address, sheet.LibraryFile{Path: f.Path, Sum: f.Sum, Lot: f.LotName, Problem: f.Problem})
	}
	return known, err
}

// addFiles makes the files of the library known that stems name.
func addFiles(ctx context.Context, db DB, of int64, known *sheet.Items, stems []string) error {
	found, err := FilesNamed(ctx, db, stems, of)
	known.AddFiles()
	for _, f := range found {
		known.AddFiles(sheet.LibraryFile{Path: f.Path, Sum: f.Sum, Lot: f.LotName})
	}
	return err
}

func setOf(list []string) map[string]bool {
	set := make(map[string]bool, len(list))
	for _, text := range list {
		set[text] = true
	}
	return set
}

// spelt are keys as the database folds them: it may leave letters that are not plain
// in their case.
func spelt(keys map[string]bool) []string {
	all := make([]string, 0, len(keys))
	for key := range keys {
		all = append(all, key)
		if upper := strings.ToUpper(key); !plain(key) {
			all = append(all, lowerPlain(upper))
		}
	}
	return all
}

// further are keys of codes in the cases that they may be kept in: codes are kept as
// they are spelt.
func further(keys map[string]bool) []string {
	all := make([]string, 0, 2*len(keys))
	for key := range keys {
		all = append(all, key, strings.ToUpper(key))
	}
	return all
}

func plain(text string) bool {
	for i := range len(text) {
		if text[i] >= 0x80 {
			return false
		}
	}
	return true
}

func lowerPlain(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'A' && r <= 'Z' {
			return r + 'a' - 'A'
		}
		return r
	}, text)
}

// CatalogHits counts how many values of a column the catalog has, field by field.
func (s *Store) CatalogHits(ctx context.Context, values []string) (sheet.Hits, error) {
	asked := sheet.NewAsked()
	asked.Anything(values)
	known, err := Items(ctx, s.pool, 0, asked)
	if err != nil {
		return nil, err
	}
	return known.Hits(values), nil
}
