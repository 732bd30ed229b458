package pairing

import (
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
)

// TestRestored undoes what is done to names; RFC 3986 and the HTML standard's named
// characters for the first two kinds.
func TestRestored(t *testing.T) {
	for name, want := range map[string]string{
		"HB-10%20front%20(2).jpg":   "HB-10 front (2).jpg",
		"GR%C3%9CN-7.jpg":           "GRÜN-7.jpg",
		"GR%25C3%259CN.jpg":         "GRÜN.jpg", // twice over
		"salt &amp; pepper.jpg":     "salt & pepper.jpg",
		"caf&#233; caf&eacute;.jpg": "café café.jpg",
		"CafÃ© grÃ¼n.jpg":           "Café grün.jpg",
		"40×60 2½ m.jpg":            "40x60 2.5 m.jpg",
		"½ l.jpg":                   "0.5 l.jpg",
		"front%2Ejpg":               "front.jpg", // a point is no half
		"front%2E%2Ejpg":            "front..jpg",
		// what stays
		"100% cotton.jpg": "", "a%2Fb.jpg": "", "50%ab.jpg": "", "R&D;.jpg": "", "Café.jpg": "", "Ã.jpg": "", "%": "", "&": "", "%c3": "",
	} {
		if got, ok := Restored(name); ok != (want != "") || ok && got != want {
			t.Errorf("%s: %q, %v; want %q", name, got, ok, want)
		}
	}
}

// FuzzRestored undoes anything: it stays UTF-8, says where each byte comes from,
// and has nothing left that another folder could be made of.
func FuzzRestored(f *testing.F) {
	f.Add("a%C3%A9&amp;Ã©½.jpg")
	f.Add("%%41&#x0;&#10;Â")
	f.Fuzz(func(t *testing.T, name string) {
		budget.Of(len(name)).Check(t, func() {
			text, back := restored(name)
			if back == nil {
				return
			}
			if !utf8.ValidString(text) || len(back) != len(text) {
				t.Fatalf("%q becomes %q with %d places", name, text, len(back))
			}
			for i, at := range back {
				if int(at) >= len(name) || i > 0 && at < back[i-1] {
					t.Fatalf("%q: byte %d comes from %d", name, i, at)
				}
			}
		})
	})
}
