package pairing

import (
	"math/rand/v2"
	"strings"
	"testing"
)

// written shows an alignment: what was read above the key, a dot for nothing.
func written(edits []Edit) string {
	var read, key strings.Builder
	for _, e := range edits {
		for _, side := range []struct {
			to   *strings.Builder
			text string
		}{{&read, e.Read}, {&key, e.Key}} {
			if side.text == "" {
				side.text = "."
			}
			side.to.WriteString(side.text)
		}
	}
	return read.String() + " " + key.String()
}

// TestNamesAreAlignedWithKeys holds what was read against the key as a person
// would write the two one above the other.
func TestNamesAreAlignedWithKeys(t *testing.T) {
	for _, c := range []struct{ read, key, want string }{
		{"HB-10-S", "HB-10-S", "HB-10-S HB-10-S"},
		{"hb_10_s", "HB-10-S", "hb_10_s HB-10-S"},
		{"HB10S", "HB-10-S", "HB.10.S HB-10-S"},
		{"HB 010 S", "HB-10-S", "HB 010 S HB-.10-S"},
		{"HB-10-", "HB-10-S", "HB-10-. HB-10-S"},
		{"HB-1O-S", "HB-10-S", "HB-1O-S HB-10-S"},
		{"XHB-10-S", "HB-10-S", "XHB-10-S .HB-10-S"},
		{"", "AB", ".. AB"},
		{"AB", "", "AB .."},
		{"", "", " "},
		{"\uff28\uff22-10", "HB-10", "\uff28\uff22-10 HB-10"}, // full-width letters
		{"Cafe\u0301", "Caf\u00e9", "Caf\u00e9 Caf\u00e9"},    // an accent of its own, joined
	} {
		if got := written(Align(c.read, c.key)); got != c.want {
			t.Errorf("%q with %q: %q, expected %q", c.read, c.key, got, c.want)
		}
	}
	if Align(strings.Repeat("x", longestAligned+1), "x") != nil {
		t.Error("a text longer than any key was aligned")
	}
}

// TestAlignmentsKeepBothTexts aligns any texts: each side is what it was, no step is
// empty, and no alignment of the two is cheaper the other way round.
func TestAlignmentsKeepBothTexts(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 8))
	letters := []rune("AaBb01-_ é")
	text := func() string {
		var b strings.Builder
		for range r.IntN(12) {
			b.WriteRune(letters[r.IntN(len(letters))])
		}
		return b.String()
	}
	price := func(edits []Edit) (sum int) {
		for _, e := range edits {
			switch a, b := characters(e.Read), characters(e.Key); {
			case len(a) == 0:
				sum += b[0].alone()
			case len(b) == 0:
				sum += a[0].alone()
			default:
				sum += a[0].against(b[0])
			}
		}
		return sum
	}
	for range 5000 {
		read, key := text(), text()
		edits := Align(read, key)
		gotRead, gotKey := "", ""
		for _, e := range edits {
			if e == (Edit{}) {
				t.Fatalf("%q with %q: an empty step", read, key)
			}
			gotRead, gotKey = gotRead+e.Read, gotKey+e.Key
		}
		if gotRead != read || gotKey != key {
			t.Fatalf("%q with %q became %q with %q", read, key, gotRead, gotKey)
		}
		if there, back := price(edits), price(Align(key, read)); there != back {
			t.Fatalf("%q with %q costs %d, the other way round %d", read, key, there, back)
		}
	}
}
