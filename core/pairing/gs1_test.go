package pairing

import (
	"testing"

	"ambrosa/core/naming"
)

// TestGS1NamesAreReadBack makes names as the GS1 Product Image Specification has them and reads
// them: the same GTIN, view and place. The GTIN is that of the worked example in the GS1 General
// Specifications' check digit calculation.
func TestGS1NamesAreReadBack(t *testing.T) {
	names, err := naming.ParseTemplate("[gs1 | sku]")
	if err != nil {
		t.Fatal(err)
	}
	const code = "06291041500213"
	c := NewCatalog([]Item{{SKU: "A", GTIN: code}, {SKU: "B", GTIN: "04006381333931"}})
	for n, view := range []string{"front", "left", "top", "back", "right", "bottom"} {
		name, empty := names.Name(naming.Picture{SKU: "A", GTIN: code, View: view, Place: n + 1})
		if empty {
			t.Errorf("%s has something empty in it", name)
		}
		read, err := Lot(c, DefaultClues(), []string{name + ".jpg"}, false)
		if err != nil || read[0].Kind != Paired || c.SKU(read[0].Target.Item) != "A" || read[0].View != view || read[0].Place != n+1 {
			t.Errorf("%s is read as %+v, %v", name, read, err)
		}
	}
	if name, _ := names.Name(naming.Picture{SKU: "A", View: "front", Place: 1}); name != "A" {
		t.Errorf("without a GTIN: %s", name)
	}
}
