package plan

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

// anyProduct is a product of some variants with pictures, and what a lot brings
// for it: some of it twice, some of what stands there already.
func anyProduct(r *rand.Rand) (standing Arrangement, arriving []Arriving, facts Facts) {
	views := []string{"", "", "front", "back", "detail"}
	standing, facts = Arrangement{}, Facts{}
	picture := func(file int64) Entry {
		sum := fmt.Sprintf("sum%d", r.IntN(12))
		if _, ok := facts[sum]; !ok && r.IntN(4) > 0 {
			facts[sum] = Fact{Pixels: int64(1 + r.IntN(5)), Small: r.IntN(5) == 0, Look: look(uint64(1)<<r.IntN(3), byte(r.IntN(3)*60))}
		}
		return Entry{File: file, Sum: sum, View: views[r.IntN(len(views))]}
	}
	for variant := range int64(4) {
		seen := map[string]bool{}
		for n := range r.IntN(5) {
			e := picture(100*variant + int64(n))
			if seen[e.Sum] {
				continue
			}
			seen[e.Sum] = true
			e.ID = 1000*variant + int64(n) + 1
			if r.IntN(3) == 0 {
				e.Alt, e.AltBy = "said by hand", "person"
			}
			standing[of(variant)] = append(standing[of(variant)], e)
		}
	}
	for n := range r.IntN(8) {
		file := int64(10_000 + n)
		arriving = append(
			arriving,
			Arriving{
				Target: of(int64(r.IntN(4))),
				Entry:  picture(file),
				Place:  r.IntN(5),
				Path:   fmt.Sprintf("file %d.jpg", n),
				Bare:   r.IntN(6) == 0,
			},
		)
	}
	return standing, arriving, facts
}

// TestWhatHoldsInEveryWay places what any lot brings in every way: nothing that
// should stay is lost, nothing stands twice, whatever is left out is said, and
// the way back is exact.
func TestWhatHoldsInEveryWay(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 14))
	for round := range 3000 {
		standing, arriving, facts := anyProduct(r)
		before, came := standing.Clone(), slices.Clone(arriving)
		for _, way := range Ways {
			fail := func(what string, args ...any) {
				t.Helper()
				t.Fatalf("round %d, %s: %s\nstands %+v\narrives %+v", round, way, fmt.Sprintf(what, args...), before, came)
			}
			wanted, warnings := Arrange(standing, arriving, way, facts)
			if !reflect.DeepEqual(standing, before) {
				fail("what stands was changed")
			}
			left := 0
			for _, w := range warnings {
				if w.Kind == "twice" || w.Kind == "unmatched" {
					left++
				}
			}
			placed := 0
			for variant := range int64(4) {
				was, will := standing[of(variant)], wanted[of(variant)]
				brings := slices.ContainsFunc(arriving, func(a Arriving) bool { return a.Target == of(variant) })
				if !brings && !reflect.DeepEqual(was, will) {
					fail("variant %d has changed, for which nothing comes", variant)
				}
				sums := map[string]int{}
				for _, e := range will {
					sums[e.Sum]++
					if sums[e.Sum] > 1 {
						fail("variant %d shows %s twice", variant, e.Sum)
					}
					if e.ID == 0 {
						placed++
					}
				}
				kept := slices.DeleteFunc(slices.Clone(will), func(e Entry) bool { return e.ID == 0 })
				switch {
				case (way == After || way == Before) && !slices.Equal(kept, was):
					fail("variant %d keeps %+v", variant, kept)
				case way == LikeForLike && len(will) != len(was):
					fail("variant %d shows %d pictures instead of %d", variant, len(will), len(was))
				case way == After && len(was) > 0 && will[0] != was[0]:
					fail("variant %d has another lead", variant)
				}
			}
			stay := 0 // of those that come, shown by the placement that stands
			for _, a := range arriving {
				if slices.ContainsFunc(wanted[a.Target], func(e Entry) bool { return e.ID != 0 && e.Sum == a.Sum }) {
					stay++
				}
			}
			if placed+left > len(arriving) || placed+left+stay < len(arriving) || way != Instead && placed+left != len(arriving) {
				fail("of %d that come %d are placed, %d stand there and %d are said to be left out", len(arriving), placed, stay, left)
			}
			shuffled := slices.Clone(came)
			r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
			if again, _ := Arrange(standing, shuffled, way, facts); !reflect.DeepEqual(again, wanted) {
				fail("in another order %+v instead of %+v", again, wanted)
			}
			d := Diff(standing, wanted)
			count := func(a Arrangement) (n int) {
				for _, list := range a {
					n += len(list)
				}
				return n
			}
			if count(standing)+d.Added-d.Removed != count(wanted) {
				fail("%d pictures, %d more and %d less are %d", count(standing), d.Added, d.Removed, count(wanted))
			}
			Warn(standing, wanted, facts)
			takenBack(t, r, standing, wanted)
		}
	}
}

// takenBack takes a plan back: at once, and after somebody added a picture.
func takenBack(t *testing.T, r *rand.Rand, before, wanted Arrangement) {
	t.Helper()
	after := wanted.Clone()
	id := int64(50_000)
	for _, list := range after {
		for i := range list {
			if list[i].ID == 0 {
				id++
				list[i].ID = id // as applying does
			}
		}
	}
	if back := Reverse(before, after, after); !back.Equal(before) {
		t.Fatalf("%+v came back as %+v", before, back)
	}
	later := Entry{ID: 90_000, File: 90_000, Sum: "later"}
	now := after.Clone()
	target := of(int64(r.IntN(4)))
	now[target] = slices.Insert(now[target], r.IntN(len(now[target])+1), later)
	back := Reverse(before, after, now)
	if find(back[target], later) < 0 {
		t.Fatalf("the later picture is gone from %+v", back[target])
	}
	for v := range int64(4) {
		v := of(v)
		list := slices.DeleteFunc(slices.Clone(back[v]), func(e Entry) bool { return e == later })
		if len(list) != len(before[v]) {
			t.Fatalf("%s: %+v came back as %+v", v, before[v], list)
		}
		for _, e := range before[v] {
			if find(list, e) < 0 {
				t.Fatalf("%s: %+v is not back", v, e)
			}
		}
	}
}
