package pairing

import (
	"fmt"
	"math/rand/v2"
	"net/url"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/unicode/norm"
)

// respelt are ways to write a name otherwise that say the same: the rungs of the
// ladder, encodings and Unicode forms (RFC 3986, HTML, UAX 15).
var respelt = map[string]func(r *rand.Rand, name string) string{
	"upper case":      func(_ *rand.Rand, name string) string { return strings.ToUpper(name) },
	"lower case":      func(_ *rand.Rand, name string) string { return strings.ToLower(name) },
	"decomposed":      func(_ *rand.Rand, name string) string { return norm.NFD.String(name) },
	"underscores":     func(_ *rand.Rand, name string) string { return strings.ReplaceAll(name, " ", "_") },
	"blanks":          func(_ *rand.Rand, name string) string { return strings.ReplaceAll(name, "-", " ") },
	"percent-encoded": func(_ *rand.Rand, name string) string { return url.PathEscape(name) },
	"encoded twice":   func(_ *rand.Rand, name string) string { return url.PathEscape(url.PathEscape(name)) },
	"any byte encoded": func(r *rand.Rand, name string) string {
		at := r.IntN(len(name) - len(".jpg"))
		return name[:at] + fmt.Sprintf("%%%02X", name[at]) + name[at+1:]
	},
	"entities": func(_ *rand.Rand, name string) string {
		return strings.NewReplacer("é", "&eacute;", "&", "&amp;", "-", "&#45;").Replace(name)
	},
	"mojibake": func(_ *rand.Rand, name string) string { return misread(name, charmap.Windows1252) },
}

// TestSpellingNeverChangesTheTarget writes names with options, in any order, and in
// every other spelling: they are paired with what they are paired with as they are.
func TestSpellingNeverChangesTheTarget(t *testing.T) {
	r := rand.New(rand.NewPCG(12, 4))
	clues := DefaultClues()
	clues.Languages = []string{"de"}
	compared := 0
	for _, s := range append(append(moreTrades(), thirdTrades(3)...), fourthTrades(3)...) {
		catalog := NewCatalog(s.items, s.options...)
		for range 12 {
			it := s.items[r.IntN(len(s.items))]
			options := slices.Clone(it.Attributes)
			r.Shuffle(len(options), func(i, j int) { options[i], options[j] = options[j], options[i] })
			names := []string{
				fmt.Sprintf("%s_%d.jpg", fileSafe(it.SKU), 1+r.IntN(9)),
				fmt.Sprintf("%s %s_%d.jpg", it.Title, fileSafe(it.SKU), 1+r.IntN(9)),
			}
			if strings.ContainsAny(it.Product, "0123456789") && s.name != "tyres" && s.name != "strings" {
				names = append(names, fileSafe(fmt.Sprintf("%s %s_%d.jpg", it.Product, strings.Join(options, " "), 1+r.IntN(9))))
			}
			for _, name := range names {
				base := targetOf(t, catalog, clues, name)
				if base == NoTarget || base.Item >= 0 && catalog.SKU(base.Item) != it.SKU {
					t.Errorf("%s, of %s, is paired with %s", name, it.SKU, shown(catalog, base))
				}
				for how, spell := range respelt {
					written := spell(r, name)
					compared++
					if got := targetOf(t, catalog, clues, written); got != base {
						t.Errorf("%s: %s is paired with %s, %s with %s", how, name, shown(catalog, base), written, shown(catalog, got))
					}
				}
			}
		}
	}
	if t.Logf("%d spellings", compared); compared < 5000 {
		t.Error("too few to say much")
	}
}

func targetOf(t *testing.T, catalog *Catalog, clues ClueList, name string) Target {
	t.Helper()
	verdicts, err := Lot(catalog, clues, []string{name}, true)
	if err != nil {
		t.Fatal(err)
	}
	covered := 0
	for _, span := range verdicts[0].Spans {
		if span.Start != covered {
			t.Fatalf("%s: nothing covers the bytes %d to %d", name, covered, span.Start)
		}
		covered = span.End
	}
	if covered != len(name) {
		t.Fatalf("%s: nothing covers what follows byte %d", name, covered)
	}
	if verdicts[0].Kind != Paired {
		return NoTarget
	}
	return verdicts[0].Target
}
