package app

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/store"
)

// fields is a product's page as the API tells it.
type fields struct {
	Fields       []catalog.FieldValue
	FieldChanges []store.ProductImport
}

func (l *line) fieldsOf(product int64) (f fields) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/products/%d", product), &f))
	return f
}

// value returns what a product's page says in a field of a variant, "" SKU for the product.
func (f fields) value(sku, column string) (catalog.FieldValue, bool) {
	for _, one := range f.Fields {
		if one.SKU == sku && one.Column == column {
			return one, true
		}
	}
	return catalog.FieldValue{}, false
}

// TestProductsByHand makes a variant, changes it by two people at once, retires many, and
// takes each back.
func TestProductsByHand(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	before := l.catalog()
	var made struct{ Import int64 }
	write := func(body map[string]any) error {
		made.Import = 0
		return l.Post(t.Context(), "/api/v1/catalog/variants", body, &made)
	}
	row := func(cells ...string) [][]string { return [][]string{cells} }
	columns := []string{"sku", "product", "title", "gtin", "option:Colour", "category"}
	fresh := map[string]any{"columns": columns, "rows": row("NEW-1-A", "NEW-1", "A new thing", barcode(50), "red", "Things"), "new": true}
	wrong := map[string]any{"columns": columns, "rows": row("NEW-1-A", "NEW-1", "A new thing", "2000000000906", "red", "Things"), "new": true}
	l.refused(write(wrong), http.StatusUnprocessableEntity)
	if l.catalog() != before {
		t.Error("what was refused changed something")
	}
	l.do(write(fresh))
	makes := made.Import
	l.refused(write(fresh), http.StatusUnprocessableEntity) // it is there by now
	l.refused(write(map[string]any{"columns": []string{"sku", "title"}, "rows": row("NOWHERE", "x")}), http.StatusUnprocessableEntity)
	l.refused(write(map[string]any{"columns": []string{"sku", "price"}, "rows": row("NEW-1-A", "1")}), http.StatusUnprocessableEntity)

	// Two people change one cell: the second is told.
	change := func(was, to string) error {
		return write(map[string]any{"columns": []string{"sku", "option:Colour"}, "rows": row("AT-000-A", to), "was": row("", was)})
	}
	l.do(change("amber", "green"))
	changes := made.Import
	l.refused(change("amber", "blue"), http.StatusConflict)
	f := l.fieldsOf(1)
	if v, _ := f.value("AT-000-A", "option:Colour"); v.Value != "green" || v.Change != 1 || !f.FieldChanges[0].Standing ||
		f.FieldChanges[0].Import != changes || f.FieldChanges[0].Sheet != 0 {
		t.Errorf("%+v, %+v", v, f.FieldChanges)
	}
	l.do(change("green", "green"))
	if made.Import != 0 {
		t.Error("a change to the same is one")
	}

	// The product as a whole, by its code: its variants keep what is theirs.
	l.do(write(map[string]any{"columns": []string{"product", "title", "category"}, "rows": row("AT-001", "Whole", "Things / New"),
		"was": row("", "Thing 1", "")}))
	whole := made.Import
	if v, _ := l.fieldsOf(2).value("", "title"); v.Value != "Whole" {
		t.Errorf("the product is called %q", v.Value)
	}
	l.refused(write(map[string]any{"columns": []string{"product", "title"}, "rows": row("AT-999", "x")}), http.StatusUnprocessableEntity)
	l.refused(write(map[string]any{"columns": []string{"title", "gtin"}, "rows": row("x", "")}), http.StatusUnprocessableEntity)

	// Many at once, and back.
	l.do(l.Post(t.Context(), "/api/v1/catalog/products/change",
		map[string]any{"products": []int64{1, 2}, "column": "retire", "value": "yes"}, &made))
	for _, p := range []int64{1, 2} {
		if v, _ := l.fieldsOf(p).value(fmt.Sprintf("AT-%03d-B", p-1), "retire"); v.Value != "yes" {
			t.Errorf("product %d is not retired: %+v", p, v)
		}
	}
	for _, id := range []int64{made.Import, whole, changes, makes} {
		l.post(fmt.Sprintf("/api/v1/imports/%d/revert", id), nil, nil)
		l.until("the change by hand to be taken back", func() bool {
			i, err := l.Store.Import(t.Context(), id)
			return err == nil && i.State == "reverted"
		})
	}
	if got := l.catalog(); got != before {
		t.Errorf("before:\n%s\nafter taking back:\n%s", before, got)
	}

	// A sheet's values say where they are from.
	l.imported(l.brought("prices.csv", []byte("sku;title\r\nAT-001-A;Named by a sheet\r\n")))
	f = l.fieldsOf(2)
	v, _ := f.value("AT-001-A", "title")
	if v.Value != "Named by a sheet" || v.Change != 1 || f.FieldChanges[0].SheetName != "prices.csv" || f.FieldChanges[0].Row != 2 {
		t.Errorf("%+v of %+v", v, f.FieldChanges)
	}
	if !strings.Contains(l.catalog(), "Named by a sheet") {
		t.Error("the sheet changed nothing")
	}
}
