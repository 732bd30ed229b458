package pairing

import (
	"bytes"
	"slices"
)

// claim is what a clue says about a file.
type claim struct {
	match
	clue    Clue
	segment int16
	also    []int32 // atoms of the key beside those from from to to
}

// reader reads one path after the other; it is reused to spare allocations and
// belongs to one goroutine.
type reader struct {
	catalog *Catalog
	lot     *lotHabits
	list    *compiled
	words   *lexicon[meaning]
	f       folded
	key     folded // of a key that is compared
	roles   []role
	whats   []string
	saids   []string // of atoms that are an option: which, where spans are asked for
	regions []int16  // of atoms: camera counter, date, pixel size or hash they belong to; 0 for none
	base    int      // first atom of the base name
	end     int      // after the last atom of the base name, extension left out
	region  int16

	kept        []match
	baseMatches []match
	baseFound   []match // with those that better ones explain
	matched     bool
	known       *baseKeys // of the path that is read, where they are kept
	found       []match
	asked       []question
	claims      []claim
	byFolder    []claim
	spans       bool

	nameBreaks, keyBreaks []int32

	values    [valueKinds]map[string][]valueForm // the forms of values that were asked for
	value     folded
	optionsAt []optionRange
	gathered  []gathered
	sets      map[string]*options // by the values of a product's items
	setKey    []byte
	places    []int32 // 0, 1, 2 …
	formRoom  []optionForm
	itemRoom  []int32

	inner       *reader            // looks single texts up
	together    map[string][]int32 // products by the words that they hold together
	patterned   details            // what a pattern said beside the key
	patternedAt []cutRole
}

func newReader(c *Catalog, lot *lotHabits, list *compiled, words *lexicon[meaning], spans bool) *reader {
	return &reader{catalog: c, lot: lot, list: list, words: words, spans: spans}
}

// open folds a path and finds its base name.
func (r *reader) open(path string) {
	r.f.fold(path)
	n := len(r.f.atoms)
	r.roles = resize(r.roles, n)
	r.whats = resize(r.whats, n)
	r.regions = resize(r.regions, n)
	r.saids = resize(r.saids, n)
	r.optionsAt = r.optionsAt[:0]
	r.region, r.matched = 0, false
	r.baseMatches, r.baseFound = r.baseMatches[:0], r.baseFound[:0]
	r.patternedAt = r.patternedAt[:0]
	r.base = n
	last := int16(0)
	for _, b := range r.f.text {
		if b == '/' {
			last++
		}
	}
	for r.base > 0 && r.f.atoms[r.base-1].segment == last {
		r.base--
	}
	r.end = r.cutParameters(n)
	for r.end > r.base && r.isExtension(r.end) {
		r.end--
		for r.end > r.base && r.f.atoms[r.end].glued {
			r.end--
		}
		for i := r.end; i < n; i++ {
			r.roles[i], r.whats[i] = asNoise, "extension"
		}
	}
	r.findNoise(r.base, r.end)
}

// cutParameters makes noise of what an address has behind a file's name:
// "HB-10.jpg?width=800", with another separator too where a program made the name
// fit for a file. It returns where the name ends.
func (r *reader) cutParameters(n int) int {
	for i := r.base + 1; i < n; i++ {
		between := r.between(i)
		if len(between) != 1 || between[0] == '.' || !r.isExtension(i) {
			continue
		}
		if between[0] != '?' && bytes.IndexByte(r.f.text[r.f.atoms[i].start:], '=') < 0 {
			continue
		}
		for at := i; at < n; at++ {
			r.roles[at], r.whats[at] = asNoise, "parameter"
		}
		return i
	}
	return n
}

func resize[T any](s []T, n int) []T {
	s = slices.Grow(s[:0], n)[:n]
	clear(s)
	return s
}

// isExtension tells whether the atoms before end are a dot and a known
// extension.
func (r *reader) isExtension(end int) bool {
	from := end - 1
	for from > r.base && r.f.atoms[from].glued {
		from--
	}
	start := r.f.atoms[from].start
	if start == 0 || r.f.text[start-1] != '.' || (from == r.base && end != from+1) {
		return false
	}
	if from == r.base && (start < 2 || r.f.text[start-2] == '/') {
		return false // a name that is nothing but ".jpg"
	}
	return extensions.of(r.f.text[start:r.f.atoms[end-1].end])
}

// token returns the atoms around i between separators, within [lo, hi).
func (r *reader) token(i, lo, hi int) (from, to int) {
	from, to = i, i+1
	for from > lo && r.f.atoms[from].glued {
		from--
	}
	for to < hi && r.f.atoms[to].glued {
		to++
	}
	return from, to
}

func (r *reader) text(i int) []byte { return r.f.bytes(r.f.atoms[i]) }

func (r *reader) isDigit(i int) bool { return r.f.atoms[i].class == digit }

// number returns the value of a digit atom of up to nine figures, else -1.
func (r *reader) number(i int) int {
	if !r.isDigit(i) || r.f.atoms[i].len() > 9 {
		return -1
	}
	n := 0
	for _, b := range r.text(i) {
		n = 10*n + int(b-'0')
	}
	return n
}

// between returns the separators before atom i, of the folded text.
func (r *reader) between(i int) []byte {
	start := int32(0)
	if i > 0 {
		start = r.f.atoms[i-1].end
	}
	return r.f.text[start:r.f.atoms[i].start]
}
