package pairing

import (
	"cmp"
	"slices"
)

// details is what a name says beside its key.
type details struct {
	place, number int
	view          string
	letter        byte
	gluedLetter   bool
	roman         int // what the letters behind the key are as a roman numeral, 0 for none
	rest          rest
}

// rest is what stayed unexplained.
type rest struct {
	keyLike string // letters and digits that look like a key
	counted bool   // which are a word with a short number behind it
	words   int    // how many atoms
	beside  string // letters or digits glued to the key
}

// readDetails reads place, view and noise around the key, whose atoms are
// marked already. from and to are the key's atoms when it stands in the base
// name, else from is -1; target is what the key tells.
func (r *reader) readDetails(target Target, from, to int, barcode bool) details {
	d := details{number: -1}
	if from < 0 {
		to = r.base - 1
	}
	if barcode && from >= 0 {
		r.readGS1Code(to, &d)
	}
	r.readRegions()
	r.readOwnWords(target)
	r.readTimes()
	r.readWidths(to)
	r.readWords(r.base, r.end, &d)
	main := 0 // "main catalogue HB-10 9": a number behind the key says more than a word before it
	if d.place > 0 && d.number < 0 && from > r.base && !slices.Contains(r.roles[to+1:r.end], asPlace) {
		main, d.place = d.place, 0
	}
	if d.place == 0 {
		r.readNumber(from, to, &d)
	}
	d.place = cmp.Or(d.place, main)
	if d.place == 0 {
		r.readRoman(to, &d)
		r.readLetter(to, &d)
	}
	if d.view == "" {
		r.readFolderView(&d)
	}
	d.rest = r.unexplained(from, to)
	return d
}

// readGS1Code reads the four characters after a GTIN.
func (r *reader) readGS1Code(to int, d *details) {
	if to+1 >= r.end || r.f.atoms[to+1].glued {
		return
	}
	_, end := r.token(to+1, r.base, r.end)
	if view, ok := gs1View(r.f.text[r.f.atoms[to+1].start:r.f.atoms[end-1].end]); ok {
		d.view = view
		for i := to + 1; i < end; i++ {
			r.roles[i], r.whats[i] = asView, "GS1 code"
		}
		r.readGS1Sequence(end, d)
	}
}

// readGS1Sequence reads the number of a picture among those of one code, such
// as "s02".
func (r *reader) readGS1Sequence(i int, d *details) {
	if i+1 < r.end && string(r.text(i)) == "s" && r.f.atoms[i+1].glued && r.f.atoms[i+1].len() <= 3 && r.number(i+1) > 0 {
		d.number = r.number(i + 1)
		d.place = d.number
		r.roles[i], r.roles[i+1] = asPlace, asPlace
	}
}

// readRegions makes camera counters, dates, sizes and hashes noise unless the
// key or an option holds a part of them.
func (r *reader) readRegions() {
	for i := 0; i < r.end; i++ {
		region := r.regions[i]
		if region == 0 || r.roles[i] != unread {
			continue
		}
		free := true
		for j := max(0, i-8); j < min(r.end, i+8); j++ {
			free = free && (r.regions[j] != region || r.roles[j] == unread || r.roles[j] == asNoise)
		}
		if free {
			r.roles[i] = asNoise
		}
	}
}

func (r *reader) readWords(lo, hi int, d *details) {
	for i := lo; i < hi; i++ {
		if r.roles[i] != unread {
			continue
		}
		if r.isDigit(i) {
			r.readMeasure(i, hi)
			continue
		}
		if i+1 < hi && r.roles[i+1] == unread && !r.isDigit(i+1) && r.readPair(i, d) {
			i++
			continue
		}
		m := r.words.of(r.text(i))
		number := -1
		if i+1 < hi && r.roles[i+1] == unread && r.f.atoms[i+1].len() <= 3 {
			number = r.number(i + 1)
		}
		switch m.role {
		case asView:
			if r.opensCode(i, hi) {
				continue
			}
			r.roles[i], r.whats[i] = asView, m.what
			if d.view == "" {
				d.view = m.what
			}
		case asPlace:
			r.roles[i] = asPlace
			d.place = m.place
		case asExtra:
			r.roles[i], r.whats[i] = asNoise, "additional"
			if number >= 0 {
				r.roles[i], r.roles[i+1] = asPlace, asPlace
				d.place = number + 1
			}
		case asVersion:
			if number >= 0 {
				r.roles[i], r.whats[i] = asNoise, m.what
				r.roles[i+1], r.whats[i+1] = asNoise, m.what
			}
		case asPicture:
			if r.f.atoms[i].len() == 1 && (number < 0 || !r.f.atoms[i+1].glued) {
				continue // "p 6" is no sixth picture, "p6" is
			}
			r.roles[i], r.whats[i] = asNoise, "working name"
			if number >= 0 {
				r.roles[i], r.roles[i+1] = asPlace, asPlace
				d.number = number
				d.place = max(number, 1)
			}
		case asMonth:
			r.readMonth(i, hi)
		case asLayer, asCrop:
			r.readExport(i, lo, hi, m)
		case asCamera, asNoise:
			if string(r.text(i)) == "of" {
				r.readOf(i, hi, d)
			} else if r.text(i)[0] != 'x' {
				r.roles[i], r.whats[i] = asNoise, m.what
			}
		default:
			if r.lot != nil && r.lot.prefix[string(r.text(i))] {
				r.roles[i], r.whats[i] = asNoise, "supplier prefix"
			}
		}
	}
}

// readMonth makes a date of a month and the year behind it: "March 2026", "Mar26".
func (r *reader) readMonth(i, hi int) {
	if i+1 >= hi || r.roles[i+1] != unread || !r.isDigit(i+1) {
		return
	}
	if isYear(r.number(i+1)) || r.f.atoms[i+1].len() == 2 && r.f.atoms[i+1].glued {
		r.roles[i], r.whats[i] = asNoise, "date"
		r.roles[i+1], r.whats[i+1] = asNoise, "date"
	}
}

// opensCode tells whether a short form of a view stands where a code begins: "FR"
// in "FR-11O-MD" is no front.
func (r *reader) opensCode(i, hi int) bool {
	return i == r.base && r.f.atoms[i].len() <= 2 && i+1 < hi && r.isDigit(i+1) && r.roles[i+1] == unread &&
		r.f.atoms[i+1].len() >= 2 && len(r.between(i+1)) <= 1
}

// readPair reads views of two words, such as "in use" and "close up".
func (r *reader) readPair(i int, d *details) bool {
	var buffer [32]byte
	if r.f.atoms[i].len()+r.f.atoms[i+1].len() > len(buffer) {
		return false
	}
	both := append(append(buffer[:0], r.text(i)...), r.text(i+1)...)
	m := r.words.of(both)
	if m.role != asView {
		return false
	}
	r.roles[i], r.whats[i] = asView, m.what
	r.roles[i+1], r.whats[i+1] = asView, m.what
	if d.view == "" {
		d.view = m.what
	}
	return true
}

// readOf reads "2of5": the number before is the place.
func (r *reader) readOf(i, hi int, d *details) {
	if i == 0 || i+1 >= hi || r.number(i-1) < 0 || r.number(i+1) < 0 || r.roles[i-1] != unread || r.f.atoms[i-1].len() > 3 {
		return
	}
	r.roles[i-1] = asPlace
	r.roles[i], r.whats[i] = asNoise, "count"
	r.roles[i+1], r.whats[i+1] = asNoise, "count"
	d.number = r.number(i - 1)
	d.place = max(d.number, 1)
}

// readMeasure makes "250ml" and "@2x" noise.
func (r *reader) readMeasure(i, hi int) {
	if i+1 >= hi || r.isDigit(i+1) || r.roles[i+1] != unread {
		return
	}
	word := r.text(i + 1)
	glued := r.f.atoms[i+1].glued
	density := string(word) == "x" && glued && len(r.between(i)) > 0 && r.between(i)[len(r.between(i))-1] == '@'
	if density || (units.of(word) && (glued || (len(word) == 2 && string(word) != "in" && string(word) != "pk" && string(word) != "lt"))) {
		r.roles[i], r.whats[i] = asNoise, "measure"
		r.roles[i+1], r.whats[i+1] = asNoise, "measure"
	}
}

// mayBePlace tells whether atom i is a number of one to three digits that is
// not a part of something else.
func (r *reader) mayBePlace(i int) bool {
	if r.roles[i] != unread || !r.isDigit(i) || r.f.atoms[i].len() > 3 {
		return false
	}
	if i > r.base && r.f.atoms[i].glued && r.roles[i-1] == unread {
		return false
	}
	return i+1 >= r.end || !r.f.atoms[i+1].glued || r.roles[i+1] != unread
}

func (r *reader) bracketed(i int) bool {
	before := r.between(i)
	return len(before) > 0 && (before[len(before)-1] == '(' || before[len(before)-1] == '[')
}

// readNumber finds the number that is the place: right after the key, else in
// brackets, else the last one after the key, else one in front of everything.
func (r *reader) readNumber(from, to int, d *details) {
	place, last, bracket, after := -1, -1, -1, 0
	for i := to + 1; i < r.end; i++ {
		if !r.mayBePlace(i) {
			continue
		}
		after++
		if place < 0 && r.next(to, i) {
			place = i
		}
		if r.bracketed(i) {
			bracket = i
		} else {
			last = i
		}
	}
	switch {
	case place >= 0:
	case last >= 0:
		place = last
	case bracket >= 0:
		place = bracket
	case from > r.base && r.mayBePlace(r.base):
		place = r.base
	case from > r.base && r.mayBePlace(from-1):
		place = from - 1
	}
	if place < 0 {
		return
	}
	r.roles[place] = asPlace
	d.number = r.number(place)
	d.place = max(d.number, 1)
	for i := place + 1; i < r.end; i++ {
		if r.bracketed(i) && r.mayBePlace(i) {
			r.roles[i], r.whats[i] = asNoise, "copy mark"
		}
	}
}

// next tells whether nothing unexplained stands between the key's last atom
// and atom i.
func (r *reader) next(to, i int) bool {
	for n := to + 1; n < i; n++ {
		if r.roles[n] == unread {
			return false
		}
	}
	return true
}

// readLetter keeps a single letter after the key; the lot tells whether it is
// a place, a view or nothing.
func (r *reader) readLetter(to int, d *details) {
	for i := to + 1; i < r.end; i++ {
		a := r.f.atoms[i]
		if r.roles[i] != unread || a.class != letter || a.len() != 1 || (i+1 < r.end && r.f.atoms[i+1].glued) {
			continue
		}
		if c := r.text(i)[0]; c >= 'a' && c <= 'z' && (!a.glued || i == to+1) {
			d.letter, d.gluedLetter = c, a.glued && i > r.base
			r.roles[i], r.whats[i] = asNoise, "letter"
			return
		}
	}
}

// romans are the numerals that places are written with.
var romans = map[string]int{"i": 1, "ii": 2, "iii": 3, "iv": 4, "v": 5, "vi": 6, "vii": 7, "viii": 8, "ix": 9, "x": 10, "xi": 11, "xii": 12}

// readRoman keeps a roman numeral behind the key, when nothing but noise follows;
// the lot tells whether it is a place. One letter may be a letter as well.
func (r *reader) readRoman(to int, d *details) {
	for i := to + 1; i < r.end; i++ {
		if r.roles[i] != unread {
			continue
		}
		a := r.f.atoms[i]
		n, ok := romans[string(r.text(i))]
		if !ok || a.glued || i+1 < r.end && r.f.atoms[i+1].glued {
			return
		}
		for rest := i + 1; rest < r.end; rest++ {
			if r.roles[rest] == unread {
				return
			}
		}
		d.roman = n
		if a.len() > 1 {
			r.roles[i], r.whats[i] = asNoise, "letter"
		}
		return
	}
}

// readFolderView takes a view from a folder that is named for nothing else.
func (r *reader) readFolderView(d *details) {
	for hi := r.base; hi > 0; {
		lo := hi - 1
		for lo > 0 && r.f.atoms[lo-1].segment == r.f.atoms[hi-1].segment {
			lo--
		}
		if hi-lo == 1 && r.roles[lo] == unread {
			if m := r.words.of(r.text(lo)); m.role == asView {
				r.roles[lo], r.whats[lo] = asView, m.what
				d.view = m.what
				return
			}
		}
		hi = lo
	}
}

func (r *reader) unexplained(from, to int) (left rest) {
	for i := r.base; i < r.end; i++ {
		if r.roles[i] != unread {
			continue
		}
		left.words++
		lo, hi := i, i+1
		for lo > r.base && r.f.atoms[lo].glued && r.roles[lo-1] == unread {
			lo--
		}
		for hi < r.end && r.f.atoms[hi].glued && r.roles[hi] == unread {
			hi++
		}
		if (left.keyLike == "" || left.counted) && r.looksLikeKey(lo, hi) {
			left.keyLike, left.counted = r.written(lo, hi), r.isCounted(lo, hi)
		}
		if from >= 0 && ((i == to+1 && r.f.atoms[i].glued) || (i+1 == from && r.f.atoms[from].glued)) {
			left.beside = r.written(lo, hi)
		}
		i = hi - 1
	}
	return left
}

func (r *reader) written(lo, hi int) string {
	return r.f.source[r.f.origin(r.f.atoms[lo].start):r.f.origin(r.f.atoms[hi-1].end)]
}

// isCounted tells whether unexplained atoms are a word with a number of at most two
// figures behind it, "Studio12": no key beside a number as long as a key's.
func (r *reader) isCounted(lo, hi int) bool {
	return hi-lo == 2 && !r.isDigit(lo) && r.f.atoms[lo].len() >= 3 && r.isDigit(lo+1) && r.f.atoms[lo+1].len() <= 2
}

// looksLikeKey tells whether unexplained atoms could be a key: four characters
// or more, with digits in them, and not just a word with a number behind it.
func (r *reader) looksLikeKey(lo, hi int) bool {
	digits := 0
	for i := lo; i < hi; i++ {
		if r.isDigit(i) {
			digits += r.f.atoms[i].len()
		}
	}
	length := int(r.f.atoms[hi-1].end - r.f.atoms[lo].start)
	if digits == 0 || hi-lo == 2 && r.f.atoms[lo].len() >= 3 && r.f.atoms[lo+1].len() == 4 && isYear(r.number(lo+1)) {
		return false // "spring2026"
	}
	if length >= 4 {
		return digits >= 2 || hi-lo > 2
	}
	// "HX-99": short letters, a separator, and the number behind them.
	return hi-lo == 1 && digits >= 2 && lo > r.base && r.roles[lo-1] == unread && !r.isDigit(lo-1) && r.f.atoms[lo-1].len() <= 4 &&
		len(r.between(lo)) == 1 && r.between(lo)[0] != ' '
}

// readSpans turns the roles of the atoms into spans that cover the whole path.
func (r *reader) readSpans() []Span {
	var spans []Span
	add := func(start, end int32, kind SpanKind, what, option string) {
		from, to := r.f.origin(start), r.f.origin(end)
		if from >= to {
			return
		}
		if n := len(spans); n > 0 && spans[n-1].Kind == kind && spans[n-1].What == what && spans[n-1].Option == option && kind != PlaceSpan {
			spans[n-1].End = to
			return
		}
		spans = append(spans, Span{Start: from, End: to, Kind: kind, What: what, Option: option})
	}
	at := int32(0)
	for i, a := range r.f.atoms {
		kind, what := r.spanKind(i)
		if a.start > at {
			if r.goesOnFrom(i) {
				add(at, a.start, KeySpan, what, r.saids[i])
			} else {
				add(at, a.start, NoiseSpan, "", "")
			}
		}
		add(a.start, a.end, kind, what, r.saids[i])
		at = a.end
	}
	add(at, int32(len(r.f.text)), NoiseSpan, "", "")
	if n := len(spans); n > 0 {
		spans[0].Start, spans[n-1].End = 0, len(r.f.source)
		for i := 1; i < n; i++ {
			spans[i].Start = spans[i-1].End
		}
		return slices.DeleteFunc(spans, func(s Span) bool { return s.Start >= s.End })
	}
	if len(r.f.source) > 0 {
		return []Span{{End: len(r.f.source), Kind: NoiseSpan}}
	}
	return nil
}

// goesOnFrom tells whether atom i goes on with the key or the option of the atom
// before it.
func (r *reader) goesOnFrom(i int) bool {
	if i == 0 || r.roles[i] != r.roles[i-1] || r.whats[i] != r.whats[i-1] {
		return false
	}
	return r.roles[i] == asKey || r.roles[i] == asOption && slices.ContainsFunc(r.optionsAt, func(at optionRange) bool {
		return at.from < i && i <= at.to
	})
}

func (r *reader) spanKind(i int) (SpanKind, string) {
	switch r.roles[i] {
	case asKey:
		return KeySpan, r.whats[i]
	case asOption:
		return KeySpan, "option"
	case asPlace:
		return PlaceSpan, ""
	case asView:
		return ViewSpan, r.whats[i]
	case unread:
		if r.regions[i] != 0 {
			return NoiseSpan, r.whats[i]
		}
		return NoiseSpan, "not read"
	default:
		return NoiseSpan, r.whats[i]
	}
}
