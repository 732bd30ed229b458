package pairing

import (
	"errors"
	"maps"
	"reflect"
	"slices"
	"strings"
	"testing"
)

// TestAListWithoutCluesTakesTheUsualOnes reads what people write when they want
// one thing changed.
func TestAListWithoutCluesTakesTheUsualOnes(t *testing.T) {
	catalog := NewCatalog([]Item{{SKU: "BK-1042", Title: "Suit"}})
	for _, text := range []string{`{}`, `{"languages":["de"]}`, `{"clues":null}`, `{"clues":[]}`} {
		list := listOf(t, text)
		verdicts, err := Lot(catalog, list, []string{"BK-1042_hinten.jpg"}, false)
		if err != nil || verdicts[0].Kind != Paired || !list.On(SheetRow) {
			t.Errorf("%s: %+v %v", text, verdicts, err)
		}
		if back := verdicts[0].View == "back"; back != (len(list.Languages) > 0) {
			t.Errorf("%s: the view is %q", text, verdicts[0].View)
		}
	}
	// A list that switches every clue off stays so, and so does one that was never read from JSON.
	off := DefaultClues()
	for i := range off.Clues {
		off.Clues[i].Off = true
	}
	if v, err := Lot(catalog, off, []string{"BK-1042.jpg"}, false); err != nil || v[0].Kind != Loose {
		t.Errorf("with all clues off: %+v %v", v, err)
	}
	if v, err := Lot(catalog, ClueList{Languages: []string{"de"}}, []string{"BK-1042.jpg"}, false); err != nil || v[0].Kind != Paired {
		t.Errorf("without clues: %+v %v", v, err)
	}
}

// TestCluesBesideNamesHaveNoOrder moves those that read no names through the
// list: the verdicts stay.
func TestCluesBesideNamesHaveNoOrder(t *testing.T) {
	paths := []string{"1042-S-WHT.jpg", "meadow suit.jpg", "BK-2077-S-WHT/vx1043q.jpg", "2000000000107.jpg"}
	want, err := Lot(wideCatalog(), DefaultClues(), paths, true)
	if err != nil {
		t.Fatal(err)
	}
	for _, clue := range []Clue{SheetRow, BarcodeInPicture, LookAlike} {
		for at := range DefaultClues().Clues {
			list := DefaultClues()
			from := slices.IndexFunc(list.Clues, func(s ClueSetting) bool { return s.Clue == clue.String() })
			moved := list.Clues[from]
			list.Clues = slices.Insert(slices.Delete(list.Clues, from, from+1), at, moved)
			if got, err := Lot(wideCatalog(), list, paths, true); err != nil || !reflect.DeepEqual(got, want) {
				t.Errorf("%s at %d: %+v %v", clue, at, got, err)
			}
		}
	}
}

// TestAListSaysWhatOfItCannotBeUsed looks at the part and its number.
func TestAListSaysWhatOfItCannotBeUsed(t *testing.T) {
	for want, list := range map[ListError]ClueList{
		{Part: "clue", At: 2}:     {Clues: []ClueSetting{{Clue: "folder"}, {Clue: "guess"}}},
		{Part: "clue", At: 3}:     {Clues: []ClueSetting{{Clue: "folder"}, {Clue: "title"}, {Clue: "folder"}}},
		{Part: "clue", At: 1}:     {Clues: []ClueSetting{{Clue: "pattern", Patterns: []string{"(?P<key>"}}}},
		{Part: "step", At: 1}:     {Steps: []Step{{Kind: "pad"}}},
		{Part: "language", At: 2}: {Languages: []string{"de", "xx"}},
	} {
		var at *ListError
		if err := list.Check(); !errors.As(err, &at) || at.Part != want.Part || at.At != want.At || at.Err == nil {
			t.Errorf("%+v: %v, want %s %d", list, err, want.Part, want.At)
		}
	}
}

// TestOptionsAreNamed shows of each option which one it is, as the catalog spells
// it, whatever the name calls it.
func TestOptionsAreNamed(t *testing.T) {
	var items []Item
	for _, colour := range []string{"black", "navy"} {
		for _, length := range []string{"0.5 m", "2.5 m"} {
			sku := "TW-2210-" + strings.ToUpper(colour[:2]) + strings.Trim(strings.ReplaceAll(length, ".", ""), " m")
			items = append(items, Item{SKU: sku, Product: "TW-2210", Title: "Tow rope", Attributes: []string{colour, length}})
		}
	}
	list := DefaultClues()
	list.Languages = []string{"de"}
	path := "TW-2210/marine 2,5 m_4.jpg"
	verdicts, err := Lot(NewCatalog(items, "colour", "length"), list, []string{path}, true)
	if err != nil || verdicts[0].Item != 3 || verdicts[0].Place != 4 {
		t.Fatalf("%+v (%v)", verdicts[0], err)
	}
	got := map[string]string{}
	for _, s := range verdicts[0].Spans {
		if s.Option != "" {
			got[path[s.Start:s.End]] = s.Option
		}
	}
	want := map[string]string{"marine": "colour: navy", "2,5 m": "length: 2.5 m"}
	if !maps.Equal(got, want) {
		t.Errorf("%v, want %v", got, want)
	}
}
