package pairing

import (
	"slices"
	"strings"
)

// toldOtherwise returns the claim of the product's key within a variant's, when the
// last group of that may be a place as well and an option elsewhere in the name is
// another variant's: "0.5 m K-7004 - 1" is the first of K-7004/0.5, not of K-7004/1.
func (r *reader) toldOtherwise(c *claim) (*claim, bool) {
	last := int(c.to)
	if last < r.base || !r.isDigit(last) || r.f.atoms[last].len() > 3 {
		return nil, false
	}
	at := slices.IndexFunc(r.baseFound, func(m match) bool {
		return m.product && m.target.Product == c.target.Product && m.from == c.from && m.to < c.to
	})
	if at < 0 {
		return nil, false
	}
	r.markKey(c)
	items := r.catalog.products[c.target.Product].items
	left := r.narrow(r.optionsOf(c.target.Product), r.everyOf(items), r.base, r.end, 1, false)
	word := false // a number alone may be a place or a copy's
	for i := r.base; i < r.end; i++ {
		word = word || r.roles[i] == asOption && !r.isDigit(i)
	}
	r.unmark()
	if !word || len(left) == len(items) || slices.Contains(left, int32(slices.Index(items, int32(c.target.Item)))) {
		return nil, false
	}
	return &claim{match: r.baseFound[at], clue: c.clue, segment: c.segment}, true
}

// optionsGoOn tells whether a number that nothing explains follows the last of the
// options as a key goes on: "2022-0757" is not 2022 of a vintage.
func (r *reader) optionsGoOn() bool {
	last := -1
	for i := r.base; i < r.end; i++ {
		if r.roles[i] == asOption {
			last = i
		}
	}
	next := last + 1
	return last >= 0 && next < r.end && r.roles[next] == unread && r.isDigit(next) && len(r.between(next)) == 1 && r.between(next)[0] != ' '
}

// unknownVariant returns what stands behind a product's key as the rest of its
// variants' keys does, group for group, and is none of them; "" when nothing does.
// It is never paired with a sibling, nor read as a place.
func (r *reader) unknownVariant(c *claim, t Target) string {
	if !c.product || int(c.to) < r.base || c.rung.loose() {
		return ""
	}
	code := r.catalog.ProductCode(t.Product)
	for _, item := range r.catalog.products[t.Product].items {
		rest, ok := strings.CutPrefix(r.catalog.items[item].SKU, code)
		if !ok {
			continue
		}
		if to, shaped := r.shapedAs(rest, int(c.to)+1); shaped {
			if !r.hasVariant(t.Product, code, int(c.to)+1, to) {
				return r.written(int(c.from), to)
			}
		}
	}
	return ""
}

// shapedAs tells whether the atoms from i on are shaped as the rest of a key: the
// same kinds of groups, numbers of the same length, behind the same separators; a
// slash stands for any. A rest without a number has no shape.
func (r *reader) shapedAs(rest string, i int) (to int, shaped bool) {
	r.key.fold(rest)
	numbers := false
	for k, a := range r.key.atoms {
		n := i + k
		if n >= r.end || r.f.atoms[n].class != a.class || a.class == digit && r.f.atoms[n].len() != a.len() {
			return 0, false
		}
		start := int32(0)
		if k > 0 {
			start = r.key.atoms[k-1].end
		}
		own := string(r.key.text[start:a.start])
		if between := string(r.between(n)); between != own && (own != "/" || len(between) != 1) {
			return 0, false
		}
		numbers = numbers || a.class == digit
	}
	to = i + len(r.key.atoms)
	return to, numbers && (to >= r.end || !r.f.atoms[to].glued)
}

// hasVariant tells whether the atoms [i, to) are the rest of one of a product's
// keys.
func (r *reader) hasVariant(p int, code string, i, to int) bool {
	for _, item := range r.catalog.products[p].items {
		rest, ok := strings.CutPrefix(r.catalog.items[item].SKU, code)
		if !ok {
			continue
		}
		r.key.fold(rest)
		same := len(r.key.atoms) == to-i
		for k := 0; same && k < len(r.key.atoms); k++ {
			same = string(r.key.bytes(r.key.atoms[k])) == string(r.text(i+k))
		}
		if same {
			return true
		}
	}
	return false
}
