package pairing

import (
	"slices"

	"ambrosa/core/gtin"
)

// match is a key found in a name: atoms from to to, both included.
type match struct {
	from, to int32
	target   Target
	key      string
	rung     Rung
	alnum    int32
	digits   bool // a key of digits only
	barcode  bool
	product  bool
}

func (m match) contains(o match) bool { return m.from <= o.from && o.to <= m.to }

func (m match) size(r *reader) int32 { return r.f.atoms[m.to].end - r.f.atoms[m.from].start }

// collect adds a key and those of the same hash, as far as they stand at the atoms i
// to j.
func (r *reader) collect(x *keyIndex, k int32, i, j, lo, hi int) {
	for ; k >= 0; k = x.keys[k].next {
		entry := &x.keys[k]
		if entry.product == noProduct {
			continue
		}
		if rung := r.rung(entry, i, j, lo, hi); rung != NoRung {
			m := match{from: int32(i), to: int32(j), target: entry.target(), key: entry.text, rung: rung,
				alnum: entry.alnum, digits: entry.digitsOnly, product: entry.kind == productKey}
			if !slices.Contains(r.found, m) {
				r.found = append(r.found, m)
			}
		}
	}
}

// rung tells on which rung a key stands at the atoms i to j, or NoRung when
// the rules of boundaries do not let it count there.
func (r *reader) rung(k *key, i, j, lo, hi int) Rung {
	first, last := r.f.atoms[i], r.f.atoms[j]
	name := r.f.source[r.f.origin(first.start):r.f.origin(last.end)]
	whole := (i == lo || !first.glued) && (j+1 == hi || !r.f.atoms[j+1].glued)
	if k.alnum < 4 && !whole {
		return NoRung
	}
	rung := SameCharacters
	if !k.plain || name != k.text {
		r.key.fold(k.text)
		r.key.trim()
		written := k.text
		if len(r.key.atoms) > 0 && len(r.key.offsets) == 0 {
			written = k.text[r.key.atoms[0].start:r.key.atoms[len(r.key.atoms)-1].end]
		}
		rung = compare(name, written, r.f.text[first.start:last.end], r.key.text)
	}
	grouped := false
	if rung == LeadingZeros {
		equal, byGroups := r.equalWithoutZeros(i, j)
		if !equal || (k.digitsOnly && last.end-first.start < 4) {
			return NoRung // a number of one to three digits is a place, not a key that lost its zeros
		}
		grouped = byGroups
	}
	if rung.loose() && !grouped && r.movesSeparators(i, j) {
		return NoRung
	}
	if region := r.regions[i]; region != 0 && region == r.regions[j] {
		part := (i > lo && r.regions[i-1] == region) || (j+1 < hi && r.regions[j+1] == region)
		if part || k.digitsOnly {
			return NoRung
		}
	}
	return rung
}

// trim leaves out the separators around the folded text.
func (f *folded) trim() {
	if len(f.atoms) == 0 {
		return
	}
	from, to := f.atoms[0].start, f.atoms[len(f.atoms)-1].end
	f.text = f.text[from:to]
	for i := range f.atoms {
		f.atoms[i].start -= from
		f.atoms[i].end -= from
	}
}

// equalWithoutZeros compares the atoms i to j with the key on the last rung:
// leading zeros left out of each digit group.
func (r *reader) equalWithoutZeros(i, j int) (equal, byGroups bool) {
	sum := func(f *folded, from, to int, grouped bool) uint64 {
		run, h, previous := newJoined(), seed, separator
		for n := from; n <= to; n++ {
			a := f.atoms[n]
			if grouped {
				h = extendGroup(h, f.bytes(a), a.class, previous)
			} else {
				h, _ = run.add(f.bytes(a), a.class)
			}
			previous = a.class
		}
		return h
	}
	last := len(r.key.atoms) - 1
	byGroups = sum(&r.f, i, j, true) == sum(&r.key, 0, last, true)
	return byGroups || sum(&r.f, i, j, false) == sum(&r.key, 0, last, false), byGroups
}

// breaks returns the offsets, in the letters and digits of the atoms from to
// to with leading zeros left out, at which separators stand; numbers are those
// of them that stand between two digit groups.
func (f *folded) breaks(from, to int, into []int32) []int32 {
	into = into[:0]
	run := newJoined()
	for n := from; n <= to; n++ {
		a := f.atoms[n]
		if n > from && !a.glued {
			into = append(into, int32(run.length))
		}
		run.add(f.bytes(a), a.class)
	}
	return into
}

// movesSeparators tells whether name and key keep different things apart: a
// separator may be left out, but "HBX-L" is not HB-XL, and "HB-10_1" is not
// HB-101, since numbers that the name keeps apart are not read as one when one
// of them is short enough to be a place.
func (r *reader) movesSeparators(i, j int) bool {
	r.nameBreaks = r.f.breaks(i, j, r.nameBreaks)
	r.keyBreaks = r.key.breaks(0, len(r.key.atoms)-1, r.keyBreaks)
	added, dropped := false, false
	for _, at := range r.nameBreaks {
		added = added || !slices.Contains(r.keyBreaks, at)
	}
	for _, at := range r.keyBreaks {
		dropped = dropped || !slices.Contains(r.nameBreaks, at)
	}
	if added && dropped {
		return true
	}
	if !added {
		return false
	}
	for n := i + 1; n <= j; n++ {
		if r.isDigit(n) && r.isDigit(n-1) && (r.f.atoms[n].len() <= 3 || r.f.atoms[n-1].len() <= 3) {
			at := r.f.breaks(i, n, nil)
			if !slices.Contains(r.keyBreaks, at[len(at)-1]) {
				return true
			}
		}
	}
	return false
}

func (r *reader) collectBarcode(i, j int) {
	if r.regions[i] != 0 && r.regions[i] == r.regions[j] && r.whats[i] != "hash" {
		return
	}
	if i < j && r.endsInPlace(i, j) {
		return
	}
	var digits [14]byte
	n := 0
	for k := i; k <= j; k++ {
		n += copy(digits[n:], r.text(k))
	}
	number, ok := gtin.Number(string(digits[:n]))
	if !ok {
		return
	}
	rung := SameCharacters
	switch {
	case n != 8 && n < 12:
		rung = LeadingZeros
	case i != j:
		rung = NoSeparators
	}
	for _, item := range r.catalog.gtins[number] {
		key := r.catalog.items[item].GTIN
		for len(key) > n && key[0] == '0' {
			key = key[1:] // as many digits as the name gives of it: both are the same GTIN
		}
		r.found = append(r.found, match{from: int32(i), to: int32(j), target: r.catalog.TargetOf(int(item)),
			key: key, rung: rung, alnum: int32(n), barcode: true})
	}
}

// endsInPlace tells whether the last of the numbers i to j, which together have as
// many figures as a barcode, is a place rather than a group of it: it is short, and
// stands behind another separator or a single number.
func (r *reader) endsInPlace(i, j int) bool {
	if r.f.atoms[j].len() > 3 {
		return false
	}
	if j == i+1 {
		return true
	}
	for k := i + 2; k <= j; k++ {
		if string(r.between(k)) != string(r.between(i+1)) {
			return true
		}
	}
	return false
}

// isbnFigures is how many figures an ISBN had until 2007; the last may be an X.
const isbnFigures = 10

// endsISBN tells whether an ISBN of ten figures may end with atom j.
func (r *reader) endsISBN(j int, digitsOnly bool) bool {
	return digitsOnly || r.f.atoms[j].len() == 1 && r.text(j)[0] == 'x' && j > 0 && r.isDigit(j-1)
}

// collectISBN finds the ISBN of 13 figures that one of ten is today: 978 before it,
// and another check digit (ISO 2108:2017).
func (r *reader) collectISBN(i, j int) {
	var figures [isbnFigures]byte
	n := 0
	for k := i; k <= j; k++ {
		n += copy(figures[n:], r.text(k))
	}
	sum := 0
	for at, c := range figures {
		value := int(c - '0')
		switch {
		case c == 'x' && at == isbnFigures-1:
			value = 10
		case c < '0' || c > '9':
			return
		}
		sum += (isbnFigures - at) * value
	}
	if sum%11 != 0 {
		return
	}
	digits := "978" + string(figures[:isbnFigures-1])
	number, ok := gtin.Number(digits + string(gtin.CheckDigit(digits)))
	if !ok {
		return
	}
	rung := SameCharacters
	if i != j {
		rung = NoSeparators
	}
	for _, item := range r.catalog.gtins[number] {
		r.found = append(r.found, match{from: int32(i), to: int32(j), target: r.catalog.TargetOf(int(item)),
			key: r.catalog.items[item].GTIN, rung: rung, alnum: isbnFigures, barcode: true})
	}
}

// dominant leaves out what a better match explains: a key within a longer one,
// the same span on a looser rung, a product's key beside its variant's, and a
// short number or word beside a key that explains it.
func (r *reader) dominant(found []match) []match {
	if len(found) < 2 {
		return found
	}
	beaten := func(m match) bool {
		for _, o := range found {
			switch {
			case o == m:
			case o.contains(m) && !m.contains(o):
				if o.rung == LeadingZeros && !m.rung.loose() && o.target.Product == m.target.Product {
					continue // "VL258 - 3" is the third of VL258 rather than VL258-03
				}
				return true
			case o.contains(m) && o.rung < m.rung:
				return true
			case o.contains(m) && o.rung == m.rung && m.product && !o.product && o.target.Product == m.target.Product:
				return true
			case m.contains(o) && o.product && m.rung == NoSeparators && o.target.Product == m.target.Product:
				// a variant's joined key beats its product's exact one
			case o.from <= m.to && m.from <= o.to && !o.contains(m) && o.rung <= m.rung &&
				(o.size(r) > m.size(r) || m.rung.loose() && !o.rung.loose()):
				return true
			case o.to < m.from || m.to < o.from:
				if r.beside(m, o) {
					return true
				}
			}
		}
		return false
	}
	kept := r.kept[:0]
	for _, m := range found {
		if !beaten(m) {
			kept = append(kept, m)
		}
	}
	r.kept = kept
	return kept
}

// beside tells whether m, apart from o in the same name, is explained by o.
func (r *reader) beside(m, o match) bool {
	if m.target.Product == o.target.Product {
		return m.target.Item < 0 && o.target.Item >= 0 || m.target == o.target && (m.rung > o.rung || m.rung == o.rung && m.from > o.from)
	}
	if o.alnum < 4 || (o.digits && o.alnum < 5) {
		return false
	}
	if m.digits && !m.barcode && m.alnum <= 3 {
		return true // a number of one to three digits beside a key is a place
	}
	if m.from != m.to || r.isDigit(int(m.from)) {
		return false
	}
	word := r.text(int(m.from))
	if role := r.words.of(word).role; role != unread && m.alnum < 8 {
		return true
	}
	return r.catalog.knowsWord(o.target, word)
}

// match finds the catalog's keys and barcodes in the atoms [lo, hi), shorter
// ones within longer ones left out. The result is valid until the next call.
func (r *reader) match(lo, hi int) []match {
	return r.matchIn(&r.catalog.keyIndex, lo, hi, len(r.catalog.gtins) > 0)
}

// barcodeGroups is in how many groups a barcode's figures may stand: an ISBN of 13
// figures has five.
const barcodeGroups = 6

// matchIn is match with the keys of an index.
func (r *reader) matchIn(x *keyIndex, lo, hi int, barcodes bool) []match {
	r.found = r.found[:0]
	r.ask(x, window{lo: lo, hi: hi, before: hi, behind: lo, barcodes: barcodes})
	return r.dominant(r.found)
}

// window is where keys are looked for: from an atom in [lo, before) to one in
// [behind, hi).
type window struct {
	lo, hi, before, behind int
	barcodes               bool
}

// ask adds the keys and barcodes in a window to those found.
func (r *reader) ask(x *keyIndex, w window) {
	asked := r.asked[:0]
	for i := w.lo; i < w.before; i++ {
		run, g := newJoined(), seed
		previous, neighbours, digitsOnly, length := separator, false, true, 0
		for j := i; j < w.hi && (j-i < x.maxAtoms || w.barcodes && digitsOnly && j-i < barcodeGroups); j++ {
			a := r.f.atoms[j]
			length += a.len()
			if length > maxKey {
				break
			}
			text := r.f.bytes(a)
			if x.grouped {
				g = extendGroup(g, text, a.class, previous)
			}
			h, shape := run.add(text, a.class)
			neighbours = neighbours || (a.class == digit && previous == digit)
			digitsOnly = digitsOnly && a.class == digit
			previous = a.class
			if j < w.behind {
				continue
			}
			if x.shapes.has(shape) {
				if hash := finish(h); x.heads.may(hash) {
					asked = append(asked, question{hash, int32(i), int32(j), x.heads})
				}
			}
			if neighbours && x.grouped {
				if hash := finish(g); x.groups.may(hash) {
					asked = append(asked, question{hash, int32(i), int32(j), x.groups})
				}
			}
			if w.barcodes && length == isbnFigures && r.endsISBN(j, digitsOnly) {
				r.collectISBN(i, j)
			}
			if digitsOnly && length >= 8 && length <= 14 && w.barcodes && (i == j || length >= 12) {
				r.collectBarcode(i, j)
			}
		}
	}
	// What is far away in memory is asked for all at once.
	for n := range asked {
		asked[n].hash = uint64(asked[n].in.get(asked[n].hash))
	}
	for _, q := range asked {
		r.collect(x, int32(q.hash), int(q.from), int(q.to), w.lo, w.hi)
	}
	r.asked = asked
}

// question is a hash to be looked up in a table, of the atoms from to to; then, in
// its place, the key that was found.
type question struct {
	hash     uint64
	from, to int32
	in       *table
}
