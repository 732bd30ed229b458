package shelf

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
)

func TestFolders(t *testing.T) {
	for written, kept := range map[string]string{
		"":                        "",
		" / ":                     "",
		"Care labels":             "Care labels",
		`Labels/Care //  EU `:     "Labels/Care/EU",
		"../../etc":               "etc",
		"Größen\u00a0\tTabellen/": "Größen Tabellen",
	} {
		if got, err := Folder(written); err != nil || got != kept {
			t.Errorf("%q is kept as %q, %v, not %q", written, got, err, kept)
		}
	}
	if _, err := Folder(strings.Repeat("a/", Deepest+1)); !errors.Is(err, ErrDeep) {
		t.Error("nine deep:", err)
	}
	if _, err := Folder(strings.Repeat("ä", LongestName)); err != nil {
		t.Error("80 characters, of two bytes each:", err)
	}
	if _, err := Folder(strings.Repeat("ä", LongestName+1)); !errors.Is(err, ErrLong) {
		t.Error("81 characters:", err)
	}
	if !Within("Labels/Care", "Labels") || Within("Labels2", "Labels") || !Within("any", "") {
		t.Error("a folder is in those above it, and in no other")
	}
}

func TestChanges(t *testing.T) {
	to := "Charts"
	on, err := Change{Folder: &to, Add: []string{"size chart", "EU", "eu ", ""}}.Of(nil)
	if err != nil || on.Folder != to || !slices.Equal(on.Words, []string{"size chart", "EU"}) {
		t.Fatal("put on:", on, err)
	}
	words, err := Change{Add: []string{"wool"}, Remove: []string{"Eu"}}.Of(on)
	if err != nil || words.Folder != to || !slices.Equal(words.Words, []string{"size chart", "wool"}) {
		t.Error("words changed, folder left:", words, err)
	}
	if !slices.Equal(on.Words, []string{"size chart", "EU"}) {
		t.Error("what was is changed too: ", on.Words)
	}
	if off, err := (Change{Off: true}).Of(on); off != nil || err != nil {
		t.Error("off:", off, err)
	}
	if !Same(on, &Place{to, []string{"size chart", "EU"}}) || Same(on, nil) || !Same(nil, nil) || Same(on, words) {
		t.Error("same is told wrongly")
	}
	many := make([]string, MostWords+1)
	for i := range many {
		many[i] = strings.Repeat("w", i+1)
	}
	if _, err := Words(many); !errors.Is(err, ErrMany) {
		t.Error("31 words:", err)
	}
}

// FuzzFolder expects that what is kept is kept as it is when it is written again, and can be read.
func FuzzFolder(f *testing.F) {
	for _, s := range []string{"a/b", "\u202ea/\x00", "..\\..", "a / / b", "\xff/\xfe"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, written string) {
		budget.Of(len(written)).Check(t, func() {
			kept, err := Folder(written)
			if err != nil {
				return
			}
			again, err := Folder(kept)
			if err != nil || again != kept || !utf8.ValidString(kept) || strings.ContainsAny(kept, "\x00\n\u202e") {
				t.Errorf("%q is kept as %q, and then as %q, %v", written, kept, again, err)
			}
		})
	})
}
