package catalog

import "testing"

// TestEachValueIsOfTheChangeThatBroughtIt follows values through three changes: one that
// made the product, one that changed two fields, and one that put the title back.
func TestEachValueIsOfTheChangeThatBroughtIt(t *testing.T) {
	of := func(title, gtin, colour string) Snapshot {
		return Snapshot{Code: "AB-100", Title: title, Category: "Hives", Variants: []VariantSnapshot{
			{ID: 7, SKU: "AB-100-L", GTIN: gtin, Options: []Option{{Name: "Colour", Value: colour}}}}}
	}
	first, second, third := of("Smoker", "", "red"), of("Smoker, large", "4006381333931", "red"), of("Smoker", "4006381333931", "red")
	changes := []Changed{{&second, third}, {&first, second}, {nil, first}} // the last first
	want := map[string]int{"\nproduct": 3, "\ntitle": 1, "\ncategory": 3, "AB-100-L\ngtin": 2, "AB-100-L\noption:Colour": 3,
		"AB-100-L\nretire": 3, "\nproduct-id": 0, "AB-100-L\ntitle": 0}
	found := 0
	for _, f := range Fields(third, changes) {
		if n, asked := want[f.key()]; asked {
			found++
			if f.Change != n {
				t.Errorf("%q is %q by change %d, expected %d", f.key(), f.Value, f.Change, n)
			}
		}
	}
	if found != len(want) {
		t.Errorf("%d of %d fields are there", found, len(want))
	}
	// What somebody else changed since is of no change that is known.
	for _, f := range Fields(of("Another", "4006381333931", "red"), changes) {
		if f.key() == "\ntitle" && f.Change != 0 {
			t.Errorf("the title is by change %d", f.Change)
		}
	}
}
