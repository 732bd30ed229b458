package app

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/sheet"
	"ambrosa/internal/importing"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// sheetSeen is a sheet as the API shows it.
type sheetSeen struct {
	store.Sheet
	Imports []store.Import
}

// brought brings a spreadsheet and waits until it is rehearsed, or cannot be.
func (l *line) brought(name string, content []byte) sheetSeen {
	l.t.Helper()
	var made struct{ ID int64 }
	l.do(l.Call(l.t.Context(), http.MethodPost, "/api/v1/sheets?name="+url.QueryEscape(name), "application/octet-stream",
		bytes.NewReader(content), &made))
	return l.rehearsed(made.ID)
}

func (l *line) sheet(id int64) (s sheetSeen) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/sheets/%d", id), &s))
	return s
}

// rehearsed waits until a sheet's verdicts are of what it is now.
func (l *line) rehearsed(id int64) (s sheetSeen) {
	l.t.Helper()
	l.until("the sheet to be rehearsed", func() bool {
		s = l.sheet(id)
		return s.State == "unreadable" || s.State == "open" && (s.Problem != "" || s.Rehearsed == s.Revision)
	})
	return s
}

// rows returns a sheet's rows, each as "number verdict sku [column: judgement]".
func (l *line) rows(id int64, query string) (said []string) {
	l.t.Helper()
	var page struct{ Items []importing.JudgedRow }
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/sheets/%d/rows?limit=500%s", id, query), &page))
	for _, r := range page.Items {
		text := fmt.Sprintf("%d %s %s", r.Row, r.Verdict, r.SKU)
		for _, c := range r.Cells {
			text += fmt.Sprintf(" [%d: %s]", c.Column, c.Kind)
		}
		said = append(said, text)
	}
	return said
}

// edited changes a row of a sheet.
func (l *line) edited(id int64, row int, edits ...sheet.CellEdit) (r importing.JudgedRow) {
	l.t.Helper()
	l.do(l.Put(l.t.Context(), fmt.Sprintf("/api/v1/sheets/%d/rows/%d", id, row), map[string]any{"was": l.editsOf(id, row),
		"edits": append([]sheet.CellEdit{}, edits...)}, &r))
	return r
}

// editsOf returns what was done to a row of a sheet.
func (l *line) editsOf(id int64, row int) []sheet.CellEdit {
	l.t.Helper()
	rows, err := store.RowsOf(l.t.Context(), testdb.Pool(l.App.Store), id, []int{row})
	l.do(err)
	return rows[0].Edits
}

// mended does what remedies say, for all cells alike.
func (l *line) mended(s sheetSeen, column int, kind sheet.Matter, deed sheet.Deed) sheetSeen {
	l.t.Helper()
	l.post(fmt.Sprintf("/api/v1/sheets/%d/remedies", s.ID),
		map[string]any{"revision": s.Revision, "column": column, "judgement": kind, "do": deed}, nil)
	return l.rehearsed(s.ID)
}

// imported imports a sheet as it was rehearsed and waits until that is done.
func (l *line) imported(s sheetSeen) store.Import {
	l.t.Helper()
	l.post(fmt.Sprintf("/api/v1/sheets/%d/import", s.ID), map[string]int{"revision": s.Revision}, nil)
	return l.importIs(s.ID, "imported")
}

func (l *line) importIs(id int64, state string) (i store.Import) {
	l.t.Helper()
	l.until("the import to be "+state, func() bool {
		i = l.sheet(id).Imports[0]
		return i.State == state
	})
	return i
}

// catalog is everything that a sheet can change, as text.
func (l *line) catalog() string {
	l.t.Helper()
	return l.text(`select p.code, p.ref, p.title, coalesce(c.path, '') as path, v.sku, v.title, v.description, coalesce(v.gtin, '') as gtin,
		v.codes, v.options, v.attributes, v.retired
		from product p left join category c on c.id = p.category_id left join variant v on v.product_id = p.id order by p.code, v.sku`) +
		l.text(`select path from category order by path`)
}

// text returns all that a query finds, a line a row.
func (l *line) text(query string) string {
	l.t.Helper()
	rows, err := testdb.Pool(l.App.Store).Query(l.t.Context(), query)
	l.do(err)
	defer rows.Close()
	var b strings.Builder
	for rows.Next() {
		values, err := rows.Values()
		l.do(err)
		fmt.Fprintln(&b, values...)
	}
	l.do(rows.Err())
	return b.String()
}

// workbookOf writes a workbook with one worksheet.
func workbookOf(t *testing.T, rows ...[]any) []byte {
	t.Helper()
	book := excelize.NewFile()
	for i, row := range rows {
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
			t.Fatal(err)
		}
	}
	var out bytes.Buffer
	if err := book.Write(&out); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestASheetFromDropToRevert brings a workbook as a supplier writes it, mends it in
// place, imports it, and takes it back.
func TestASheetFromDropToRevert(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("pictures.zip", zipped(t, entry{"new/IMG_3301.JPG", jpg(t, 1)}, entry{"other.jpg", jpg(t, 2)}))
	before := l.catalog()
	s := l.brought("price list.xlsx", workbookOf(t,
		[]any{"Spring list of a supplier"},
		[]any{},
		[]any{"Artikelnummer", "Hauptartikelnummer", "Bezeichnung", "EAN", "Farbe", "Warengruppe", "Bild"},
		[]any{"AT-000-A", "AT-000", "Thing with a new name", barcode(0), "amber", "Things", "img_3301.jpg"},
		[]any{"AT-001-A", "AT-001", "Thing 1", barcode(1), "amber", "", ""},
		[]any{"AT 002 B", "AT-002", "Thing 2", "", "blue", "", ""},
		[]any{"AT-900-A", "AT-900", "A new thing", barcode(90), "red", "Things", "at900.jpg"},
		[]any{"AT-901-A", "AT-901", "Another one", "2000000000906", "red", "Things", ""},
	))
	if s.State != "open" || s.Header != 3 || s.FirstRow != 4 || s.Rows != 5 {
		t.Fatalf("%s %q: header in row %d, %d rows from %d", s.State, s.Problem, s.Header, s.Rows, s.FirstRow)
	}
	var fields []string
	for _, c := range s.Mapping.Columns {
		fields = append(fields, string(c.Field)+" "+c.Name)
	}
	if got := strings.Join(fields, ", "); got != "sku , product , title , gtin , option Colour, category , picture " {
		t.Errorf("mapped: %s", got)
	}
	want := []string{"4 change AT-000-A", "5 same AT-001-A", "6 refused AT 002 B [0: spelt otherwise]",
		"7 make AT-900-A [5: new category] [6: missing]",
		"8 refused AT-901-A [3: no gtin] [5: new category]"}
	want[0] += " [5: new category]"
	if got := l.rows(s.ID, ""); !slices.Equal(got, want) {
		t.Errorf("rows:\n%s", strings.Join(got, "\n"))
	}
	if got := l.rows(s.ID, "&verdict=refused&column=3"); len(got) != 1 || !strings.HasPrefix(got[0], "8 ") {
		t.Errorf("refused for their GTIN: %q", got)
	}
	if l.catalog() != before {
		t.Error("a rehearsal changed something")
	}

	// It can go back to who sent it, marked.
	response, err := http.Get(l.Address + fmt.Sprintf("/media/sheets/%d/judged?format=csv&verdict=refused", s.ID))
	l.do(err)
	back, err := io.ReadAll(response.Body)
	l.do(errors.Join(err, response.Body.Close()))
	text := string(back)
	if strings.Count(text, "\r\n") != 3 || !strings.Contains(text, "AT 002 B") || !strings.Contains(text, "check digit") {
		t.Errorf("sent back: %s", text)
	}

	// Mended in place: one by its remedy, one by typing over.
	s = l.mended(s, 0, sheet.Spelling, sheet.Take)
	right := "2000000000900"
	if r := l.edited(s.ID, 8, sheet.CellEdit{Column: 3, Value: &right}); r.Verdict == sheet.Make || r.Values[3] != "2000000000906" {
		t.Errorf("row 8 has a wrong check digit still, and is %s; the cell reads %q", r.Verdict, r.Values[3])
	}
	empty := ""
	if r := l.edited(s.ID, 8, sheet.CellEdit{Column: 3, Value: &empty}); r.Verdict != sheet.Make {
		t.Errorf("row 8 is %s: %+v", r.Verdict, r.Cells)
	}
	old := s
	s = l.rehearsed(s.ID)
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/sheets/%d/import", s.ID), map[string]int{"revision": old.Revision}, nil), 409)

	i := l.imported(s)
	if i.Made != 2 || i.Changed != 1 || i.Overtaken != 0 || i.Products != 3 {
		t.Errorf("imported: %+v", i)
	}
	after := l.catalog()
	for _, line := range []string{
		"AT-900  A new thing Things AT-900-A A new thing  0", "AT-901  Another one Things AT-901-A", "Thing with a new name"} {
		if !strings.Contains(after, line) {
			t.Errorf("the catalog has no %q:\n%s", line, after)
		}
	}
	if again := l.rehearsed(s.ID); again.Stale {
		l.post(fmt.Sprintf("/api/v1/sheets/%d/rehearse", s.ID), nil, nil)
		l.until("the sheet to be judged again", func() bool { return !l.sheet(s.ID).Stale })
	}
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures", s.ID), nil, nil)
	l.until("the picture that the sheet names to be paired", func() bool {
		f := l.file(lot.ID, "new/IMG_3301.JPG")
		return f.Verdict == "paired" && f.Code == "AT-000-A"
	})
	l.until("the pair to be counted", func() bool { return l.sheet(s.ID).Paired == 1 })
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures/take-back", s.ID), nil, nil)
	l.until("the pair to be taken back", func() bool {
		return l.file(lot.ID, "new/IMG_3301.JPG").Verdict != "paired" && l.sheet(s.ID).Paired == 0
	})
	if f := l.file(lot.ID, "other.jpg"); f.Verdict == "paired" {
		t.Errorf("a picture that no row names: %+v", f)
	}
	for _, row := range l.rows(s.ID, "") {
		if !strings.Contains(row, " same ") {
			t.Errorf("after the import: %s", row)
		}
	}

	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", i.ID), nil, nil)
	l.importIs(s.ID, "reverted")
	if got := l.catalog(); got != before {
		t.Errorf("before:\n%s\nafter reverting:\n%s", before, got)
	}
}
