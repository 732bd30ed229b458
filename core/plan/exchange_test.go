package plan

import (
	"math/rand/v2"
	"slices"
	"testing"

	"ambrosa/core/catalog"
)

// TestOneTakesThePlaceOfOthers holds an exchange to what merging has to keep: places, views
// and a person's texts stay, and nothing is shown twice by it.
func TestOneTakesThePlaceOfOthers(t *testing.T) {
	jar := catalog.Product(1)
	large := catalog.Variant(7)
	standing := Arrangement{
		jar: {{ID: 1, File: 10, Sum: "a", View: "front", Alt: "A jar", AltBy: "person"}, {ID: 2, File: 11, Sum: "b"},
			{ID: 3, File: 12, Sum: "a2", View: "back", Alt: "drafted", AltBy: "draft"}},
		large: {{ID: 4, File: 12, Sum: "a2", View: "side", Alt: "drafted", AltBy: "draft"}},
	}
	was := standing.Clone()
	to := Entry{File: 20, Sum: "A", AltBy: "draft", Plan: 5}
	wanted, touched := Exchange(standing, map[int64]Entry{10: to, 12: to})
	if !touched || !standing.Equal(was) {
		t.Fatalf("touched %v, and what stands became %v", touched, standing)
	}
	kept := to
	kept.View, kept.Alt, kept.AltBy = "front", "A jar", "person"
	side := to
	side.View, side.Alt = "side", "drafted"
	if want := (Arrangement{jar: {kept, standing[jar][1]}, large: {side}}); !wanted.Equal(want) {
		t.Errorf("shows %v, expected %v", wanted, want)
	}
	if d := Diff(standing, wanted); d.Added != 2 || d.Removed != 3 {
		t.Errorf("%d come, %d go", d.Added, d.Removed)
	}
	// Where the one that stays stands already, the other only goes.
	merged, _ := Exchange(standing, map[int64]Entry{12: {File: 10, Sum: "a"}})
	if list := merged[jar]; len(list) != 2 || list[0] != standing[jar][0] || list[1] != standing[jar][1] {
		t.Errorf("merged into what stands: %v", list)
	}
	if _, touched := Exchange(standing, map[int64]Entry{99: to}); touched {
		t.Error("something was exchanged that does not stand")
	}
}

// TestExchangesKeepWhatTheyDoNotConcern tries random arrangements: others stay as they are and
// in order, none of the exchanged is left, no target shows new bytes twice, and none is emptied.
func TestExchangesKeepWhatTheyDoNotConcern(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 9))
	for range 5000 {
		standing := Arrangement{}
		for v := range int64(1 + random.IntN(3)) {
			var list []Entry
			for i, file := range random.Perm(8)[:random.IntN(6)] {
				list = append(list, Entry{ID: v*100 + int64(i) + 1, File: int64(file), Sum: string(rune('a' + file/2*2))})
			}
			standing[catalog.Variant(v)] = list
		}
		by := map[int64]Entry{}
		into := int64(random.IntN(10))
		for range 1 + random.IntN(3) {
			if from := int64(random.IntN(8)); from != into {
				by[from] = Entry{File: into, Sum: string(rune('a' + into/2*2))}
			}
		}
		wanted, _ := Exchange(standing, by)
		for target, list := range standing {
			untouched := func(e Entry) bool { _, goes := by[e.File]; return !goes }
			var others, left []Entry
			for _, e := range list {
				if untouched(e) {
					others = append(others, e)
				}
			}
			for _, e := range wanted[target] {
				if e.ID != 0 {
					left = append(left, e)
				}
				if e.ID != 0 && !untouched(e) {
					t.Fatalf("%v is left of %v by %v", e, list, by)
				}
				if e.ID == 0 && slices.ContainsFunc(others, func(o Entry) bool { return o.Sum == e.Sum }) {
					t.Fatalf("%v shows %v twice", wanted[target], e)
				}
			}
			if !slices.Equal(others, left) {
				t.Fatalf("of %v stayed %v by %v", others, left, by)
			}
			if len(list) > 0 && len(wanted[target]) == 0 {
				t.Fatalf("%v is empty by %v", list, by)
			}
		}
	}
}
