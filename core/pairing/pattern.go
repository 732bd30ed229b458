package pairing

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// pattern is a person's own way of reading names.
type pattern struct {
	expression       *regexp.Regexp
	key, place, view int // groups; -1 where there is none
	path             bool
}

// compilePattern checks a pattern (RE2's syntax): it needs a group "key", and
// may have the groups "place" and "view".
func compilePattern(text string, path bool) (pattern, error) {
	expression, err := regexp.Compile(text)
	if err != nil {
		return pattern{}, fmt.Errorf("the pattern %q cannot be used: %s", text, strings.TrimPrefix(err.Error(), "error parsing regexp: "))
	}
	p := pattern{expression, expression.SubexpIndex("key"), expression.SubexpIndex("place"), expression.SubexpIndex("view"), path}
	if p.key < 0 {
		return p, fmt.Errorf("the pattern %q has no group named key: write (?P<key>…) around what is the key", text)
	}
	return p, nil
}

// byPattern claims a file whose name a pattern reads a key from, whole as it
// stands in the group. The atoms are cut where the groups begin and end.
func (r *reader) byPattern(claims []claim) []claim {
	for _, p := range r.list.patterns {
		subject, at := r.f.source, 0
		if !p.path {
			at = strings.LastIndexByte(subject, '/') + 1
			subject = subject[at:]
			if r.end < len(r.f.atoms) && r.end > r.base {
				subject = r.f.source[at:r.f.origin(r.f.atoms[r.end-1].end)]
			}
		}
		groups := p.expression.FindStringSubmatchIndex(subject)
		if groups == nil || groups[2*p.key] < 0 {
			continue
		}
		group := func(n int) (from, to int) {
			if n < 0 || groups[2*n] < 0 {
				return 0, 0
			}
			return at + groups[2*n], at + groups[2*n+1]
		}
		from, to := group(p.key)
		found := r.lookUp(r.f.source[from:to])
		if len(found) == 0 {
			continue
		}
		i, j := r.cut(from, to)
		if i > j {
			continue
		}
		for _, m := range found {
			m.from, m.to = int32(i), int32(j)
			claims = append(claims, claim{match: m, clue: Pattern})
		}
		r.patterned = details{number: -1}
		if from, to := group(p.place); to > from {
			if i, j := r.cut(from, to); i == j && r.number(i) >= 0 {
				r.patterned.number = r.number(i)
				r.patterned.place = max(1, r.patterned.number)
				r.patternedAt = append(r.patternedAt, cutRole{i, asPlace, ""})
			}
		}
		if from, to := group(p.view); to > from {
			if i, j := r.cut(from, to); i <= j {
				r.patterned.view = r.viewNamed(strings.ToLower(r.f.source[from:to]))
				for ; i <= j; i++ {
					r.patternedAt = append(r.patternedAt, cutRole{i, asView, r.patterned.view})
				}
			}
		}
		if i, j := r.cut(from, to); i <= j { // later cuts may have moved the key's atoms
			for n := range claims {
				claims[n].from, claims[n].to = int32(i), int32(j)
			}
		}
		return claims
	}
	return claims
}

type cutRole struct {
	atom int
	role role
	what string
}

// ViewOf returns the view that a word of any language means, or the word itself in lower
// case.
func ViewOf(word string) string {
	return (&reader{words: everyTongue()}).viewNamed(strings.ToLower(strings.TrimSpace(word)))
}

// everyTongue is the vocabulary of all languages.
var everyTongue = sync.OnceValue(func() *lexicon[meaning] { return vocabulary(slices.Sorted(maps.Keys(tongues))) })

// viewNamed returns the view that a word means, or the word itself.
func (r *reader) viewNamed(word string) string {
	if m := r.words.of([]byte(strings.NewReplacer("-", "", "_", "", " ", "").Replace(word))); m.role == asView {
		return m.what
	}
	return word
}

// cut makes the bytes [from, to) of the source whole atoms, and returns the
// first and the last of them; first is after last when there are none.
func (r *reader) cut(from, to int) (first, last int) {
	r.cutAt(from)
	r.cutAt(to)
	first, last = len(r.f.atoms), -1
	for i, a := range r.f.atoms {
		if r.f.origin(a.start) >= from && r.f.origin(a.end) <= to {
			first, last = min(first, i), i
		}
	}
	return first, last
}

// cutAt cuts the atom that goes on over an offset of the source in two.
func (r *reader) cutAt(at int) {
	for i, a := range r.f.atoms {
		if r.f.origin(a.start) >= at || r.f.origin(a.end) <= at {
			continue
		}
		middle := a.start
		for middle < a.end && r.f.origin(middle) < at {
			middle++
		}
		if middle == a.end || r.f.origin(middle) != at {
			return // within one character
		}
		second := a
		second.start, second.glued = middle, true
		r.f.atoms[i].end = middle
		r.f.atoms = slices.Insert(r.f.atoms, i+1, second)
		r.roles = slices.Insert(r.roles, i+1, r.roles[i])
		r.whats = slices.Insert(r.whats, i+1, r.whats[i])
		r.saids = slices.Insert(r.saids, i+1, r.saids[i])
		r.regions = slices.Insert(r.regions, i+1, r.regions[i])
		if i < r.base {
			r.base++
		}
		if i < r.end {
			r.end++
		}
		for n := range r.patternedAt {
			if r.patternedAt[n].atom > i {
				r.patternedAt[n].atom++
			}
		}
		return
	}
}

// lookUp returns the keys and barcodes that a text is as a whole.
func (r *reader) lookUp(text string) []match {
	if r.inner == nil {
		r.inner = newReader(r.catalog, nil, &compiled{}, r.words, false)
	}
	in := r.inner
	in.f.fold(text)
	n := len(in.f.atoms)
	if n == 0 || n > 64 {
		return nil
	}
	in.roles, in.whats, in.regions = resize(in.roles, n), resize(in.whats, n), resize(in.regions, n)
	in.base, in.end = 0, n
	var whole []match
	for _, m := range in.match(0, n) {
		if m.from == 0 && int(m.to) == n-1 {
			whole = append(whole, m)
		}
	}
	return whole
}
