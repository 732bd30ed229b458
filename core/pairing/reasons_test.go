package pairing

import (
	"strings"
	"testing"
)

// TestWhatIsShapedAsAKeyIsSaid says of keys that no product has that they were read
// as such, also where a part of them could be a place, a view or a letter.
func TestWhatIsShapedAsAKeyIsSaid(t *testing.T) {
	c := NewCatalog([]Item{{SKU: "JE-610-G"}, {SKU: "IMQ/655/60x110"}, {SKU: "HB-10"}})
	for name, want := range map[string]string{
		"JE-619G_front.jpg":       "JE-619G",
		"IMQ-665-60x110_back.jpg": "IMQ-665",
		"QX-77_2.jpg":             "QX-77",
		"NL-Fo4_detail.jpg":       "NL-Fo4",
		"banner_2.jpg":            "",
		"team photo 3.jpg":        "",
		"front 2.jpg":             "",
	} {
		verdicts, err := Lot(c, DefaultClues(), []string{name}, false)
		if err != nil {
			t.Fatal(err)
		}
		v := verdicts[0]
		if v.Kind != Loose || (v.Why == UnknownKey) != (want != "") || !strings.Contains(v.Reason, want) {
			t.Errorf("%s: %v, %s", name, v.Kind, v.Reason)
		}
	}
}
