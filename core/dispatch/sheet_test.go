package dispatch

import (
	"slices"
	"strings"
	"testing"
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
		header, lines := table.Rows(outcomes)
		text := []string{strings.Join(header, ";")}
		for _, l := range lines {
			text = append(text, strings.Join(l.Cells, ";"))
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
	if header, rows := usual.Rows(outcomes); !slices.Contains(header, "Alternative text") || len(rows) != 3 {
		t.Errorf("the usual sheet: %v, %d rows", header, len(rows))
	}
}
