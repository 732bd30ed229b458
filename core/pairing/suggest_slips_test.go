package pairing

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// slips are names that a person can read and that no rule may pair: a slip in the
// key, in the barcode or in the title, or a word too many.
var slips = []struct {
	name string
	make func(s *trade, it Item, n int) string
}{
	{"a character changed", func(s *trade, it Item, n int) string { return fmt.Sprintf("%s_%d.jpg", s.slip(fileSafe(it.SKU), 0), n) }},
	{"a character missing", func(s *trade, it Item, n int) string { return fmt.Sprintf("%s_%d.jpg", s.slip(fileSafe(it.SKU), 1), n) }},
	{"a character too many", func(s *trade, it Item, n int) string { return fmt.Sprintf("%s_%d.jpg", s.slip(fileSafe(it.SKU), 2), n) }},
	{"two changed about", func(s *trade, it Item, n int) string { return fmt.Sprintf("%s_%d.jpg", s.slip(fileSafe(it.SKU), 3), n) }},
	{"letters for figures", func(s *trade, it Item, n int) string { return fmt.Sprintf("%s_%d.jpg", lookalike(fileSafe(it.SKU)), n) }},
	{"a slip beside the title", func(s *trade, it Item, n int) string {
		return fmt.Sprintf("%s %s_%d.jpg", it.Title, s.slip(fileSafe(it.SKU), 0), n)
	}},
	{"a slip in the folder", func(s *trade, it Item, n int) string {
		return fmt.Sprintf("%s/IMG_%d.jpg", s.slip(fileSafe(it.SKU), 3), 1000+s.r.IntN(9000))
	}},
	{"a slip in the barcode", func(s *trade, it Item, n int) string { return fmt.Sprintf("%s_%d.jpg", s.slip(it.GTIN, 0), n) }},
	{"two figures of the barcode changed about", func(s *trade, it Item, n int) string {
		return fmt.Sprintf("%s_%d.jpg", s.slip(it.GTIN, 3), n)
	}},
	{"a slip in the title", func(s *trade, it Item, n int) string {
		words := strings.Fields(it.Title)
		words[0] = s.slip(words[0], s.r.IntN(4))
		return fmt.Sprintf("%s %s_%d.jpg", strings.Join(words, " "), strings.Join(it.Attributes, " "), n)
	}},
	{"a strange word in the title", func(s *trade, it Item, n int) string {
		return fmt.Sprintf("%s %s_%d.jpg", it.Title, s.pick("Relaunch", "Sonderposten", "Wimbledon", "prototype"), n)
	}},
	{"the title in a folder, misspelt", func(s *trade, it Item, n int) string {
		return fmt.Sprintf("%s/%d.jpg", s.slip(it.Title, 3), n)
	}},
}

// slip returns a text with a character changed, missing, doubled, or two changed
// about; not in what separates others.
func (s *trade) slip(text string, kind int) string {
	for {
		at := s.r.IntN(len(text))
		c := text[at]
		if c < '0' || c >= 0x80 || at+1 < len(text) && text[at+1] < '0' {
			continue
		}
		switch kind {
		case 0:
			other := byte('0' + s.r.IntN(10))
			if c > '9' {
				other = 'A' + byte(s.r.IntN(26))
			}
			return text[:at] + string(other) + text[at+1:]
		case 1:
			return text[:at] + text[at+1:]
		case 2:
			return text[:at] + string(c) + text[at:]
		}
		if at+1 == len(text) || text[at+1] >= 0x80 {
			continue
		}
		return text[:at] + string(text[at+1]) + string(c) + text[at+2:]
	}
}

// TestSuggestionsForSlips holds the contract's measure of suggestions: for at least
// 95 of 100 loose files that a person could pair, the right product is among the
// first three.
func TestSuggestionsForSlips(t *testing.T) {
	trades := append(append(moreTrades(), thirdTrades(7)...), fourthTrades(7)...)
	var loose, right, first, five, ahead, aheadWrong int
	for _, s := range trades {
		catalog := NewCatalog(s.items, s.options...)
		for _, slip := range slips {
			var paths, products []string
			for range 15 {
				it := s.items[s.r.IntN(len(s.items))]
				paths = append(paths, slip.make(s, it, 1+s.r.IntN(9)))
				products = append(products, it.Product)
			}
			verdicts, err := Lot(catalog, DefaultClues(), paths, false)
			if err != nil {
				t.Fatal(err)
			}
			bad, of := 0, 0
			for i := range verdicts {
				if verdicts[i].Kind != Loose {
					continue
				}
				of++
				near := catalog.Nearest(paths[i], 5)
				isRight := func(n Suggestion) bool { return catalog.ProductCode(n.Target.Product) == products[i] }
				if len(near) > 0 && isRight(near[0]) {
					first++
				}
				if Ahead(near) {
					ahead++
					if !isRight(near[0]) {
						aheadWrong++
						t.Logf("ahead and wrong: %s is of %s: %+v", paths[i], products[i], near[:min(2, len(near))])
					}
				}
				if slices.ContainsFunc(near, isRight) {
					five++
				}
				near = near[:min(3, len(near))]
				found := false
				for _, n := range near {
					found = found || catalog.ProductCode(n.Target.Product) == products[i]
				}
				if found {
					right++
				} else if bad++; bad == 1 {
					t.Logf("%s, %s: %s is of %s: %+v", slip.name, s.name, paths[i], products[i], near)
				}
			}
			loose += of
			if bad > 0 {
				t.Logf("%s, %s: %d of %d", slip.name, s.name, bad, of)
			}
		}
	}
	t.Logf("the right product is among the first three for %s of %d loose files", share(right, loose), loose)
	t.Logf("first: %s, among five: %s; clearly ahead %d, %d of them wrong", share(first, loose), share(five, loose), ahead, aheadWrong)
	if 100*right < 95*loose {
		t.Errorf("for %d of %d", right, loose)
	}
	if 100*first < 85*loose || 100*five < 97*loose {
		t.Errorf("first for %d, among five for %d of %d", first, five, loose)
	}
	if 200*aheadWrong > ahead || 2*ahead < loose {
		t.Errorf("%d of %d that are clearly ahead are wrong, of %d", aheadWrong, ahead, loose)
	}
}

// TestSuggestionsAreTheSameEachTime asks again and again: a product with several
// near variants and a title that stands in the name too, and a title and a name that
// are too long to be held against each other.
func TestSuggestionsAreTheSameEachTime(t *testing.T) {
	long := strings.Repeat("Willow ", 2000)
	items := []Item{{SKU: "LG-1", Product: "LG", Title: long}}
	for _, size := range []string{"S", "M", "L", "XL"} {
		for _, title := range []string{"Harbour Stool", "Harbour Bench"} {
			product := "HB-" + title[8:10] + "10"
			items = append(items, Item{SKU: product + "-" + size, Product: product, Title: title, Attributes: []string{size}})
		}
	}
	catalog := NewCatalog(items, "size")
	for _, name := range []string{"Harbour Stool HB-St1O-Q.jpg", "Harbour Benhc HB-Be11-S_2.jpg", long + ".jpg"} {
		want := catalog.Nearest(name, 6)
		for range 40 {
			if got := catalog.Nearest(name, 6); !reflect.DeepEqual(got, want) {
				t.Fatalf("%.40s: %+v, then %+v", name, want, got)
			}
		}
		for _, s := range want {
			if len(s.Key) > longestTitle {
				t.Errorf("%.40s: a title of %d bytes is suggested", name, len(s.Key))
			}
		}
	}
}
