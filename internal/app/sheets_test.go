package app

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/sheet"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestTheCatalogMovesOnBeforeAnImport changes a product after the rehearsal: for it
// nothing is done, and its row is shown anew; the others are imported.
func TestTheCatalogMovesOnBeforeAnImport(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	s := l.brought("a.csv", []byte("sku;title\nAT-000-A;First\nAT-001-A;Second\nAT-950;Third\n"))
	other := l.brought("b.csv", []byte("sku;title\nAT-001-A;Somebody was quicker\n"))
	l.imported(other)
	if !l.sheet(s.ID).Stale {
		t.Error("nothing says that the catalog changed")
	}
	i := l.imported(s)
	if i.Overtaken != 1 || i.Changed != 1 || i.Made != 1 {
		t.Errorf("%+v", i)
	}
	after := l.catalog()
	if !strings.Contains(after, "Somebody was quicker") || strings.Contains(after, "Second") || !strings.Contains(after, "Third") {
		t.Errorf("the catalog:\n%s", after)
	}
	// Taken back, the first import leaves what the other one did.
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
	l.importIs(s.ID, "reverted")
	if after := l.catalog(); !strings.Contains(after, "Somebody was quicker") || strings.Contains(after, "Third") {
		t.Errorf("the catalog:\n%s", after)
	}
}

// TestWhatWasChangedSinceStays takes one product of an import back, after somebody
// changed another field of it.
func TestWhatWasChangedSinceStays(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	s := l.brought("a.csv", []byte("sku;title;category\nAT-000-A;From the sheet;Things\nAT-001-A;Other;Things\n"))
	i := l.imported(s)
	l.imported(l.brought("b.csv", []byte("sku;title\nAT-000-A;By hand since\n")))
	product := l.product("AT-000-A").ID
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert?product=%d", i.ID, product), nil, nil)
	l.until("one product to be taken back", func() bool { return l.sheet(s.ID).Imports[0].Standing == 1 })
	var page struct{ Items []store.ImportedProduct }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/imports/%d/products", i.ID), &page))
	for _, p := range page.Items {
		if p.Product == product && (p.State != "reverted" || !strings.Contains(p.Note, "title")) {
			t.Errorf("%+v", p)
		}
	}
	if after := l.catalog(); !strings.Contains(after, "By hand since") || strings.Contains(after, "By hand since Things AT-000-A") {
		t.Errorf("the title since stays, the category goes:\n%s", after)
	}
}

// TestImportsAndTheirWayBack imports random sheets into a random catalog: what was
// rehearsed is what is done, imported again every row is the same, and taken back the
// catalog is as before.
func TestImportsAndTheirWayBack(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(12)
	r := rand.New(rand.NewPCG(20, 26))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	for round := range 8 {
		before := l.catalog()
		rows := []string{"sku;product;title;description;gtin;Colour;category;retire;Brand"}
		for n := range 40 {
			product := fmt.Sprintf("AT-%03d", r.IntN(14))
			rows = append(rows, strings.Join([]string{fmt.Sprintf("%s-%s", product, pick("A", "B", "C")), pick(product, product, product, "AT-003"),
				pick("", "A title", fmt.Sprintf("Thing %d", n)), pick("", "what it is"), pick("", "", barcode(500+round*40+n)),
				pick("amber", "blue", "red", ""), pick("", "Things", "Things > "+product), pick("", "ja", "nein"), pick("", "Wabenhof")}, ";"))
		}
		s := l.brought(fmt.Sprintf("%d.csv", round), []byte(strings.Join(rows, "\n")))
		for _, deed := range []struct {
			kind sheet.Matter
			do   sheet.Deed
		}{{sheet.Moves, sheet.Keep}, {sheet.Twice, sheet.Leave}} {
			for _, q := range s.Totals.Questions {
				if q.Kind == deed.kind {
					s = l.mended(s, q.Column, q.Kind, deed.do)
				}
			}
		}
		if s.Totals.Verdicts["make"]+s.Totals.Verdicts["change"] == 0 {
			t.Fatalf("round %d: nothing to import: %v", round, s.Totals.Verdicts)
		}
		i := l.imported(s)
		if i.Made != s.Totals.Verdicts["make"] || i.Changed != s.Totals.Verdicts["change"] || i.Overtaken != 0 {
			t.Errorf("round %d: rehearsed %v, imported %+v", round, s.Totals.Verdicts, i)
		}
		imported := l.catalog()
		l.asRecorded(i.ID)
		l.post(fmt.Sprintf("/api/v1/sheets/%d/rehearse", s.ID), nil, nil)
		l.until("it to be judged again", func() bool { return !l.sheet(s.ID).Stale })
		if again := l.sheet(s.ID).Totals.Verdicts; again["make"]+again["change"] > 0 {
			t.Errorf("round %d, imported: %v, %q", round, again, l.rows(s.ID, "&verdict=change"))
		}
		l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
		l.importIs(s.ID, "reverted")
		if after := l.catalog(); after != before {
			t.Fatalf("round %d: before:\n%s\nimported:\n%s\nafter reverting:\n%s", round, before, imported, after)
		}
		if round%2 == 0 { // and go on from another catalog
			l.post(fmt.Sprintf("/api/v1/sheets/%d/rehearse", s.ID), nil, nil)
			l.until("it to be judged again", func() bool { return !l.sheet(s.ID).Stale })
			l.imported(l.sheet(s.ID))
		}
	}
}

// asRecorded holds what an import recorded of each product against what stands, and what
// products are found by against what they are.
func (l *line) asRecorded(id int64) {
	l.t.Helper()
	changes, err := store.StandingChanges(l.t.Context(), testdb.Pool(l.Store), id, 0, 0, 1000)
	l.do(err)
	if len(changes) == 0 {
		l.t.Fatal("it recorded nothing")
	}
	for _, c := range changes {
		stands, err := l.Store.SnapshotOf(l.t.Context(), c.ProductID)
		l.do(err)
		if !c.After.Same(stands) {
			l.t.Errorf("recorded: %+v\nstands: %+v", c.After, stands)
		}
	}
	if other := l.text(`select p.code, p.search from product p where p.search <> lower(concat_ws(' ', p.code, p.title,
		(select string_agg(variant_text(v), ' ' order by v.position, v.id) from variant v where v.product_id = p.id)))`); other != "" {
		l.t.Errorf("found by what they are not:\n%s", other)
	}
}

// TestWhatHasPicturesStays takes an import back after a picture was put on a variant that
// it made: neither the variant nor its picture is lost, and it says so.
func TestWhatHasPicturesStays(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	s := l.brought("a.csv", []byte("sku;product;title;category\nAT-000-X;AT-000;New;Things > Odd\nAT-001-X;AT-001;New;Things\n"))
	i := l.imported(s)
	lot := l.gathered("p.zip", zipped(t, entry{"AT-000-X.jpg", jpg(t, 1)}))
	l.applied(l.planned(lot.ID, "after"))
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
	l.importIs(s.ID, "reverted")
	after := l.catalog()
	if !strings.Contains(after, "AT-000-X") || strings.Contains(after, "AT-001-X") || strings.Contains(after, "Things") {
		t.Errorf("the catalog:\n%s", after)
	}
	if shows := l.shows("AT-000"); !strings.Contains(shows, "AT-000-X") {
		t.Errorf("the product shows %q", shows)
	}
	var page struct{ Items []store.ImportedProduct }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/imports/%d/products", i.ID), &page))
	if notes := page.Items[0].Note + page.Items[1].Note; !strings.Contains(notes, "AT-000-X, which has pictures") {
		t.Errorf("%q", notes)
	}
}

// TestTwoPeopleOnOneSheet change the same row, and mend and map what another has changed
// meanwhile: nobody's change is written over, and each is told.
func TestTwoPeopleOnOneSheet(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	s := l.brought("a.csv", []byte("a list\nsku;title\nAT 000 A;One\nAT 001 A;Two\n"))
	seen := s
	one, two := "First", "Second"
	l.edited(s.ID, 3, sheet.CellEdit{Column: 1, Value: &one})
	row := fmt.Sprintf("/api/v1/sheets/%d/rows/3", s.ID)
	stale := map[string]any{"was": []sheet.CellEdit{}, "edits": []sheet.CellEdit{{Column: 1, Value: &two}}}
	l.refused(l.Put(t.Context(), row, stale, nil), http.StatusConflict)
	if edits := l.editsOf(s.ID, 3); len(edits) != 1 || *edits[0].Value != one {
		t.Errorf("the first one's change is %+v", edits)
	}
	all := map[string]any{"revision": seen.Revision, "column": 0, "judgement": sheet.Spelling, "do": sheet.Take}
	remedies := fmt.Sprintf("/api/v1/sheets/%d/remedies", s.ID)
	l.refused(l.Post(t.Context(), remedies, all, nil), http.StatusConflict)
	s = l.mended(l.rehearsed(s.ID), 0, sheet.Spelling, sheet.Take)

	// Another row for the header, and back: what was done to the rows stays.
	for _, header := range []int{1, 0} {
		l.post(fmt.Sprintf("/api/v1/sheets/%d/read", s.ID), map[string]any{"worksheet": "", "header": header}, nil)
		s = l.rehearsed(s.ID)
	}
	if edits := l.editsOf(s.ID, 3); len(edits) != 2 || s.Header != 2 || s.Totals.Verdicts["refused"] != 0 {
		t.Errorf("header in row %d, %v, edits %+v", s.Header, s.Totals.Verdicts, edits)
	}

	// While an import is under way nothing of the sheet changes.
	tx, err := testdb.Pool(l.Store).Begin(t.Context())
	l.do(err)
	_, err = tx.Exec(t.Context(), `select from catalog_version for update`)
	l.do(err)
	l.post(fmt.Sprintf("/api/v1/sheets/%d/import", s.ID), map[string]int{"revision": s.Revision}, nil)
	current := map[string]any{"was": l.editsOf(s.ID, 3), "edits": []sheet.CellEdit{}}
	if said := l.refused(l.Put(t.Context(), row, current, nil), http.StatusConflict); !strings.Contains(said, "under way") {
		t.Error(said)
	}
	l.do(tx.Rollback(t.Context()))
	if i := l.importIs(s.ID, "imported"); i.Changed != 2 {
		t.Errorf("%+v", i)
	}

	l.post(fmt.Sprintf("/api/v1/sheets/%d/give-up", s.ID), nil, nil)
	l.post(fmt.Sprintf("/api/v1/sheets/%d/restore", s.ID), nil, nil)
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/sheets/%d/restore", s.ID), nil, nil), http.StatusNotFound)
}

// TestAnImportIsStoppedAndGoesOn stops imports in between: what is done is whole products,
// and the rest goes on, or what is done is taken back.
func TestAnImportIsStoppedAndGoesOn(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	before := l.catalog()
	var rows strings.Builder
	rows.WriteString("sku;product;title\n")
	for n := range 3000 {
		fmt.Fprintf(&rows, "NW-%04d-%d;NW-%04d;New %d\n", n/2, n%2, n/2, n)
	}
	s := l.brought("new.csv", []byte(rows.String()))
	for _, goesOn := range []bool{false, true} {
		var queued struct{ ID int64 }
		l.post(fmt.Sprintf("/api/v1/sheets/%d/import", s.ID), map[string]int{"revision": s.Revision}, &queued)
		l.until("some products to be imported", func() bool { return l.sheet(s.ID).Imports[0].Made > 0 })
		// What comes next waits for the catalog, and is stopped meanwhile.
		tx, err := testdb.Pool(l.Store).Begin(t.Context())
		l.do(err)
		_, err = tx.Exec(t.Context(), `select from catalog_version for update`)
		l.do(err)
		stopped := l.Post(t.Context(), fmt.Sprintf("/api/v1/runs/%d/stop", queued.ID), nil, nil)
		if i := l.sheet(s.ID).Imports[0]; stopped != nil && i.State == "importing" {
			t.Errorf("not stopped: %v", stopped) // one that has ended cannot be
		}
		l.do(tx.Rollback(t.Context()))
		l.until("the run to be stopped", func() bool {
			var run store.Run
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/runs/%d", queued.ID), &run))
			return run.State == "stopped" || run.State == "done"
		})
		if text := l.text("select count(*) from (select product_id from variant group by 1 having count(*) <> 2) half"); text != "0\n" {
			t.Errorf("%s products are there by half", text)
		}
		i := l.sheet(s.ID).Imports[0]
		if i.State == "importing" && (goesOn || i.Standing == 0) {
			l.post(fmt.Sprintf("/api/v1/runs/%d/resume", queued.ID), nil, nil)
			i = l.importIs(s.ID, "imported")
		}
		if goesOn && i.Products != 1500 {
			t.Errorf("%+v", i)
		}
		l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
		l.importIs(s.ID, "reverted")
		if after := l.catalog(); after != before {
			t.Errorf("goes on %v, taken back:\n%.500s", goesOn, after)
		}
	}
}

// TestASheetIsMappedByHand refuses what cannot be, remembers what was chosen, and maps
// the next sheet with the same headers by itself.
func TestASheetIsMappedByHand(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	content := []byte("Kennwort;Etwas\nAT-000-A;red\nAT-001-A;blue\n")
	s := l.brought("a.csv", content)
	if s.Mapping.Columns[0].Field != sheet.SKU || s.Mapping.Columns[1].Field != "" {
		t.Fatalf("by its values the first column is the SKU: %+v", s.Mapping.Columns)
	}
	path := fmt.Sprintf("/api/v1/sheets/%d/mapping", s.ID)
	change := func(field sheet.Field) map[string]any {
		m := s.Mapping
		m.Columns = append([]sheet.Column{}, m.Columns...)
		m.Columns[1].Field, m.Columns[1].Name = field, "Colour"
		return map[string]any{"revision": s.Revision, "mapping": m, "choices": s.Choices}
	}
	said := l.refused(l.Put(t.Context(), path, change("sku"), nil), http.StatusUnprocessableEntity)
	if !strings.Contains(said, "both are the SKU") {
		t.Error(said)
	}
	l.do(l.Put(t.Context(), path, change(sheet.Option), nil))
	l.refused(l.Put(t.Context(), path, change(sheet.Attribute), nil), http.StatusConflict) // somebody else's screen
	if s = l.rehearsed(s.ID); s.Totals.Verdicts["change"] != 2 {
		t.Errorf("%v", s.Totals.Verdicts)
	}
	l.post(fmt.Sprintf("/api/v1/sheets/%d/keep", s.ID), map[string]string{"name": "Of the Kennwort supplier"}, nil)
	if next := l.brought("next.csv", content); next.MappedAs != "Of the Kennwort supplier" || next.Mapping.Columns[1].Name != "Colour" {
		t.Errorf("the next one is mapped as %q: %+v", next.MappedAs, next.Mapping.Columns)
	}
	// One that lacks a column and has another is mapped so as well, and says what does not fit.
	near := l.brought("near.csv", []byte("Etwas;Kennwort;Titel;Bild\nred;AT-000-A;Thing 0;a.jpg\n"))
	if near.MappedAs != "" {
		t.Errorf("headers of which half are others are mapped as %q", near.MappedAs)
	}
	l.post(fmt.Sprintf("/api/v1/sheets/%d/keep", near.ID), map[string]string{"name": "With titles"}, nil)
	near = l.brought("nearer.csv", []byte("Etwas;Kennwort;Titel;Bild;EAN\nred;AT-000-A;Thing 0;a.jpg;\n"))
	if near.MappedAs != "With titles" || len(near.Misfits) != 1 || near.Mapping.Columns[4].Field != sheet.GTIN {
		t.Errorf("mapped as %q, %q: %+v", near.MappedAs, near.Misfits, near.Mapping.Columns)
	}
	other := l.brought("other.csv", []byte("Etwas;sku;title\nred;AT-000-A;Thing 0\n"))
	if c := other.Mapping.Columns[0]; c.Field != sheet.Option || c.Name != "Colour" || !strings.Contains(c.Evidence, "you chose this") {
		t.Errorf("what was chosen for a header is not remembered: %+v", c)
	}
}

// TestSheetsThatCannotBe says of each what is wrong with it, and keeps it.
func TestSheetsThatCannotBe(t *testing.T) {
	t.Parallel()
	l := start(t)
	for name, c := range map[string]struct{ content, says string }{
		"old.xls":     {"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + strings.Repeat("\x00", 600), "Save it as XLSX"},
		"broken.xlsx": {"PK\x03\x04 no", "not a workbook"},
		"notes.csv":   {"\n\n", "empty"},
	} {
		s := l.brought(name, []byte(c.content))
		if s.State != "unreadable" || !strings.Contains(strings.ToLower(s.Problem), strings.ToLower(c.says)) {
			t.Errorf("%s: %s %q", name, s.State, s.Problem)
		}
	}
	if s := l.brought("no-header.csv", []byte("http://x.example;1\nhttp://y.example;2\n")); s.State != "open" || s.Problem == "" {
		t.Errorf("a sheet without a header is %s, and cannot be given one: %q", s.State, s.Problem)
	}
	if s := l.brought("prices.csv", []byte("Price;Stock\n1,20;4\n")); !strings.Contains(s.Problem, "no column says which product") {
		t.Errorf("%s %q", s.State, s.Problem)
	}
}

// TestAListOfCategoriesFromDropToRevert makes and changes categories by a sheet, pairs the
// pictures that it names with them, and takes all back: one alone, then the rest.
func TestAListOfCategoriesFromDropToRevert(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	for _, path := range []string{"Hives", "Candles"} {
		_, err := testdb.Pool(l.Store).Exec(t.Context(), `insert into category (name, path) values ($1, $1)`, path)
		l.do(err)
	}
	lot := l.gathered("banners.zip", zipped(t, entry{"all/Beside-the-lake.jpg", jpg(t, 1)}, entry{"all/veils.png.jpg", jpg(t, 2)}))
	before := l.categories()
	s := l.brought("categories.csv", []byte("Kategorie-ID;Kategoriepfad;Beschreibung;Bild\r\n"+
		"K10;Hives;Für Bienen;beside-the-lake.jpg\r\n"+
		"K20;Clothing > Veils;Über dem Gesicht;\r\n"+
		"K30;Candles;;\r\n"+
		"K30;Feed;;\r\n"))
	if got := fmt.Sprint(s.Mapping.Identity); got != "[category-id category]" || s.Problem != "" {
		t.Fatalf("rows are told apart by %s: %s", got, s.Problem)
	}
	if got := l.rows(s.ID, ""); fmt.Sprint(got) != fmt.Sprint([]string{"2 change Hives", "3 make Clothing / Veils",
		"4 refused Candles [0: twice]", "5 refused Feed [0: twice]"}) {
		t.Fatalf("rows:\n%s", strings.Join(got, "\n"))
	}
	if l.categories() != before {
		t.Error("a rehearsal changed something")
	}
	own := "K40"
	l.edited(s.ID, 5, sheet.CellEdit{Column: 0, Value: &own})
	s = l.rehearsed(s.ID)
	if s.Totals.Verdicts["refused"] != 0 {
		l.post(fmt.Sprintf("/api/v1/sheets/%d/rehearse", s.ID), nil, nil)
		l.until("both to have their own ID", func() bool { s = l.sheet(s.ID); return s.Totals.Verdicts["refused"] == 0 })
	}
	i := l.imported(s)
	after := l.categories()
	for _, line := range []string{"Hives K10 Für Bienen", "Clothing  ", "Clothing / Veils K20 Über dem Gesicht", "Candles K30 ", "Feed K40 "} {
		if !strings.Contains(after, line+"\n") {
			t.Errorf("there is no %q:\n%s", line, after)
		}
	}
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures", s.ID), nil, nil)
	l.until("the banner to be paired", func() bool { return l.file(lot.ID, "all/Beside-the-lake.jpg").Code == "Hives" })
	l.until("the pair to be counted", func() bool { return l.sheet(s.ID).Paired == 1 })
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures/take-back", s.ID), nil, nil)
	l.until("the pair to be taken back", func() bool { return l.sheet(s.ID).Paired == 0 })

	var made struct{ Items []store.ImportedProduct }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/imports/%d/products", i.ID), &made))
	if len(made.Items) != 4 || made.Items[0].Category == 0 || made.Items[0].Code != "Hives" {
		t.Fatalf("imported: %+v", made.Items)
	}
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert?category=%d", i.ID, made.Items[0].Category), nil, nil)
	l.until("one category to be taken back", func() bool { return strings.Contains(l.categories(), "Hives  \n") })
	if got := l.categories(); !strings.Contains(got, "Feed K40") {
		t.Errorf("more than one was taken back:\n%s", got)
	}
	// Somebody gives one that was there a text since: it stays, and all else goes.
	var candles store.Category
	for _, c := range l.tree() {
		if c.Path == "Candles" {
			candles = c
		}
	}
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/categories/%d", candles.ID),
		map[string]any{"version": candles.Version, "ref": candles.Ref, "description": "Of wax"}, nil))
	l.until("no run to be under way", func() bool {
		for _, r := range l.runs() {
			if r.State != "done" {
				return false
			}
		}
		return true
	})
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
	l.importIs(s.ID, "reverted")
	if got := l.categories(); got != strings.Replace(before, "Candles  ", "Candles  Of wax", 1) {
		t.Errorf("before:\n%s\nafter reverting:\n%s", before, got)
	}
}

func (l *line) tree() []store.Category {
	l.t.Helper()
	var found struct{ Items []store.Category }
	l.do(l.Get(l.t.Context(), "/api/v1/categories", &found))
	return found.Items
}

// categories are all of them as text: path, ID and what they are about.
func (l *line) categories() (text string) {
	l.t.Helper()
	for _, c := range l.tree() {
		text += fmt.Sprintf("%s %s %s\n", c.Path, c.Ref, c.Description)
	}
	return text
}
