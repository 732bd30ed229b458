package pairing

import (
	"math/bits"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// titleIndex finds products by the words of their titles and of their items'
// attributes. It is built when it is first needed.
type titleIndex struct {
	once     sync.Once
	words    map[string]int32
	products [][]int32  // of each word, in their order
	bits     [][]uint64 // of words that many products have: the same as bits
	core     [][]int32  // of each product, the words that stand in all its titles
	titled   []bool     // of each word, whether it stands in a title
}

// manyProducts is from how many products on a word has bits.
const manyProducts = 512

// wordLetters is how many letters a title's word has at least.
const wordLetters = 3

func (c *Catalog) buildTitles() {
	x := &c.titles
	x.words = map[string]int32{}
	x.core = make([][]int32, len(c.products))
	var f folded
	word := func(a atom, p int32) int32 {
		id, known := x.words[string(f.bytes(a))]
		if !known {
			id = int32(len(x.products))
			x.words[string(f.bytes(a))] = id
			x.products = append(x.products, nil)
			for _, plain := range withoutAccents(f.bytes(a)) {
				if _, known := x.words[plain]; !known {
					x.words[plain] = id
				}
			}
		}
		if held := x.products[id]; len(held) == 0 || held[len(held)-1] != p {
			x.products[id] = append(held, p)
		}
		return id
	}
	for p := range c.products {
		for n, item := range c.products[p].items {
			var here []int32
			f.fold(c.items[item].Title)
			for _, a := range f.atoms {
				if a.class != letter || a.len() < wordLetters {
					continue
				}
				id := word(a, int32(p))
				for len(x.titled) <= int(id) {
					x.titled = append(x.titled, false)
				}
				x.titled[id] = true
				if !slices.Contains(here, id) {
					here = append(here, id)
				}
			}
			if n == 0 {
				x.core[p] = here
			} else {
				x.core[p] = slices.DeleteFunc(x.core[p], func(id int32) bool { return !slices.Contains(here, id) })
			}
			for _, value := range c.items[item].Attributes {
				f.fold(value)
				for _, a := range f.atoms {
					if a.class == letter && a.len() >= wordLetters {
						word(a, int32(p))
					}
				}
			}
		}
	}
	x.titled = append(x.titled, make([]bool, len(x.products)-len(x.titled))...)
	x.bits = make([][]uint64, len(x.products))
	for id, held := range x.products {
		if len(held) < manyProducts {
			continue
		}
		x.bits[id] = make([]uint64, len(c.products)/64+1)
		for _, p := range held {
			x.bits[id][p/64] |= 1 << (p % 64)
		}
	}
}

// title claims a file whose base name, or nearest folder that has any, holds
// words of titles, in any order, that only one product has together: two or
// more of its title and at least half of it, or the whole of a title of one
// word, and no word that no title has.
func (r *reader) title(claims []claim) []claim {
	r.catalog.titles.once.Do(r.catalog.buildTitles)
	if len(r.catalog.titles.words) == 0 {
		return claims
	}
	for lo, hi := r.base, r.end; hi > 0; {
		if c, told := r.titleIn(lo, hi); told {
			if c.match.key == "" {
				return claims
			}
			return append(claims, c)
		}
		if hi = lo; hi == 0 {
			break
		}
		for lo = hi - 1; lo > 0 && r.f.atoms[lo-1].segment == r.f.atoms[hi-1].segment; {
			lo--
		}
	}
	return claims
}

// titleIn reads the words of one segment of the path. told is false when it
// holds none; the claim has no key when they single out nothing.
func (r *reader) titleIn(lo, hi int) (c claim, told bool) {
	x := &r.catalog.titles
	hi += r.cutCamel(lo, hi)
	var ids, atoms, asides, strange []int32
	for i := lo; i < hi; i++ {
		if r.isDigit(i) || r.regions[i] != 0 || r.f.atoms[i].len() < wordLetters {
			continue
		}
		word := r.text(i)
		id, known := x.words[string(word)]
		role := r.words.of(word).role
		switch {
		case !known && role == unread && !r.isPrefix(i):
			strange = append(strange, int32(i))
		case !known || slices.Contains(ids, id):
		case role == unread:
			ids, atoms = append(ids, id), append(atoms, int32(i))
		default:
			asides = append(asides, id)
		}
	}
	if !slices.ContainsFunc(ids, func(id int32) bool { return x.titled[id] }) {
		return c, false // an option's value says nothing by itself
	}
	left := r.holdAll(ids)
	if len(left) > 1 {
		// What could be a view may be a title's word as well: "label", "box".
		for _, id := range asides {
			if narrower := intersect(left, x.products[id]); len(narrower) > 0 {
				left = narrower
				ids = append(ids, id)
			}
		}
	}
	if len(left) > 1 {
		left = r.wholeTitle(left, lo, hi)
	}
	if len(left) != 1 {
		return c, true
	}
	p := int(left[0])
	options := r.optionsOf(p)
	for _, i := range strange {
		if r.optionAt(options, int(i), int(i)) == nil {
			return c, true // a word that neither the title nor an option has
		}
	}
	matched := 0
	for _, id := range x.core[p] {
		if slices.Contains(ids, id) {
			matched++
		}
	}
	atoms = slices.DeleteFunc(atoms, func(i int32) bool { return !slices.Contains(x.core[p], x.words[string(r.text(int(i)))]) })
	if matched < 2 && (matched < 1 || len(x.core[p]) > 1) || 2*matched < len(x.core[p]) {
		return c, true
	}
	item := -1
	if held := r.catalog.products[p].items; len(held) == 1 {
		item = int(held[0])
	}
	title := r.catalog.items[r.catalog.products[p].items[0]].Title
	c = claim{
		match: match{from: atoms[0], to: atoms[0], target: Target{p, item}, key: title, rung: LetterCase, alnum: int32(len(title))},
		clue:  Title,
		also:  atoms[1:],
	}
	c.segment = r.f.atoms[lo].segment + 1
	return c, true
}

// holdAll returns the products that hold all words.
func (r *reader) holdAll(ids []int32) []int32 {
	x := &r.catalog.titles
	byCount := slices.Clone(ids)
	slices.SortFunc(byCount, func(a, b int32) int { return len(x.products[a]) - len(x.products[b]) })
	key := string(wordsKey(byCount))
	if known, ok := r.together[key]; ok {
		return known
	}
	left := x.hold(byCount)
	if r.together == nil {
		r.together = map[string][]int32{}
	}
	if len(r.together) < 1<<16 {
		r.together[key] = left
	}
	return left
}

// hold returns the products that hold all words, of which the first is the
// rarest.
func (x *titleIndex) hold(words []int32) []int32 {
	left := x.products[words[0]]
	if len(words) == 1 {
		return left
	}
	var both []int32
	if all := x.bits[words[0]]; all != nil {
		all = slices.Clone(all)
		for _, id := range words[1:] {
			for i, held := range x.bits[id] {
				all[i] &= held
			}
		}
		for i, held := range all {
			for ; held != 0; held &= held - 1 {
				both = append(both, int32(64*i+bits.TrailingZeros64(held)))
			}
		}
		return both
	}
	for _, p := range left {
		in := true
		for _, id := range words[1:] {
			if held := x.bits[id]; held != nil {
				in = in && held[p/64]&(1<<(p%64)) != 0
			} else if in {
				_, in = slices.BinarySearch(x.products[id], p)
			}
		}
		if in {
			both = append(both, p)
		}
	}
	return both
}

func wordsKey(ids []int32) (key []byte) {
	for _, id := range ids {
		key = append(key, byte(id), byte(id>>8), byte(id>>16), byte(id>>24))
	}
	return key
}

// mostTitles is how many products are compared that have the same words.
const mostTitles = 64

// wholeTitle returns the one of some products whose whole title stands in the atoms
// [lo, hi), word for word and number for number, the longest of them; none when
// there is not just one.
func (r *reader) wholeTitle(products []int32, lo, hi int) []int32 {
	if len(products) > mostTitles {
		return nil
	}
	var found []int32
	longest, before, held := 0, "", false
	for _, p := range products {
		title := r.catalog.items[r.catalog.products[p].items[0]].Title
		if title == before {
			if held {
				found = append(found, p) // one title on two products
			}
			continue
		}
		r.key.fold(title)
		before, held = title, false
		n := len(r.key.atoms)
		for i := lo; i+n <= hi && n >= longest; i++ {
			if !r.titleAt(i) {
				continue
			}
			if n > longest {
				found, longest = found[:0], n
			}
			found, held = append(found, p), true
			break
		}
	}
	if len(found) != 1 {
		return nil
	}
	return found
}

// titleAt tells whether the text in r.key stands in the name from atom i on,
// accents aside.
func (r *reader) titleAt(i int) bool {
	at := i
	for _, a := range r.key.atoms {
		own := r.key.bytes(a)
		if r.isAnd(own) {
			continue
		}
		for at < r.end && at > i && r.isAnd(r.text(at)) {
			at++
		}
		if at >= r.end {
			return false
		}
		word := r.text(at)
		if string(word) != string(own) && !slices.Contains(withoutAccents(own), string(word)) {
			return false
		}
		at++
	}
	return at > i
}

// isAnd tells whether a word only joins others, in a language that is on.
func (r *reader) isAnd(word []byte) bool { return r.words.of(word).what == andWord }

// withoutAccents returns how else a folded word is written: without its accents,
// and with "ae" for "ä" and the like; none for a word of plain letters.
func withoutAccents(word []byte) []string {
	plain := true
	for _, b := range word {
		plain = plain && b < utf8.RuneSelf
	}
	if plain {
		return nil
	}
	var bare, spelt strings.Builder
	for _, r := range string(word) {
		if two, ok := speltOut[r]; ok {
			spelt.WriteString(two)
		} else {
			spelt.WriteString(bareOf(r))
		}
		bare.WriteString(bareOf(r))
	}
	return []string{bare.String(), spelt.String()}
}

// speltOut are letters that are written with two where there is no key for them.
var speltOut = map[rune]string{'ä': "ae", 'ö': "oe", 'ü': "ue", 'å': "aa", 'ø': "oe", 'æ': "ae", 'ß': "ss"}

// bareOf returns a letter without its accents.
func bareOf(r rune) string {
	switch r {
	case 'ß':
		return "ss"
	case 'ø':
		return "o"
	case 'æ':
		return "ae"
	case 'ł':
		return "l"
	case 'ı':
		return "i"
	}
	for _, first := range norm.NFD.String(string(r)) {
		return string(first) // the accents follow the letter
	}
	return ""
}

// cutCamel cuts words that no title has where a capital follows a small letter,
// when titles have all that this makes of them: "HarbourTrainerLow". It returns
// how many atoms there are more.
func (r *reader) cutCamel(lo, hi int) (more int) {
	x := &r.catalog.titles
	for i := lo; i < hi+more; i++ {
		a := r.f.atoms[i]
		if a.class != letter || a.len() < 2*wordLetters || r.regions[i] != 0 {
			continue
		}
		if _, known := x.words[string(r.text(i))]; known || r.words.of(r.text(i)).role != unread {
			continue
		}
		at := r.capitals(a)
		if len(at) == 0 || !x.hasAll(r.text(i), at) {
			continue
		}
		for _, offset := range at {
			r.cutAt(r.f.origin(a.start + int32(offset)))
		}
		more += len(at)
		i += len(at)
	}
	return more
}

// capitals returns where in a word, in bytes of its folded text, a capital follows a
// small letter.
func (r *reader) capitals(a atom) (at []int) {
	for i := a.start + 1; i < a.end; i++ {
		from := r.f.origin(i)
		if from == r.f.origin(i-1) {
			continue // one character that is folded to several
		}
		here, before := r.f.source[from], r.f.source[from-1]
		if here >= 'A' && here <= 'Z' && (before >= 'a' && before <= 'z' || before >= utf8.RuneSelf) {
			at = append(at, int(i-a.start))
		}
	}
	return at
}

// hasAll tells whether titles have all words, short ones aside, that a word
// falls into at these offsets.
func (x *titleIndex) hasAll(word []byte, at []int) bool {
	from, found := 0, false
	for _, to := range append(at, len(word)) {
		if to-from >= wordLetters {
			if _, known := x.words[string(word[from:to])]; !known {
				return false
			}
			found = true
		}
		from = to
	}
	return found
}
