package store

import (
	"context"
)

// GoneVariant is a variant of the catalog that a sheet does not name.
type GoneVariant struct {
	Variant int64  `json:"variant"`
	Product int64  `json:"product"`
	SKU     string `json:"sku"`
	Title   string `json:"title"`
	Lead    string `json:"lead" doc:"SHA-256 of its product's lead picture, empty for none"`
}

// gone is the SQL of variants that stand and that the sheet $1 names nowhere: of those that
// the sheets $2 named, or, where that is null, of all.
const gone = ` from variant v join product p on p.id = v.product_id
	where not v.retired
		and not exists (select from sheet_verdict n where n.sheet_id = $1 and n.round = (select round from sheet where id = $1)
			and n.variant_id = v.id)
		and not exists (select from sheet_verdict n where n.sheet_id = $1 and n.round = (select round from sheet where id = $1)
			and n.variant_id = 0 and n.product_id = p.id)
		and ($2::bigint[] is null
			or v.id in (select b.variant_id from sheet_verdict b join sheet s on s.id = b.sheet_id and s.round = b.round
				where s.id = any($2))
			or p.id in (select b.product_id from sheet_verdict b join sheet s on s.id = b.sheet_id and s.round = b.round
				where s.id = any($2) and b.variant_id = 0 and b.product_id <> 0))`

// Gone is what of the catalog a sheet does not name.
type Gone struct {
	Items   []GoneVariant `json:"items" nullable:"false"`
	Total   int64         `json:"total"`
	Unknown int64         `json:"unknown" doc:"Refused rows of which it is not known what they are about: until then none is listed"`
}

// UnknownRows counts the refused rows of a sheet that may be about anything.
func (s *Store) UnknownRows(ctx context.Context, sheet int64) (int64, error) {
	return number(ctx, s.pool, `select count(*) from sheet_verdict
		where `+shownRound+` and verdict = 'refused' and product_id = 0`, sheet)
}

// GoneVariants returns variants that stand and that a sheet does not name, by SKU: of those
// that earlier sheets named, or of all where earlier is nil. Total counts all of them.
func (s *Store) GoneVariants(ctx context.Context, sheet int64, earlier []int64, limit int) (g Gone, err error) {
	g.Items, err = list[GoneVariant](ctx, s.pool, `select v.id as variant, p.id as product, v.sku,
			coalesce(nullif(v.title, ''), p.title) as title,
			coalesce((select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id where pl.product_id = p.id
				order by pl.variant_id is not null, pl.place limit 1), '') as lead`+gone+` order by v.sku limit $3`,
		sheet, earlier, limit)
	if err != nil {
		return g, err
	}
	g.Total, err = number(ctx, s.pool, `select count(*)`+gone, sheet, earlier)
	return g, err
}
