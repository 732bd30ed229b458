package sheet

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

func TestClip(t *testing.T) {
	for text, want := range map[string]string{
		"short":                   "short",
		strings.Repeat("ö", 60):   strings.Repeat("ö", 60),
		strings.Repeat("ö", 61):   strings.Repeat("ö", 60) + "…",
		strings.Repeat("a", 9000): strings.Repeat("a", 60) + "…",
	} {
		if got := Clip(text); got != want {
			t.Errorf("%q became %q", text, got)
		}
	}
}

var pictures = Exactly(SKU, File, Place, View, Alt, Lead)

// TestHeadersAreUnderstood reads header rows as people write them.
func TestHeadersAreUnderstood(t *testing.T) {
	for _, c := range []struct {
		of     Vocabulary
		header string
		first  bool
		want   string
	}{
		{Products, "sku", false, "sku:0"},
		{Products, "\ufeffSKU| Product Name |EAN-13|Colour", false, "sku:0 title:1 gtin:2 other:3"},
		{Products, "Item_Number|PARENT.SKU|category path|other codes||Size", false, "sku:0 product:1 category:2 codes:3 other:5"},
		{Products, "name|variant", false, "title:0 other:1"},
		{Products, "ean|barcode", false, `the columns "ean" and "barcode" both mean gtin`},
		{pictures, "File|SKU|Place|alt|lead|file", true, "sku:1 file:0 place:2 alt:3 lead:4"},
		{Exactly(SKU, Title), "SKU|name|title", false, "sku:0 title:2 other:1"},
	} {
		h, err := c.of.Header(strings.Split(c.header, "|"), c.first)
		got := ""
		for _, f := range []Field{SKU, Product, Title, GTIN, Category, Codes, File, Place, View, Alt, Lead} {
			if h.Has(f) {
				got += fmt.Sprintf("%s:%d ", f, h.Column(f))
			}
		}
		for _, i := range h.Others {
			got += fmt.Sprintf("other:%d ", i)
		}
		if err != nil {
			got = err.Error()
		}
		if strings.TrimSpace(got) != c.want {
			t.Errorf("%s: %s, expected %s", c.header, got, c.want)
		}
	}
}

// TestWhatIsWrongWithAHeader tells kind and place, as a caller reads them.
func TestWhatIsWrongWithAHeader(t *testing.T) {
	_, err := Products.Header([]string{"title", "ean"}, false, SKU)
	var wrong *HeaderError
	if !errors.Is(err, ErrMissing) || !errors.As(err, &wrong) || wrong.Field != SKU {
		t.Errorf("%v", err)
	}
	_, err = Products.Header([]string{"sku", "title", "article number"}, false, SKU)
	if !errors.Is(err, ErrTwice) || !errors.As(err, &wrong) || wrong.Columns != [2]int{1, 3} || wrong.Field != SKU {
		t.Errorf("%v", err)
	}
}

func TestCells(t *testing.T) {
	h, err := pictures.Header([]string{"file", "sku", "lead"}, true, File, SKU)
	if err != nil {
		t.Fatal(err)
	}
	row := []string{" a.jpg ", "HB-10"}
	got := []string{h.Cell(row, File), h.Cell(row, SKU), h.Cell(row, Lead), h.Cell(row, Alt)}
	if !slices.Equal(got, []string{"a.jpg", "HB-10", "", ""}) {
		t.Errorf("%q", got)
	}
	for text, want := range map[string]bool{" Yes": true, "x": true, "1": true, "no": false, "": false, "0": false, "sí": true} {
		if Yes(text) != want {
			t.Errorf("%q says %v", text, !want)
		}
	}
}

// FuzzHeader takes any header: what it says of columns is always within them.
func FuzzHeader(f *testing.F) {
	f.Add("sku|title|EAN", true)
	f.Add("t"+strings.Repeat("\xeb", 2500)+"itle|title", false) // its message once had all of it
	f.Fuzz(func(t *testing.T, text string, first bool) {
		budget.Of(len(text)).Check(t, func() {
			cells := strings.Split(text, "|")
			for _, of := range []Vocabulary{Products, pictures} {
				h, err := of.Header(cells, first, SKU)
				if err != nil {
					if len(err.Error()) > 10_000 {
						t.Errorf("a message of %d bytes", len(err.Error()))
					}
					continue
				}
				if i := h.Column(SKU); i < 0 || i >= len(cells) || len(h.Names) != len(cells) {
					t.Errorf("%q: column %d of %d", text, i, len(cells))
				}
			}
		})
	})
}
