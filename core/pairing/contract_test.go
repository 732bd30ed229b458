package pairing

import (
	"math/rand/v2"
	"strings"
	"testing"
)

// testCatalog is small, and has every kind of key that the rules speak of. The
// numbers are GTINs with right check digits in GS1's range for companies' own
// use.
func testCatalog() *Catalog {
	return NewCatalog([]Item{
		{SKU: "HB-10-S", Product: "HB-10", Title: "Dome smoker", GTIN: "2000000000107", Attributes: []string{"small", "amber"}},
		{SKU: "HB-10-XL", Product: "HB-10", Title: "Dome smoker", GTIN: "2000000000114", Attributes: []string{"extra large", "moss green"}},
		{SKU: "HB-20", Title: "Hive tool", GTIN: "2000000000121", Codes: []string{"SUP 7781"}},
		{SKU: "A10", Title: "Frame"},
		{SKU: "A1", Title: "Lid"},
		{SKU: "0005544", Title: "Label"},
		{SKU: "AB/12.C", Title: "Jar"},
		{SKU: "VL-0030", Title: "Veil"},
		{SKU: "GRÜN-7", Title: "Paint"},
		{SKU: "TW-1", GTIN: "2000000000138"},
		{SKU: "TW-2", GTIN: "2000000000138"},
		{SKU: "445566", Title: "Strainer"},
		{SKU: "BIG-100-RED", Product: "BIG-100", Title: "Bucket red"},
		{SKU: "BIG-100-BLU", Product: "BIG-100", Title: "Bucket blue"},
		{SKU: "ZZ-81", Product: "ZZ-81"},
		{SKU: "ZZ-8-1", Product: "ZZ-8-1"},
	})
}

// verdictOf reads one name in a lot of its own.
func verdictOf(t *testing.T, names ...string) Verdict {
	t.Helper()
	verdicts, err := Lot(testCatalog(), DefaultClues(), names, true)
	if err != nil {
		t.Fatal(err)
	}
	return verdicts[0]
}

func shown(c *Catalog, target Target) string {
	switch {
	case target.Item >= 0:
		return c.Item(target.Item).SKU
	case target.Product >= 0:
		return c.ProductCode(target.Product) + " whole"
	}
	return ""
}

// TestTheContract has a row for each rule of the pairing contract; "" means that
// the file must not be paired.
func TestTheContract(t *testing.T) {
	for _, c := range []struct {
		name, want string
		clue       Clue
		rung       Rung
		place      int
		view       string
	}{
		// the ladder
		{"HB-20.jpg", "HB-20", SameName, SameCharacters, 0, ""},
		{"hb-20.JPG", "HB-20", SameName, LetterCase, 0, ""},
		{"GRU\u0308N-7.jpg", "GRÜN-7", SameName, LetterCase, 0, ""}, // NFD
		{"grün-7 2.jpg", "GRÜN-7", KeyInName, LetterCase, 2, ""},
		{"HB_20.jpg", "HB-20", SameName, Separators, 0, ""},
		{"HB 20.jpg", "HB-20", SameName, Separators, 0, ""},
		{"AB-12-C.jpg", "AB/12.C", SameName, Separators, 0, ""},
		{"AB:12.C.jpg", "AB/12.C", SameName, Separators, 0, ""},
		{"AB/12.C.jpg", "AB/12.C", SameName, SameCharacters, 0, ""}, // the archive made a folder of the slash
		{"HB20.jpg", "HB-20", SameName, NoSeparators, 0, ""},
		{"VL-30.jpg", "VL-0030", SameName, LeadingZeros, 0, ""},
		{"VL-030_2.jpg", "VL-0030", KeyInName, LeadingZeros, 2, ""},
		{"HB-2O.jpg", "", 0, 0, 0, ""}, // O for 0 is a suggestion only
		// boundaries
		{"A10.jpg", "A10", SameName, SameCharacters, 0, ""},
		{"A100.jpg", "", 0, 0, 0, ""},
		{"XA10.jpg", "", 0, 0, 0, ""},
		{"A10-front.jpg", "A10", KeyInName, SameCharacters, 0, "front"},
		{"A10front.jpg", "", 0, 0, 0, ""}, // fewer than four characters: a whole token only
		{"HB20front.jpg", "HB-20", KeyInName, NoSeparators, 0, "front"},
		{"1445566.jpg", "", 0, 0, 0, ""},
		{"445566 front.jpg", "445566", KeyInName, SameCharacters, 0, "front"},
		// the longest wins, the variant over its product
		{"HB-10-XL_2.jpg", "HB-10-XL", KeyInName, SameCharacters, 2, ""},
		{"HB-10_2.jpg", "HB-10 whole", KeyInName, SameCharacters, 2, ""},
		{"HB-10 HB-10-S.jpg", "HB-10-S", KeyInName, SameCharacters, 0, ""},
		// "HB-10_1" is not HB-101: numbers kept apart are not read as one
		{"ZZ-8_1.jpg", "ZZ-8-1", SameName, Separators, 0, ""},
		{"ZZ-81_1.jpg", "ZZ-81", KeyInName, SameCharacters, 1, ""},
		// product and option
		{"HB-10/amber 2.jpg", "HB-10-S", Folder, SameCharacters, 2, ""},
		{"HB-10 moss green.jpg", "HB-10-XL", KeyInName, SameCharacters, 0, ""},
		{"HB-10 smoker XL 3.jpg", "HB-10-XL", KeyInName, SameCharacters, 3, ""},
		{"BIG-100 red.jpg", "BIG-100-RED", SameName, Separators, 0, ""},
		// doubt
		{"445566 QX-9911.jpg", "", 0, 0, 0, ""},
		{"HB20 QX9911.jpg", "", 0, 0, 0, ""},
		{"HB-20 QX9911.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20 and A10.jpg", "", 0, 0, 0, ""},
		// what is noise is no key
		{"IMG_5544.jpg", "", 0, 0, 0, ""},
		{"20240512.jpg", "", 0, 0, 0, ""},
		{"HB-20_IMG_4471.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20_800x800.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20_2_1200x1200.jpg", "HB-20", KeyInName, SameCharacters, 2, ""},
		{"HB-20@2x.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20_2024-05-12_3.jpg", "HB-20", KeyInName, SameCharacters, 3, ""},
		{"HB-20_v2.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20 final copy.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20_550e8400-e29b-41d4-a716-446655440000.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		// places
		{"HB-20-02.jpg", "HB-20", KeyInName, SameCharacters, 2, ""},
		{"HB-20 (2).jpg", "HB-20", KeyInName, SameCharacters, 2, ""},
		{"HB-20_3 (1).jpg", "HB-20", KeyInName, SameCharacters, 3, ""},
		{"HB-20 2of5.jpg", "HB-20", KeyInName, SameCharacters, 2, ""},
		{"02_HB-20.jpg", "HB-20", KeyInName, SameCharacters, 2, ""},
		{"HB-20_0.jpg", "HB-20", KeyInName, SameCharacters, 1, ""},
		{"HB-20_add1.jpg", "HB-20", KeyInName, SameCharacters, 2, ""},
		{"HB-20-alt 2.jpg", "HB-20", KeyInName, SameCharacters, 3, ""},
		{"HB-20_extra-3.jpg", "HB-20", KeyInName, SameCharacters, 4, ""},
		{"HB-20_main.jpg", "HB-20", KeyInName, SameCharacters, 1, ""},
		{"HB-20_hero_front.jpg", "HB-20", KeyInName, SameCharacters, 1, "front"},
		{"HB-20_a.jpg", "HB-20", KeyInName, SameCharacters, 0, ""}, // no sequence in the lot
		// views
		{"HB-20_in use.jpg", "HB-20", KeyInName, SameCharacters, 0, "in use"},
		{"HB-20_close-up_2.jpg", "HB-20", KeyInName, SameCharacters, 2, "detail"},
		{"back/HB-20.jpg", "HB-20", SameName, SameCharacters, 0, "back"},
		// barcodes
		{"2000000000121.jpg", "HB-20", BarcodeInName, SameCharacters, 0, ""},
		{"02000000000121_2.jpg", "HB-20", BarcodeInName, SameCharacters, 2, ""},
		{"2000000000121_A7C1.jpg", "HB-20", BarcodeInName, SameCharacters, 0, "back"},
		{"2000000000122.jpg", "", 0, 0, 0, ""},
		{"2000000000138.jpg", "", 0, 0, 0, ""}, // on two SKUs
		{"HB-20 2000000000121.jpg", "HB-20", KeyInName, SameCharacters, 0, ""},
		{"HB-20 2000000000107.jpg", "", 0, 0, 0, ""}, // two products
		// codes and folders
		{"sup-7781_1.jpg", "HB-20", KeyInName, Separators, 1, ""},
		{"lot/HB-20/IMG_0001.jpg", "HB-20", Folder, SameCharacters, 0, ""},
		{"HB-20/deep/er/2.jpg", "HB-20", Folder, SameCharacters, 2, ""},
		{"HB-20/A10.jpg", "A10", SameName, SameCharacters, 0, ""},
		{"HB-20/HB-10/front.jpg", "HB-10 whole", Folder, SameCharacters, 0, "front"},
	} {
		v := verdictOf(t, c.name)
		catalog := testCatalog()
		if got := shown(catalog, v.Target); got != c.want || (v.Kind == Paired) != (c.want != "") {
			t.Errorf("%s: %v with %q (%s), want %q", c.name, v.Kind, got, v.Reason, c.want)
			continue
		}
		if v.Reason == "" {
			t.Errorf("%s: the verdict has no reason", c.name)
		}
		if c.want == "" {
			continue
		}
		if v.Clue != c.clue || v.Rung != c.rung || v.Place != c.place || v.View != c.view {
			t.Errorf(
				"%s: %v on rung %v, place %d, view %q; want %v, %v, %d, %q", c.name, v.Clue, v.Rung, v.Place, v.View, c.clue,
				c.rung, c.place, c.view,
			)
		}
	}
}

func TestLooseFilesSayWhy(t *testing.T) {
	for name, want := range map[string]string{
		"IMG_5544.jpg":            "camera counter",
		"QX-9911.jpg":             "9911",
		"2000000000145.jpg":       "no product has it",
		"2000000000122.jpg":       "check digit would have to be 1",
		"445566 QX-9911.jpg":      "looks like another key",
		"meadow in the sun.jpg":   "no key found",
		"front.jpg":               "nothing in the name but",
		"2000000000138.jpg":       "belongs to 2",
		"HB-20 2000000000107.jpg": "holds the keys",
	} {
		if v := verdictOf(t, name); v.Kind == Paired || !strings.Contains(v.Reason, want) {
			t.Errorf("%s: %v, %q; want a reason with %q", name, v.Kind, v.Reason, want)
		}
	}
}

func TestContestedNamesAllWhoClaim(t *testing.T) {
	v := verdictOf(t, "HB-20 and A10-x.jpg")
	if v.Kind != Contested || len(v.Candidates) != 2 {
		t.Fatalf("got %v with %d candidates: %s", v.Kind, len(v.Candidates), v.Reason)
	}
}

func TestTheLotShowsWhatALetterOrANoughtMeans(t *testing.T) {
	catalog := testCatalog()
	names := []string{"HB-20_a.jpg", "HB-20_b.jpg", "HB-20_c.jpg", "A10_0.jpg", "A10_1.jpg", "A10_2.jpg", "VL-0030_f.jpg", "VL-0030_b.jpg"}
	verdicts, err := Lot(catalog, DefaultClues(), names, true)
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []int{1, 2, 3, 1, 2, 3, 0, 0} {
		if verdicts[i].Place != want {
			t.Errorf("%s: place %d, want %d", names[i], verdicts[i].Place, want)
		}
	}
	if verdicts[6].View != "front" || verdicts[7].View != "back" {
		t.Errorf("f and b are %q and %q, want front and back", verdicts[6].View, verdicts[7].View)
	}
}

func TestAWordInMostNamesIsThePrefix(t *testing.T) {
	names := []string{"NCB HB-20 1.jpg", "NCB A10.jpg", "ncb VL-0030.jpg", "NCB_445566_2.jpg", "NCB-GRÜN-7.jpg"}
	verdicts, err := Lot(testCatalog(), DefaultClues(), names, true)
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range verdicts {
		if v.Kind != Paired {
			t.Errorf("%s is %v: %s", names[i], v.Kind, v.Reason)
			continue
		}
		if v.Spans[0].What != "supplier prefix" {
			t.Errorf("%s begins with %q, want the supplier's prefix", names[i], v.Spans[0].What)
		}
	}
}

func TestSuggestionsMarkTheDifference(t *testing.T) {
	near := testCatalog().Nearest("new/HB-2O.jpg", 3)
	if len(near) == 0 || near[0].Key != "HB-20" || near[0].Distance != 1 {
		t.Fatalf("nearest to HB-2O: %+v", near)
	}
	different := 0
	for _, e := range near[0].Edits {
		if !e.Same() {
			different++
		}
	}
	if different != 1 {
		t.Errorf("%d characters are marked, want 1: %v", different, near[0].Edits)
	}
}

// TestNearestAgainstAPlainSearch compares the indexed search with comparing
// against every key.
func TestNearestAgainstAPlainSearch(t *testing.T) {
	catalog := testCatalog()
	for _, name := range []string{"HB-2O", "VL-0031", "ZZ-82", "GRUN-7", "44556", "BIG100RDE", "TW-3"} {
		best := 0.0
		var f folded
		f.fold(name)
		for _, k := range catalog.keys {
			var g folded
			g.fold(k.text)
			form := g.joined(0)
			if cost := plainSlips(form, f.joined(0)); cost <= slip*max(1, len(form)/3) {
				best = max(best, 1-float64(cost)/float64(slip*len(form)))
			}
		}
		near := catalog.Nearest(name+".jpg", 1)
		if len(near) == 0 {
			if best > 0 {
				t.Errorf("%s: nothing suggested, a key is near by %.2f", name, best)
			}
			continue
		}
		if near[0].Fit < best {
			t.Errorf("%s: suggested %s, near by %.2f; the nearest is by %.2f", name, near[0].Key, near[0].Fit, best)
		}
	}
}

// plainSlips is what slips cost by their definition, each of the last steps tried.
func plainSlips(a, b string) int {
	var known [32][32]int
	var of func(i, j int) int
	of = func(i, j int) int {
		if i == 0 || j == 0 {
			return slip * (i + j)
		}
		if cost := known[i][j]; cost > 0 {
			return cost - 1
		}
		change := slip
		switch x, y := a[i-1], b[j-1]; {
		case x == y:
			change = 0
		case figureOf(x) == figureOf(y):
			change = slipAlike
		}
		cost := min(of(i-1, j)+slip, of(i, j-1)+slip, of(i-1, j-1)+change)
		if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
			cost = min(cost, of(i-2, j-2)+slipSwap)
		}
		known[i][j] = cost + 1
		return cost
	}
	return of(len(a), len(b))
}

// TestSlipCostAgainstItsDefinition compares the table with its definition, on short
// texts of few characters, and holds its limit.
func TestSlipCostAgainstItsDefinition(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	text := func() string {
		made := make([]byte, r.IntN(9))
		for i := range made {
			made[i] = "0o1lab"[r.IntN(6)]
		}
		return string(made)
	}
	for range 20_000 {
		a, b, limit := text(), text(), r.IntN(24)
		want := plainSlips(a, b)
		if got := slipCost(a, b, limit); got != want && (want <= limit || got <= limit) {
			t.Fatalf("%q and %q: %d, by definition %d (limit %d)", a, b, got, want, limit)
		}
	}
}

func TestClueListsAreChecked(t *testing.T) {
	for text, want := range map[string]string{
		`{"clues":[{"clue":"tea-leaves"}]}`:                "tea-leaves",
		`{"clues":[{"clue":"folder"},{"clue":"folder"}]}`:  "twice",
		`{"clues":[{"clue":"folder"}],"languages":["xx"]}`: "xx",
		`{"clues":[{"clue":"folder","strength":3}]}`:       "strength",
		`{"clues":`: "read clue list",
	} {
		if _, err := ReadClueList(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want an error with %q", text, err, want)
		}
	}
	list, err := ReadClueList(strings.NewReader(`{"clues":[{"clue":"same-name"},{"clue":"key-in-name","off":true}],"languages":["de"]}`))
	if err != nil {
		t.Fatal(err)
	}
	verdicts, err := Lot(testCatalog(), list, []string{"HB-20_vorne.jpg", "HB-20.jpg"}, false)
	if err != nil {
		t.Fatal(err)
	}
	if verdicts[0].Kind == Paired || verdicts[1].Kind != Paired {
		t.Errorf("with same-name alone: %v and %v", verdicts[0].Kind, verdicts[1].Kind)
	}
}

// TestABarcodeIsShownAsItWasRead expects of a GTIN that is kept with 14 digits
// that the name's 13 are its key, and that reasons name what can be seen.
func TestABarcodeIsShownAsItWasRead(t *testing.T) {
	c := NewCatalog(
		[]Item{{SKU: "L-1", GTIN: "02000000000138"}, {SKU: "L-2", GTIN: "02000000000138"}, {SKU: "L-3", GTIN: "02000000000121"}},
	)
	verdicts, err := Lot(c, DefaultClues(), []string{"2000000000121.jpg", "2000000000138.jpg", "02000000000121.jpg"}, true)
	if err != nil {
		t.Fatal(err)
	}
	if v := verdicts[0]; v.Key != "2000000000121" || v.Kind != Paired {
		t.Errorf("13 digits: %+v", v)
	}
	if v := verdicts[1]; v.Reason != "2000000000138 belongs to 2 products or variants" {
		t.Errorf("says %s", v.Reason)
	}
	if v := verdicts[2]; v.Key != "02000000000121" {
		t.Errorf("14 digits: %+v", v)
	}
}
