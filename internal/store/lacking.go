package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
	"ambrosa/core/upkeep"
)

// StandingFile is a picture that products or categories show, as far as the rule goes.
type StandingFile struct {
	ID, Lot int64
	Path    string
	Sum     string
	Bytes   int64
	Shown   int   // by products and categories
	Product int64 // one of those that show it; 0 where only categories do
	Since   time.Time
	upkeep.Standing
}

// belowMarks are the marks that the rule knows.
const belowMarks = picturespec.Small | picturespec.Enlarged | picturespec.Padded

// EachBelow calls for every picture that stands and may be below the rule: by a mark, by
// rights that are not clear, or that end before a time. Which of them are is for the rule.
func (s *Store) EachBelow(ctx context.Context, ends time.Time, each func(StandingFile) error) error {
	rows, err := s.pool.Query(ctx, `
		select f.id, f.lot_id, f.path, encode(f.sha256, 'hex'), f.bytes, s.shown, coalesce(s.product, 0), f.arrived_at, coalesce(b.width, 0),
			coalesce(b.height, 0), coalesce(b.content_width, 0), coalesce(b.content_height, 0), coalesce(b.detail, 0), coalesce(b.marks, 0),
			f.rights, f.licence, f.expires::timestamptz
		from file f join (select file_id, count(distinct coalesce(product_id, -category_id))::int as shown, min(product_id) as product
			from placement group by file_id) s on s.file_id = f.id
		left join blob b on b.sha256 = f.sha256
		where coalesce(b.marks, 0) & $1 <> 0 or f.rights <> $2 or f.expires <= $3 order by f.id`, belowMarks, rights.Cleared, ends)
	if err != nil {
		return err
	}
	var f StandingFile
	_, err = pgx.ForEachRow(rows, []any{&f.ID, &f.Lot, &f.Path, &f.Sum, &f.Bytes, &f.Shown, &f.Product, &f.Since, &f.Width, &f.Height,
		&f.ContentWidth, &f.ContentHeight, &f.Detail, &f.Marks, &f.State, &f.Licence, &f.Expires}, func() error { return each(f) })
	return err
}

// Lying is a lot or a product that waits for somebody.
type Lying struct {
	Lot, Product int64 // one of them
	Name         string
	Files        int64 // of the lot, or that the product shows
	Bytes        int64 // of the lot
	Touched      time.Time
	Retired      bool // the product is, as a whole
}

// EachLyingLot calls for every open lot with when it was touched last: when it came, its last
// file did, or one was decided on.
func (s *Store) EachLyingLot(ctx context.Context, each func(Lying) error) error {
	return s.eachLying(ctx, `select l.id, 0::bigint, l.name, count(f.id), coalesce(sum(f.bytes), 0)::bigint,
			greatest(l.created_at, max(f.arrived_at), max(f.decided_at)), false
		from lot l left join file f on f.lot_id = l.id where l.state in ('receiving', 'ready') group by l.id order by l.id`, each)
}

// EachLyingProduct calls for every product that is not retired and shows no picture, and for
// every retired one that shows some.
func (s *Store) EachLyingProduct(ctx context.Context, each func(Lying) error) error {
	return s.eachLying(ctx, `
		with bare as (select p.id from product p where p.pictures = 0
				and (exists (select from variant v where v.product_id = p.id and not v.retired)
					or not exists (select from variant v where v.product_id = p.id))),
			retired as (select p.id from product p where p.pictures > 0
				and exists (select from variant v where v.product_id = p.id and v.retired)
				and not exists (select from variant v where v.product_id = p.id and not v.retired)),
			either as (select id, false as retired from bare union all select id, true from retired)
		select 0::bigint, p.id, p.code, p.pictures::bigint, 0::bigint, case when e.retired then p.updated_at else p.created_at end, e.retired
		from either e join product p on p.id = e.id order by p.id`, each)
}

func (s *Store) eachLying(ctx context.Context, query string, each func(Lying) error) error {
	rows, err := s.pool.Query(ctx, query)
	if err != nil {
		return err
	}
	var l Lying
	_, err = pgx.ForEachRow(rows, []any{&l.Lot, &l.Product, &l.Name, &l.Files, &l.Bytes, &l.Touched, &l.Retired},
		func() error { return each(l) })
	return err
}
