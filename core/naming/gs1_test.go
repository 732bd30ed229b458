package naming

import (
	"regexp"
	"testing"

	"ambrosa/internal/budget"
)

// FuzzGS1 names any picture by its GTIN: whatever the catalog says, the name is made of a number and the
// codes of its parts (GS1 Product Image Specification, from memory), or there is none.
func FuzzGS1(f *testing.F) {
	f.Add("4006381333931", "front", uint16(1), uint16(0))
	f.Add("", "top", uint16(2), uint16(3))
	f.Add("40063813339311234567890", "FRONT ", uint16(0), uint16(100))
	f.Add("../4006", "\x00", uint16(65535), uint16(65535))
	valid := regexp.MustCompile(`^.{14,}_A[0-9]N1_s[0-9]{2,}$`)
	f.Fuzz(func(t *testing.T, gtin, view string, place, nth uint16) {
		budget.Of(len(gtin)+len(view)).Check(t, func() {
			name := gs1(&Picture{GTIN: gtin, View: view, Place: int(place), Nth: int(nth)})
			if gtin != "" && len([]rune(gtin)) <= gtinDigits && regexp.MustCompile(`^[0-9]+$`).MatchString(gtin) && !valid.MatchString(name) {
				t.Errorf("%q %q %d %d is called %q", gtin, view, place, nth, name)
			}
		})
	})
}
