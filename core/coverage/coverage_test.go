package coverage

import (
	"fmt"
	"math/rand/v2"
	"testing"
)

var list = List{{View: "front", Count: 1, Least: 1000}, {View: "back", Count: 1}, {View: "detail", Count: 2}}

// TestCover holds worked examples of what is there, what is too small, and what is missing.
func TestCover(t *testing.T) {
	for what, c := range map[string]struct {
		pictures []Picture
		want     string
	}{
		"nothing":                   {nil, "[{0 0} {0 0} {0 0}]"},
		"by view":                   {[]Picture{{"back", 10}, {"Front", 1000}, {"detail", 5}}, "[{1 0} {1 0} {1 0}]"},
		"too small":                 {[]Picture{{"front", 999}}, "[{0 1} {0 0} {0 0}]"},
		"a whole one and a small":   {[]Picture{{"front", 999}, {"front", 2000}}, "[{1 0} {0 0} {0 0}]"},
		"more than wanted":          {[]Picture{{"detail", 1}, {"detail", 1}, {"detail", 1}}, "[{0 0} {0 0} {2 0}]"},
		"views that nobody wants":   {[]Picture{{"swatch", 9000}}, "[{0 0} {0 0} {0 0}]"},
		"views that nobody knows":   {[]Picture{{"", 1500}, {"", 10}, {"", 10}}, "[{0 0} {0 0} {0 0}]"},
		"known ones before unknown": {[]Picture{{"", 10}, {"front", 1000}}, "[{1 0} {0 0} {0 0}]"},
	} {
		if got := fmt.Sprint(list.Cover(c.pictures)); got != c.want {
			t.Errorf("%s: %s, not %s", what, got, c.want)
		}
	}
}

// TestCoverAtRandom: what is filled, below and missing is what is wanted, whatever there is, and
// one picture more never makes it worse.
func TestCoverAtRandom(t *testing.T) {
	dice := rand.New(rand.NewPCG(3, 4))
	views := []string{"", "front", "back", "detail", "top"}
	for range 20_000 {
		var pictures []Picture
		before := Totals{Missing: 4}
		for range dice.IntN(9) {
			pictures = append(pictures, Picture{views[dice.IntN(len(views))], dice.IntN(2000)})
			sum := list.Sum(list.Cover(pictures))
			if sum.Filled+sum.Below+sum.Missing != sum.Wanted || sum.Wanted != 4 || sum.Missing > before.Missing {
				t.Fatalf("%v: %+v after %+v", pictures, sum, before)
			}
			before = sum
		}
	}
}

func TestListsThatCannotBe(t *testing.T) {
	for _, l := range []List{{{View: "front", Count: 1}, {View: "Front ", Count: 1}}, {{View: "  ", Count: 1}}} {
		if l.Check() == nil {
			t.Errorf("%+v is a list", l)
		}
	}
}
