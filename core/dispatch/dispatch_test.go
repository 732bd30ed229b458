package dispatch

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/core/naming"
	"ambrosa/core/rights"
)

var now = time.Date(2026, 6, 1, 0, 0, 0, 0, time.UTC)

func cleared(product, variant int64, sku string, place int) Item {
	return Item{Picture: naming.Picture{SKU: sku, Place: place}, Rights: rights.Rights{State: rights.Cleared}, Product: product,
		Variant: variant, Ending: "jpg", Bytes: 10}
}

// numbered are items as they are chosen.
func numbered(items []Item) []Numbered { return Settings{Pictures: All}.Chosen(items) }

// TestWhatIsChosenIsNumbered takes all, the leads, and the first two of each.
func TestWhatIsChosenIsNumbered(t *testing.T) {
	items := []Item{cleared(1, 0, "A", 1), cleared(1, 0, "A", 2), cleared(1, 7, "A-S", 1), cleared(1, 7, "A-S", 2),
		cleared(1, 7, "A-S", 3),
		cleared(2, 0, "B", 1)}
	items[2].View, items[5].View = "front", "FRONT"
	for _, c := range []struct {
		settings Settings
		want     []string
	}{
		{Settings{Pictures: All}, []string{"A 1", "A 2", "A-S 3", "A-S 4", "A-S 5", "B 1"}},
		{Settings{Pictures: Lead}, []string{"A 1", "A-S 2", "B 1"}},
		{Settings{Pictures: First, First: 2}, []string{"A 1", "A 2", "A-S 3", "A-S 4", "B 1"}},
		{Settings{Pictures: Views, Views: []string{"Front "}}, []string{"A-S 1", "B 1"}},
	} {
		var got []string
		for _, item := range c.settings.Chosen(items) {
			got = append(got, fmt.Sprint(item.SKU, " ", item.Number))
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, expected %q", c.settings.Pictures, got, c.want)
		}
	}
	if _, err := (Settings{Pictures: First, Names: "[sku]"}).Template(); !errors.Is(err, ErrFirst) {
		t.Errorf("the first none of each: %v", err)
	}
}

// TestSharedPictures: each variant goes with its product's pictures behind its own, numbered on; a
// product without variants, and a category, go as they are.
func TestSharedPictures(t *testing.T) {
	items := []Item{cleared(1, 0, "A-S", 1), cleared(1, 0, "A-S", 2), cleared(1, 7, "A-S", 1), cleared(2, 0, "B", 1),
		cleared(0, 0, "", 1)}
	items[4].Of = 3
	variants := map[int64][]Variant{1: {{ID: 7, SKU: "A-S"}, {ID: 8, SKU: "A-M"}}, 9: {{ID: 10}}}
	var got []string
	for _, i := range numbered(WithShared(items, variants)) {
		got = append(got, fmt.Sprint(i.SKU, " ", i.Variant, " ", i.Place, " ", i.Number, " ", i.Shared))
	}
	want := []string{"A-S 7 1 1 false", "A-S 7 2 2 true", "A-S 7 3 3 true",
		"A-M 8 1 4 true", "A-M 8 2 5 true", "B 0 1 1 false", " 0 1 1 false"}
	if !slices.Equal(got, want) {
		t.Errorf("%q, expected %q", got, want)
	}
}

// TestPartsAreFull: a part takes what fits, and one picture at least.
func TestPartsAreFull(t *testing.T) {
	p := PackageSettings{Most: 2}
	if p.Full(0, 5_000_000) || p.Full(1_000_000, 999_000) || !p.Full(1_000_000, 1_000_000) || (PackageSettings{}).Full(1<<40, 1) {
		t.Error("a part is told full wrongly")
	}
}

// TestWhatFilesTake packs files with the standard library's archives, and compares with what was said
// that they take: never less than they do.
func TestWhatFilesTake(t *testing.T) {
	for name, size := range map[string]int{"a.jpg": 1, "folder/größe 7.jpg": 70_000, strings.Repeat("ü", 100) + ".jpg": 511,
		strings.Repeat("folder/", 30) + "a.jpg": 512} {
		content := make([]byte, size)
		for _, format := range []string{"", Tar} {
			p := PackageSettings{Format: format}
			var out bytes.Buffer
			var err error
			if format == Tar {
				to := tar.NewWriter(&out)
				err = to.WriteHeader(&tar.Header{Name: name, Size: int64(size), Mode: 0o644, ModTime: time.Now(), Format: tar.FormatPAX})
				if err == nil {
					_, err = to.Write(content)
				}
				err = errors.Join(err, to.Close())
			} else {
				to := zip.NewWriter(&out)
				var entry io.Writer
				if entry, err = to.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: time.Now()}); err == nil {
					_, err = entry.Write(content)
				}
				err = errors.Join(err, to.Close())
			}
			if said := p.Takes(name, int64(size)) + p.end(); err != nil || int64(out.Len()) > said || said > int64(out.Len())+2500 {
				t.Errorf("%.20s of %d bytes takes %d in a %q, and %d was said: %v", name, size, out.Len(), p.Ending(), said, err)
			}
		}
	}
}

// TestReadyMadeNamesAreApart names the pictures of a catalog with variants by each of the ready-made
// templates of the interface: none has the name of another.
func TestReadyMadeNamesAreApart(t *testing.T) {
	source, err := os.ReadFile("../../ui/src/dispatch/words.ts")
	if err != nil {
		t.Fatal(err)
	}
	_, list, _ := strings.Cut(string(source), "export const ready = [")
	list, _, _ = strings.Cut(list, "];")
	templates := regexp.MustCompile(`value:\s*'([^']+)'`).FindAllStringSubmatch(list, -1)
	if len(templates) < 5 {
		t.Fatalf("%d ready-made templates were found", len(templates))
	}
	var items []Item
	for p := range int64(3) { // the first two have the same title, the last one variant with its own code
		code, gtin := fmt.Sprintf("P%d", p), fmt.Sprintf("040063813339%02d", p)
		for place := range 2 {
			i := cleared(p+1, 0, code, place+1)
			i.Code, i.Picture.ID, i.Title, i.Category = code, code, "A mug", "7"
			items = append(items, i)
		}
		variants := []string{"-red", "-blue"}
		if p == 2 {
			variants = []string{""}
		}
		for v, ending := range variants {
			for place := range 2 {
				i := cleared(p+1, int64(v+1), code+ending, place+1)
				i.Code, i.Picture.ID, i.Title, i.Options = code, code, "A mug", []catalog.Option{{Name: "Colour", Value: "dark" + ending}}
				if v == 0 {
					i.GTIN = gtin
				}
				items = append(items, i)
			}
		}
	}
	for _, found := range templates {
		names, err := naming.ParseTemplate(found[1])
		if err != nil {
			t.Fatalf("%s: %v", found[1], err)
		}
		for _, o := range rehearsed(t, Settings{}, Settings{Pictures: All}.Chosen(items), names, nil, nil, time.Now()) {
			if slices.Contains(o.Problems, naming.Collision) || o.Held != "" {
				t.Errorf("%s: %s %v %s", found[1], o.Name, o.Problems, o.Held)
			}
		}
	}
}

// TestHeldBack says why a picture does not go: its rights, its bytes, its name.
func TestHeldBack(t *testing.T) {
	names, err := naming.ParseTemplate("[sku]")
	if err != nil {
		t.Fatal(err)
	}
	items := []Item{cleared(1, 0, "A", 1), cleared(1, 0, "a", 2), cleared(2, 0, "B", 1), cleared(3, 0, "C", 1)}
	items[2].State, items[3].Damage = rights.Unknown, "missing"
	items[2].SKU = "A" // held back, it keeps no name from others
	outcomes := rehearsed(t, Settings{}, numbered([]Item{items[2], items[0], items[1], items[3]}), names, nil, nil, now)
	for i, want := range []string{"nobody knows whether it may be used", "", "another one is called a.jpg", "its bytes are missing"} {
		if outcomes[i].Held != want {
			t.Errorf("%d is held back by %q, expected %q", i, outcomes[i].Held, want)
		}
	}
	if c := (Settings{}).Count(outcomes); c.Pictures != 1 || c.Held != 3 || c.Products != 1 || c.Bytes != 10 ||
		c.Problems[naming.Collision] != 3 || c.Chosen != 4 || c.Misnamed != 3 {
		t.Errorf("%+v", c)
	}
}

// TestWhatFilesReveal: a position and a serial number are told of what keeps them, and of what goes.
func TestWhatFilesReveal(t *testing.T) {
	names, err := naming.ParseTemplate("[sku]_[place]")
	if err != nil {
		t.Fatal(err)
	}
	items := []Item{cleared(1, 0, "A", 1), cleared(2, 0, "B", 1), cleared(3, 0, "C", 1), cleared(4, 0, "D", 1)}
	items[0].Stated, items[1].Stated = rights.Stated{Located: true}, rights.Stated{Located: true, Serial: true}
	items[2].Stated, items[2].State = rights.Stated{Located: true}, rights.Restricted
	for metadata, want := range map[string][2]int{Kept: {2, 1}, Stripped: {0, 0}, Written: {0, 0}} {
		s := Settings{Rendition: RenditionRecipe{Format: JPEG, Metadata: metadata}}
		if c := s.Count(rehearsed(t, s, numbered(items), names, nil, nil, now)); [2]int{c.Located, c.Serial} != want {
			t.Errorf("%s: %+v, expected %v", metadata, c, want)
		}
	}
	s := Settings{Rendition: RenditionRecipe{Format: Original, Metadata: Stripped}}
	if c := s.Count(rehearsed(t, s, numbered(items), names, nil, nil, now)); c.Located != 2 || c.Serial != 1 {
		t.Errorf("as they came: %+v", c)
	}
}

// TestTheGate tries random rights: none that is not cleared, or whose rights have ended, goes,
// and no two go under one name.
func TestTheGate(t *testing.T) {
	names, err := naming.ParseTemplate("[sku]-[place]")
	if err != nil {
		t.Fatal(err)
	}
	random := rand.New(rand.NewPCG(1, 6))
	states := []rights.State{rights.Cleared, rights.Restricted, rights.Unknown, "", "cleared "}
	went, excepted := 0, 0
	for range 1000 {
		var items []Item
		for range 100 {
			item := cleared(int64(random.IntN(9)), 0, fmt.Sprint(random.IntN(9)), random.IntN(9))
			item.State, item.Sum = states[random.IntN(len(states))], fmt.Sprint(random.IntN(9))
			if end := now.AddDate(0, 0, random.IntN(5)-2); random.IntN(2) == 0 {
				item.Expires = &end
			}
			items = append(items, item)
		}
		seen := map[string]bool{}
		except := Exceptions{fmt.Sprint(random.IntN(9)): "one: because"}
		for _, o := range rehearsed(t, Settings{}, numbered(items), names, nil, except, now) {
			if o.Held != "" {
				continue
			}
			went++
			if o.Because != "" {
				excepted++
				if except[o.Sum] != o.Because {
					t.Fatalf("%+v went by no exception", o)
				}
				continue
			}
			if o.State != rights.Cleared || o.Expires != nil && !now.Before(*o.Expires) || seen[naming.Key(o.Name)] {
				t.Fatalf("%+v went", o)
			}
			seen[naming.Key(o.Name)] = true
		}
	}
	if went == excepted || excepted == 0 {
		t.Errorf("%d went, %d of them by an exception", went, excepted)
	}
}

// TestNamesStay hands the same pictures on again: each keeps its name when the template or its
// place changes, a new one does not take it, and only what is new or changed goes where that is
// asked for.
func TestNamesStay(t *testing.T) {
	names, err := naming.ParseTemplate("[sku]-[place]")
	if err != nil {
		t.Fatal(err)
	}
	item := func(sum string, place int) Item {
		i := cleared(1, 0, "A", place)
		i.Sum = sum
		return i
	}
	before := []Sent{{Key: Key{Product: 1, Sum: "x"}, Name: "A-1.jpg", Place: 1}, {Key: Key{Product: 1, Sum: "y"}, Name: "A-2.jpg", Place: 2}}
	now1 := []Item{item("z", 1), item("x", 2), item("y", 3)}
	said := func(s Settings, items []Item) (said []string, totals Totals) {
		outcomes := rehearsed(t, s, numbered(items), names, before, nil, now)
		for _, o := range outcomes {
			if o.Goes(s) {
				said = append(said, o.Sum+" "+o.Name)
			} else {
				said = append(said, o.Sum+" – "+o.Held)
			}
		}
		return said, s.Count(outcomes)
	}
	for _, c := range []struct {
		settings Settings
		items    []Item
		want     []string
		totals   Totals
	}{
		{Settings{}, now1, []string{"z – another one is called A-1.jpg", "x A-1.jpg", "y A-2.jpg"}, Totals{Pictures: 2, Held: 1}},
		{Settings{Rename: true}, now1, []string{"z A-1.jpg", "x A-2.jpg", "y A-3.jpg"}, Totals{Pictures: 3, New: 1, Renamed: 2}},
		{Settings{Changed: true}, []Item{item("x", 1), item("y", 2), item("z", 3)}, []string{"x – ", "y – ", "z A-3.jpg"},
			Totals{Pictures: 1, New: 1, Same: 2}},
		{Settings{Changed: true}, []Item{item("x", 1), item("y", 4)}, []string{"x – ", "y A-2.jpg"}, Totals{Pictures: 1, Same: 1}},
	} {
		got, totals := said(c.settings, c.items)
		totals.Products, totals.Bytes, totals.Problems = 0, 0, nil
		if !slices.Equal(got, c.want) || totals.Pictures != c.totals.Pictures || totals.Held != c.totals.Held || totals.New != c.totals.New ||
			totals.Renamed != c.totals.Renamed || totals.Same != c.totals.Same {
			t.Errorf("%+v: %q %+v, expected %q %+v", c.settings, got, totals, c.want, c.totals)
		}
	}
}

// TestGone: what is gone from the choice, may not go any more, or moved, is gone; what another
// one takes the slot of is not, and what is held back for its bytes stays.
func TestGone(t *testing.T) {
	item := func(sum string, place int, held string) Outcome {
		i := cleared(1, 0, "A", place)
		o := Outcome{Numbered: Numbered{Item: &i}, Name: sum + ".jpg", Held: held}
		o.Item.Sum, o.Item.Place = sum, place
		return o
	}
	restricted := item("restricted", 4, "its use is restricted")
	restricted.State, restricted.ByRights = rights.Restricted, true
	outcomes := []Outcome{item("new", 1, ""), item("moved", 3, ""), item("damaged", 2, "its bytes are damaged"), restricted}
	before := []Sent{}
	for place, sum := range []string{"", "replaced", "damaged", "left", "restricted", "moved"} {
		if sum != "" {
			before = append(before, Sent{Key: Key{Product: 1, Sum: sum}, Name: sum + ".jpg", Place: place, SKU: "A"})
		}
	}
	gone := func(slot func(Sent) string) (names []string) {
		for _, s := range Gone(outcomes, before, slot) {
			names = append(names, s.Sum)
		}
		return names
	}
	byName := gone(func(s Sent) string { return s.Name })
	byPlace := gone(func(s Sent) string { return fmt.Sprint(s.SKU, s.Place) })
	if !slices.Equal(byName, []string{"replaced", "left", "restricted"}) || !slices.Equal(byPlace, []string{"restricted", "moved"}) {
		t.Errorf("gone by name are %v, by place %v", byName, byPlace)
	}
}

// TestSlotsOfOne: a picture that stands in several slots keeps the name of its own place, the same
// picture twice on one target keeps both, and of two in one slot the second is held back.
func TestSlotsOfOne(t *testing.T) {
	names, err := naming.ParseTemplate("[sku]-[place]")
	if err != nil {
		t.Fatal(err)
	}
	twice := []Item{cleared(1, 0, "A", 1), cleared(1, 0, "A", 2)}
	twice[0].Sum, twice[1].Sum = "x", "x"
	key := Key{Product: 1, Sum: "x"}
	before := []Sent{{Key: key, Name: "older.jpg", Place: 1}, {Key: key, Name: "two.jpg", Place: 2}, {Key: key, Name: "one.jpg", Place: 1}}
	outcomes := rehearsed(t, Settings{}, numbered(twice), names, before, nil, now)
	if outcomes[0].Name != "one.jpg" || outcomes[1].Name != "two.jpg" || !outcomes[0].Same || !outcomes[1].Same {
		t.Errorf("%q and %q", outcomes[0].Name, outcomes[1].Name)
	}
	HoldCrowded(outcomes, func(s Sent) string { return s.SKU })
	if outcomes[0].Held != "" || outcomes[1].Held == "" {
		t.Errorf("in one slot: %q and %q", outcomes[0].Held, outcomes[1].Held)
	}
}

func rehearsed(
	t *testing.T, s Settings, chosen []Numbered, names naming.Template, before []Sent, except Exceptions, at time.Time,
) []Outcome {
	t.Helper()
	outcomes, err := s.Rehearse(t.Context(), chosen, names, before, except, at)
	if err != nil {
		t.Fatal(err)
	}
	return outcomes
}
