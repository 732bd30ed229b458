package upkeep

import (
	"cmp"
	"fmt"
	"slices"
)

// Lookalike is a file that looks like an earlier one, or that a later one looks like.
type Lookalike struct {
	File   int64
	Like   int64 // the earlier file that it looks like, 0 for none
	Look   Look
	Of     string // what it is paired with, empty for nothing
	Bytes  int64
	Pixels int64
	Small  bool // enlarged or padded: less is in it than its size says
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

// better orders files that look alike: whole ones first, then the larger, then those of more
// bytes, then the earlier.
func better(a, b Lookalike) int {
	whole := func(l Lookalike) int {
		if l.Small {
			return 1
		}
		return 0
	}
	return cmp.Or(whole(a)-whole(b), cmp.Compare(b.Pixels, a.Pixels), cmp.Compare(b.Bytes, a.Bytes), cmp.Compare(a.File, b.File))
}

// Grouped finds which files look alike, and what is to be said of each; in the order given.
// Each group is a best file with those that look like it themselves: files that only look
// alike through others are not one picture, nor are those that were paired with different
// things, however much these look alike. A file whose group has nobody else is left out: its
// Group is 0.
func Grouped(files []Lookalike) []Alike {
	order := make([]int, len(files))
	for i := range order {
		order[i] = i
	}
	chains := chained(files)
	slices.SortFunc(order, func(a, b int) int { return better(files[a], files[b]) })
	type group struct {
		best, first int    // positions
		of          string // what its files are paired with, as far as they are
		members     []int
		stands      int64 // pixels of the largest that stands
	}
	groups := map[int64][]*group{} // by chain
	of := make([]*group, len(files))
	for _, i := range order {
		in := groups[chains[i]]
		at := slices.IndexFunc(in, func(g *group) bool {
			return files[g.best].Look.Like(files[i].Look) && (g.of == "" || files[i].Of == "" || g.of == files[i].Of)
		})
		if at < 0 {
			in = append(in, &group{best: i, first: i})
			groups[chains[i]], at = in, len(in)-1
		}
		g := in[at]
		g.members = append(g.members, i)
		g.first, g.of = min(g.first, i), cmp.Or(g.of, files[i].Of)
		if files[i].Stands {
			g.stands = max(g.stands, files[i].Pixels)
		}
		of[i] = g
	}
	found := make([]Alike, len(files))
	for i, f := range files {
		g := of[i]
		n := len(g.members)
		if n == 1 {
			continue
		}
		found[i] = Alike{Group: files[g.first].File, Reason: LookAlike, Detail: fmt.Sprintf("one of %d", n)}
		if g.best == i {
			found[i].Detail = fmt.Sprintf("the best of %d", n)
		}
		if !f.Stands && !f.Small && g.stands > 0 && f.Pixels > g.stands {
			found[i].Reason = LargerUnused
		}
	}
	return found
}

// chained returns of each file the first that it hangs together with, through others as well:
// only within such a chain files can look alike.
func chained(files []Lookalike) []int64 {
	of := make(map[int64]int64, len(files))
	root := func(id int64) int64 {
		for of[id] != id {
			of[id] = of[of[id]]
			id = of[id]
		}
		return id
	}
	for _, f := range files {
		of[f.File] = f.File
	}
	for _, f := range files {
		if _, known := of[f.Like]; known && f.Like != 0 {
			a, b := root(f.File), root(f.Like)
			of[max(a, b)] = min(a, b)
		}
	}
	chains := make([]int64, len(files))
	for i, f := range files {
		chains[i] = root(f.File)
	}
	return chains
}
