package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/door"
)

// CrawlPage is a page of a crawl.
type CrawlPage struct {
	N       int
	Address string
	Kind    string // listing, product
	State   string // open, done, same (as it was when last read), failed
	Tag     string
	Links   int // product pages that a listing names
	Shots   int // pictures found
	Small   int // of them, smaller than asked for
	Width   int // of the largest
	Height  int
	Message string
}

// AddPages adds pages to a crawl, those left out that it has, and returns how
// many are new.
func AddPages(ctx context.Context, tx *door.Tx, run int64, kind string, addresses []string) (added int64, err error) {
	added, err = addPages(ctx, tx, run, kind, addresses)
	return added, err
}

func addPages(ctx context.Context, tx *door.Tx, run int64, kind string, addresses []string) (int64, error) {
	if len(addresses) == 0 {
		return 0, nil
	}
	tag, err := tx.Exec(ctx, `insert into crawl_page (run_id, n, address, kind)
		select $1, (select coalesce(max(n), 0) from crawl_page where run_id = $1) + a.place, a.address, $2
		from (select distinct on (address) address, place from unnest($3::text[]) with ordinality a (address, place) order by address, place) a
		order by a.place on conflict (run_id, md5(address)) do nothing`, run, kind, addresses)
	return tag.RowsAffected(), err
}

// NextPage returns the first page of a crawl that is not visited yet;
// ErrNotFound means that there is none.
func (s *Store) NextPage(ctx context.Context, run int64) (CrawlPage, error) {
	return one[CrawlPage](ctx, s.pool, `select n, address, kind, state, tag, links, shots, small, width, height, message from crawl_page
		where run_id = $1 and state = 'open' order by n limit 1`, run)
}

// KnownPage returns the tag of a product's page whose pictures are here; "" for
// a page that is not known.
func (s *Store) KnownPage(ctx context.Context, origin int64, address string) (tag string, err error) {
	err = s.pool.QueryRow(ctx, `select tag from origin_page where origin_id = $1 and md5(address) = md5($2)`, origin, address).Scan(&tag)
	if err == pgx.ErrNoRows {
		err = nil
	}
	return tag, err
}

// Visited records what a page held: the files it names and where it leads. Of a
// page that is as it was, the files that it named before are listed as there.
func Visited(
	ctx context.Context, tx *door.Tx,
	run, origin int64,
	p CrawlPage,
	items []FetchItem,
	listings, products []string,
) (newListings, newProducts int64, err error) {
	first, err := number(ctx, tx, `select coalesce(max(entry), -1) + 1 from fetch_item where run_id = $1`, run)
	if err != nil {
		return newListings, newProducts, err
	}
	for i := range items {
		items[i].Entry = int(first) + i
	}
	if err := addListing(ctx, tx, run, items); err != nil {
		return newListings, newProducts, err
	}
	if p.State == "same" {
		if _, err := tx.Exec(ctx, `insert into fetch_item (run_id, entry, path, address, page, tag, bytes, fresh)
			select $1, $4 + row_number() over (order by path), path, path, page, tag, 0, false from origin_item where origin_id = $2 and page = $3
			and gone_at is null`,
			run, origin, p.Address, int(first)+len(items)); err != nil {
			return newListings, newProducts, err
		}
	}
	if newListings, err = addPages(ctx, tx, run, "listing", listings); err != nil {
		return newListings, newProducts, err
	}
	if newProducts, err = addPages(ctx, tx, run, "product", products); err != nil {
		return newListings, newProducts, err
	}
	_, err = tx.Exec(
		ctx,
		`update crawl_page set state = $3, tag = $4, links = $5, shots = $6, small = $7, width = $8, height = $9, message = $10
			where run_id = $1 and n = $2`,
		run, p.N, p.State, p.Tag, p.Links, p.Shots, p.Small, p.Width, p.Height, p.Message,
	)
	return newListings, newProducts, err
}

// Crawl is how far a crawl is.
type Crawl struct {
	Pages    int64 // known
	Visited  int64
	Listings int64 // visited
	Products int64 // visited, unchanged ones too
	Same     int64 // of them, unchanged
	Failed   int64
	Links    int64 // to products' pages, on all listings
	Shots    int64
	Small    int64
	Width    int64 // of the largest picture that is too small
	Height   int64
	Files    int64
}

// CrawlState counts a crawl's pages.
func (s *Store) CrawlState(ctx context.Context, run int64) (Crawl, error) {
	return one[Crawl](
		ctx,
		s.pool,
		`select count(*) as pages, count(*) filter (where state <> 'open') as visited, count(*) filter (where kind = 'listing'
			and state <> 'open') as listings,
			count(*) filter (where kind = 'product' and state in ('done', 'same')) as products, count(*) filter (where state = 'same') as same,
			count(*) filter (where state = 'failed') as failed,
			coalesce(sum(links), 0)::bigint as links, coalesce(sum(shots), 0)::bigint as shots, coalesce(sum(small), 0)::bigint as small,
			coalesce(max(width) filter (where small > 0), 0)::bigint as width, coalesce(max(height) filter (where small > 0), 0)::bigint as height,
			(select count(*) from fetch_item where run_id = $1)::bigint as files
		from crawl_page where run_id = $1`,
		run,
	)
}

// EndCrawl leaves the pages alone that are still open.
func EndCrawl(ctx context.Context, tx *door.Tx, run int64) error {
	_, err := tx.Exec(ctx, `delete from crawl_page where run_id = $1 and state = 'open'`, run)
	return err
}
