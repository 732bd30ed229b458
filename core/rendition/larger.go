package rendition

import (
	"cmp"
	"slices"
)

// Sized is an address with what was measured behind it, in pixels.
type Sized struct {
	Address       string
	Width, Height int
}

func (s Sized) area() int { return s.Width * s.Height }

// mostLearned bounds how many rewritings are tried on a page's pictures, and
// mostPairs how many pairs are learned from.
const (
	mostLearned = 4
	mostPairs   = 12
)

// Larger returns, for each picture of a page, addresses at which a larger
// rendition of it may be: where the page itself shows one picture small and large,
// the same rewriting is tried on all others. Which of them are there, only
// measuring can tell (LargerOf).
func Larger(pictures [][]Sized) [][]string {
	rewritings := shownRewritings(pictures)
	tries := make([][]string, len(pictures))
	for i, renditions := range pictures {
		known := map[string]bool{}
		for _, r := range renditions {
			known[r.Address] = true
		}
		for _, r := range renditions {
			for _, apply := range rewritings {
				if to := apply(r.Address); to != "" && to != r.Address && !known[to] {
					known[to] = true
					tries[i] = append(tries[i], to)
				}
			}
		}
	}
	return tries
}

// shownRewritings learns from the pairs of small and large renditions that a page
// shows, the rewritings that explain most pairs first.
func shownRewritings(pictures [][]Sized) (found []func(string) string) {
	type learned struct {
		rewriting Rewriting
		pairs     int
	}
	var all []learned
	pairs := 0
	for _, renditions := range pictures {
		if len(renditions) < 2 || pairs == mostPairs {
			continue
		}
		pairs++
		small := slices.MinFunc(renditions, func(a, b Sized) int { return cmp.Compare(a.area(), b.area()) })
		large := slices.MaxFunc(renditions, func(a, b Sized) int { return cmp.Compare(a.area(), b.area()) })
		if small.area() == large.area() {
			continue
		}
		for _, rewriting := range Learn(small.Address, large.Address) {
			at := slices.IndexFunc(all, func(l learned) bool { return slices.Equal(l.rewriting, rewriting) })
			if at < 0 {
				all = append(all, learned{rewriting, 0})
				at = len(all) - 1
			}
			all[at].pairs++
		}
	}
	slices.SortStableFunc(all, func(a, b learned) int { return cmp.Compare(b.pairs, a.pairs) })
	for _, l := range all[:min(len(all), mostLearned)] {
		if apply, err := l.rewriting.Compile(); err == nil {
			found = append(found, apply)
		}
	}
	return found
}

// sameShape is by how much the ratio of a larger rendition may differ.
const sameShape = 0.03

// LargerOf tells whether what was measured at an address is a larger rendition of
// a picture: larger than all that are known, and of the same shape.
func LargerOf(known []Sized, at Sized) bool {
	if at.Width == 0 || at.Height == 0 {
		return false
	}
	for _, k := range known {
		if k.area() >= at.area() {
			return false
		}
	}
	if len(known) == 0 || known[0].Height == 0 {
		return true
	}
	ratio := float64(at.Width) / float64(at.Height) * float64(known[0].Height) / float64(known[0].Width)
	return ratio > 1-sameShape && ratio < 1+sameShape
}
