package dispatch

import (
	"runtime"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

// TestSheets writes the same pictures a row a picture, a row a SKU with columns, and a row a
// product in one cell.
func TestSheets(t *testing.T) {
	var outcomes []Outcome
	for _, p := range []struct {
		sku     string
		variant int64
		place   int
		held    string
	}{{"A-red", 1, 1, ""}, {"A-red", 1, 2, ""}, {"A-blue", 2, 1, ""}, {"A-blue", 2, 2, "its use is restricted"}} {
		i := cleared(1, p.variant, p.sku, p.place)
		o := Outcome{Numbered: Numbered{Item: &i}, Name: p.sku + "/größe #" + p.sku[2:3] + ".jpg", Held: p.held}
		o.Code, o.Alt = "A", "A mug, "+p.sku
		outcomes = append(outcomes, o)
	}
	sheet := func(rows string, columns ...SheetColumn) string {
		s := SheetSettings{Rows: rows, Columns: columns, Base: "https://cdn.example/i/", Between: " | "}
		table, err := s.Table()
		if err != nil {
			t.Fatal(err)
		}
		lines, err := table.Rows(outcomes)
		if err != nil {
			t.Fatal(err)
		}
		text := []string{strings.Join(lines.Header, ";")}
		for {
			l, more, err := lines.Next()
			if err != nil {
				t.Fatal(err)
			}
			if !more {
				break
			}
			text = append(text, strings.Join(l.Cells, ";"))
		}
		if lines.Count != len(text)-1 {
			t.Errorf("%d rows were counted, %d made", lines.Count, len(text)-1)
		}
		return strings.Join(text, "\n")
	}
	if got := sheet(RowPicture, SheetColumn{"Code", "[sku]", FirstOnly}, SheetColumn{"Lead", "[lead]", FirstOnly},
		SheetColumn{"Kind", "image", FirstOnly}, SheetColumn{"Where", "[address]", InColumns}); got != `Code;Lead;Kind;Where
A-red;yes;image;https://cdn.example/i/A-red/gr%C3%B6%C3%9Fe%20%23r.jpg
A-red;no;image;https://cdn.example/i/A-red/gr%C3%B6%C3%9Fe%20%23r.jpg
A-blue;yes;image;https://cdn.example/i/A-blue/gr%C3%B6%C3%9Fe%20%23b.jpg` {
		t.Errorf("a row a picture:\n%s", got)
	}
	if got := sheet(RowSKU, SheetColumn{"SKU", "[sku]", FirstOnly}, SheetColumn{"Place", "[place]", InColumns}); got != `SKU;Place 1;Place 2
A-red;1;2
A-blue;1;` {
		t.Errorf("a row a SKU:\n%s", got)
	}
	if got := sheet(RowProduct, SheetColumn{"Product", "[code]", FirstOnly}, SheetColumn{"All", "[sku]-[place]", Joined}); got != `Product;All
A;A-red-1 | A-red-2 | A-blue-1` {
		t.Errorf("a row a product:\n%s", got)
	}
	if _, err := (SheetSettings{Columns: []SheetColumn{{"X", "[nothing]", ""}}}).Table(); err == nil || !strings.Contains(err.Error(), `"X"`) {
		t.Errorf("a column of nothing: %v", err)
	}
	usual, err := UsualSheet().Table()
	if err != nil {
		t.Fatal(err)
	}
	if rows, err := usual.Rows(outcomes); err != nil || !slices.Contains(rows.Header, "Alternative text") || rows.Count != 3 {
		t.Errorf("the usual sheet: %+v: %v", rows, err)
	}
}

// TestTheLargestSheet asks for the most columns of the longest values of the most pictures: a row is
// made only when it is asked for, is refused when it is too long, and more columns than a workbook has
// are refused before any row is made.
func TestTheLargestSheet(t *testing.T) {
	const pictures = 20_000
	title := strings.Repeat("A very long title of a mug. ", 20)
	outcomes := make([]Outcome, pictures)
	for n := range outcomes {
		i := cleared(int64(n/200), 0, "A", n%200+1)
		i.Title = title
		outcomes[n] = Outcome{Numbered: Numbered{Item: &i}, Name: "a.jpg"}
	}
	many := func(how, value string, columns int) SheetSettings {
		s := SheetSettings{Rows: RowProduct}
		for range columns {
			s.Columns = append(s.Columns, SheetColumn{"Title", value, how})
		}
		return s
	}
	longest := strings.Repeat("[title]", 40)
	for name, c := range map[string]struct {
		settings SheetSettings
		want     string
	}{
		"joined":      {many(Joined, longest, 100), "longer than 4 MB"},
		"in columns":  {many(InColumns, "[title]", 100), "at most 16384 columns"},
		"of one cell": {many(FirstOnly, longest, 100), ""},
	} {
		table, err := c.settings.Table()
		if err != nil {
			t.Fatal(err)
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		rows, err := table.Rows(outcomes)
		for n := 0; err == nil && n < 3; n++ {
			_, _, err = rows.Next()
		}
		runtime.ReadMemStats(&after)
		if took := after.TotalAlloc - before.TotalAlloc; took > 64<<20 {
			t.Errorf("%s: three rows took %d MB", name, took>>20)
		}
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v, expected %q", name, err, c.want)
		}
	}
	_, err := many(FirstOnly, strings.Repeat("[title]", 142), 1).Table()
	if err == nil || !strings.Contains(err.Error(), "at most 40 fields") {
		t.Errorf("a column of 142 fields: %v", err)
	}
}

// FuzzRows makes the rows of any sheet of any picture, within what a row may be.
func FuzzRows(f *testing.F) {
	f.Add("SKU", "[sku]", "A-1", "A mug", uint8(3))
	f.Add("=1+1", "[title][title][title]", "@SUM(A1)", strings.Repeat("=", 3000), uint8(60))
	f.Add("", "[option Colour | sku]", "\x00\r\n", "\ufffe", uint8(0))
	f.Add("x", strings.Repeat("[title]", 140), "s", strings.Repeat("t", 5000), uint8(200))
	f.Fuzz(func(t *testing.T, header, value, sku, title string, many uint8) {
		length := len(header) + len(value)*(1+len(title)+len(sku))*(1+int(many))
		budget.Of(length).Check(t, func() {
			s := SheetSettings{Rows: RowProduct, Base: "https://cdn.example/", Between: "|", Columns: []SheetColumn{
				{Header: header, Value: value, Many: InColumns}, {Header: header, Value: value, Many: Joined}}}
			table, err := s.Table()
			if err != nil {
				return
			}
			outcomes := make([]Outcome, int(many))
			for i := range outcomes {
				item := cleared(1, 0, sku, i+1)
				item.Title = title
				outcomes[i] = Outcome{Numbered: Numbered{Item: &item}, Name: "n.jpg"}
			}
			rows, err := table.Rows(outcomes)
			if err != nil {
				return
			}
			for n := 0; ; n++ {
				row, more, err := rows.Next()
				if err != nil || !more {
					break
				}
				if len(row.Cells) != len(rows.Header) || n > 0 {
					t.Fatalf("row %d has %d cells, the header %d", n, len(row.Cells), len(rows.Header))
				}
			}
		})
	})
}
