package pairing

import (
	"math/rand/v2"
	"reflect"
	"testing"
)

// anyList is a clue list such as somebody makes who tries one thing after the
// other: clues switched, moved and set, words of other languages, learned steps.
func anyList(r *rand.Rand) ClueList {
	list := DefaultClues()
	r.Shuffle(len(list.Clues), func(i, j int) { list.Clues[i], list.Clues[j] = list.Clues[j], list.Clues[i] })
	for i := range list.Clues {
		c := &list.Clues[i]
		c.Off = r.IntN(4) == 0
		switch {
		case c.Clue == Attribute.String() && r.IntN(3) == 0:
			c.Attributes, c.Whole = []string{"size"}, r.IntN(2) == 0
		case c.Clue == Pattern.String() && r.IntN(2) == 0:
			c.Patterns = []string{`^(?P<key>[a-z]+-?\d+)(?P<place>\d)$`, `(?P<key>\d{4,}).*(?P<view>front|back)`}
		}
	}
	for _, language := range []string{"de", "fr"} {
		if r.IntN(3) == 0 {
			list.Languages = append(list.Languages, language)
		}
	}
	if r.IntN(3) == 0 {
		list.Steps = []Step{{Kind: "drop-prefix", Text: "IMG_"}, {Kind: "pad", Width: 3}}
	}
	return list
}

// messyLots are names of many habits with the catalogs that they belong to.
func messyLots() (catalogs []*Catalog, lots [][]string) {
	names, catalog := messyNames(600)
	catalogs, lots = append(catalogs, catalog), append(lots, names)
	for style := range 3 {
		items, files := supplierList(11, style, 600)
		s := newShop(11, style)
		var listed, shop []string
		for _, f := range files {
			listed = append(listed, f.path)
		}
		for len(shop) < 600 {
			if n, ok := s.name(s.r.IntN(habits)); ok {
				shop = append(shop, n.path)
			}
		}
		catalogs, lots = append(catalogs, NewCatalog(items), NewCatalog(s.items, "size", "colour", "mpn")), append(lots, listed, shop)
	}
	return catalogs, lots
}

// TestNamesReadAgain reads names with one list after the other; what is kept of
// them between the lists changes no answer.
func TestNamesReadAgain(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 25))
	catalogs, lots := messyLots()
	for i, catalog := range catalogs {
		names := NewNames(catalog, lots[i])
		for range 12 {
			list, spans := anyList(r), r.IntN(2) == 0
			want, err := Lot(catalog, list, lots[i], spans)
			if err != nil {
				t.Fatal(err)
			}
			got, err := names.Read(list, spans)
			if err != nil {
				t.Fatal(err)
			}
			for n := range want {
				if !reflect.DeepEqual(got[n], want[n]) {
					t.Fatalf("lot %d, %s with %+v:\n%+v\nread anew:\n%+v", i, lots[i][n], list, got[n], want[n])
				}
			}
		}
		if _, err := names.Read(ClueList{Clues: []ClueSetting{{Clue: "guess"}}}, false); err == nil {
			t.Error("a clue that is none is read with")
		}
	}
}

// TestOneNameLeavesNothingToTheNext reads names one by one and together: beside
// what the lot has in common, a name's verdict is its own.
func TestOneNameLeavesNothingToTheNext(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	catalogs, lots := messyLots()
	for i, catalog := range catalogs {
		for range 6 {
			list := anyList(r)
			with, err := list.compile()
			if err != nil {
				t.Fatal(err)
			}
			habits, words := findHabits(lots[i]), vocabulary(list.Languages)
			together := newReader(catalog, habits, with, words, true)
			for _, path := range lots[i] {
				var alone, after Verdict
				newReader(catalog, habits, with, words, true).read(path, &alone, nil)
				together.read(path, &after, nil)
				if !reflect.DeepEqual(after, alone) {
					t.Fatalf("lot %d, %s with %+v:\n%+v\nalone:\n%+v", i, path, list, after, alone)
				}
			}
		}
	}
}

// TestKeysOfTheNameBefore reads a long name by its key and then a short one of
// the same product by its title: the key's characters are not the short name's.
func TestKeysOfTheNameBefore(t *testing.T) {
	catalog := NewCatalog([]Item{{SKU: "HB-77", Title: "Ventilated meadow smoker"}, {SKU: "HB-78", Title: "Folding bee brush"}})
	list := ClueList{Clues: []ClueSetting{{Clue: "title"}, {Clue: "key-in-name"}}}
	verdicts, err := Lot(catalog, list, []string{"one of the new lot sent in spring HB-77.jpg", "meadow smoker ventilated.jpg"}, true)
	if err != nil {
		t.Fatal(err)
	}
	for i, clue := range []Clue{KeyInName, Title} {
		if v := verdicts[i]; v.Kind != Paired || v.Clue != clue || shown(catalog, v.Target) != "HB-77" {
			t.Errorf("%+v", v)
		}
	}
}
