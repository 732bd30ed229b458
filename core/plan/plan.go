// Package plan computes what a product's pictures would become: the wanted
// order from what stands and what arrives, the difference between the two, and
// the way back. It changes nothing; writing placements is for internal/store.
package plan

import (
	"cmp"
	"slices"

	"ambrosa/core/catalog"
)

// Way says how arriving pictures are placed among those that stand.
type Way string

// The ways to place.
const (
	After       Way = "after"         // behind what stands
	Before      Way = "before"        // in front of what stands
	Instead     Way = "instead"       // in its stead: what stands goes
	LikeForLike Way = "like for like" // each takes the place of the same view, or of the same place
)

// Ways lists all ways.
var Ways = []Way{After, Before, Instead, LikeForLike}

// Valid tells whether w is a way.
func (w Way) Valid() bool { return slices.Contains(Ways, w) }

// Entry is a picture on a target. Its place is its position in the list.
type Entry struct {
	ID    int64  `json:"id"`   // of the placement; 0 before it is first applied
	File  int64  `json:"file"` // what is shown
	Sum   string `json:"sum"`  // SHA-256 of the file's bytes, hexadecimal
	View  string `json:"view,omitempty"`
	Alt   string `json:"alt,omitempty"`
	AltBy string `json:"altBy,omitempty"` // "draft" or "person"
	Plan  int64  `json:"plan,omitempty"`  // that placed it
}

// Arriving is a file that a lot brings for a target.
type Arriving struct {
	Target catalog.Target
	Entry
	Place int    // as read from the name, 0 when none was
	Path  string // orders files without a place
	Bare  bool   // the name is nothing but the key

	Placed *Placed // how an earlier plan of the lot placed it here; nil for a file that is new here
}

// Placed is how an earlier plan of a lot placed a file on a target: place and view as they were decided then.
type Placed struct {
	Place int
	View  string
}

// changed tells whether a file asks for a change of its target: it is new there, or its place or view was decided anew.
func (a Arriving) changed() bool { return a.Placed == nil || *a.Placed != Placed{a.Place, a.View} }

// Warning is something a person should know before applying.
type Warning struct {
	// Kind is one of collision, gap, twice, unmatched, loses last, lead changes,
	// smaller lead, rights, small, larger, alike.
	Kind   string         `json:"kind"`
	Target catalog.Target `json:"target"`
	Text   string         `json:"text"`

	Files []int64 `json:"files,omitempty"` // that arrive and that it is about, of small, larger and alike
}

// Arrange returns what a product would show when arriving files are placed
// among the standing ones in the given way, with warnings. Neither input is
// changed. Targets that nothing arrives for stay as they are, in every way.
// With facts, like for like also knows the same picture by its look.
func Arrange(standing Arrangement, arriving []Arriving, way Way, facts Facts) (Arrangement, []Warning) {
	wanted := standing.Clone()
	var warnings []Warning
	byTarget := map[catalog.Target][]Arriving{}
	for _, a := range arriving {
		byTarget[a.Target] = append(byTarget[a.Target], a)
	}
	for _, target := range targets(byTarget) {
		files := byTarget[target]
		if !slices.ContainsFunc(files, Arriving.changed) {
			continue
		}
		stands, files, own := resume(standing[target], files)
		wanted[target] = stands
		Order(files)
		warnings = append(warnings, placeWarnings(target, slices.Concat(own, files))...)
		var twice, left []Arriving
		switch {
		case way == LikeForLike:
			wanted[target], twice, left = likeForLike(stands, files, own, facts)
		case len(own) > 0:
			wanted[target], twice = among(stands, files, own, way)
		default:
			wanted[target], twice = placed(stands, files, way)
		}
		for _, a := range twice {
			why := "the same bytes arrive under another name"
			if slices.ContainsFunc(stands, func(e Entry) bool { return e.Sum == a.Sum }) {
				why = "the same bytes stand there already"
			}
			warnings = append(warnings, Warning{Kind: "twice", Target: target, Text: a.Path + ": " + why + ", so it is left out"})
		}
		for _, a := range left {
			warnings = append(
				warnings,
				Warning{Kind: "unmatched", Target: target, Text: a.Path + ": nothing like it stands there, so it is left out"},
			)
		}
	}
	return wanted, warnings
}

// placed puts files before, behind or in the stead of what stands; twice are
// those whose bytes the target shows without them.
func placed(stands []Entry, files []Arriving, way Way) (list []Entry, twice []Arriving) {
	fresh, twice := without(files, stands, way)
	switch way {
	case Before:
		return slices.Concat(fresh, stands), twice
	case Instead:
		return keepStanding(fresh, stands), twice
	default:
		return slices.Concat(stands, fresh), twice
	}
}

// without leaves out files whose bytes stand on the target already, or come
// twice in the lot.
func without(files []Arriving, stands []Entry, way Way) (fresh []Entry, twice []Arriving) {
	seen := map[string]bool{}
	if way != Instead {
		for _, e := range stands {
			seen[e.Sum] = true
		}
	}
	for _, a := range files {
		if seen[a.Sum] {
			twice = append(twice, a)
			continue
		}
		seen[a.Sum] = true
		fresh = append(fresh, a.Entry)
	}
	return fresh, twice
}

// keepStanding gives a picture that stands already its placement and texts
// instead of making a new one.
func keepStanding(fresh, stands []Entry) []Entry {
	list := slices.Clone(fresh)
	for i := range list {
		for _, e := range stands {
			if e.Sum == list[i].Sum {
				list[i] = e
			}
		}
	}
	return list
}

// likeForLike replaces standing pictures by larger ones of the same look, else
// by those of the same view, else of the same place; text and view stay where
// the arriving file has none. A picture whose bytes come again stays as it is.
// twice are the files whose bytes the target shows without them, left those that
// nothing is like.
func likeForLike(stands []Entry, files, own []Arriving, facts Facts) (list []Entry, twice, left []Arriving) {
	list = slices.Clone(stands)
	taken := make([]bool, len(list))
	shown, isOwn := map[string]bool{}, filesOf(own)
	for i, e := range list {
		shown[e.Sum] = true
		taken[i] = isOwn[e.File] || slices.ContainsFunc(files, func(a Arriving) bool { return a.Sum == e.Sum })
	}
	for _, a := range files {
		if shown[a.Sum] {
			twice = append(twice, a)
			continue
		}
		at := facts.sameLook(list, taken, a)
		for i, e := range list {
			if at < 0 && !taken[i] && a.View != "" && e.View == a.View {
				at = i
				break
			}
		}
		if at < 0 && a.View == "" && a.Place > 0 && a.Place <= len(list) && !taken[a.Place-1] {
			at = a.Place - 1
		}
		if at < 0 {
			left = append(left, a)
			continue
		}
		taken[at], shown[a.Sum] = true, true
		e := a.Entry
		e.View = cmp.Or(e.View, list[at].View)
		if list[at].AltBy == "person" {
			e.Alt, e.AltBy = list[at].Alt, list[at].AltBy
		}
		list[at] = e
	}
	return list, twice, left
}

// Difference counts what changes from before to after, and warns of leads that
// change and of targets that lose their last picture.
type Difference struct {
	Added, Removed, Moved int
	Warnings              []Warning
}

// Diff compares two arrangements of one product.
func Diff(before, after Arrangement) (d Difference) {
	for _, target := range targets(before, after) {
		was, will := before[target], after[target]
		for i, e := range will {
			at := slices.IndexFunc(was, func(o Entry) bool { return same(o, e) })
			switch {
			case at < 0:
				d.Added++
			case at != i:
				d.Moved++
			}
		}
		for _, e := range was {
			if !slices.ContainsFunc(will, func(o Entry) bool { return same(o, e) }) {
				d.Removed++
			}
		}
		switch {
		case len(was) > 0 && len(will) == 0:
			d.Warnings = append(d.Warnings, Warning{Kind: "loses last", Target: target, Text: "loses its last picture"})
		case len(was) > 0 && !same(was[0], will[0]):
			d.Warnings = append(d.Warnings, Warning{Kind: "lead changes", Target: target, Text: "another picture becomes the lead"})
		}
	}
	return d
}

func same(a, b Entry) bool {
	if a.ID != 0 && b.ID != 0 {
		return a.ID == b.ID
	}
	return a.ID == b.ID && a.File == b.File
}

// Reverse returns what now becomes when a plan that led from before to after is
// taken back: exactly before, when nothing has changed since; else what the
// plan added goes, what it removed comes back at its place, a view or text that
// is still the plan's is restored, and later changes stay.
func Reverse(before, after, now Arrangement) Arrangement {
	if now.Equal(after) {
		return before.Clone()
	}
	back := now.Clone()
	for target := range after {
		back[target] = slices.DeleteFunc(back[target], func(e Entry) bool {
			return find(after[target], e) >= 0 && find(before[target], e) < 0
		})
	}
	for _, target := range targets(before) {
		for place, e := range before[target] {
			if find(after[target], e) < 0 && find(back[target], e) < 0 {
				back[target] = slices.Insert(back[target], min(place, len(back[target])), e)
			}
		}
	}
	for target, list := range back {
		for i, e := range list {
			was, made := find(before[target], e), find(after[target], e)
			if was >= 0 && made >= 0 {
				list[i] = restored(before[target][was], after[target][made], e)
			}
		}
	}
	return back
}

// restored returns a picture with the view and text from before a plan, where they are still the plan's.
func restored(before, after, now Entry) Entry {
	if now.View == after.View {
		now.View = before.View
	}
	if now.Alt == after.Alt && now.AltBy == after.AltBy {
		now.Alt, now.AltBy = before.Alt, before.AltBy
	}
	return now
}

func find(list []Entry, e Entry) int {
	return slices.IndexFunc(list, func(o Entry) bool { return same(o, e) })
}
