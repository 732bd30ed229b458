package legible

import (
	"strings"
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
)

func TestWhatIsNotFitCanBeRead(t *testing.T) {
	for _, c := range []struct{ raw, name, text string }{
		{"HB-10 front.jpg", "HB-10 front.jpg", "HB-10 front.jpg"},
		{"Hülse №3 蜂.jpg", "Hülse №3 蜂.jpg", "Hülse №3 蜂.jpg"},
		{"a\xff.jpg", `a\xFF.jpg`, `a\xFF.jpg`},
		{"a\x00b", `a\x00b`, `a\x00b`},
		{"H\xfclse", `H\xFClse`, `H\xFClse`},
		{"cut \xe2\x82", `cut \xE2\x82`, `cut \xE2\x82`},
		{"two\nlines\tand\r\n", `two\x0Alines\x09and\x0D\x0A`, "two\nlines\tand\r\n"},
		{"\u0085next", `\xC2\x85next`, `\xC2\x85next`},
		{"evil\u202egpj.exe", `evil\u202Egpj.exe`, "evil\u202egpj.exe"},
		{"\uFFFD stays", "\uFFFD stays", "\uFFFD stays"},
		{"", "", ""},
	} {
		if got := Name(c.raw); got != c.name {
			t.Errorf("Name(%q) = %q, want %q", c.raw, got, c.name)
		}
		if got := Text(c.raw); got != c.text {
			t.Errorf("Text(%q) = %q, want %q", c.raw, got, c.text)
		}
	}
}

func TestShort(t *testing.T) {
	for _, c := range []struct {
		text string
		most int
		want string
	}{{"short", 5, "short"}, {"longer", 5, "lo…"}, {"üüüü", 6, "ü…"}, {"ü", 1, "…"}, {"", 0, ""}} {
		if got := Short(c.text, c.most); got != c.want {
			t.Errorf("Short(%q, %d) = %q, want %q", c.text, c.most, got, c.want)
		}
	}
}

func FuzzLegible(f *testing.F) {
	for _, seed := range []string{"a", "a\x00\xff", "raw:x%zz", "\u202e", "raw:", "100%.jpg"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, raw string) {
		budget.Of(len(raw)).Check(t, func() {
			for _, fitted := range []string{Name(raw), Text(raw), Key(raw), Short(Text(raw), 20)} {
				if !utf8.ValidString(fitted) || strings.ContainsRune(fitted, 0) {
					t.Fatalf("%q became %q", raw, fitted)
				}
			}
			if again := Name(Name(raw)); again != Name(raw) {
				t.Fatalf("%q is changed twice: %q", raw, again)
			}
			if back := FromKey(Key(raw)); back != raw {
				t.Fatalf("%q comes back as %q", raw, back)
			}
		})
	})
}
