package pairing

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

// wideCatalog has products that only titles, attributes or parts of keys tell.
func wideCatalog() *Catalog {
	return NewCatalog([]Item{
		{SKU: "BK-1042-S-WHT", Product: "BK-1042", Title: "Ventilated meadow suit", Attributes: []string{"S", "white", "VX1042Q"}},
		{SKU: "BK-1042-M-SLB", Product: "BK-1042", Title: "Ventilated meadow suit", Attributes: []string{"M", "slate blue", "VX1043Q"}},
		{SKU: "BK-2077-S-WHT", Product: "BK-2077", Title: "Ventilated garden suit", Attributes: []string{"S", "white", "VX2077Q"}},
		{SKU: "CK-3000-S", Title: "Galvanised honey gate", GTIN: "2000000000107", Attributes: []string{"", "", "500 ml"}},
		{SKU: "DK-3000-S", Title: "Galvanised wax gate", Attributes: []string{"", "", "500 ml"}},
		{SKU: "0000451", Title: "Smoker"},
		{SKU: "77120045", Title: "Entrance reducer", Codes: []string{"OLD 9"}},
	}, "size", "colour", "mpn")
}

func listOf(t *testing.T, text string) ClueList {
	t.Helper()
	list, err := ReadClueList(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// TestCluesBesideKeys has a row for each rule of the clues that are asked when
// no key is found; "" means that the file must not be paired.
func TestCluesBesideKeys(t *testing.T) {
	catalog := wideCatalog()
	for _, c := range []struct {
		list, name, want string
		clue             Clue
		place            int
	}{
		// name in the key
		{"", "1042-S-WHT_2.jpg", "BK-1042-S-WHT", NameInKey, 2},
		{"", "1042.jpg", "BK-1042 whole", NameInKey, 0},
		{"", "front 2077-S.jpg", "BK-2077-S-WHT", NameInKey, 0},
		{"", "3000-S.jpg", "", 0, 0},   // a part of two keys
		{"", "S-WHT.jpg", "", 0, 0},    // no number
		{"", "42-S-WHT.jpg", "", 0, 0}, // not from the start of a number
		{"", "1042-XXL.jpg", "", 0, 0}, // not as it stands there
		{"", "201042-S.jpg", "", 0, 0}, // digits within a longer run
		{"", "2024_1.jpg", "", 0, 0},   // a year
		{"", "71200 45.jpg", "", 0, 0}, // not as it stands there
		{"", "7712004.jpg", "", 0, 0},  // not to the end of a number
		{"", "x/1042-M.jpg", "BK-1042-M-SLB", NameInKey, 0},
		// title
		{"", "meadow-suit-ventilated_3.jpg", "BK-1042 whole", Title, 3},
		{"", "Suit meadow slate blue.jpg", "BK-1042-M-SLB", Title, 0},
		{"", "meadow suit slateblue M.jpg", "BK-1042-M-SLB", Title, 0},
		{"", "Ventilated meadow suit/IMG_0001.jpg", "BK-1042 whole", Title, 0},
		{"", "ventilated suit.jpg", "", 0, 0},               // two products have both
		{"", "meadow suit at the fair.jpg", "", 0, 0},       // a word that no title has
		{"", "meadow.jpg", "", 0, 0},                        // one word of three
		{"", "smoker 2.jpg", "0000451", Title, 2},           // the whole of a title of one word
		{"", "meadow suit QX-99120.jpg", "", 0, 0},          // what looks like another key
		{"", "galvanised gate.jpg", "", 0, 0},               // two products
		{"", "gate honey front.jpg", "CK-3000-S", Title, 0}, // two of three words
		// attribute
		{"", "vx1043q_2.jpg", "BK-1042-M-SLB", Attribute, 2},
		{"", "VX2077Q front.jpg", "BK-2077-S-WHT", Attribute, 0},
		{"", "500 ml.jpg", "", 0, 0}, // a measure
		{`{"clues":[{"clue":"attribute","attributes":["colour"]}]}`, "slate blue 2.jpg", "BK-1042-M-SLB", Attribute, 2},
		{`{"clues":[{"clue":"attribute","attributes":["colour"]}]}`, "white.jpg", "", 0, 0}, // two products have it
		{`{"clues":[{"clue":"attribute","attributes":["size"]}]}`, "vx1043q.jpg", "", 0, 0}, // another attribute
		{`{"clues":[{"clue":"attribute","whole":true}]}`, "vx1043q_2.jpg", "", 0, 0},
		// pattern
		{`{"clues":[{"clue":"pattern","patterns":["^img(?P<key>\\d+)y(?P<place>\\d)$"]}]}`, "img77120045y3.jpg", "77120045", Pattern, 3},
		{`{"clues":[{"clue":"pattern","patterns":["^X(?P<key>BK1042)(?P<view>F|B)$"]}]}`, "XBK1042F.jpg", "BK-1042 whole", Pattern, 0},
		{`{"clues":[{"clue":"pattern","patterns":["(?P<key>[^/]+)/[^/]+$"],"onPath":true}]}`, "a/CK-3000-S/2.jpg", "CK-3000-S", Pattern, 2},
		{`{"clues":[{"clue":"pattern","patterns":["^(?P<key>\\d+)$"]}]}`, "99999.jpg", "", 0, 0},
		{`{"clues":[{"clue":"pattern","patterns":["^z(?P<key>.+)$","^y(?P<key>.+)$"]}]}`, "y2000000000107.jpg", "CK-3000-S", Pattern, 0},
		// order: the first clue in the list that says something decides
		{`{"clues":[{"clue":"pattern","patterns":["_(?P<key>.+)$"]},{"clue":"key-in-name"}]}`, "CK-3000-S_0000451.jpg", "0000451", Pattern, 0},
		{`{"clues":[{"clue":"key-in-name"},{"clue":"pattern","patterns":["_(?P<key>.+)$"]}]}`, "DK-3000-S_OLD 9.jpg", "", 0, 0},
		{`{"clues":[{"clue":"title","off":true},{"clue":"key-in-name"}]}`, "meadow-suit-ventilated.jpg", "", 0, 0},
		// learned steps
		{`{"clues":[{"clue":"key-in-name"}],"steps":[{"kind":"drop-prefix","text":"Q"}]}`, "qCK-3000-S_2.jpg", "CK-3000-S", KeyInName, 2},
		{`{"clues":[{"clue":"key-in-name"}],"steps":[{"kind":"drop-suffix","text":"new"}]}`, "CK-3000-Snew.jpg", "CK-3000-S", KeyInName, 0},
		{`{"clues":[{"clue":"key-in-name"}],"steps":[{"kind":"separator","text":"x"}]}`, "CKx3000xS.jpg", "CK-3000-S", KeyInName, 0},
		{`{"clues":[{"clue":"same-name"}],"steps":[{"kind":"pad","width":7}]}`, "451.jpg", "0000451", SameName, 0},
		{`{"clues":[{"clue":"key-in-name"}],"steps":[{"kind":"code","text":"zebra","sku":"77120045"}]}`, "Zebra 4.jpg", "77120045", KeyInName, 4},
		{`{"clues":[{"clue":"key-in-name"}],
			"steps":[{"kind":"code","text":"zebra","sku":"77120045"},{"kind":"code","text":"lion","sku":"CK-3000-S"}]}`, "zebra lion.jpg", "", 0, 0},
	} {
		list := DefaultClues()
		if c.list != "" {
			list = listOf(t, c.list)
		}
		verdicts, err := Lot(catalog, list, []string{c.name}, true)
		if err != nil {
			t.Fatal(err)
		}
		v := verdicts[0]
		if got := shown(catalog, v.Target); got != c.want || (v.Kind == Paired) != (c.want != "") {
			t.Errorf("%s %s: %v with %q by %v (%s), want %q", c.list, c.name, v.Kind, got, v.Clue, v.Reason, c.want)
			continue
		}
		if err := covers(c.name, v.Spans); err != nil {
			t.Errorf("%s: %v", c.name, err)
		}
		if v.Kind == Paired && (v.Clue != c.clue || v.Place != c.place) {
			t.Errorf("%s: by %v at place %d, want %v at %d", c.name, v.Clue, v.Place, c.clue, c.place)
		}
		if (v.Why == "") != (v.Kind == Paired) {
			t.Errorf("%s: %v because of %q", c.name, v.Kind, v.Why)
		}
	}
}

func TestSheetRowsNameFiles(t *testing.T) {
	catalog := wideCatalog()
	rows := NewRows([]Row{
		{
			Line: 2, File: "Sun.JPG", SKU: "ck-3000-s", Place: 4, View: "Front",
		}, {Line: 3, File: "a/moon.png", SKU: "0000451"}, {Line: 4, File: "b/moon.png", SKU: "77120045", Lead: true},
		{
			Line: 5,
			File: "both.jpg",
			SKU:  "CK-3000-S",
		}, {Line: 6, File: "both.jpg", SKU: "DK-3000-S"}, {Line: 7, File: "none.jpg", SKU: "nobody"},
		{Line: 8, File: "bare", SKU: "DK-3000-S"}, {Line: 9, File: "never.jpg", SKU: "DK-3000-S"},
	})
	paths := []string{"x/sun.jpg", "a/Moon.png", "b/moon.png", "both.jpg", "none.jpg", "bare.tif", "0000451.jpg"}
	verdicts, err := Lot(catalog, DefaultClues(), paths, false)
	if err != nil {
		t.Fatal(err)
	}
	listener := NewListener(catalog)
	for i, want := range []string{"paired CK-3000-S 4 front", "paired 0000451 0 ", "paired 77120045 1 ", "contested  0 ", "loose  0 ",
		"paired DK-3000-S 0 ", "paired 0000451 0 "} {
		v := &verdicts[i]
		listener.Row(v, rows.Of(paths[i]))
		if got := fmt.Sprintf("%v %s %d %s", v.Kind, shown(catalog, v.Target), v.Place, v.View); got != want {
			t.Errorf("%s: %s (%s), want %s", paths[i], got, v.Reason, want)
		}
	}
	if unused := rows.Unused(paths); len(unused) != 1 || unused[0].Line != 9 {
		t.Errorf("rows that name nothing: %+v", unused)
	}
}

func TestBarcodesInPictures(t *testing.T) {
	catalog := testCatalog()
	for _, c := range []struct {
		name  string
		codes []string
		want  string
	}{
		{"IMG_0001.jpg", []string{"2000000000121"}, "paired HB-20"},
		{"IMG_0001.jpg", []string{"02000000000121"}, "paired HB-20"},
		{"IMG_0001.jpg", []string{"2000000000145"}, "loose "},     // no product has it
		{"IMG_0001.jpg", []string{"2000000000138"}, "contested "}, // two SKUs have it
		{"IMG_0001.jpg", []string{"2000000000121", "2000000000107"}, "contested "},
		{"IMG_0001.jpg", []string{"HB-20"}, "paired HB-20"},              // Code 128 with the SKU
		{"A10.jpg", []string{"2000000000121"}, "contested "},             // against the name
		{"HB-10.jpg", []string{"2000000000107"}, "paired HB-10-S"},       // tells the variant
		{"HB-20 and A10.jpg", []string{"2000000000121"}, "paired HB-20"}, // settles
		{"A10.jpg", []string{"2000000000138"}, "paired A10"},             // says nothing against it by itself
	} {
		verdicts, err := Lot(catalog, DefaultClues(), []string{c.name}, false)
		if err != nil {
			t.Fatal(err)
		}
		v := &verdicts[0]
		NewListener(catalog).Barcodes(v, c.codes)
		if got := fmt.Sprintf("%v %s", v.Kind, shown(catalog, v.Target)); got != c.want {
			t.Errorf("%s with %v: %s (%s), want %s", c.name, c.codes, got, v.Reason, c.want)
		}
	}
}

// TestASeparatorThatOverlapsItself was found by fuzzing: what is replaced must
// not be read once more.
func TestASeparatorThatOverlapsItself(t *testing.T) {
	if w, ok := (Step{Kind: "separator", Text: "aa"}).apply("xaaa.jpg"); !ok || w.path != "xa-.jpg" {
		t.Errorf("%v %q", ok, w.path)
	}
}

// TestLearnFindsTheStep expects, for corrections of several kinds, the step that
// would have paired the file, and how many others it pairs.
func TestLearnFindsTheStep(t *testing.T) {
	catalog := wideCatalog()
	target := func(sku string) Target {
		for i := range catalog.Items() {
			if catalog.SKU(i) == sku {
				return catalog.TargetOf(i)
			}
		}
		t.Fatalf("no %s", sku)
		return NoTarget
	}
	list := listOf(t, `{"clues":[{"clue":"same-name"},{"clue":"key-in-name"},{"clue":"folder"}]}`)
	others := []string{"qDK-3000-S.jpg", "DK-3000-Snew_2.jpg", "DKx3000xS.jpg", "meadow.jpg", "rain.jpg"}
	for _, c := range []struct {
		path, sku string
		want      Step
		files     int
	}{
		{"qCK-3000-S_1.jpg", "CK-3000-S", Step{Kind: "drop-prefix", Text: "q"}, 1},
		{"CK-3000-Snew.jpg", "CK-3000-S", Step{Kind: "drop-suffix", Text: "new"}, 1},
		{"CKx3000xS.jpg", "CK-3000-S", Step{Kind: "separator", Text: "x"}, 1},
		{"451.jpg", "0000451", Step{Kind: "pad", Width: 7}, 0},
		{"ZEB99 2.jpg", "77120045", Step{Kind: "code", Text: "ZEB99", SKU: "77120045"}, 0},
	} {
		found, err := Learn(catalog, list, c.path, target(c.sku), others)
		if err != nil {
			t.Fatal(err)
		}
		at := slices.IndexFunc(found, func(p Proposal) bool { return p.Step == c.want })
		if at < 0 || found[at].Files != c.files || len(found[at].Examples) != c.files {
			t.Errorf("%s of %s: %+v, want %v with %d others", c.path, c.sku, found, c.want, c.files)
		}
	}
}

// FuzzPatternsAndSteps reads any name with any pattern and step: the spans cover
// the name, and nothing is paired that the catalog does not have.
func FuzzPatternsAndSteps(f *testing.F) {
	for _, seed := range [][3]string{{"img77120045y3.jpg", `(?P<key>\d+)y(?P<place>\d)`, "img"},
		{"ü/ＢＫ１０４２.jpg", `(?P<key>..........)`, "Ｂ"}, {"\xffBK-1042", `(?P<key>.*)`, "\xff"}, {"", "(", "-"}} {
		f.Add(seed[0], seed[1], seed[2])
	}
	catalog := wideCatalog()
	f.Fuzz(func(t *testing.T, name, expression, text string) {
		budget.Of(len(name)+len(expression)+len(text)).Check(t, func() {
			for _, list := range []ClueList{
				{Clues: []ClueSetting{{Clue: "pattern", Patterns: []string{expression}, OnPath: len(text)%2 == 0}}},
				{Clues: []ClueSetting{{Clue: "key-in-name"}}, Steps: []Step{{Kind: "drop-prefix", Text: text}, {Kind: "drop-suffix", Text: text},
					{Kind: "separator", Text: text}, {Kind: "pad", Width: 9}, {Kind: "code", Text: text, SKU: "CK-3000-S"}}},
			} {
				verdicts, err := Lot(catalog, list, []string{name}, true)
				if err != nil {
					continue
				}
				if err := covers(name, verdicts[0].Spans); err != nil && name != "" {
					t.Fatalf("%q with %q and %q: %v", name, expression, text, err)
				}
			}
			if _, err := Learn(catalog, DefaultClues(), name, catalog.TargetOf(0), []string{text, expression}); err != nil {
				t.Fatal(err)
			}
		})
	})
}
