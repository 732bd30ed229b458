package importing

import (
	"testing"

	"ambrosa/core/sheet"
	"ambrosa/internal/store"
)

// TestKeptMappingsAreChosen maps by what was kept for the sheet's origin, though its headers
// are less alike, and else by the likest.
func TestKeptMappingsAreChosen(t *testing.T) {
	kept := func(name string, origin int64, headers ...string) store.KeptMapping {
		k := store.KeptMapping{Name: name, Origin: origin}
		for i, header := range headers {
			k.Mapping.Columns = append(k.Mapping.Columns, sheet.Column{Column: header, Index: i})
		}
		return k
	}
	all := []store.KeptMapping{kept("north", 1, "Ref", "Name", "Photo", "Colour"), kept("south", 2, "Item", "Title", "Photo", "Size"),
		kept("ours", 0, "SKU", "Title", "Photo", "Size")}
	for _, c := range []struct {
		headers []string
		origin  int64
		want    string
	}{
		{[]string{"SKU", "Title", "Photo", "Size"}, 0, "ours"},
		{[]string{"Item", "Title", "Photo", "Size"}, 0, "south"},
		{[]string{"Ref", "Name", "Photo", "Weight"}, 0, ""},
		{[]string{"Ref", "Name", "Photo", "Weight"}, 1, "north"},
		{[]string{"Ref", "Name", "Photo", "Weight"}, 2, ""},
		{[]string{"Item", "Title", "Photo", "Size"}, 3, "south"},
		{[]string{"SKU", "Title", "Photo", "Size"}, 2, "south"}, // three of five are its own
		{[]string{"Something", "Else"}, 1, ""},
	} {
		got := ""
		if k := likest(all, c.headers, c.origin); k != nil {
			got = k.Name
		}
		if got != c.want {
			t.Errorf("%q from %d is mapped as %q, expected %q", c.headers, c.origin, got, c.want)
		}
	}
}
