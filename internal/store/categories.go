package store

import (
	"context"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"ambrosa/core/catalog"
)

// Category is a node of the category tree.
type Category struct {
	ID        int64  `json:"id"`
	Parent    int64  `json:"parent" doc:"ID of the category it is in; 0 at the top"`
	Version   int64  `json:"version" doc:"Counts the changes of its pictures and texts"`
	Pictures  int    `json:"pictures" doc:"Number of its pictures"`
	Sum       string `json:"sum" doc:"SHA-256 of its first picture, empty when it has none"`
	Path      string `json:"path"`
	Name      string `json:"name"`
	Ref       string `json:"ref" doc:"Its own ID"`
	Children  int    `json:"children" doc:"Categories directly in it"`
	Products  int    `json:"products" doc:"Products in it and below it"`
	NoPicture int    `json:"noPicture" doc:"Those of them without a picture"`

	Description string `json:"description" doc:"What it is about"`
}

// categoryColumns are those of a category c with its totals t.
const categoryColumns = `c.id, coalesce(c.parent_id, 0) as parent, c.version, c.pictures, c.path, c.name, c.ref, c.description,
	coalesce(` + categoryLead + `, '') as sum,
	(select count(*) from category b where b.parent_id = c.id)::int as children,
	coalesce(t.products, 0)::int as products, coalesce(t.bare, 0)::int as no_picture`

// categoryLead is the SQL of the first picture of a category c.
const categoryLead = `(select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id where pl.category_id = c.id
	order by pl.place limit 1)`

// CategoryFilter chooses categories of the tree.
type CategoryFilter struct {
	Text   string // those whose path or own ID has it
	Path   string // the one with this path
	Parent int64  // without Text and Path: those below this one, 0 for all, in as many whole levels as fit
	After  string // where one level has more than fit: those behind this path
	Limit  int
}

// CategoryList is a part of the tree.
type CategoryList struct {
	Items []Category `json:"items" nullable:"false"`
	Total int        `json:"total" doc:"How many were found, or lie below the parent at any depth"`
	More  bool       `json:"more" doc:"The list goes on behind the last one"`
}

// Categories returns those of a filter. What a text finds begins with those that have it in their own name, the shortest
// name first; else they are in order of path.
func (s *Store) Categories(ctx context.Context, f CategoryFilter) (found CategoryList, err error) {
	var levels *catalog.Levels
	var counts map[int64]categoryCount
	var hits []int64
	both, bothCtx := errgroup.WithContext(ctx)
	both.Go(func() (err error) {
		levels, counts, err = s.categoryCounts(bothCtx)
		return err
	})
	both.Go(func() (err error) {
		switch {
		case f.Path != "":
			hits, err = numbers(bothCtx, s.pool, `select id from category where path = $1`, f.Path)
		case f.Text != "":
			hits, err = numbers(bothCtx, s.pool, `select id from category where lower(path) like $1 or lower(ref) like $1
				order by (lower(name) like $1) desc, length(name), path`, Like(f.Text))
		}
		return err
	})
	if err := both.Wait(); err != nil {
		return found, err
	}
	ids, order := hits[:min(len(hits), f.Limit)], "t.n"
	found.Total, found.More = len(hits), len(hits) > f.Limit
	if f.Path == "" && f.Text == "" {
		ids, order = levels.Down(f.Parent, f.Limit), "c.path"
		found.Total = counts[f.Parent].Below
	}
	if len(ids) == 0 {
		return found, nil
	}
	products, bare := make([]int, len(ids)), make([]int, len(ids))
	for i, id := range ids {
		products[i], bare[i] = counts[id].Products, counts[id].Bare
	}
	found.Items, err = list[Category](ctx, s.pool, `select `+categoryColumns+`
		from unnest(@ids::bigint[], @products::int[], @bare::int[]) with ordinality t (id, products, bare, n) join category c using (id)
		where c.path > @after order by `+order+` limit @limit`,
		pgx.NamedArgs{"ids": ids, "products": products, "bare": bare, "after": f.After, "limit": f.Limit + 1})
	if len(found.Items) > f.Limit {
		found.Items, found.More = found.Items[:f.Limit], true
	}
	return found, err
}

// CategoryPaths returns the paths of all categories, in order.
func (s *Store) CategoryPaths(ctx context.Context) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select path from category order by path`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// categoryCount is what lies in a category and below it.
type categoryCount struct {
	Below          int // categories, without itself
	Products, Bare int
}

// categoryCounts returns the shape of the tree and what lies in each category and below it.
func (s *Store) categoryCounts(ctx context.Context) (*catalog.Levels, map[int64]categoryCount, error) {
	levels, own := &catalog.Levels{}, map[int64]categoryCount{}
	rows, err := s.pool.Query(ctx, `select c.id, coalesce(c.parent_id, 0), coalesce(k.products, 0)::int, coalesce(k.bare, 0)::int
		from category c left join (select category_id, sum(products) as products, sum(bare) as bare from product_count group by 1) k
			on k.category_id = c.id`)
	if err != nil {
		return nil, nil, err
	}
	var id, parent int64
	var products, bare int
	_, err = pgx.ForEachRow(rows, []any{&id, &parent, &products, &bare}, func() error {
		levels.Add(id, parent)
		own[id] = categoryCount{Products: products, Bare: bare}
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	return levels, catalog.Totals(levels, own, func(c, below categoryCount) categoryCount {
		return categoryCount{c.Below + 1 + below.Below, c.Products + below.Products, c.Bare + below.Bare}
	}), nil
}

// Category returns one node of the tree.
func (s *Store) Category(ctx context.Context, id int64) (Category, error) {
	return one[Category](ctx, s.pool, `select `+categoryColumns+` from category c cross join lateral (
			select sum(k.products) as products, sum(k.bare) as bare from category b join product_count k on k.category_id = b.id
			where b.trail @> array[c.id]) t
		where c.id = $1`, id)
}

// BareCategories returns the categories with the most products that have no picture, counted without those below.
func (s *Store) BareCategories(ctx context.Context, limit int) ([]Category, error) {
	return list[Category](ctx, s.pool, `
		with t as (select category_id as id, sum(products)::int as products, sum(bare)::int as bare from product_count
			where category_id <> 0 group by category_id having sum(bare) > 0 order by bare desc limit $1)
		select `+categoryColumns+` from t join category c using (id) order by t.bare desc, c.path`, limit)
}
