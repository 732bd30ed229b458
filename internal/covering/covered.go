package covering

import (
	"context"
	"errors"
	"math"
	"slices"

	"ambrosa/core/catalog"
	"ambrosa/internal/store"
)

// Covered is coverage, as a filter chooses it.
type Covered struct {
	store.CoverageSum
	Lists      []store.ShotList       `json:"lists" nullable:"false" doc:"All shot lists"`
	Within     string                 `json:"within" doc:"Path of the category whose categories are listed; empty for all"`
	Categories []CoveredCategory      `json:"categories" nullable:"false" doc:"In the chosen one, or beside it where there are none in it"`
	Others     int                    `json:"others" doc:"Categories that are not listed: those with the most missing are"`
	Items      []store.CoveredProduct `json:"items" nullable:"false"`
	Counting   bool                   `json:"counting" doc:"Some of it is not counted yet: asked again, more is"`
	Days       []store.CoveredDay     `json:"days" nullable:"false" doc:"What it came to, day by day"`
}

// CoveredCategory is a category with all products in it and below it.
type CoveredCategory struct {
	ID   int64  `json:"id" doc:"0 for products without a category"`
	Name string `json:"name"`
	Path string `json:"path"`
	Own  bool   `json:"own" doc:"Only the products directly in it: the category whose categories are listed"`
	store.CoverageSum
}

const (
	days           = 90  // that coverage is shown back
	mostCategories = 500 // that are listed
)

// Covered returns what a filter chooses, with what changed as far as it is counted. Sums and categories are of
// all that is chosen, whatever of it is listed.
func (c *Coverer) Covered(ctx context.Context, f store.CoverageFilter) (found Covered, err error) {
	finished, err := c.Counted(ctx)
	if err != nil {
		return found, err
	}
	found.Counting = !finished
	if found.Lists, err = c.Store.ShotLists(ctx); err != nil {
		return found, err
	}
	chosen, err := c.Store.CategoryByPath(ctx, f.Category)
	if errors.Is(err, store.ErrNotFound) {
		return found, nil
	}
	if err != nil {
		return found, err
	}
	tree, err := c.Store.CoverageTree(ctx, f.Only)
	if err != nil {
		return found, err
	}
	var hits []store.CoverageHit
	if f.Query != "" {
		if hits, err = c.Store.CoverageHits(ctx, f.Query); err != nil {
			return found, err
		}
		tree.Own = sumOf(hits, f)
	}
	totals := catalog.Totals(&tree.Levels, tree.Own, store.CoverageSum.Plus)
	found.CoverageSum = totals[chosen]
	if err := c.listCategories(ctx, &found, tree, totals, chosen); err != nil {
		return found, err
	}
	page := pageOf(hits, f, &tree.Levels, chosen)
	if f.Query == "" {
		if page, err = c.Store.CoveredPage(ctx, f, found.Listed); err != nil {
			return found, err
		}
	}
	if found.Items, err = c.Store.CoveredProducts(ctx, page); err != nil {
		return found, err
	}
	if f.Only == "unknown" {
		if err := c.showUnknown(ctx, found.Items); err != nil {
			return found, err
		}
	}
	found.Days, err = c.Store.CoverageDays(ctx, chosen, days)
	return found, err
}

// showUnknown gives products their pictures whose view is unknown.
func (c *Coverer) showUnknown(ctx context.Context, items []store.CoveredProduct) error {
	at := make(map[int64]int, len(items))
	ids := make([]int64, len(items))
	for i, p := range items {
		at[p.ID], ids[i] = i, p.ID
	}
	pictures, err := c.Store.UnknownViews(ctx, ids, catalog.Views)
	for _, p := range pictures {
		items[at[p.Product]].Pictures = append(items[at[p.Product]].Pictures, p)
	}
	return err
}

// listed tells whether a filter lists a product.
func listed(h store.CoverageHit, f store.CoverageFilter) bool {
	switch f.Only {
	case "missing":
		return h.Missing > 0
	case "below":
		return h.Below > 0
	case "unknown":
		return h.Unknown > 0
	}
	return true
}

// sumOf adds up what a text finds, by category.
func sumOf(hits []store.CoverageHit, f store.CoverageFilter) map[int64]store.CoverageSum {
	sums := map[int64]store.CoverageSum{}
	for _, h := range hits {
		one := store.CoverageSum{Products: 1, Unknown: h.Unknown, Totals: h.Totals}
		if listed(h, f) {
			one.Listed = 1
		}
		sums[h.Category] = sums[h.Category].Plus(one)
	}
	return sums
}

// pageOf returns the products of what a text finds that are listed on a page, in the chosen category and below it.
func pageOf(hits []store.CoverageHit, f store.CoverageFilter, levels *catalog.Levels, chosen int64) (page []int64) {
	within := map[int64]bool{chosen: true}
	for _, id := range levels.Down(chosen, math.MaxInt) {
		within[id] = true
	}
	passed := 0
	for _, h := range hits {
		if !listed(h, f) || chosen != 0 && !within[h.Category] {
			continue
		}
		if passed++; passed > f.Offset && len(page) < f.Limit {
			page = append(page, h.Product)
		}
	}
	return page
}

// listCategories lists the categories in the chosen one, or those beside it where there are none in it: so the list
// stays where it is when one of them is chosen.
func (c *Coverer) listCategories(
	ctx context.Context, found *Covered, tree store.CoverageTree, totals map[int64]store.CoverageSum, chosen int64,
) error {
	within := chosen
	if len(tree.Levels.In(chosen)) == 0 {
		within = tree.Parent[chosen]
	}
	ids := slices.DeleteFunc(slices.Clone(tree.Levels.In(within)), func(id int64) bool { return totals[id].Products == 0 })
	if len(ids) > mostCategories {
		slices.SortStableFunc(ids, func(a, b int64) int { return totals[b].Missing - totals[a].Missing })
		ids, found.Others = ids[:mostCategories], len(ids)-mostCategories
	}
	names, err := c.Store.CategoryNames(ctx, append(ids, within))
	if err != nil {
		return err
	}
	if own := tree.Own[within]; own.Products > 0 {
		found.Categories = append(found.Categories, CoveredCategory{ID: within, Own: true, CoverageSum: own})
	}
	for _, n := range names {
		if n.ID != within {
			found.Categories = append(found.Categories, CoveredCategory{ID: n.ID, Name: n.Name, Path: n.Path, CoverageSum: totals[n.ID]})
			continue
		}
		found.Within = n.Path
		if len(found.Categories) > 0 {
			found.Categories[0].Name, found.Categories[0].Path = n.Name, n.Path
		}
	}
	return nil
}
