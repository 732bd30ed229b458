package upkeep

import "fmt"

// Lookalike is a file that looks like an earlier one, or that a later one looks like.
type Lookalike struct {
	File   int64
	Like   int64 // the earlier file that it looks like, 0 for none
	Bytes  int64
	Pixels int64
	Stands bool // a product or category shows it
}

// As what files that look alike are found.
const (
	LargerUnused = "larger, unused" // a smaller one of its group stands
	LookAlike    = "look alike"
)

// Alike is what is found of one of them.
type Alike struct {
	Group  int64 // number of the group's first file
	Reason string
	Detail string
}

// Grouped finds which files look alike, through others as well, and what is to be said of each; in
// the order given. A file whose group has nobody else is left out: its Group is 0.
func Grouped(files []Lookalike) []Alike {
	of, at := map[int64]int64{}, map[int64]int{}
	root := func(id int64) int64 {
		for of[id] != id {
			of[id] = of[of[id]]
			id = of[id]
		}
		return id
	}
	for i, f := range files {
		of[f.File], at[f.File] = f.File, i
	}
	for _, f := range files {
		if _, known := at[f.Like]; known && f.Like != 0 {
			a, b := root(f.File), root(f.Like)
			of[max(a, b)] = min(a, b)
		}
	}
	type group struct {
		n               int
		largest, stands int64 // pixels: of all, and of those that stand
	}
	groups := map[int64]*group{}
	for _, f := range files {
		g := groups[root(f.File)]
		if g == nil {
			g = &group{}
			groups[root(f.File)] = g
		}
		g.n++
		g.largest = max(g.largest, f.Pixels)
		if f.Stands {
			g.stands = max(g.stands, f.Pixels)
		}
	}
	found := make([]Alike, len(files))
	for i, f := range files {
		g := groups[root(f.File)]
		if g.n == 1 {
			continue
		}
		found[i] = Alike{Group: root(f.File), Reason: LookAlike, Detail: fmt.Sprintf("one of %d", g.n)}
		if f.Pixels == g.largest {
			found[i].Detail = fmt.Sprintf("the largest of %d", g.n)
		}
		if !f.Stands && g.stands > 0 && f.Pixels > g.stands {
			found[i].Reason = LargerUnused
		}
	}
	return found
}
