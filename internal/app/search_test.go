package app

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"ambrosa/internal/store"
)

// TestSearchByWords finds variants by words of SKU, title, GTIN and options, in
// any order; a text of one word is found as a part.
func TestSearchByWords(t *testing.T) {
	t.Parallel()
	l := start(t)
	sheet := "sku,product,title,Colour,Size,gtin\n" +
		"JR-1-A,JR-1,Round jar,amber,500 ml," + barcode(1) + "\nJR-1-B,JR-1,Round jar,blue,500 ml,\nJR-2-A,JR-2,Square jar,amber,250 " +
		"ml,\nVL-1,VL-1,Round 100%_veil,white,,\n"
	l.do(l.Call(t.Context(), http.MethodPost, "/api/v1/products/import", "text/csv", strings.NewReader(sheet), nil))
	for q, want := range map[string]string{
		"jr-1-b":            "JR-1-B",
		"round jar":         "JR-1-A JR-1-B JR-1",
		"jar round":         "JR-1-A JR-1-B JR-1",
		"amber jar":         "JR-1-A JR-2-A",
		"Jar AMBER 500":     "JR-1-A",
		"round blue":        "JR-1-B",
		"square blue":       "",
		barcode(1):          "JR-1-A",
		"100%_v":            "VL-1",
		"100% veil":         "VL-1 VL-1",
		"round 'jar":        "",
		"a b c d e f g h i": "",
	} {
		var page struct{ Items []store.Found }
		l.do(l.Get(t.Context(), "/api/v1/search?files=false&q="+url.QueryEscape(q), &page))
		var got []string
		for _, f := range page.Items {
			got = append(got, f.Code)
		}
		if q == "100%_v" {
			got = got[:min(1, len(got))] // the product of the same code
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%q finds %v, expected %s", q, got, want)
		}
	}
}
