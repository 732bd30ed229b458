package upkeep

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
)

// TestWhyNothingNeedsAFile gives the strongest reason, and since when it holds.
func TestWhyNothingNeedsAFile(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 5, n, 12, 0, 0, 0, time.UTC) }
	for _, c := range []struct {
		left   Left
		reason Reason
		since  int
	}{
		{Left{Verdict: "loose", Arrived: day(1)}, NeverPaired, 1},
		{Left{Verdict: "loose", Arrived: day(1), Applied: day(3)}, NeverPaired, 3},
		{Left{Verdict: "contested", Arrived: day(1), GivenUp: true, Decided: day(2)}, GivenUp, 2},
		{Left{Verdict: "set aside", Arrived: day(1), Decided: day(2), Applied: day(3), GivenUp: true}, SetAside, 2},
		{Left{Verdict: "paired", Arrived: day(1), Decided: day(2), Applied: day(3)}, LeftOut, 3},
		{Left{Verdict: "paired", Arrived: day(1), Applied: day(3), Retired: true}, Retired, 3},
		{Left{Verdict: "paired", Arrived: day(1), Applied: day(3), Removed: day(5), Retired: true}, Replaced, 5},
		{Left{Verdict: "unusable", Arrived: day(1), Applied: day(3)}, CannotUse, 1},
	} {
		if reason, since := Why(c.left); reason != c.reason || !since.Equal(day(c.since)) {
			t.Errorf("%+v: %s since %s, expected %s since day %d", c.left, reason, since, c.reason, c.since)
		}
		if reason, _ := Why(c.left); !slices.Contains(Reasons, reason) {
			t.Errorf("%s is no reason", reason)
		}
	}
	ages := Ages{Replaced: 30}
	for _, c := range []struct {
		reason Reason
		days   int
		ripe   bool
	}{{Replaced, 29, false}, {Replaced, 30, true}, {SetAside, 0, true}} {
		if ages.Ripe(c.reason, day(1), day(1).AddDate(0, 0, c.days)) != c.ripe {
			t.Errorf("%s after %d days: ripe is not %t", c.reason, c.days, c.ripe)
		}
	}
}

// TestLookAlikesAreGrouped groups what looks like the best of it, not through others, and tells
// the larger one that lies unused.
func TestLookAlikesAreGrouped(t *testing.T) {
	jar, lid, pot := Look{Fingerprint: 0xff00}, Look{Fingerprint: 0xff03}, Look{Fingerprint: 0xff3f}
	found := Grouped([]Lookalike{
		{File: 1, Look: jar, Pixels: 100, Stands: true}, {File: 2, Like: 1, Look: lid, Pixels: 400},
		{File: 3, Like: 2, Look: pot, Pixels: 50}, // looks like 2, and not like 1
		{File: 4, Like: 3, Look: pot, Pixels: 900, Small: true}, {File: 5, Look: jar, Pixels: 900},
		{File: 6, Like: 5, Look: jar, Pixels: 900, Stands: true},
		{File: 8, Like: 7, Look: jar, Pixels: 10}, // what it looked like is held
	})
	want := []Alike{{1, LookAlike, "one of 4"}, {1, LargerUnused, "the best of 4"}, {1, LookAlike, "one of 4"}, {1, LookAlike, "one of 4"},
		{5, LookAlike, "the best of 2"}, {5, LookAlike, "one of 2"}, {}}
	if !slices.Equal(found, want) {
		t.Errorf("%+v, expected %+v", found, want)
	}
	// What was paired with different things is not one picture; what was paired with nothing may be.
	found = Grouped([]Lookalike{{File: 1, Look: jar, Of: "AT-1", Stands: true, Pixels: 1},
		{File: 2, Like: 1, Look: jar, Of: "AT-2", Pixels: 2},
		{File: 3, Like: 2, Look: jar, Pixels: 9}, {File: 4, Like: 3, Look: jar, Of: "AT-1", Pixels: 1}})
	if want := []Alike{{}, {2, LookAlike, "one of 2"}, {2, LookAlike, "the best of 2"}, {}}; !slices.Equal(found[1:3], want[1:3]) ||
		found[0].Group != found[3].Group || found[0].Group == 2 {
		t.Errorf("%+v", found)
	}
}

// TestGroupsAreOfThoseThatLookAlike tries random looks: whoever is in a group looks like its
// best one, and nobody is left out who looks like another's best.
func TestGroupsAreOfThoseThatLookAlike(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 11))
	for range 300 {
		var files []Lookalike
		for i := range int64(40) {
			f := Lookalike{File: i + 1, Pixels: int64(random.IntN(5)), Look: Look{Fingerprint: 1<<63 | 1<<random.IntN(12) | 1<<random.IntN(12)}}
			for _, o := range files {
				if o.Look.Like(f.Look) {
					f.Like = o.File
				}
			}
			files = append(files, f)
		}
		bests := map[int64]Lookalike{}
		found := Grouped(files)
		for i, a := range found {
			if b, known := bests[a.Group]; a.Group != 0 && (!known || better(files[i], b) < 0) {
				bests[a.Group] = files[i]
			}
		}
		for i, a := range found {
			if a.Group != 0 && !files[i].Look.Like(bests[a.Group].Look) {
				t.Fatalf("%+v is grouped with %+v", files[i], bests[a.Group])
			}
			for _, b := range bests {
				if a.Group == 0 && files[i].Look.Like(b.Look) && better(files[i], b) > 0 {
					t.Fatalf("%+v looks like %+v, and is alone", files[i], b)
				}
			}
		}
	}
}

// TestOneOfAGroupStays says which, and that only what stands is led to it.
func TestOneOfAGroupStays(t *testing.T) {
	files := []Twin{{1, 1, 0, false}, {2, 1, 3, false}, {3, 1, 1, false}, {4, 4, 1, false}, {5, 4, 1, true}, {6, 6, 2, false},
		{7, 6, 2, false}}
	for _, c := range []struct {
		keep []int64
		want []Swap
	}{{nil, []Swap{{3, 2}, {4, 5}, {7, 6}}}, {[]int64{1}, []Swap{{2, 1}, {3, 1}}}, {[]int64{4, 7}, []Swap{{5, 4}, {6, 7}}}} {
		if swaps := Merged(files, c.keep); !slices.Equal(swaps, c.want) {
			t.Errorf("keeping %v: %v, expected %v", c.keep, swaps, c.want)
		}
	}
}

// TestBelowTheRule finds what stands against the least size (common practice: 500 pixels), and
// what rights say; the weightiest reason first, the others beside it.
func TestBelowTheRule(t *testing.T) {
	now := time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC)
	ended, soon, later := now.AddDate(0, 0, -1), now.AddDate(0, 0, 30), now.AddDate(0, 0, 31)
	for _, c := range []struct {
		name, reason, detail string
		s                    Standing
	}{
		{"whole", "", "", Standing{Rights: rights.Rights{State: rights.Cleared, Expires: &later}}},
		{"ended", RightsEnded, "on 31 May 2026", Standing{Rights: rights.Rights{State: rights.Cleared, Expires: &ended}}},
		{"ends", RightsEnd, "on 1 July 2026", Standing{Rights: rights.Rights{State: rights.Cleared, Expires: &soon}}},
		{"restricted", MayNotBeShown, "its use is restricted: print only",
			Standing{Rights: rights.Rights{State: rights.Restricted, Licence: "print only", Expires: &ended}}},
		{"small, and unknown", TooSmall, "400 × 300 pixels, least are 500 × 500; nobody knows whether it may be used",
			Standing{Facts: picturespec.Facts{Width: 400, Height: 300}, Marks: picturespec.Small}},
		{"unknown", RightsUnknown, "nobody knows whether it may be used", Standing{}},
	} {
		if reason, detail := Below(c.s, now, 30); reason != c.reason || detail != c.detail {
			t.Errorf("%s: %q %q", c.name, reason, detail)
		}
	}
	if Untouched(now.AddDate(0, 0, -13), now, 14) || !Untouched(now.AddDate(0, 0, -14), now, 14) {
		t.Error("what was touched within the days is left lying, or what was not is not")
	}
}

// TestTwiceIsToldByWhereItStands says when one shows the same bytes more than once.
func TestTwiceIsToldByWhereItStands(t *testing.T) {
	for _, c := range []struct {
		owners, most int
		want         string
	}{{0, 0, SameBytes}, {1, 1, SameBytes}, {1, 2, ShownTwice}, {3, 1, ShownByOthers}, {3, 2, ShownTwice}} {
		if reason, _ := TwiceAs(c.owners, c.most); reason != c.want {
			t.Errorf("%d owners, %d at most: %s, expected %s", c.owners, c.most, reason, c.want)
		}
	}
}
