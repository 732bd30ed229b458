package pairing

import (
	"math"
	"slices"
	"unicode/utf8"
)

// leastOfTitle is how much of a title's words has to stand in a name that the title
// is suggested.
const leastOfTitle = 0.5

// mostTitled is how many products a word may have whose titles are compared.
const mostTitled = 2000

// longestTitle bounds what is held against each other character by character, bytes.
const longestTitle = 4 * maxKey

// misspelt is what a word counts that stands in the name with a slip.
const misspelt = 0.85

// nearTitles returns the products whose titles have the most in common with the
// base name, or with the nearest folder that has anything in common with any.
func (r *reader) nearTitles() map[int]Suggestion {
	for lo, hi := r.base, r.end; hi > 0; {
		if found := r.nearTitlesIn(lo, hi); len(found) > 0 {
			return found
		}
		if hi = lo; hi == 0 {
			break
		}
		for lo = hi - 1; lo > 0 && r.f.atoms[lo-1].segment == r.f.atoms[hi-1].segment; {
			lo--
		}
	}
	return map[int]Suggestion{}
}

// saidWords is how much words of titles count in a name, 0 to 1.
type saidWords map[int32]float64

func (r *reader) nearTitlesIn(lo, hi int) map[int]Suggestion {
	x := &r.catalog.titles
	more := r.cutCamel(lo, hi)
	hi, r.end = hi+more, r.end+more
	said := saidWords{}
	first, last := -1, -1
	for i := lo; i < min(hi, lo+24); i++ {
		if r.isDigit(i) || r.f.atoms[i].len() < wordLetters {
			continue
		}
		for id, word := range x.nearWords(string(r.text(i))) {
			said[id] = max(said[id], word)
			if first < 0 {
				first = i
			}
			last = i
		}
	}
	found := map[int]Suggestion{}
	if first < 0 {
		return found
	}
	read := r.written(first, last+1)
	if len(read) > longestTitle {
		return found
	}
	for _, p := range x.holders(said) {
		of, all := 0.0, 0.0
		for _, id := range x.core[p] {
			rare := math.Log(1 + float64(len(x.core))/float64(len(x.products[id])))
			all += rare
			of += rare * said[id]
		}
		if all == 0 || of < leastOfTitle*all {
			continue
		}
		target := Target{int(p), -1}
		items := r.catalog.products[p].items
		title := r.catalog.items[items[0]].Title
		if len(title) > longestTitle {
			continue
		}
		if left := r.narrowed(int(p), lo, hi); len(left) == 1 {
			target.Item = int(items[left[0]])
		}
		found[int(p)] = Suggestion{Target: target, Key: title, Read: read, Fit: of / all}
	}
	return found
}

// narrowed returns the items of a product, by their place in it, that have the
// options which stand in the atoms [lo, hi).
func (r *reader) narrowed(p, lo, hi int) []int32 {
	items := r.catalog.products[p].items
	every := r.everyOf(items)
	if len(items) == 1 {
		return every
	}
	left := r.narrow(r.optionsOf(p), every, lo, hi, 2, false)
	r.unmark()
	return left
}

// holders returns the products that have the rarest of some words, in their order.
func (x *titleIndex) holders(said saidWords) (products []int32) {
	for id := range said {
		if held := x.products[id]; len(held) <= mostTitled {
			products = append(products, held...)
		}
	}
	slices.Sort(products)
	return slices.Compact(products)
}

// nearWords returns the words of titles that a word is, or is with a slip or, of
// eight letters or more, two.
func (x *titleIndex) nearWords(word string) saidWords {
	if id, known := x.words[word]; known {
		return saidWords{id: 1}
	}
	near := saidWords{}
	length := utf8.RuneCountInString(word)
	slips := 0
	switch {
	case length >= 8:
		slips = 2
	case length >= 4:
		slips = 1
	}
	for other, id := range x.words {
		if d := len(other) - len(word); d > slips || -d > slips || len(other) < wordLetters || slips == 0 {
			continue
		}
		if other[0] != word[0] && other[len(other)-1] != word[len(word)-1] {
			continue
		}
		if cost := slipCost(other, word, slips*slip); cost <= slips*slip {
			near[id] = misspelt
		}
	}
	return near
}
