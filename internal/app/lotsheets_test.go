package app

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/sheet"
	"ambrosa/internal/store"
)

// sheetOf returns the sheet that a file of a lot is.
func (l *line) sheetOf(lot int64, path string) sheetSeen {
	l.t.Helper()
	f := l.file(lot, path)
	if f.Verdict != "sheet" || f.Sheet == 0 {
		l.t.Fatalf("%s is %s of the sheet %d", path, f.Verdict, f.Sheet)
	}
	return l.rehearsed(f.Sheet)
}

// mappedAs gives columns of a sheet another meaning, as a person does.
func (l *line) mappedAs(s sheetSeen, fields map[int]sheet.Field) sheetSeen {
	l.t.Helper()
	for i, field := range fields {
		s.Mapping.Columns[i].Field = field
	}
	l.do(l.Put(l.t.Context(), fmt.Sprintf("/api/v1/sheets/%d/mapping", s.ID),
		map[string]any{"revision": s.Revision, "mapping": s.Mapping, "choices": s.Choices}, nil))
	return l.rehearsed(s.ID)
}

// read is how a file of a lot is paired.
func (l *line) readAs(lot int64, path string) string {
	l.t.Helper()
	f := l.file(lot, path)
	return strings.TrimSpace(f.Verdict + " " + f.Code)
}

// becomes waits until a file of a lot is paired as wanted: the lot is read again a moment
// after its sheet was judged.
func (l *line) becomes(lot int64, path, want string) {
	l.t.Helper()
	l.until(path+" to be "+want, func() bool { return l.readAs(lot, path) == want })
}

// TestASheetInALotIsASheetLikeAny drops a supplier's list among its pictures: it stands on
// Sheets, what it says of files is heard again when a person maps it otherwise, and when what
// it names was imported from it; the same bytes in another lot are the same sheet.
func TestASheetInALotIsASheetLikeAny(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	list := []byte("Ref;Foto 1;Naam;Also seen on\nAT-000-A;sun.jpg;Thing zero;cloud.jpg\nNEW-7;moon;Thing seven;\n")
	delivery := func(n int) []byte {
		return zipped(t, entry{"a/sun.jpg", jpg(t, n)}, entry{"moon.jpg", jpg(t, n+1)}, entry{"cloud.jpg", jpg(t, n+2)},
			entry{"list.csv", list})
	}
	lot := l.gathered("delivery.zip", delivery(1))
	s := l.sheetOf(lot.ID, "list.csv")
	if s.Name != "list.csv" || s.Rows != 2 || s.Mapping.Columns[1].Field != sheet.Picture {
		t.Fatalf("%+v", s.Sheet)
	}
	if s.Mapping.Columns[0].Field != sheet.SKU {
		s = l.mappedAs(s, map[int]sheet.Field{0: sheet.SKU})
	}
	l.becomes(lot.ID, "a/sun.jpg", "paired AT-000-A")
	if f := l.file(lot.ID, "moon.jpg"); f.Verdict != "loose" || !strings.Contains(f.Reason, "NEW-7, which no product has") {
		t.Errorf("the moon is %s: %s", f.Verdict, f.Reason)
	}

	// What a person says of a column is heard by the lot.
	s = l.mappedAs(s, map[int]sheet.Field{3: sheet.Picture})
	l.becomes(lot.ID, "cloud.jpg", "paired AT-000-A")
	s = l.mappedAs(s, map[int]sheet.Field{3: ""})
	l.becomes(lot.ID, "cloud.jpg", "loose")

	// What was made of it has its picture; the import taken back, it is not held by that.
	before := l.catalog()
	i := l.imported(s)
	l.becomes(lot.ID, "moon.jpg", "paired NEW-7")
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
	l.importIs(s.ID, "reverted")
	if after := l.catalog(); after != before {
		t.Errorf("before:\n%s\nreverted:\n%s", before, after)
	}
	l.becomes(lot.ID, "moon.jpg", "loose")
	l.rehearsed(s.ID)
	l.until("it to be judged again", func() bool { return !l.sheet(s.ID).Stale })
	l.imported(l.sheet(s.ID))
	l.becomes(lot.ID, "moon.jpg", "paired NEW-7")

	var unnamed struct {
		Items []store.LotFile
		Total int
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/sheets/%d/unnamed", s.ID), &unnamed))
	if unnamed.Total != 1 || unnamed.Items[0].Path != "cloud.jpg" || unnamed.Items[0].Lot != lot.ID {
		t.Errorf("in no row: %+v", unnamed)
	}

	// The same list comes again with other pictures of the same names: each lot has its own.
	again := l.gathered("again.zip", delivery(11))
	if other := l.sheetOf(again.ID, "list.csv"); other.ID != s.ID {
		t.Errorf("the same bytes are the sheets %d and %d", s.ID, other.ID)
	}
	if got := l.readAs(again.ID, "moon.jpg"); got != "paired NEW-7" {
		t.Errorf("the second moon is %s", got)
	}

	// A lot that was given up holds nothing that reading paired, and a sheet that was given up
	// says of files what it said.
	l.post(fmt.Sprintf("/api/v1/lots/%d/give-up", again.ID), nil, nil)
	i = l.sheet(s.ID).Imports[0]
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
	l.importIs(s.ID, "reverted")
	if after := l.catalog(); after != before {
		t.Errorf("before:\n%s\nreverted beside a lot that was given up:\n%s", before, after)
	}
	if ghost := l.text(`select path from file where verdict = 'paired' and product_id is null and category_id is null`); ghost != "" {
		t.Errorf("paired with nothing: %s", ghost)
	}
	l.becomes(lot.ID, "moon.jpg", "loose")
	l.rehearsed(s.ID)
	l.post(fmt.Sprintf("/api/v1/sheets/%d/give-up", s.ID), nil, nil)
	l.post(fmt.Sprintf("/api/v1/lots/%d/pair", lot.ID), nil, nil)
	l.readAgain(lot.ID)
	if got := l.readAs(lot.ID, "a/sun.jpg"); got != "paired AT-000-A" {
		t.Errorf("its sheet given up, the sun is %s", got)
	}

	// It is nothing that can be decided on, set aside or placed.
	f := l.file(lot.ID, "list.csv")
	if err := l.Call(t.Context(), http.MethodPost, fmt.Sprintf("/api/v1/files/%d/decision", f.ID), "application/json",
		strings.NewReader(fmt.Sprintf(`{"verdict":"set aside","reason":"no picture","version":%d}`, f.Version)), nil); err == nil {
		t.Error("a sheet was set aside")
	}
	l.post(fmt.Sprintf("/api/v1/lots/%d/set-aside", lot.ID), map[string]string{"reason": "all of it"}, nil)
	if got := l.file(lot.ID, "list.csv").Verdict; got != "sheet" {
		t.Errorf("setting all aside made it %s", got)
	}
}

// TestASheetThatCannotBeReadStandsInItsLot says where a workbook in a lot is damaged, and
// reads the lot's other files all the same.
func TestASheetThatCannotBeReadStandsInItsLot(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("damaged.zip", zipped(t, entry{"list.xlsx", []byte("PK\x03\x04 and no more")}, entry{"AT-000-A.jpg", jpg(t, 1)},
		entry{"empty.csv", []byte("\n\n")}))
	if s := l.sheetOf(lot.ID, "list.xlsx"); s.State != "unreadable" || s.Problem == "" {
		t.Errorf("%s: %s", s.State, s.Problem)
	}
	if s := l.sheetOf(lot.ID, "empty.csv"); s.State != "unreadable" {
		t.Errorf("an empty one is %s", s.State)
	}
	if got := l.readAs(lot.ID, "AT-000-A.jpg"); got != "paired AT-000-A" {
		t.Errorf("its picture is %s", got)
	}
}

func text(s string) *string { return &s }

// rehearsedAfter waits until a sheet is judged with what do does to it.
func (l *line) rehearsedAfter(id int64, do func()) sheetSeen {
	l.t.Helper()
	do()
	return l.rehearsed(id)
}

// TestVariantsThatASheetNoLongerNames lists what an earlier sheet of the supplier named and
// this one does not, retires what a person chose of it, and takes that back.
func TestVariantsThatASheetNoLongerNames(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(5)
	l.brought("march.csv", []byte("SKU,Title\nAT-000-A,Zero\nAT-001-A,One\nAT-002-A,Two\n"))
	s := l.brought("june.csv", []byte("SKU,Title\nAT-000-A,Zero\n"))
	listed := func() (skus []string, items []store.GoneVariant) {
		var page struct{ Items []store.GoneVariant }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/sheets/%d/gone", s.ID), &page))
		for _, v := range page.Items {
			skus = append(skus, v.SKU)
		}
		return skus, page.Items
	}
	if skus, _ := listed(); skus != nil {
		t.Errorf("nobody asked, and it lists %q", skus)
	}
	choose := func(gone sheet.Choice) {
		s.Choices.Gone = gone
		s = l.mappedAs(s, nil)
	}
	choose(sheet.DoAll)
	if skus, _ := listed(); len(skus) < 4 || slices.Contains(skus, "AT-000-A") || !slices.Contains(skus, "AT-003-A") {
		t.Errorf("all others are %q", skus)
	}
	// Nothing is listed while a row may be about any of them.
	s = l.rehearsedAfter(s.ID, func() {
		l.edited(s.ID, 2, sheet.CellEdit{Column: 0, Value: text("at 001 a")})
	})
	var unknown store.Gone
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/sheets/%d/gone", s.ID), &unknown))
	if unknown.Unknown != 1 || len(unknown.Items) > 0 {
		t.Errorf("with a row that may be AT-001-A: %+v", unknown)
	}
	s = l.rehearsedAfter(s.ID, func() { l.edited(s.ID, 2) })
	choose(sheet.DoList)
	skus, items := listed()
	if !slices.Equal(skus, []string{"AT-001-A", "AT-002-A"}) {
		t.Fatalf("not named any more: %q", skus)
	}
	before := l.catalog()
	var done struct{ Import int64 }
	retire := fmt.Sprintf("/api/v1/sheets/%d/gone/retire", s.ID)
	l.post(retire, map[string]any{"variants": []int64{items[1].Variant}}, &done)
	if left, _ := listed(); !slices.Equal(left, []string{"AT-001-A"}) {
		t.Errorf("then there are %q", left)
	}
	// A second person still sees both.
	if err := l.Post(t.Context(), retire, map[string]any{"variants": []int64{items[0].Variant, items[1].Variant}}, nil); err == nil {
		t.Error("what is retired was retired again")
	}
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", done.Import), nil, nil)
	l.until("it to be back", func() bool { return l.catalog() == before })
}

// TestAPictureOfSeveralLotsIsChosen names a file that two lots have: each is offered, and the
// one that is taken is paired; or the lots are chosen in which all are looked for. What was
// chosen is not kept for the next sheet.
func TestAPictureOfSeveralLotsIsChosen(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	may := l.gathered("May.zip", zipped(t, entry{"pot.jpg", jpg(t, 41)}, entry{"lid.jpg", jpg(t, 42)}))
	june := l.gathered("June.zip", zipped(t, entry{"new/pot.jpg", jpg(t, 43)}, entry{"lid.jpg", jpg(t, 44)}))
	s := l.brought("pots.csv", []byte("SKU;Picture\nAT-000-A;pot.jpg\nAT-001-A;lid.jpg\n"))
	if s.Totals.Questions[0].Kind != sheet.Contested || len(s.Totals.Questions[0].Deeds) != 0 {
		t.Fatalf("%+v", s.Totals.Questions)
	}
	offered := l.edited(s.ID, 2).Cells[0].Remedies
	if len(offered) != 2 || offered[0].Value != june.Name+"/new/pot.jpg" || offered[1].Value != may.Name+"/pot.jpg" {
		t.Fatalf("offered %+v", offered)
	}
	if row := l.edited(s.ID, 2, sheet.CellEdit{Column: 1, Value: &offered[1].Value}); len(row.Cells) != 0 {
		t.Errorf("taken, and still %+v", row.Cells)
	}
	s = l.rehearsed(s.ID)
	s.Choices.Lots = []int64{june.ID}
	s = l.mappedAs(s, nil)
	if len(s.Totals.Questions) != 0 {
		t.Fatalf("looked for in June alone, %+v", s.Totals.Questions)
	}
	l.post(fmt.Sprintf("/api/v1/sheets/%d/keep", s.ID), map[string]string{"name": "Pots"}, nil)
	if next := l.brought("next.csv", []byte("SKU;Picture\nAT-000-A;pot.jpg\n")); next.MappedAs != "Pots" || len(next.Choices.Lots) != 0 {
		t.Errorf("the next is mapped as %q with %+v", next.MappedAs, next.Choices)
	}
	s.Choices.Lots = []int64{may.ID, june.ID}
	s = l.mappedAs(s, nil)
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures", s.ID), nil, nil)
	l.becomes(may.ID, "pot.jpg", "paired AT-000-A")
	if got := l.readAs(june.ID, "new/pot.jpg"); got != "loose" {
		t.Errorf("the one that was not taken is %s", got)
	}
	if got := l.readAs(may.ID, "lid.jpg"); got != "loose" {
		t.Errorf("a contested one is %s", got)
	}
}
