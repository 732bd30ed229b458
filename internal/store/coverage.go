package store

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/coverage"
	"ambrosa/core/identity"
	"ambrosa/core/picturespec"
	"ambrosa/internal/database"
	"ambrosa/internal/door"
)

// ShotList is what pictures the products of a category should have, with those below it.
type ShotList struct {
	ID       int64         `json:"id"`
	Category int64         `json:"category" doc:"0 for the whole catalog"`
	Path     string        `json:"path" doc:"Of the category; empty for the whole catalog"`
	Shots    coverage.List `json:"shots" nullable:"false"`
	Version  int           `json:"version" doc:"Counts its changes"`
	By       string        `json:"by"`
	At       time.Time     `json:"at"`
}

// ShotLists returns all, by path.
func (s *Store) ShotLists(ctx context.Context) ([]ShotList, error) {
	return list[ShotList](ctx, s.pool, `select l.id, coalesce(l.category_id, 0) as category, coalesce(c.path, '') as path, l.shots, l.version,
		actor_name(l.set_by_id) as by, l.at from shot_list l left join category c on c.id = l.category_id order by c.path nulls first`)
}

// SetShotList sets the list of a category, by its path ("" for the whole catalog), that has a
// version; 0 for one that has none yet. ErrChanged means that it is another by now, ErrNotFound
// that there is no such category.
func SetShotList(ctx context.Context, tx *door.Tx, path string, shots coverage.List, version int) error {
	category, err := categoryOf(ctx, tx, path)
	if err != nil {
		return err
	}
	if category != nil {
		tx.About(audit.Of(identity.Category, *category))
	}
	if version == 0 {
		_, err := tx.Exec(ctx, `insert into shot_list (category_id, shots, set_by_id) values ($1, $2, $3)`, category, shots, tx.Who().ID)
		if database.IsDouble(err) {
			err = ErrChanged
		}
		return err
	}
	tag, err := tx.Exec(ctx, `update shot_list set shots = $2, set_by_id = $3, at = now(), version = version + 1
		where category_id is not distinct from $1 and version = $4`, category, shots, tx.Who().ID, version)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrChanged
	}
	return err
}

// RemoveShotList forgets the list of a category that has a version: the one above it counts then.
func RemoveShotList(ctx context.Context, tx *door.Tx, path string, version int) error {
	category, err := categoryOf(ctx, tx, path)
	if err != nil {
		return err
	}
	if category != nil {
		tx.About(audit.Of(identity.Category, *category))
	}
	tag, err := tx.Exec(ctx, `delete from shot_list where category_id is not distinct from $1 and version = $2`, category, version)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrChanged
	}
	return err
}

// categoryOf returns the ID of the category with a path; nil for no path, ErrNotFound where there is none.
func categoryOf(ctx context.Context, db DB, path string) (*int64, error) {
	if path == "" {
		return nil, nil
	}
	id, err := number(ctx, db, `select id from category where path = $1`, path)
	return &id, err
}

// ListOf is the list that counts for a category: the nearest above.
type ListOf struct {
	Category int64 // 0 for products without one
	List     int64
	Version  int
	Shots    coverage.List
}

// ListsOf returns the lists that count, category by category; one for which none does is not
// among them.
func (s *Store) ListsOf(ctx context.Context) ([]ListOf, error) {
	return list[ListOf](ctx, s.pool, `
		select c.id as category, l.id as list, l.version, l.shots from category c
			left join lateral (select o.id from unnest(c.trail) with ordinality a (id, depth) join shot_list o on o.category_id = a.id
				order by a.depth desc limit 1) own on true
			join shot_list l on l.id = coalesce(own.id, (select id from shot_list where category_id is null))
		union all select 0, id, version, shots from shot_list where category_id is null order by 1`)
}

// ListsStamp is another number as soon as a shot list is made, changed or removed, or a category is made or
// removed.
func (s *Store) ListsStamp(ctx context.Context) (int64, error) {
	return number(ctx, s.pool, `select coalesce(sum(hashtextextended(id || ' ' || coalesce(category_id, 0) || ' ' || version, 7) % 1000003),
			0)::bigint + count(*) + (select coalesce(max(id), 0) * 31 + count(*) * 17 from category) from shot_list`)
}

// Stale is a product whose coverage is to be counted (again).
type Stale struct {
	Product  int64
	Category int64
	Version  int64
}

// CoverageCount is when coverage was counted last, and what tells by which lists.
type CoverageCount struct {
	CountedAt time.Time
	Lists     string
}

// CoverageCount returns when it was counted last; the zero one where it never was.
func (s *Store) CoverageCount(ctx context.Context) (CoverageCount, error) {
	found, err := one[CoverageCount](ctx, s.pool, `select counted_at, lists from coverage_count`)
	if errors.Is(err, ErrNotFound) {
		err = nil
	}
	return found, err
}

// SetCoverageCount keeps when it was counted last.
func SetCoverageCount(ctx context.Context, tx *door.Tx, c CoverageCount) error {
	_, err := tx.Exec(ctx, `insert into coverage_count (counted_at, lists) values ($1, $2)
		on conflict (one) do update set counted_at = excluded.counted_at, lists = excluded.lists`, c.CountedAt, c.Lists)
	return err
}

// Clock is the database's time.
func (s *Store) Clock(ctx context.Context) (at time.Time, err error) {
	err = s.pool.QueryRow(ctx, `select clock_timestamp()`).Scan(&at)
	return at, err
}

// StaleCoverage returns products behind one, by number, that changed since a time (the zero one
// for ever), and whose coverage is not what it was counted for, some at a time; of is which lists
// count.
func (s *Store) StaleCoverage(ctx context.Context, of []ListOf, since time.Time, behind int64, limit int) ([]Stale, error) {
	categories, lists, versions := make([]int64, len(of)), make([]int64, len(of)), make([]int, len(of))
	for i, l := range of {
		categories[i], lists[i], versions[i] = l.Category, l.List, l.Version
	}
	return list[Stale](ctx, s.pool, `
		select p.id as product, coalesce(p.category_id, 0) as category, p.version from product p left join coverage c on c.product_id = p.id
		where p.id > $4 and p.updated_at >= $6 and case when c.product_id is null then coalesce(p.category_id, 0) = any($1)
			else c.version <> p.version or c.category_id <> coalesce(p.category_id, 0)
				or not ((c.category_id, c.list_id, c.list_version) in (select * from unnest($1::bigint[], $2::bigint[], $3::int[]))) end
		order by p.id limit $5`, categories, lists, versions, behind, limit, since)
}

// Covering returns the pictures of products and their variants, in the order of their places.
func (s *Store) Covering(ctx context.Context, products []int64) (map[int64][]coverage.Picture, error) {
	rows, err := s.pool.Query(ctx, `select pl.product_id, pl.view, b.width, b.height, b.content_width, b.content_height, b.detail
		from placement pl join file f on f.id = pl.file_id join blob b on b.sha256 = f.sha256 left join variant v on v.id = pl.variant_id
		where pl.product_id = any($1) order by pl.product_id, v.position nulls first, v.id nulls first, pl.place`, products)
	if err != nil {
		return nil, err
	}
	found := map[int64][]coverage.Picture{}
	var product int64
	var p coverage.Picture
	var of picturespec.Facts
	into := []any{&product, &p.View, &of.Width, &of.Height, &of.ContentWidth, &of.ContentHeight, &of.Detail}
	_, err = pgx.ForEachRow(rows, into, func() error {
		p.Longer = of.RealSide()
		found[product] = append(found[product], p)
		return nil
	})
	return found, err
}

// Counted is a product's coverage, as it was counted.
type Counted struct {
	Stale
	ListOf  // with no list where none counts
	Cells   []coverage.Cell
	Unknown int // pictures whose view is unknown
}

// SetCoverage keeps what was counted, and ticks off what was asked for and came. Products come in
// the order of their numbers.
func SetCoverage(ctx context.Context, tx *door.Tx, counted []Counted) error {
	var gone, products []int64
	var views []string
	var have []int
	var rows [][]any
	for _, c := range counted {
		if c.List == 0 {
			gone = append(gone, c.Product)
			continue
		}
		sum := c.Shots.Sum(c.Cells)
		haves, belows := make([]int16, len(c.Cells)), make([]int16, len(c.Cells))
		for i, cell := range c.Cells {
			haves[i], belows[i] = int16(cell.Have), int16(cell.Below)
			if cell.Have > 0 {
				products, views, have = append(products, c.Product), append(views, c.Shots[i].View), append(have, cell.Have)
			}
		}
		rows = append(rows, []any{c.Product, c.Stale.Category, c.Stale.Version, c.List, c.ListOf.Version, haves, belows, sum.Wanted, sum.Filled,
			sum.Below, sum.Missing, c.Unknown})
	}
	_, err := tx.Exec(ctx, `create temporary table counted (like coverage) on commit drop`)
	if err != nil {
		return err
	}
	columns := []string{"product_id", "category_id", "version", "list_id", "list_version", "have", "below", "wanted", "filled", "low",
		"missing", "unknown_views"}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"counted"}, columns, pgx.CopyFromRows(rows)); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from coverage where product_id = any($1)`, gone); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `insert into coverage select c.* from counted c join product p on p.id = c.product_id order by product_id
		on conflict (product_id) do update set category_id = excluded.category_id, version = excluded.version,
			list_id = excluded.list_id, list_version = excluded.list_version, have = excluded.have, below = excluded.below,
			wanted = excluded.wanted, filled = excluded.filled, low = excluded.low, missing = excluded.missing,
			unknown_views = excluded.unknown_views`); err != nil {
		return err
	}
	// Of those that older pictures do not fill, as many came for the request as files came since it was made.
	_, err = tx.Exec(ctx, `with asked as (
			select s.request_id, s.n, s.product_id, lower(s.view) as view, s.nth, s.came_at, r.at,
				row_number() over (partition by s.request_id, s.product_id, lower(s.view) order by s.nth) as rank
			from request_shot s join request r on r.id = s.request_id where s.product_id = any($1) and not s.otherwise),
		due as (
			select a.request_id, a.n, a.rank > (select count(*) from placement p join file f on f.id = p.file_id join lot l on l.id = f.lot_id
				where p.product_id = a.product_id and lower(p.view) = a.view and l.created_at >= a.at) as otherwise
			from asked a join unnest($1::bigint[], $2::text[], $3::int[]) as h (product, view, have)
				on a.product_id = h.product and a.view = lower(h.view) and a.nth <= h.have
			where a.came_at is null)
		update request_shot s set came_at = now(), otherwise = due.otherwise from due where s.request_id = due.request_id and s.n = due.n`,
		products, views, have)
	return err
}

// CoverageFilter chooses products whose coverage is counted.
type CoverageFilter struct {
	Category string // path: its products and those below it; "" for all
	Query    string // part of a code, SKU, title or GTIN
	Only     string // "missing", "below", "unknown" (views), or "" for all
	Offset   int
	Limit    int
}

func (f CoverageFilter) where() (string, pgx.NamedArgs) {
	where, args := ProductFilter{Query: f.Query, Category: f.Category, Offset: f.Offset, Limit: f.Limit}.where()
	return where + f.only(), args
}

// only is the condition on a product's coverage k.
func (f CoverageFilter) only() string {
	switch f.Only {
	case "missing":
		return ` and k.missing > 0`
	case "below":
		return ` and k.low > 0`
	case "unknown":
		return ` and k.unknown_views > 0`
	}
	return ""
}

// CoverageSum is how far some products have what is wanted.
type CoverageSum struct {
	Products int `json:"products"`
	Listed   int `json:"listed" doc:"Of them, that are listed by what is missing, too small or unknown"`
	Unknown  int `json:"unknown" doc:"Their pictures whose view is unknown: they fill none"`
	coverage.Totals
}

// Plus adds another sum to this one.
func (c CoverageSum) Plus(other CoverageSum) CoverageSum {
	return CoverageSum{c.Products + other.Products, c.Listed + other.Listed, c.Unknown + other.Unknown, coverage.Totals{
		Wanted: c.Wanted + other.Wanted, Filled: c.Filled + other.Filled, Below: c.Below + other.Below, Missing: c.Missing + other.Missing,
	}}
}

// CoverageTree is the category tree with what the products of each category itself come to.
type CoverageTree struct {
	Levels catalog.Levels
	Own    map[int64]CoverageSum // by category; 0 for products without one
	Parent map[int64]int64
}

// CoverageTree returns the tree with all products; only is which of them are listed, as in a CoverageFilter.
func (s *Store) CoverageTree(ctx context.Context, only string) (tree CoverageTree, err error) {
	listed := map[string]string{"": "products", "missing": "lacking", "below": "lower", "unknown": "asking"}[only]
	tree.Own, tree.Parent = map[int64]CoverageSum{}, map[int64]int64{}
	rows, err := s.pool.Query(ctx, `
		with sums as (select category_id as id, sum(products)::int as products, sum(`+listed+`)::int as listed, sum(wanted)::int as wanted,
			sum(filled)::int as filled, sum(low)::int as below, sum(missing)::int as missing, sum(unknown_views)::int as unknown
			from coverage_sum group by category_id)
		select coalesce(c.id, k.id), coalesce(c.parent_id, 0), coalesce(products, 0), coalesce(listed, 0), coalesce(unknown, 0),
			coalesce(wanted, 0), coalesce(filled, 0), coalesce(below, 0), coalesce(missing, 0) from category c full join sums k on k.id = c.id`)
	if err != nil {
		return tree, err
	}
	var id, parent int64
	var sum CoverageSum
	into := []any{&id, &parent, &sum.Products, &sum.Listed, &sum.Unknown, &sum.Wanted, &sum.Filled, &sum.Below, &sum.Missing}
	_, err = pgx.ForEachRow(rows, into,
		func() error {
			if id != 0 {
				tree.Levels.Add(id, parent)
				tree.Parent[id] = parent
			}
			tree.Own[id] = sum
			return nil
		})
	return tree, err
}

// CoverageHit is the coverage of a product that a text finds.
type CoverageHit struct {
	Product  int64
	Category int64 // 0 for none
	Unknown  int
	coverage.Totals
}

// CoverageHits returns the coverage of all products whose code, SKU, title or GTIN has a text, by code.
func (s *Store) CoverageHits(ctx context.Context, text string) (hits []CoverageHit, err error) {
	products := ProductFilter{Query: text}
	where, args := products.whereButText()
	rows, err := s.pool.Query(ctx, `select p.id, k.category_id, k.unknown_views, k.wanted, k.filled, k.low, k.missing
		from (`+products.found(where)+`) p
		join lateral (select * from coverage where product_id = p.id offset 0) k on true order by p.code, p.id`, args)
	if err != nil {
		return nil, err
	}
	var h CoverageHit
	_, err = pgx.ForEachRow(rows, []any{&h.Product, &h.Category, &h.Unknown, &h.Wanted, &h.Filled, &h.Below, &h.Missing}, func() error {
		hits = append(hits, h)
		return nil
	})
	return hits, err
}

// CategoryName is what a category is called.
type CategoryName struct {
	ID   int64
	Name string
	Path string
}

// CategoryNames returns the names of categories, by path.
func (s *Store) CategoryNames(ctx context.Context, ids []int64) ([]CategoryName, error) {
	return list[CategoryName](ctx, s.pool, `select id, name, path from category where id = any($1) order by path`, ids)
}

// CategoryByPath returns the ID of a category; 0 for "". It may return ErrNotFound.
func (s *Store) CategoryByPath(ctx context.Context, path string) (int64, error) {
	if path == "" {
		return 0, nil
	}
	return number(ctx, s.pool, `select id from category where path = $1`, path)
}

// CoveredProduct is a product's coverage.
type CoveredProduct struct {
	ID    int64   `json:"id"`
	Code  string  `json:"code"`
	Title string  `json:"title"`
	Sum   string  `json:"sum" doc:"Of its lead; empty for none"`
	List  int64   `json:"list"`
	Have  []int16 `json:"have" nullable:"false" doc:"By shot of its list"`
	Below []int16 `json:"below" nullable:"false"`

	Unknown  int           `json:"unknown" doc:"Its pictures whose view is unknown: they fill none"`
	Pictures []UnknownView `json:"pictures,omitempty" db:"-" doc:"Some of these, where products with unknown views are listed"`
}

// UnknownView is a picture on a product whose view is unknown.
type UnknownView struct {
	ID      int64  `json:"id" doc:"Of its place on the product"`
	Product int64  `json:"-"`
	SKU     string `json:"sku" doc:"Of the variant that shows it; empty for the product as a whole"`
	View    string `json:"view" doc:"What it is called; empty for none"`
	Sum     string `json:"sum"`
	Path    string `json:"path"`
}

// CoveredPage returns the IDs of a page of products of a filter without a text, by code; listed is how many it has
// in all, about.
func (s *Store) CoveredPage(ctx context.Context, f CoverageFilter, listed int) ([]int64, error) {
	where, args := f.where()
	if listed > fewProducts {
		where = strings.Replace(where, inOrBelow("p.category_id", "@category"), leaveOrder(inOrBelow("p.category_id", "@category")), 1)
	}
	return numbers(ctx, s.pool, `select p.id from coverage k join product p on p.id = k.product_id where `+where+`
		order by p.code, p.id offset @offset limit @limit`, args)
}

// CoveredProducts returns products, by code.
func (s *Store) CoveredProducts(ctx context.Context, ids []int64) ([]CoveredProduct, error) {
	return list[CoveredProduct](ctx, s.pool, `
		select p.id, p.code, p.title, coalesce(encode(l.sha256, 'hex'), '') as sum, k.list_id as list, k.have, k.below, k.unknown_views as unknown
		from unnest($1::bigint[]) page (id) join product p using (id) join coverage k on k.product_id = p.id
		left join lateral (select f.sha256 from placement pl join file f on f.id = pl.file_id left join variant v on v.id = pl.variant_id
			where pl.product_id = p.id order by v.position nulls first, v.id nulls first, pl.place limit 1) l on true
		order by p.code, p.id`, ids)
}

// unknownShown is how many pictures of a product are listed whose view is unknown.
const unknownShown = 60

// UnknownViews returns the pictures of products whose view is unknown, by product, as they stand; unknownShown of each.
func (s *Store) UnknownViews(ctx context.Context, products []int64, views []string) ([]UnknownView, error) {
	return list[UnknownView](ctx, s.pool, `
		select pl.id, p.id as product, pl.sku, pl.view, pl.sum, pl.path from unnest($1::bigint[]) p (id)
		join coverage k on k.product_id = p.id join shot_list l on l.id = k.list_id
		cross join lateral (select pl.id, coalesce(v.sku, '') as sku, pl.view, coalesce(encode(f.sha256, 'hex'), '') as sum, f.path
			from placement pl join file f on f.id = pl.file_id left join variant v on v.id = pl.variant_id
			where pl.product_id = p.id and lower(pl.view) <> all($2)
				and not exists (select from jsonb_array_elements(l.shots) s where lower(s->>'view') = lower(pl.view))
			order by v.position nulls first, v.id nulls first, pl.place limit $3) pl`, products, views, unknownShown)
}

// CoveredDay is what coverage came to on a day.
type CoveredDay struct {
	Day    time.Time `json:"day"`
	Wanted int       `json:"wanted"`
	Filled int       `json:"filled"`
}

// CoverageDays returns what coverage came to in a category and below it (0 for the whole catalog), day by day.
func (s *Store) CoverageDays(ctx context.Context, category int64, days int) ([]CoveredDay, error) {
	if category == 0 {
		category = wholeCatalog
	}
	return list[CoveredDay](ctx, s.pool, `select day::timestamptz as day, wanted, filled from coverage_trend
		where category_id = $1 and day > current_date - $2::int order by day`, category, days)
}

// wholeCatalog stands for all products in coverage_trend, where 0 is those without a category.
const wholeCatalog = -1

// trendDays is how long it is kept what coverage came to on a day.
const trendDays = 366

// KeepCoverageDay keeps what coverage comes to today.
func KeepCoverageDay(ctx context.Context, tx *door.Tx) error {
	_, err := tx.Exec(ctx, `insert into coverage_day (day, category_id, products, wanted, filled, low)
		select current_date, category_id, sum(products), sum(wanted), sum(filled), sum(low) from coverage_sum group by category_id
			having sum(products) > 0
		on conflict (day, category_id) do update set products = excluded.products, wanted = excluded.wanted, filled = excluded.filled,
			low = excluded.low`)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `insert into coverage_trend (category_id, day, wanted, filled)
		select a.id, current_date, sum(k.wanted), sum(k.filled) from coverage_sum k left join category c on c.id = k.category_id
			cross join unnest($1::bigint || coalesce(c.trail, array[k.category_id])) a (id) group by a.id having sum(k.products) > 0
		on conflict (category_id, day) do update set wanted = excluded.wanted, filled = excluded.filled`, wholeCatalog)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `delete from coverage_trend where day < current_date - $1::int`, trendDays)
	return err
}

// FallenCategory is a category whose products have less of what is wanted than they had.
type FallenCategory struct {
	Path   string  `json:"path"`
	Before float64 `json:"before" doc:"Part that was filled"`
	Now    float64 `json:"now"`
}

// FallenCoverage returns categories whose coverage fell since some days ago, the most first.
func (s *Store) FallenCoverage(ctx context.Context, days, limit int) ([]FallenCategory, error) {
	return list[FallenCategory](ctx, s.pool, `
		with before as (select distinct on (category_id) category_id, filled::float / nullif(wanted, 0) as part from coverage_day
			where day < current_date and day >= current_date - $1::int order by category_id, day),
		today as (select category_id, sum(filled)::float / nullif(sum(wanted), 0) as part from coverage_sum group by category_id)
		select coalesce(c.path, '') as path, b.part as before, t.part as now from before b join today t using (category_id)
		left join category c on c.id = category_id where t.part < b.part - 0.005 order by b.part - t.part desc limit $2`, days, limit)
}
