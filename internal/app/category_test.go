package app

import (
	"fmt"
	"net/http"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// category is a category's page as the API tells it.
type category struct {
	ID          int64
	Version     int64
	Pictures    int
	PictureList []store.Shown
	Changes     []store.Change
}

func (l *line) category(id int64) (c category) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/categories/%d", id), &c))
	return c
}

// shown lists the files that a category shows, in order.
func (c category) shown() (files []int64) {
	for _, p := range c.PictureList {
		files = append(files, p.File)
	}
	return files
}

// TestACategoryBearsPictures pairs files with a category and with a product,
// plans them together, orders them, applies, arranges by hand and takes all back:
// through the use cases and the API.
func TestACategoryBearsPictures(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	var hives int64
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `insert into category (name, path) values ('Hives', 'Hives') returning id`).Scan(&hives))
	on := catalog.Category(hives)
	lot := l.gathered("mixed.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"banner.jpg", jpg(t, 2)}, entry{"tile.jpg", jpg(t, 3)}))
	banner, tile := l.file(lot.ID, "banner.jpg"), l.file(lot.ID, "tile.jpg")
	l.post(fmt.Sprintf("/api/v1/files/%d/decision", banner.ID),
		map[string]any{"verdict": "paired", "target": on, "reason": "the category's banner", "version": banner.Version}, nil)
	l.together(lot.ID, map[string]any{"do": "pair", "files": l.chosen(lot.ID, "tile.jpg"), "target": on, "reason": "seen"})
	if f := l.file(lot.ID, "banner.jpg"); f.Code != "Hives" || f.Title != "Hives" || f.Target == nil || *f.Target != on {
		t.Errorf("paired with %s %v", f.Code, f.Target)
	}

	var p struct {
		Targets []struct {
			Target catalog.Target
			After  []plan.Entry
		}
		Ordered []catalog.Target
	}
	preview := fmt.Sprintf("/api/v1/lots/%d/category/%d/preview", lot.ID, hives)
	l.do(l.Get(t.Context(), preview, &p))
	if len(p.Targets) != 1 || p.Targets[0].Target != on || len(p.Targets[0].After) != 2 || p.Targets[0].After[0].File != banner.ID {
		t.Fatalf("would show %+v", p)
	}
	order := []plan.Ref{{File: tile.ID}, {File: banner.ID}}
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/lots/%d/order", lot.ID), map[string]any{"target": on, "pictures": order}, &p))
	if len(p.Ordered) != 1 || p.Targets[0].After[0].File != tile.ID {
		t.Errorf("in order: %+v", p)
	}

	id := l.planned(lot.ID, "after")
	var changes struct {
		Items []struct {
			Owner catalog.Target
			Code  string
			Added int
		}
		Total int
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/plans/%d/changes", id), &changes))
	if changes.Total != 2 || changes.Items[1].Owner != on || changes.Items[1].Code != "Hives" || changes.Items[1].Added != 2 {
		t.Fatalf("planned: %+v", changes)
	}
	l.references("planned")
	l.applied(id)
	if c := l.category(hives); c.Pictures != 2 || c.Version != 2 || fmt.Sprint(c.shown()) != fmt.Sprint([]int64{tile.ID, banner.ID}) {
		t.Fatalf("applied: %+v", c)
	}
	l.references("applied")

	// By hand: the one picture goes, and comes back.
	c := l.category(hives)
	keep := []map[string]any{{"id": c.PictureList[1].ID, "target": on, "view": ""}}
	path := fmt.Sprintf("/api/v1/categories/%d/pictures", hives)
	l.do(l.Put(t.Context(), path, map[string]any{"version": c.Version, "pictures": keep}, nil))
	l.refused(l.Put(t.Context(), path, map[string]any{"version": c.Version, "pictures": keep}, nil), http.StatusConflict)
	foreign := []map[string]any{{"id": c.PictureList[1].ID, "target": catalog.Product(1), "view": ""}}
	now := l.category(hives)
	l.refused(l.Put(t.Context(), path, map[string]any{"version": now.Version, "pictures": foreign}, nil), http.StatusUnprocessableEntity)
	if got := now.shown(); len(got) != 1 || got[0] != banner.ID || now.Changes[0].By != identity.Specialist.Name {
		t.Fatalf("by hand: %+v", now)
	}
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert?kind=category&owner=%d", now.Changes[0].Plan, hives), nil, nil)
	l.until("back by hand", func() bool { return l.category(hives).Pictures == 2 })

	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", id), nil, nil)
	l.until("reverted", func() bool { return l.plan(id).State == "reverted" })
	if c := l.category(hives); c.Pictures != 0 || l.shows("AT-000") != "" {
		t.Errorf("reverted: %+v, AT-000 shows %s", c, l.shows("AT-000"))
	}
	l.references("reverted")
}

// TestACategoryThatChangedMakesAPlanStale applies a draft of a category that
// somebody arranged meanwhile: it is made again and shown first.
func TestACategoryThatChangedMakesAPlanStale(t *testing.T) {
	t.Parallel()
	l := start(t)
	var hives int64
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `insert into category (name, path) values ('Hives', 'Hives') returning id`).Scan(&hives))
	on := catalog.Category(hives)
	draftOf := func(name string, seed int) int64 {
		lot := l.gathered(name, zipped(t, entry{name + ".jpg", jpg(t, seed)}))
		l.together(lot.ID, map[string]any{"do": "pair", "files": l.chosen(lot.ID, name+".jpg"), "target": on, "reason": "seen"})
		return l.planned(lot.ID, "after")
	}
	one, two := draftOf("one.zip", 1), draftOf("two.zip", 2)
	l.applied(one)
	seen := l.plan(two).Revision
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/plans/%d/apply", two), map[string]int{"revision": seen}, nil), http.StatusConflict)
	if c := l.category(hives); c.Pictures != 1 {
		t.Errorf("it shows %d pictures", c.Pictures)
	}
	l.applied(two)
	if c := l.category(hives); c.Pictures != 2 {
		t.Errorf("it shows %d pictures", c.Pictures)
	}
}

// TestOnePictureGoesOnManyCategories plans one picture for all categories that a word
// finds, leaves one out, lets another change meanwhile, applies, and takes all back.
func TestOnePictureGoesOnManyCategories(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	for _, path := range []string{"Hives", "Hives / Floors", "Hives / Roofs", "Candles"} {
		_, err := testdb.Pool(l.Store).Exec(t.Context(), `insert into category (name, path) values ($1, $1)`, path)
		l.do(err)
	}
	lot := l.gathered("banner.zip", zipped(t, entry{"banner.jpg", jpg(t, 2)}))
	banner := l.file(lot.ID, "banner.jpg")
	var found struct{ Items []store.Category }
	l.do(l.Get(t.Context(), "/api/v1/categories?q=hives", &found))
	if len(found.Items) != 3 {
		t.Fatalf("found %+v", found.Items)
	}
	on := []catalog.Target{catalog.Product(1)}
	for _, c := range found.Items {
		on = append(on, catalog.Category(c.ID))
	}
	var made struct{ ID int64 }
	l.post("/api/v1/plans/spread", map[string]any{"file": banner.ID, "on": on, "way": "after"}, &made)
	l.refused(l.Post(t.Context(), "/api/v1/plans/spread", map[string]any{"file": 99999, "on": on, "way": "after"}, nil), http.StatusNotFound)
	if p := l.plan(made.ID); p.Kind != "spread" || p.Products != 4 || p.Added != 4 || p.FilePath != "banner.jpg" ||
		p.Describe() != "banner.jpg on many" {
		t.Fatalf("planned: %+v", p)
	}
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/plans/%d/changes/category/%d", made.ID, found.Items[2].ID),
		map[string]any{"way": "", "leftOut": true}, nil))

	// One of them gets an ID by hand, by two people: the second is told.
	c := l.category(found.Items[0].ID)
	texts := map[string]any{"version": c.Version, "ref": "HV-1", "description": "For bees"}
	path := fmt.Sprintf("/api/v1/categories/%d", c.ID)
	l.do(l.Put(t.Context(), path, texts, nil))
	l.refused(l.Put(t.Context(), path, texts, nil), http.StatusConflict)
	other := l.category(found.Items[1].ID)
	l.refused(l.Put(t.Context(), fmt.Sprintf("/api/v1/categories/%d", other.ID),
		map[string]any{"version": other.Version, "ref": "hv-1", "description": ""}, nil), http.StatusUnprocessableEntity)
	p := l.plan(made.ID)
	if !p.Outdated {
		t.Errorf("the plan is of now: %+v", p)
	}
	l.applied(made.ID)
	for i, c := range found.Items {
		if got := l.category(c.ID); (len(got.shown()) == 1) != (i < 2) {
			t.Errorf("%s shows %v", c.Path, got.shown())
		}
	}
	if l.shows("AT-000") == "" {
		t.Error("the product shows nothing")
	}
	l.references("spread")
	// What stands on categories alone is no look-alike of a product's.
	later := l.gathered("more.zip", zipped(t, entry{"AT-000-A_2.jpg", jpg(t, 3)}, entry{"unnamed.jpg", jpg(t, 2)}))
	if f := l.file(later.ID, "AT-000-A_2.jpg"); f.Verdict != "paired" {
		t.Errorf("a lot that came after: %+v", f)
	}
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", made.ID), nil, nil)
	l.until("reverted", func() bool { return l.plan(made.ID).State == "reverted" })
	for _, c := range found.Items {
		if got := l.category(c.ID); len(got.shown()) != 0 {
			t.Errorf("%s shows %v after reverting", c.Path, got.shown())
		}
	}
	l.references("taken back")

	// What was changed by hand is told, and taken back by whoever looks later.
	var page struct {
		Ref, Description string
		FieldChanges     []store.ProductImport
	}
	l.do(l.Get(t.Context(), path, &page))
	if page.Ref != "HV-1" || len(page.FieldChanges) != 1 || !page.FieldChanges[0].Standing || page.FieldChanges[0].By == "" {
		t.Fatalf("by hand: %+v", page)
	}
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", page.FieldChanges[0].Import), nil, nil)
	l.until("the ID to be taken back", func() bool {
		l.do(l.Get(t.Context(), path, &page))
		return page.Ref == "" && page.Description == "" && page.FieldChanges[0].State == "reverted"
	})
}

// TestALotWithPicturesOfCategories reads a delivery in whose folders a shop's categories
// have their pictures beside the products', plans it, and takes it back.
func TestALotWithPicturesOfCategories(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	l.imported(l.brought("categories.csv", []byte("Category ID,Category path\nC-77,Tools / Hammers\nC-78,Tools / Saws\n")))
	lot := l.gathered("shop.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"C-77_1.jpg", jpg(t, 2)},
		entry{"shop/Saws/workshop.jpg", jpg(t, 3)}, entry{"Hammers/AT-001-A.jpg", jpg(t, 4)}, entry{"Hammers/forge.jpg", jpg(t, 5)}))
	for path, want := range map[string]string{
		"AT-000-A.jpg":           "paired AT-000-A same-name",
		"C-77_1.jpg":             "paired Tools / Hammers category",
		"shop/Saws/workshop.jpg": "paired Tools / Saws category",
		"Hammers/AT-001-A.jpg":   "paired AT-001-A same-name",
		"Hammers/forge.jpg":      "loose  category",
	} {
		f := l.file(lot.ID, path)
		if got := fmt.Sprintf("%s %s %s", f.Verdict, f.Code, f.Clue); got != want {
			t.Errorf("%s: %s, not %s: %s", path, got, want, f.Reason)
		}
	}
	// What is but proposed is taken with all of its kind.
	l.post(fmt.Sprintf("/api/v1/lots/%d/accept?verdict=loose", lot.ID), nil, nil)
	if f := l.file(lot.ID, "Hammers/forge.jpg"); f.Code != "Tools / Hammers" || f.Product != 0 {
		t.Errorf("accepted, it is on %q of the product %d", f.Code, f.Product)
	}
	before := l.standingOfCategories()
	plan := l.planned(lot.ID, "after")
	l.applied(plan)
	if got := l.standingOfCategories(); got != "Tools / Hammers 1 C-77_1.jpg\nTools / Hammers 2 Hammers/forge.jpg\nTools / Saws 1 "+
		"shop/Saws/workshop.jpg\n" {
		t.Errorf("on categories stand\n%s", got)
	}
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", plan), nil, nil)
	l.until("it to be taken back", func() bool { return l.standingOfCategories() == before })
}

func (l *line) standingOfCategories() string {
	l.t.Helper()
	return l.text(`select c.path, pl.place, f.path from placement pl join category c on c.id = pl.category_id join file f on f.id = pl.file_id
		order by c.path, pl.place`)
}
