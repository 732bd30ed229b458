package upkeep

import "slices"

// Swap is one file that takes the place of another, wherever that stands.
type Swap struct{ From, To int64 }

// Twin is one of the files of a group that are, or look, the same.
type Twin struct {
	File   int64
	Group  int64
	Stands int  // products and categories that show it
	Pinned bool // a person said that it stays
}

// Merged says which file of each group stays, and which give it their places: the one that
// keep names, else the one that is pinned, that most show, that was there first. A group that
// keep names nobody of, where it names some, is left alone.
func Merged(files []Twin, keep []int64) (swaps []Swap) {
	best := map[int64]Twin{}
	named := func(t Twin) bool { return slices.Contains(keep, t.File) }
	for _, f := range files {
		if b, known := best[f.Group]; !known || stays(f, b, named(f), named(b)) {
			best[f.Group] = f
		}
	}
	for _, f := range files {
		b := best[f.Group]
		if b.File == f.File || f.Stands == 0 || len(keep) > 0 && !named(b) {
			continue
		}
		swaps = append(swaps, Swap{f.File, b.File})
	}
	return swaps
}

// stays tells whether a is to stay rather than b.
func stays(a, b Twin, aNamed, bNamed bool) bool {
	switch {
	case aNamed != bNamed:
		return aNamed
	case a.Pinned != b.Pinned:
		return a.Pinned
	case a.Stands != b.Stands:
		return a.Stands > b.Stands
	}
	return a.File < b.File
}
