package plan

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
)

// of is the product of the tests for 0, else one of its variants.
func of(variant int64) catalog.Target { return catalog.TargetOf(1, variant) }

func entry(id int64, view string) Entry {
	return Entry{ID: id, File: id, Sum: fmt.Sprintf("sum%d", id), View: view}
}

func arriving(file int64, place int, view, path string) Arriving {
	return Arriving{Target: of(0), Entry: Entry{File: file, Sum: fmt.Sprintf("sum%d", file), View: view}, Place: place, Path: path}
}

func files(list []Entry) string {
	var names []string
	for _, e := range list {
		names = append(names, fmt.Sprint(e.File))
	}
	return strings.Join(names, " ")
}

func kinds(warnings []Warning) string {
	var names []string
	for _, w := range warnings {
		names = append(names, w.Kind)
	}
	return strings.Join(names, " ")
}

func TestWaysToPlace(t *testing.T) {
	standing := Arrangement{of(0): {entry(1, "front"), entry(2, "back"), entry(3, "")}}
	lot := []Arriving{arriving(12, 2, "", "b_2.jpg"), arriving(11, 1, "front", "b_1.jpg")}
	for _, c := range []struct {
		way  Way
		want string
		warn string
	}{
		{After, "1 2 3 11 12", ""},
		{Before, "11 12 1 2 3", ""},
		{Instead, "11 12", ""},
		{LikeForLike, "11 12 3", ""}, // 11 for the front, 12 for place 2
	} {
		got, warnings := Arrange(standing, lot, c.way, nil)
		if files(got[of(0)]) != c.want || kinds(warnings) != c.warn {
			t.Errorf("%s: %s (%s), want %s (%s)", c.way, files(got[of(0)]), kinds(warnings), c.want, c.warn)
		}
	}
	if files(standing[of(0)]) != "1 2 3" {
		t.Error("what stands was changed")
	}
}

func TestLikeForLikeKeepsTextsAndLeavesOutTheRest(t *testing.T) {
	standing := Arrangement{of(5): {{ID: 1, File: 1, Sum: "a", View: "front", Alt: "my words", AltBy: "person"}}}
	lot := []Arriving{
		{Target: of(5), Entry: Entry{File: 9, Sum: "b", View: "front", Alt: "draft", AltBy: "draft"}},
		{Target: of(5), Entry: Entry{File: 8, Sum: "c", View: "top"}, Path: "top.jpg"},
	}
	got, warnings := Arrange(standing, lot, LikeForLike, nil)
	if len(got[of(5)]) != 1 || got[of(5)][0].File != 9 || got[of(5)][0].Alt != "my words" || got[of(5)][0].AltBy != "person" {
		t.Errorf("got %+v", got[of(5)])
	}
	if kinds(warnings) != "unmatched" || !strings.Contains(warnings[0].Text, "top.jpg") {
		t.Errorf("warnings %+v", warnings)
	}
}

func TestTheSamePictureIsNotPlacedTwice(t *testing.T) {
	standing := Arrangement{of(0): {entry(1, "")}}
	again := Arriving{Target: of(0), Entry: Entry{File: 7, Sum: "sum1"}, Path: "copy.jpg"}
	got, warnings := Arrange(standing, []Arriving{again, arriving(2, 0, "", "new.jpg")}, After, nil)
	if files(got[of(0)]) != "1 2" || kinds(warnings) != "twice" {
		t.Errorf("after: %s (%s)", files(got[of(0)]), kinds(warnings))
	}
	got, _ = Arrange(standing, []Arriving{again}, Instead, nil)
	if got[of(0)][0].ID != 1 {
		t.Error("in its stead: the same picture lost its placement")
	}
}

func TestOrder(t *testing.T) {
	for _, c := range []struct {
		name string
		lot  []Arriving
		want string
	}{
		{"by place", []Arriving{arriving(3, 10, "", "x_10"), arriving(2, 9, "", "x_9"), arriving(1, 1, "", "x_1")}, "1 2 3"},
		{"counted on from one without a number", []Arriving{arriving(2, 2, "", "x 2.jpg"), arriving(1, 0, "", "x.jpg")}, "1 2"},
		{"by view", []Arriving{arriving(3, 0, "detail", "c"), arriving(2, 0, "back", "b"), arriving(1, 0, "front", "z")}, "1 2 3"},
		{"natural", []Arriving{arriving(3, 0, "", "p10.jpg"), arriving(2, 0, "", "p9.jpg"), arriving(1, 0, "", "P1.jpg")}, "1 2 3"},
		{"numbers before the rest", []Arriving{arriving(3, 0, "top", "t"), arriving(1, 1, "", "a_1"), arriving(2, 2, "", "a_2")}, "1 2 3"},
	} {
		Order(c.lot)
		var got []Entry
		for _, a := range c.lot {
			got = append(got, a.Entry)
		}
		if files(got) != c.want {
			t.Errorf("%s: %s, want %s", c.name, files(got), c.want)
		}
	}
}

func TestCollisionsAndGaps(t *testing.T) {
	_, warnings := Arrange(Arrangement{}, []Arriving{arriving(1, 1, "", "a"), arriving(2, 1, "", "b"), arriving(4, 4, "", "d")}, After, nil)
	if kinds(warnings) != "collision gap" || !strings.HasSuffix(warnings[1].Text, "2, 3") {
		t.Errorf("got %+v", warnings)
	}
	_, warnings = Arrange(Arrangement{}, []Arriving{arriving(1, 0, "front", "a"), arriving(2, 0, "front", "b")}, After, nil)
	if kinds(warnings) != "collision" {
		t.Errorf("two fronts: %+v", warnings)
	}
	_, warnings = Arrange(
		Arrangement{},
		[]Arriving{{Target: of(0), Entry: Entry{File: 1, Sum: "a"}, Path: "HB-10.jpg", Bare: true}, arriving(2, 2, "", "HB-10_2.jpg")},
		After,
		nil,
	)
	if len(warnings) != 0 {
		t.Errorf("a bare name is the first: %+v", warnings)
	}
}

func TestDiff(t *testing.T) {
	before := Arrangement{of(0): {entry(1, ""), entry(2, "")}, of(4): {entry(3, "")}}
	after := Arrangement{of(0): {entry(2, ""), entry(1, ""), {File: 9}}, of(4): nil}
	d := Diff(before, after)
	if d.Added != 1 || d.Removed != 1 || d.Moved != 2 || kinds(d.Warnings) != "lead changes loses last" {
		t.Errorf("got %+v", d)
	}
}

// TestReverseIsExact applies random plans and takes them back.
func TestReverseIsExact(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 500 {
		before := Arrangement{}
		id := int64(1)
		for variant := range int64(3) {
			for range r.IntN(4) {
				before[of(variant)] = append(before[of(variant)], entry(id, ""))
				id++
			}
		}
		var lot []Arriving
		for range 1 + r.IntN(4) {
			a := arriving(100+id, r.IntN(3), []string{"", "front"}[r.IntN(2)], "x")
			a.Target = of(int64(r.IntN(3)))
			lot = append(lot, a)
			id++
		}
		after, _ := Arrange(before, lot, Ways[r.IntN(len(Ways))], nil)
		for _, list := range after { // as the database does
			for i := range list {
				if list[i].ID == 0 {
					list[i].ID = id
					id++
				}
			}
		}
		if back := Reverse(before, after, after); !back.Equal(before) {
			t.Fatalf("back at %v, was %v", back, before)
		}
		// Later, a person moves things and adds a picture; it stays, and so do
		// all that stood before.
		now := after.Clone()
		slices.Reverse(now[of(0)])
		now[of(0)] = append(now[of(0)], entry(9999, ""))
		back := Reverse(before, after, now)
		for target, list := range before {
			for _, e := range list {
				if find(back[target], e) < 0 {
					t.Fatalf("%v is gone from %v", e, back)
				}
			}
		}
		if find(back[of(0)], entry(9999, "")) < 0 {
			t.Fatal("what was added later is gone")
		}
		for _, a := range lot {
			if slices.ContainsFunc(back[a.Target], func(e Entry) bool { return e.File == a.File }) {
				t.Fatal("what the plan added is still there")
			}
		}
	}
}

func TestNatural(t *testing.T) {
	names := []string{"a10.jpg", "A2.jpg", "a02b.jpg", "a.jpg", "b1.jpg", "a2.jpg"}
	slices.SortFunc(names, Natural)
	if got := strings.Join(names, " "); got != "a.jpg A2.jpg a2.jpg a02b.jpg a10.jpg b1.jpg" {
		t.Errorf("got %s", got)
	}
}
