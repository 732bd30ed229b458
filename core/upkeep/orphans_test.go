package upkeep

import (
	"slices"
	"testing"
	"time"
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

// TestLookAlikesAreGrouped groups through others, and tells the larger one that lies unused.
func TestLookAlikesAreGrouped(t *testing.T) {
	found := Grouped([]Lookalike{
		{File: 1, Pixels: 100, Stands: true}, {File: 2, Like: 1, Pixels: 400}, {File: 3, Like: 2, Pixels: 50},
		{File: 5, Pixels: 900}, {File: 6, Like: 5, Pixels: 900, Stands: true},
		{File: 8, Like: 7, Pixels: 10}, // what it looked like is held
	})
	want := []Alike{{1, LookAlike, "one of 3"}, {1, LargerUnused, "the largest of 3"}, {1, LookAlike, "one of 3"},
		{5, LookAlike, "the largest of 2"}, {5, LookAlike, "the largest of 2"}, {}}
	if !slices.Equal(found, want) {
		t.Errorf("%+v, expected %+v", found, want)
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
