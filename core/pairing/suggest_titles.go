package pairing

import (
	"math"
	"slices"
	"strings"
	"unicode/utf8"
)

// leastFit is how well a title and a name have to explain each other that the title is suggested.
const leastFit = 0.45

// What counts against a title: words of it that the name does not have, and words of the name that only other titles have.
// A long title loses little by what a name leaves out, and gains nothing by being long.
const (
	titleLeft = 0.25
	nameLeft  = 0.4
)

// mostTitled is how many products a word may have whose titles are compared.
const mostTitled = 2000

// longestTitle bounds what is held against each other character by character, bytes.
const longestTitle = 4 * maxKey

// What a word counts that stands in the name with so many slips, cut off to so many letters, or without its vowels.
var misspelt = [...]float64{1, 0.85, 0.7, 0.55}

const (
	cutOff     = 0.45 // and as much again as there is of it
	voweless   = 0.65
	leastOfCut = 3 // letters
)

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
	var words []saidWords
	first, last := -1, -1
	for i := lo; i < min(hi, lo+24); i++ {
		if r.isDigit(i) || r.f.atoms[i].len() < wordLetters {
			continue
		}
		near := x.nearWords(string(r.text(i)))
		if len(near) == 0 {
			continue
		}
		for id, word := range near {
			said[id] = max(said[id], word)
		}
		words = append(words, near)
		if first < 0 {
			first = i
		}
		last = i
	}
	found := map[int]Suggestion{}
	if first < 0 {
		return found
	}
	read := r.written(first, last+1)
	if len(read) > longestTitle {
		return found
	}
	most := make([]float64, len(words)) // that each word of the name explains, of any title
	for i, near := range words {
		for id, word := range near {
			most[i] = max(most[i], word*x.rare(id))
		}
	}
	for _, p := range x.holders(said) {
		fit := x.fit(p, said, words, most)
		if fit < leastFit {
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
		found[int(p)] = Suggestion{Target: target, Key: title, Read: read, Fit: fit}
	}
	return found
}

// rare is what a word of titles weighs: the more, the fewer products have it.
func (x *titleIndex) rare(id int32) float64 {
	return math.Log(1 + float64(len(x.core))/float64(len(x.products[id])))
}

// fit is how well a product's title and a name explain each other, 0 to 1: the weight of the words that both have, beside
// what either has alone (Tversky's ratio model, Psychological Review 84, 1977; from memory).
func (x *titleIndex) fit(p int32, said saidWords, words []saidWords, most []float64) float64 {
	both, left := 0.0, 0.0
	for _, id := range x.core[p] {
		rare := x.rare(id)
		both += rare * said[id]
		left += titleLeft * rare * (1 - said[id])
	}
	for i, near := range words {
		best := 0.0
		for _, id := range x.core[p] {
			if word, ok := near[id]; ok {
				best = max(best, word*x.rare(id))
			}
		}
		left += nameLeft * (most[i] - best)
	}
	if both == 0 {
		return 0
	}
	return both / (both + left)
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

// nearWords returns the words of titles that a word is; else those that it is with slips (one of four letters or more, two
// of six, three of ten), those that it is cut off from, and those that it is without their vowels.
func (x *titleIndex) nearWords(word string) saidWords {
	if id, known := x.words[word]; known {
		return saidWords{id: 1}
	}
	near := saidWords{}
	length := utf8.RuneCountInString(word)
	slips := 0
	switch {
	case length >= 10:
		slips = 3
	case length >= 6:
		slips = 2
	case length >= 4:
		slips = 1
	}
	skeleton := length >= leastOfCut && strings.IndexFunc(word, isVowel) < 0
	for other, id := range x.words {
		if len(other) < wordLetters {
			continue
		}
		if length >= leastOfCut && strings.HasPrefix(other, word) {
			near[id] = max(near[id], cutOff+cutOff*float64(len(word))/float64(len(other)))
			continue
		}
		if skeleton && other[0] == word[0] && isWithoutVowels(word, other) {
			near[id] = max(near[id], voweless)
		}
		if d := len(other) - len(word); d > slips || -d > slips || slips == 0 {
			continue
		}
		if other[0] != word[0] && other[len(other)-1] != word[len(word)-1] {
			continue
		}
		if cost := slipCost(other, word, slips*slip); cost <= slips*slip {
			near[id] = max(near[id], misspelt[(cost+slip-1)/slip])
		}
	}
	return near
}

func isVowel(r rune) bool { return strings.ContainsRune("aeiouyäöüáéíóúàèìòù", r) }

// isWithoutVowels tells whether a word is another one behind whose first letter the vowels were left out.
func isWithoutVowels(word, other string) bool {
	i := 0
	for at, r := range other {
		if at > 0 && isVowel(r) {
			continue
		}
		n := utf8.RuneLen(r)
		if n < 0 || i+n > len(word) || word[i:i+n] != string(r) {
			return false
		}
		i += n
	}
	return i == len(word)
}
