package pairing

import "slices"

// baseKeys returns the keys in the base name.
func (r *reader) baseKeys() []match {
	if r.matched {
		return r.baseMatches
	}
	r.matched = true
	if r.known != nil && r.known.done {
		r.baseMatches = append(r.baseMatches[:0], r.known.matches...)
		r.baseFound = append(r.baseFound[:0], r.known.found...)
		return r.baseMatches
	}
	r.baseMatches = append(r.baseMatches[:0], r.match(r.base, r.end)...)
	r.baseFound = append(r.baseFound[:0], r.found...)
	if len(r.baseMatches) == 0 && r.catalog.slashes {
		r.baseMatches = append(r.baseMatches, r.acrossFolders()...)
	}
	if r.known != nil {
		*r.known = baseKeys{true, slices.Clone(r.baseMatches), slices.Clone(r.baseFound)}
	}
	return r.baseMatches
}

// acrossFolders finds keys with a slash that an archive turned into a folder.
func (r *reader) acrossFolders() (across []match) {
	if r.base == 0 || r.base == len(r.f.atoms) {
		return nil
	}
	lo := r.base - 1
	for lo > 0 && r.f.atoms[lo-1].segment == r.f.atoms[r.base-1].segment {
		lo--
	}
	r.found = r.found[:0]
	r.ask(&r.catalog.keyIndex, window{lo: lo, hi: r.end, before: r.base, behind: r.base})
	if len(r.found) == 0 {
		return nil
	}
	r.found = append(r.found, r.baseFound...)
	for _, m := range r.dominant(r.found) {
		if int(m.from) < r.base && int(m.to) >= r.base && m.rung <= Separators && !m.digits {
			across = append(across, m)
		}
	}
	return across
}

// sameName claims a file whose whole base name is a key.
func (r *reader) sameName(claims []claim) []claim {
	for _, m := range r.baseKeys() {
		if !m.barcode && int(m.from) <= r.base && int(m.to) == r.end-1 {
			claims = append(claims, claim{match: m, clue: SameName})
		}
	}
	return claims
}

// keyInName claims a file in whose base name a key stands at boundaries.
func (r *reader) keyInName(claims []claim) []claim {
	before := len(claims)
	for _, m := range r.baseKeys() {
		if !m.barcode && !slices.ContainsFunc(claims[:before], func(c claim) bool { return c.match == m }) {
			claims = append(claims, claim{match: m, clue: KeyInName})
		}
	}
	return claims
}

// barcodeInName claims a file whose base name holds a GTIN with a right check
// digit.
func (r *reader) barcodeInName(claims []claim) []claim {
	for _, m := range r.baseKeys() {
		if m.barcode {
			claims = append(claims, claim{match: m, clue: BarcodeInName})
		}
	}
	return claims
}

// folder claims a file by the nearest folder that holds a key.
func (r *reader) folder(claims []claim) []claim {
	for hi := r.base; hi > 0; {
		lo, segment := hi-1, r.f.atoms[hi-1].segment
		for lo > 0 && r.f.atoms[lo-1].segment == segment {
			lo--
		}
		r.findNoise(lo, hi)
		for _, m := range r.match(lo, hi) {
			whole := int(m.from) == lo && int(m.to) == hi-1
			if m.digits && !m.barcode && !whole && m.alnum < 5 {
				continue // a short number beside words is a year or a count
			}
			claims = append(claims, claim{match: m, clue: Folder, segment: segment + 1})
		}
		if len(claims) > 0 {
			return claims
		}
		hi = lo
	}
	return claims
}
