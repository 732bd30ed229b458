package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/door"
)

// Found is an answer of the search.
type Found struct {
	Kind    string `json:"kind" enum:"product,variant,category,shelf,file"`
	ID      int64  `json:"id" doc:"Of the product, the category, or the file (on the shelf, or in a lot)"`
	Variant int64  `json:"variant,omitempty"`
	Code    string `json:"code"`
	Title   string `json:"title"`
	Sum     string `json:"sum" doc:"SHA-256 of its picture, empty when it has none"`
	Lot     int64  `json:"lot,omitempty"`
}

const (
	mostWords = 6   // of a search, that count
	looked    = 300 // rows that have one word, of which the best are shown
	near      = 60  // products that have several, themselves or among their variants
	indexed   = 3   // characters of a word that an index finds anywhere
)

// Search finds products, variants, pictures on the shelf and files by a part of their code, SKU, GTIN,
// title or path; what begins with the text comes first. Of several words each
// has to stand somewhere: for a variant in its SKU, GTIN or option values, or in
// its product's code or title. Words that thousands have are as fast as others:
// no more are looked at than are needed to show some.
func (s *Store) Search(ctx context.Context, text string, limit int, files bool) ([]Found, error) {
	words := strings.Fields(strings.ToLower(text))
	words = words[:min(len(words), mostWords)]
	args := pgx.NamedArgs{
		"like":   Like(text),
		"text":   strings.ToLower(text),
		"start":  strings.TrimPrefix(Like(text), "%"),
		"limit":  limit,
		"looked": looked,
		"near":   near,
		"files":  files,
	}
	byWords := `select null::bigint as id where false`
	ofVariant := `select id from variant where ` + hasWords(`words`, words, args) + ` limit @looked`
	onShelf := "@files"
	for i, word := range words {
		name := fmt.Sprintf("shelf%d", i)
		onShelf += " and search like @" + name
		args[name] = Like(word)
	}
	ofProduct := `select id from product where ` + hasWords(`words`, words, args) + ` limit @looked`
	if len(words) > 1 {
		byWords = `select id, words as text from product where ` + hasWords(
			"search",
			words,
			args,
		) + ` limit @near`
		ofVariant = `select v.id from near join variant v on v.product_id = near.id where (` + hasWords(
			"near.text",
			words,
			args,
		) + ") or (" + hasWords("(near.text || ' ' || variant_text(v))", words, args) + `)`
		ofProduct = `select id from near where ` + hasWords("text", words, args)
	}
	return list[Found](ctx, s.pool, `
		with near as materialized (`+byWords+`)
		(select 'variant' as kind, v.product_id as id, v.id as variant, v.sku as code,
			concat_ws(', ', nullif(p.title, ''), (select string_agg(o->>'value', ', ') from jsonb_array_elements(v.options) o)) as title,
			coalesce((select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id
				where pl.product_id = p.id order by pl.variant_id is distinct from v.id, pl.place limit 1), '') as sum, 0::bigint as lot
		from (select id from (
				(select id from variant where lower(sku) like @start order by lower(sku) limit @limit)
				union (`+ofVariant+`)) found join variant using (id)
			order by lower(sku) not like @start, length(sku), sku limit @limit) best
		join variant v using (id) join product p on p.id = v.product_id
		order by lower(v.sku) not like @start, length(v.sku), v.sku)
		union all
		(select 'product', p.id, 0, p.code, p.title,
			coalesce((select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id
				where pl.product_id = p.id order by pl.variant_id is not null, pl.place limit 1), ''), 0
		from (select id from (
				(select id from product where lower(code) like @start order by lower(code) limit @limit)
				union (`+ofProduct+`)) found join product using (id)
			order by lower(code) not like @start, length(code), code limit @limit) best
		join product p using (id)
		order by lower(p.code) not like @start, length(p.code), p.code)
		union all
		(select 'category', c.id, 0, c.path, c.ref, coalesce(`+categoryLead+`, ''), 0
		from category c where lower(c.path) like @like or lower(c.ref) like @like
		order by lower(c.ref) <> @text, lower(c.name) not like @start, c.path limit @limit)
		union all
		(select 'shelf', f.id, 0, f.path, concat_ws(': ', nullif(s.folder, ''), nullif(array_to_string(s.words, ', '), '')),
			encode(f.sha256, 'hex'), f.lot_id
		from (select * from shelved where `+onShelf+` order by at desc limit @limit) s join file f on f.id = s.file_id)
		union all
		(select 'file', f.id, 0, f.path, l.name, coalesce(encode(f.sha256, 'hex'), ''), f.lot_id
		from (select f.* from file f join lot l on l.id = f.lot_id where @files and lower(f.path) like @like and l.state <> 'given up'
			limit 1000) f join lot l on l.id = f.lot_id order by f.id limit @limit)`, args)
}

// searchText is what a product is found by, in any letter case: what keepSearch writes.
func searchText(is catalog.Snapshot) string {
	parts := []string{is.Code, is.Title}
	for _, v := range is.Variants {
		parts = append(parts, v.SKU)
		if v.GTIN != "" {
			parts = append(parts, v.GTIN)
		}
		for _, o := range v.Options {
			parts = append(parts, o.Value)
		}
	}
	return strings.Join(parts, " ")
}

// keepSearch writes down anew what the products are found by that were changed in
// a version of the catalog, but for those that have it already.
func keepSearch(ctx context.Context, tx *door.Tx, version int64, but []int64) error {
	_, err := tx.Exec(ctx, `update product p set search = s.text
		from (select o.id, lower(concat_ws(' ', o.code, o.title, (select string_agg(variant_text(v), ' ' order by v.position, v.id)
		from variant v where v.product_id = o.id))) as text
			from product o where o.keys_version = $1 and o.id <> all($2)) s
		where p.id = s.id and p.search <> s.text`, version, orEmpty(but))
	return err
}

// hasWords is the condition that each word stands in a text. Words too short for
// the index are looked for anywhere only beside one that is not; alone they are
// found where a part of the text begins.
func hasWords(column string, words []string, args pgx.NamedArgs) string {
	long := slices.ContainsFunc(words, func(w string) bool { return utf8.RuneCountInString(w) >= indexed })
	conditions := make([]string, 0, len(words))
	for i, word := range words {
		name := fmt.Sprintf("word%d", i)
		if long || i > 0 {
			args[name] = Like(word)
			conditions = append(conditions, column+" like @"+name)
			continue
		}
		patterns := []string{strings.TrimPrefix(Like(word), "%")}
		for _, before := range []string{" ", "-", "/", "."} {
			patterns = append(patterns, Like(before+word))
		}
		args[name] = patterns
		conditions = append(conditions, column+" like any(@"+name+"::text[])")
	}
	if len(conditions) == 0 {
		return "false"
	}
	return strings.Join(conditions, " and ")
}

// ByBarcode returns the variants that have a GTIN of 14 digits.
func (s *Store) ByBarcode(ctx context.Context, gtin string) ([]Found, error) {
	return list[Found](ctx, s.pool, `select 'variant' as kind, v.product_id as id, v.id as variant, v.sku as code,
			concat_ws(', ', nullif(p.title, ''), (select string_agg(o->>'value', ', ') from jsonb_array_elements(v.options) o)) as title,
			coalesce((select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id
				where pl.product_id = p.id order by pl.variant_id is distinct from v.id, pl.place limit 1), '') as sum, 0::bigint as lot
		from variant v join product p on p.id = v.product_id where v.gtin = $1 order by v.sku limit 20`, gtin)
}
