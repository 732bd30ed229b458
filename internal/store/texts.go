package store

import (
	"context"
	"encoding/hex"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/naming"
	"ambrosa/internal/door"
)

// PictureText is a picture that stands, with its alternative text in a language.
type PictureText struct {
	naming.Picture
	Placement int64
	Product   int64
	Variant   int64 // 0 for the product as a whole
	Sum       string
	Text      string
	By        string // draft, person; empty where there is none
}

// standingPictures are the pictures of products p: placements pl, files f, and of each its variant v
// (w, the product's first, for one of the product as a whole), category c and text t in @language.
const standingPictures = `from product p join placement pl on pl.product_id = p.id join file f on f.id = pl.file_id
	left join category c on c.id = p.category_id left join variant v on v.id = pl.variant_id
	left join alt_text t on t.product_id = p.id and t.variant_id = coalesce(pl.variant_id, 0) and t.sha256 = f.sha256
		and t.language = @language
	left join lateral (select sku, gtin, count(*) over () = 1 as alone from variant where product_id = p.id and pl.variant_id is null
		order by position, id limit 1) w on true`

// standingOrder is product by product, its own pictures first, then those of its variants.
const standingOrder = ` order by p.code, p.id, v.position nulls first, v.id nulls first, pl.place`

// PictureTexts returns the pictures of the products that a filter chooses with their texts in a
// language ("" for the one that stands with them), product by product.
func (s *Store) PictureTexts(ctx context.Context, f ProductFilter, language string) ([]PictureText, error) {
	where, args := f.where()
	args["language"] = language
	rows, err := s.pool.Query(ctx, `
		select p.id, coalesce(pl.variant_id, 0), pl.id, p.code, coalesce(nullif(p.ref, ''), p.id::text),
			coalesce(nullif(c.ref, ''), c.id::text, ''),
			coalesce(v.sku, w.sku, p.code), coalesce(nullif(v.title, ''), p.title), coalesce(v.options, '[]'), coalesce(v.gtin, w.gtin, ''),
			pl.view, pl.place, f.path, encode(f.sha256, 'hex'), case when @language = '' then pl.alt else coalesce(t.text, '') end,
			case when @language = '' then pl.alt_by else coalesce(t.by, '') end
		`+standingPictures+` where `+where+standingOrder, args)
	if err != nil {
		return nil, err
	}
	var all []PictureText
	var t PictureText
	_, err = pgx.ForEachRow(rows, []any{&t.Product, &t.Variant, &t.Placement, &t.Code, &t.ID, &t.Category, &t.SKU, &t.Title, &t.Options,
		&t.GTIN, &t.View, &t.Place, &t.Name, &t.Sum, &t.Text, &t.By}, func() error {
		all = append(all, t)
		t.Options = nil
		return nil
	})
	return all, err
}

// TextTemplate is what texts of a view are drafted from.
type TextTemplate struct {
	View     string `json:"view" maxLength:"40" doc:"Empty for all that have none of their own"`
	Template string `json:"template" maxLength:"1000"`
}

// TextTemplates returns those of a language, that of no view first.
func (s *Store) TextTemplates(ctx context.Context, language string) ([]TextTemplate, error) {
	return list[TextTemplate](ctx, s.pool, `select view, template from text_template where language = $1 order by view`, language)
}

// NewText is a text that a picture is to have.
type NewText struct {
	PictureText        // as it was seen
	To          string // what it is to say
	By          string // draft or person
}

// KeepTemplates remembers what texts of a language are drafted from, in the stead of what was.
func KeepTemplates(ctx context.Context, tx *door.Tx, language string, templates []TextTemplate) error {
	if _, err := tx.Exec(ctx, `delete from text_template where language = $1`, language); err != nil {
		return err
	}
	for _, t := range templates {
		if _, err := tx.Exec(ctx, `insert into text_template (language, view, template) values ($1, $2, $3)`,
			language, t.View, t.Template); err != nil {
			return err
		}
	}
	return nil
}

// KeepTexts keeps texts in a language, those that are still as they were seen, and records what was
// before. It returns how many it kept.
func KeepTexts(
	ctx context.Context, tx *door.Tx, language string, texts []NewText,
) (keeping, kept int64, err error) {
	if err = toldTexts(ctx, tx, texts); err != nil {
		return 0, 0, err
	}
	if keeping, err = number(ctx, tx, `insert into text_keeping (language, actor_id, texts) values ($1, $2, 0) returning id`, language,
		tx.Who().ID); err != nil {
		return 0, 0, err
	}
	write := keepOther
	if language == "" {
		write = keepStanding
	}
	if _, err = tx.Exec(ctx, write, pgx.NamedArgs{"keeping": keeping, "language": language}); err != nil {
		return 0, 0, err
	}
	kept, err = number(ctx, tx, `update text_keeping set texts = (select count(*) from text_kept where keeping_id = $1) where id = $1
		returning texts`, keeping)
	return keeping, kept, err
}

// toldTexts puts texts into a table of the transaction.
func toldTexts(ctx context.Context, tx *door.Tx, texts []NewText) error {
	if _, err := tx.Exec(ctx, `create temporary table told_text (placement bigint, product bigint, variant bigint, sum bytea, seen text,
		seen_by text, text text, by text) on commit drop`); err != nil {
		return err
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"told_text"},
		[]string{"placement", "product", "variant", "sum", "seen", "seen_by", "text", "by"},
		pgx.CopyFromSlice(len(texts), func(i int) ([]any, error) {
			t := texts[i]
			sum, err := hex.DecodeString(t.Sum)
			return []any{t.Placement, t.Product, t.Variant, sum, t.Text, t.PictureText.By, t.To, t.By}, err
		}))
	return err
}

// keepStanding writes texts that stand with placements, as far as they are as they were seen, and
// counts their products' versions up: what was planned before is made again.
const keepStanding = `with locked as (
		select pl.id, t.* from told_text t join placement pl on pl.id = t.placement
		where pl.alt = t.seen and pl.alt_by = t.seen_by order by pl.id for update of pl),
	written as (update placement pl set alt = l.text, alt_by = l.by from locked l where pl.id = l.placement),
	counted as (update product set version = version + 1, updated_at = now() where id in (select product from locked))
	insert into text_kept (keeping_id, product_id, variant_id, sha256, was, was_by, is_now)
	select distinct on (product, variant, sum) @keeping, product, variant, sum, seen, seen_by, text from locked where @language = ''`

// keepOther writes texts in another language.
const keepOther = `with seen as (
		select t.* from told_text t left join alt_text a on a.product_id = t.product and a.variant_id = t.variant and a.sha256 = t.sum
			and a.language = @language
		where coalesce(a.text, '') = t.seen and coalesce(a.by, '') = t.seen_by),
	one as (select distinct on (product, variant, sum) * from seen order by product, variant, sum),
	written as (insert into alt_text (product_id, variant_id, sha256, language, text, by)
		select product, variant, sum, @language, text, by from one
		on conflict (product_id, variant_id, sha256, language) do update set text = excluded.text, by = excluded.by)
	insert into text_kept (keeping_id, product_id, variant_id, sha256, was, was_by, is_now)
	select @keeping, product, variant, sum, case when seen_by <> '' then seen end, seen_by, text from one`

// TextKeeping is texts that were kept together.
type TextKeeping struct {
	ID       int64      `json:"id"`
	Language string     `json:"language"`
	Actor    string     `json:"actor"`
	At       time.Time  `json:"at"`
	Texts    int        `json:"texts"`
	UndoneAt *time.Time `json:"undoneAt" doc:"When they were taken back; left out while they stand"`
}

// TextKeepings returns the last in a language.
func (s *Store) TextKeepings(ctx context.Context, language string, limit int) ([]TextKeeping, error) {
	return list[TextKeeping](ctx, s.pool, `select id, language, actor_name(actor_id) as actor, at, texts, undone_at from
		text_keeping where language = $1 and texts > 0
		order by id desc limit $2`, language, limit)
}

// UndoTexts takes texts back that were kept together, as far as they still say what they said
// then. ErrChanged means that they were taken back already, ErrNotFound that there are none.
func UndoTexts(ctx context.Context, tx *door.Tx, id int64) error {
	found, err := one[TextKeeping](ctx, tx, `select id, language, actor_name(actor_id) as actor, at, texts, undone_at
		from text_keeping where id = $1 for update`, id)
	if err != nil {
		return err
	}
	if found.UndoneAt != nil {
		return ErrChanged
	}
	if found.Language == "" {
		_, err = tx.Exec(ctx, `with back as (
				update placement pl set alt = coalesce(k.was, ''), alt_by = coalesce(nullif(k.was_by, ''), 'draft') from text_kept k, file f
				where k.keeping_id = $1 and pl.product_id = k.product_id and coalesce(pl.variant_id, 0) = k.variant_id
					and f.id = pl.file_id and f.sha256 = k.sha256 and pl.alt = k.is_now returning pl.product_id)
			update product set version = version + 1, updated_at = now() where id in (select product_id from back)`, id)
	} else {
		_, err = tx.Exec(ctx, `with gone as (
				delete from alt_text a using text_kept k where k.keeping_id = $1 and k.was is null and a.product_id = k.product_id
					and a.variant_id = k.variant_id and a.sha256 = k.sha256 and a.language = $2 and a.text = k.is_now)
			update alt_text a set text = k.was, by = k.was_by from text_kept k where k.keeping_id = $1 and k.was is not null
				and a.product_id = k.product_id and a.variant_id = k.variant_id and a.sha256 = k.sha256 and a.language = $2
				and a.text = k.is_now`, id, found.Language)
	}
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `update text_keeping set undone_at = now() where id = $1`, id)
	return err
}
