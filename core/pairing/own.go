package pairing

import (
	"bytes"

	"ambrosa/core/gtin"
)

// readOwnWords makes noise of what the product at hand explains: words and
// numbers of its title and of its attributes. A word that could be a view, and a
// number, belong to the title only where a neighbour of theirs stands beside them
// there too.
func (r *reader) readOwnWords(t Target) {
	if t.Product < 0 || !r.leftOver() {
		return
	}
	item := t.Item
	if item < 0 {
		item = int(r.catalog.products[t.Product].items[0])
	}
	entry := &r.catalog.items[item]
	r.readOwn(entry.Title)
	if t.Item < 0 {
		return
	}
	for _, value := range entry.Attributes {
		r.readOwn(value)
		r.readOwnBeside()
	}
}

// readOwnBeside makes noise of what goes on beside the key when both together are
// a value of the item, which r.key holds: the unit in "K-7120/1m".
func (r *reader) readOwnBeside() {
	n := len(r.key.atoms)
	for i := r.base; n > 1 && i+n <= r.end; i++ {
		same, keys := true, 0
		for k := 0; same && k < n; k++ {
			same = string(r.text(i+k)) == string(r.key.bytes(r.key.atoms[k])) && (r.roles[i+k] == unread || r.roles[i+k] == asKey)
			if same && r.roles[i+k] == asKey {
				keys++
			}
		}
		if !same || keys == 0 || keys == n {
			continue
		}
		for k := range n {
			if r.roles[i+k] == unread {
				r.roles[i+k], r.whats[i+k] = asNoise, "own word"
			}
		}
	}
}

// leftOver tells whether more of the base name is unread than one number.
func (r *reader) leftOver() bool {
	numbers := 0
	for i := r.base; i < r.end; i++ {
		if r.roles[i] != unread || r.regions[i] != 0 {
			continue
		}
		if numbers++; numbers > 1 || !r.isDigit(i) {
			return true
		}
	}
	return false
}

// shortestOwn is how many letters a word, and figures a number, has at least that
// is told by itself to be a product's own.
const shortestOwn = 3

// readOwn makes noise of the atoms of the base name that a text of the product
// explains.
func (r *reader) readOwn(text string) {
	if len(text) > 4*maxKey {
		text = ""
	}
	r.key.fold(text)
	for i := r.base; i < r.end; i++ {
		if r.roles[i] != unread && r.roles[i] != asKey || r.regions[i] != 0 {
			continue
		}
		if r.readOwnCamel(i) {
			continue
		}
		longest := 0
		for k := range r.key.atoms {
			longest = max(longest, r.sameAtoms(i, k))
		}
		whole := longest == 1 && len(r.key.atoms) == 1
		if longest == 0 || longest == 1 && !r.ownAlone(i, whole) {
			continue
		}
		free := 0
		for n := range longest {
			if r.roles[i+n] == unread {
				free++
			}
		}
		for n := range longest {
			// A number beside nothing but the key may be the place.
			if r.roles[i+n] == unread && (free > 1 || longest == 1 || !r.isDigit(i+n)) {
				r.roles[i+n], r.whats[i+n] = asNoise, "own word"
			}
		}
		i += longest - 1
	}
}

// readOwnCamel makes noise of a long word that the words of the text, blanks left
// out, begin with or hold: "PebbleLoopSandal".
func (r *reader) readOwnCamel(i int) bool {
	a := r.f.atoms[i]
	if r.roles[i] != unread || a.class != letter || a.len() < 2*wordLetters || len(r.key.atoms) < 2 {
		return false
	}
	var buffer [4 * maxKey]byte
	joined := buffer[:0]
	for _, own := range r.key.atoms {
		joined = append(joined, r.key.bytes(own)...)
	}
	if !bytes.Contains(joined, r.text(i)) {
		return false
	}
	r.roles[i], r.whats[i] = asNoise, "own word"
	return true
}

// ownAlone tells whether a single atom is told to be the product's own; whole says
// that it is the whole of a text of the product.
func (r *reader) ownAlone(i int, whole bool) bool {
	length := r.f.atoms[i].len()
	if r.isDigit(i) {
		return whole && length >= shortestOwn && r.numberBehind(i, r.end)
	}
	return length >= shortestOwn && r.words.of(r.text(i)).role == unread
}

// sameAtoms returns how many atoms from i on are those of the text in r.key from k
// on, read as nothing so far or as the key.
func (r *reader) sameAtoms(i, k int) (n int) {
	for i+n < r.end && k+n < len(r.key.atoms) && (r.roles[i+n] == unread || r.roles[i+n] == asKey) &&
		string(r.text(i+n)) == string(r.key.bytes(r.key.atoms[k+n])) {
		n++
	}
	return n
}

// readTimes makes noise of times of day and of timestamps that nothing else
// explains: three numbers that are hours, minutes and seconds, and seconds or
// milliseconds since 1970.
func (r *reader) readTimes() {
	for i := r.base; i < r.end; i++ {
		if r.roles[i] != unread || !r.isDigit(i) {
			continue
		}
		if r.isSpin(i) {
			r.roles[i], r.whats[i] = asNoise, "turn"
			continue
		}
		if i+2 < r.end && r.isTime(i) {
			for n := i; n < i+3; n++ {
				r.roles[n], r.whats[n] = asNoise, "time of day"
			}
			i += 2
			continue
		}
		if to := r.ratioEnd(i); to > i {
			for n := i; n < to; n++ {
				r.roles[n], r.whats[n] = asNoise, "ratio"
			}
			i = to - 1
			continue
		}
		if to := r.priceEnd(i); to > i {
			for n := i; n < to; n++ {
				r.roles[n], r.whats[n] = asNoise, "price"
			}
			i = to - 1
			continue
		}
		if r.isTimestamp(i) {
			r.roles[i], r.whats[i] = asNoise, "timestamp"
		}
		if r.f.atoms[i].len() == 4 && isYear(r.number(i)) && (i == r.base || r.roles[i-1] != asKey) && r.alone(i) {
			r.roles[i], r.whats[i] = asNoise, "year"
		}
	}
}

// ratioEnd returns where the ratio of a picture's sides that begins at atom i ends,
// as in "16x9"; i where there is none.
func (r *reader) ratioEnd(i int) int {
	from, to := r.token(i, r.base, r.end)
	if from != i || to != i+3 || string(r.text(i+1)) != "x" || !r.isDigit(i+2) {
		return i
	}
	for n := i; n < to; n++ {
		if r.roles[n] != unread {
			return i
		}
	}
	one, other := r.number(i), r.number(i+2)
	if !ratios[[2]int{min(one, other), max(one, other)}] {
		return i
	}
	return to
}

// ratios are the usual ones of pictures (common practice).
var ratios = map[[2]int]bool{{1, 1}: true, {1, 2}: true, {2, 3}: true, {3, 4}: true, {4, 5}: true, {5, 7}: true, {9, 16}: true,
	{9, 21}: true}

// currencies are words behind, or in front of, a price.
var currencies = wordSet("eur", "euro", "euros", "usd", "gbp", "chf", "pln", "sek", "dkk", "nok", "czk", "try", "jpy", "zł", "kr")

// priceEnd returns where a price that begins at atom i ends: a number, with its
// cents, and a currency before or behind it; i where there is none.
func (r *reader) priceEnd(i int) int {
	to := i + 1
	if to < r.end && r.roles[to] == unread && r.isDigit(to) && r.f.atoms[to].len() == 2 && r.f.isDecimal(to) {
		to++
	}
	switch {
	case r.isCurrency(i - 1):
		return to
	case r.isCurrency(to) && (to+1 >= r.end || !r.isDigit(to+1)):
		return to + 1
	}
	return i
}

func (r *reader) isCurrency(i int) bool {
	return i >= r.base && i < r.end && r.roles[i] == unread && currencies.of(r.text(i))
}

// alone tells whether separators stand on both sides of an atom.
func (r *reader) alone(i int) bool {
	return (i == r.base || !r.f.atoms[i].glued) && (i+1 >= r.end || !r.f.atoms[i+1].glued)
}

// usualWidths are how many pixels wide pictures are made for shops, beside round
// hundreds (common practice).
var usualWidths = map[int]bool{320: true, 480: true, 512: true, 640: true, 720: true, 750: true, 768: true, 960: true, 1024: true,
	1080: true, 1280: true, 1366: true, 1440: true, 1536: true, 1920: true, 2048: true, 2160: true, 2560: true, 3840: true, 4096: true}

// readWidths makes noise of a width in pixels at the end of the name, where a
// number that may be the place stands between the key, which ends at atom to, and
// it: "HB-10_6_2048".
func (r *reader) readWidths(to int) {
	last := r.end - 1
	if last <= to+1 || r.roles[last] != unread || !r.isDigit(last) || !r.alone(last) {
		return
	}
	if n, length := r.number(last), r.f.atoms[last].len(); length != 3 && length != 4 || !usualWidths[n] && (n%100 != 0 || n < 300) {
		return
	}
	for i := to + 1; i < last; i++ {
		if r.mayBePlace(i) {
			r.roles[last], r.whats[last] = asNoise, "pixel size"
			return
		}
	}
}

// isSpin tells whether a number is the full turn of a series of pictures, with the
// number of the picture behind it: "360_012" (common practice).
func (r *reader) isSpin(i int) bool {
	return r.number(i) == 360 && i+1 < r.end && r.isDigit(i+1) && r.f.atoms[i+1].len() <= 3 && r.roles[i+1] == unread
}

func (r *reader) isTime(i int) bool {
	for n, most := range [...]int{23, 59, 59} {
		if r.roles[i+n] != unread || !r.isDigit(i+n) || r.f.atoms[i+n].len() != 2 || r.number(i+n) > most {
			return false
		}
	}
	return string(r.between(i+1)) == string(r.between(i+2))
}

// isTimestamp tells whether a number counts from 1970: ten figures are seconds
// from 2001 to 2033, thirteen are milliseconds, which may look like a barcode.
func (r *reader) isTimestamp(i int) bool {
	digits := r.text(i)
	if digits[0] != '1' {
		return false
	}
	switch len(digits) {
	case 10:
		return true
	case 13:
		named := i > r.base && r.words.of(r.text(i-1)).role == asCrop
		return named || gtin.CheckDigit(string(digits[:12])) != digits[12]
	}
	return false
}

// readExport makes noise of the word that a program leaves and of its numbers:
// those of a layer or a frame always, those of a crop where a place stands before
// it; and of the number of four figures in front, as in "_0003_Layer 2".
func (r *reader) readExport(i, lo, hi int, m meaning) {
	r.roles[i], r.whats[i] = asNoise, m.what
	before := i > lo && r.isDigit(i-1) && r.roles[i-1] == unread
	if before && r.f.atoms[i-1].len() == 4 {
		r.roles[i-1], r.whats[i-1] = asNoise, m.what
		before = i > lo+1 && r.isDigit(i-2) && r.roles[i-2] == unread
	}
	if m.role == asCrop && !before {
		return
	}
	for n := i + 1; n < min(hi, i+3) && r.isDigit(n) && r.roles[n] == unread && len(r.between(n)) <= 1; n++ {
		r.roles[n], r.whats[n] = asNoise, m.what
	}
}
