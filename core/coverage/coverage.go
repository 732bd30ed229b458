// Package coverage says how far products have the pictures that a shot list wants.
package coverage

import (
	"fmt"
	"slices"
	"strings"

	"github.com/gosimple/slug"

	"ambrosa/core/catalog"
)

// Wanted is what a shot list wants of a view.
type Wanted struct {
	View       string `json:"view" minLength:"1" maxLength:"40"`
	Count      int    `json:"count" minimum:"1" maximum:"50" doc:"Pictures of it"`
	Least      int    `json:"least" minimum:"0" maximum:"50000" doc:"Longer side at least, in pixels; 0 for any"`
	Background string `json:"background" maxLength:"100" doc:"Told to who takes it"`
}

// List is a shot list, in the order in which its pictures stand.
type List []Wanted

// BadList says what is wrong with a shot list.
type BadList string

func (e BadList) Error() string { return string(e) }

// Check tells what a list cannot be; the error is a BadList.
func (l List) Check() error {
	seen := map[string]bool{}
	for _, s := range l {
		view := strings.ToLower(strings.TrimSpace(s.View))
		if view == "" {
			return BadList("a view has no name")
		}
		if seen[view] {
			return BadList(fmt.Sprintf("the view %q stands twice", s.View))
		}
		seen[view] = true
	}
	return nil
}

// Picture is one that a product shows.
type Picture struct {
	View   string
	Longer int // longer side that it really has, pixels: without a border around it, and before it was enlarged
}

// Cell is how far a shot of a list is there.
type Cell struct {
	Have  int // that are as they should be, no more than are wanted
	Below int // that are smaller than they should be, and stand for the rest
}

// Missing is how many pictures of a shot are not there at all.
func (c Cell) Missing(s Wanted) int { return max(0, s.Count-c.Have-c.Below) }

// Cover says of each shot of a list how far pictures, in the order of their places, are it. Each is of its
// own view alone: one whose view is unknown fills none, whatever it may show.
func (l List) Cover(pictures []Picture) []Cell {
	cells := make([]Cell, len(l))
	for _, p := range pictures {
		for i, s := range l {
			if !strings.EqualFold(s.View, p.View) {
				continue
			}
			if p.Longer < s.Least {
				cells[i].Below++
			} else if cells[i].Have < s.Count {
				cells[i].Have++
			}
			break
		}
	}
	for i, s := range l {
		cells[i].Below = min(cells[i].Below, s.Count-cells[i].Have) // a whole one is taken before a small one
	}
	return cells
}

// Unknown tells whether a view is unknown: empty, or neither wanted by the list nor one of catalog.Views. A picture with
// an unknown view may be one that is missing.
func (l List) Unknown(view string) bool {
	return !catalog.IsView(view) && !slices.ContainsFunc(l, func(s Wanted) bool { return strings.EqualFold(s.View, view) })
}

// CountUnknown counts the pictures whose view is unknown.
func (l List) CountUnknown(pictures []Picture) (n int) {
	for _, p := range pictures {
		if l.Unknown(p.View) {
			n++
		}
	}
	return n
}

// Totals sum up cells.
type Totals struct {
	Wanted  int `json:"wanted" doc:"Pictures"`
	Filled  int `json:"filled" doc:"Of them, that are there as they should be"`
	Below   int `json:"below" doc:"That are there, and smaller than they should be"`
	Missing int `json:"missing" doc:"That are not there"`
}

// Sum sums up the cells of a list.
func (l List) Sum(cells []Cell) (t Totals) {
	for i, c := range cells {
		t.Wanted += l[i].Count
		t.Filled += c.Have
		t.Below += c.Below
		t.Missing += c.Missing(l[i])
	}
	return t
}

// Name is what the file of the n-th picture of a view should be called, so that it pairs by
// itself when it comes: the product's key, the view, and from the second on the number.
func Name(key, view string, n int) string {
	name := strings.ReplaceAll(key, "/", "-") + "_" + strings.ReplaceAll(slug.Make(view), "-", "")
	if n > 1 {
		name += fmt.Sprintf("_%d", n)
	}
	return name + ".jpg"
}
