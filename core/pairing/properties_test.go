package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
)

// covers tells whether spans cover a path from end to end.
func covers(path string, spans []Span) error {
	at := 0
	for _, s := range spans {
		if s.Start != at || s.End <= s.Start {
			return fmt.Errorf("span %+v does not go on at %d", s, at)
		}
		at = s.End
	}
	if at != len(path) {
		return fmt.Errorf("the spans end at %d of %d", at, len(path))
	}
	return nil
}

func FuzzReadName(f *testing.F) {
	for _, name := range []string{"HB-10/amber 2.jpg", "IMG_5544.jpg", "2000000000121_A1C1.tif", "ＨＢ－２０.jpg", "a\u0308\u0308/.jpg",
		"\xff\xfe.png", "....", "/", "",
		"10x10x10@2x 2of5 (2) (3) v2", "שלום-HB-20.jpg", "🐝HB-20🐝.jpg", strings.Repeat("A1-", 800)} {
		f.Add(name)
	}
	catalog := testCatalog()
	f.Fuzz(func(t *testing.T, name string) {
		budget.Of(len(name)).Check(t, func() {
			verdicts, err := Lot(catalog, DefaultClues(), []string{name}, true)
			if err != nil {
				t.Fatal(err)
			}
			v := verdicts[0]
			if err := covers(name, v.Spans); err != nil {
				t.Fatalf("%q: %v", name, err)
			}
			if v.Kind == Paired != (v.Product >= 0) {
				t.Fatalf("%q: %v with product %d", name, v.Kind, v.Product)
			}
			if v.Reason == "" || !utf8.ValidString(v.Reason) && utf8.ValidString(name) {
				t.Fatalf("%q: reason %q", name, v.Reason)
			}
			catalog.Nearest(name, 3)
		})
	})
}

func TestTheOrderOfFilesDoesNotMatter(t *testing.T) {
	names, catalog := messyNames(2000)
	first, err := Lot(catalog, DefaultClues(), names, false)
	if err != nil {
		t.Fatal(err)
	}
	order := rand.New(rand.NewPCG(7, 7)).Perm(len(names))
	shuffled := make([]string, len(names))
	for i, j := range order {
		shuffled[i] = names[j]
	}
	second, err := Lot(catalog, DefaultClues(), shuffled, false)
	if err != nil {
		t.Fatal(err)
	}
	for i, j := range order {
		if a, b := first[j], second[i]; a.Kind != b.Kind || a.Target != b.Target || a.Place != b.Place || a.Reason != b.Reason {
			t.Fatalf("%s: %v %v place %d, in another order %v %v place %d", names[j], a.Kind, a.Target, a.Place, b.Kind, b.Target, b.Place)
		}
	}
}

// messyNames makes names of many habits, some of which no product has.
func messyNames(n int) ([]string, *Catalog) {
	r := rand.New(rand.NewPCG(1, 2))
	var items []Item
	for i := range 400 {
		items = append(
			items,
			Item{
				SKU:     fmt.Sprintf("%c%c-%03d-%s", 'A'+i%20, 'A'+i/20%20, i, []string{"S", "M", "L"}[i%3]),
				Product: fmt.Sprintf("%c%c-%03d", 'A'+i%20, 'A'+i/20%20, i),
			},
		)
	}
	names := make([]string, n)
	for i := range names {
		it := items[r.IntN(len(items))]
		switch r.IntN(7) {
		case 0:
			names[i] = fmt.Sprintf("%s_%d.jpg", it.SKU, r.IntN(4))
		case 1:
			names[i] = fmt.Sprintf("x/%s/%d.jpg", strings.ToLower(it.Product), r.IntN(9))
		case 2:
			names[i] = fmt.Sprintf("NCB %s %c.jpg", strings.ReplaceAll(it.SKU, "-", ""), 'a'+r.IntN(3))
		case 3:
			names[i] = fmt.Sprintf("IMG_%04d.jpg", r.IntN(9999))
		case 4:
			names[i] = fmt.Sprintf("%s and %s.jpg", it.SKU, items[r.IntN(len(items))].SKU)
		default:
			names[i] = fmt.Sprintf("%s front %d.jpg", strings.ReplaceAll(it.SKU, "-", "_"), r.IntN(3))
		}
	}
	return names, NewCatalog(items)
}

func TestHostileNamesAndCatalogs(t *testing.T) {
	digits := make([]Item, 1000)
	prefixes := make([]Item, 1000)
	for i := range digits {
		digits[i] = Item{SKU: fmt.Sprint(i)}
		prefixes[i] = Item{SKU: "P" + strings.Repeat("1", i%100) + fmt.Sprint(i)}
	}
	long := strings.Repeat("A1-", 1365)
	many := strings.Repeat("HB-20 ", 600)
	for _, items := range [][]Item{digits, prefixes, {{SKU: "HB-20"}, {SKU: strings.Repeat("x", 5000)}, {SKU: "---"}, {SKU: ""}}} {
		verdicts, err := Lot(
			NewCatalog(items),
			DefaultClues(),
			[]string{long, many, "1 2 3 4 5 6 7 8 9.jpg", "P1111.jpg", "\u202egpj.02-BH", "12.jpg", "..//../.jpg"},
			true,
		)
		if err != nil {
			t.Fatal(err)
		}
		for _, v := range verdicts {
			if v.Reason == "" {
				t.Error("a verdict has no reason")
			}
		}
	}
}

// TestAddingAProductNeverMakesAWrongPair adds products one by one and looks
// whether a file that was paired goes to one it does not belong to.
func TestAddingAProductNeverMakesAWrongPair(t *testing.T) {
	truth := map[string]string{
		"HB-20_2.jpg": "HB-20", "A10.jpg": "A10", "445566 front.jpg": "445566", "VL-30.jpg": "VL-0030", "HB-20/3.jpg": "HB-20",
	}
	for _, extra := range []string{"2", "HB", "20", "front", "30", "VL", "HB-2", "0", "10", "A-10", "4455", "HB-20-2-X", "jpg"} {
		items := []Item{{SKU: "HB-20"}, {SKU: "A10"}, {SKU: "445566"}, {SKU: "VL-0030"}, {SKU: extra}}
		catalog := NewCatalog(items)
		for name, want := range truth {
			verdicts, err := Lot(catalog, DefaultClues(), []string{name}, false)
			if err != nil {
				t.Fatal(err)
			}
			if got := shown(catalog, verdicts[0].Target); verdicts[0].Kind == Paired && got != want && got != want+" whole" {
				t.Errorf("with %q in the catalog, %s is paired with %s, not %s", extra, name, got, want)
			}
		}
	}
}
