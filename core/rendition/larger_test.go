package rendition

import (
	"fmt"
	"testing"
)

func TestWhatAPageShowsOfOneIsTriedOnAll(t *testing.T) {
	at := func(address string, width int) Sized { return Sized{address, width, width} }
	for _, c := range []struct {
		name     string
		pictures [][]Sized
		want     string
	}{
		{"a folder of the size", [][]Sized{{at("https://x/t96/a.jpg", 96), at("https://x/whole/a.jpg", 1200)},
			{at("https://x/t96/b.jpg", 96)}, {at("https://x/t96/c.jpg", 96)}},
			"[[] [https://x/whole/b.jpg] [https://x/whole/c.jpg]]"},
		{"any number where a number differs", [][]Sized{{at("https://x/a-80x80.jpg", 80), at("https://x/a.jpg", 900)},
			{at("https://x/b-120x120.jpg", 120)}}, "[[] [https://x/b.jpg]]"},
		{"no pair", [][]Sized{{at("https://x/t96/a.jpg", 96)}, {at("https://x/t96/b.jpg", 96)}}, "[[] []]"},
		{"a pair of one size teaches nothing", [][]Sized{{at("https://x/t96/a.jpg", 96), at("https://x/u96/a.jpg", 96)},
			{at("https://x/t96/b.jpg", 96)}}, "[[] []]"},
		{"what is known is not asked again", [][]Sized{{at("https://x/t96/a.jpg", 96), at("https://x/whole/a.jpg", 1200)},
			{at("https://x/t96/b.jpg", 96), at("https://x/whole/b.jpg", 1200)}}, "[[] []]"},
	} {
		if got := fmt.Sprint(Larger(c.pictures)); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
	}
}

func TestALargerRenditionIsProvedByMeasuring(t *testing.T) {
	known := []Sized{{"a", 96, 64}}
	for _, c := range []struct {
		at   Sized
		want bool
	}{{Sized{"b", 1200, 800}, true}, {Sized{"b", 1200, 812}, true}, {Sized{"b", 96, 64}, false}, {Sized{"b", 48, 32},
		false}, {Sized{"b", 800, 800}, false}, {Sized{"b", 0, 0}, false}} {
		if got := LargerOf(known, c.at); got != c.want {
			t.Errorf("%v: %t", c.at, got)
		}
	}
	if !LargerOf(nil, Sized{"b", 9, 9}) {
		t.Error("where nothing is known, anything is larger")
	}
}
