package pairing

import (
	"cmp"
	"slices"
	"strconv"

	"ambrosa/core/gtin"
)

// read gives the verdict on one path, as far as it can be told from the path
// alone; settle then adds what the whole lot tells. The keys in its base name
// are taken from known, or put there; it may be nil.
func (r *reader) read(path string, v *Verdict, known *baseKeys) {
	r.known = known
	r.readName(path, v)
	r.known = nil
	if v.Kind == Loose && len(r.list.steps) > 0 {
		r.readStepped(path, v)
	}
}

func (r *reader) readName(path string, v *Verdict) {
	r.open(path)
	claims := r.weigh()
	if len(claims) == 0 {
		r.loose(v)
		return
	}
	best := &claims[0]
	if len(claims) > 1 {
		if rivals := r.rivals(claims); len(rivals) > 1 {
			r.contested(v, rivals)
			return
		}
	}
	r.decide(best, v)
}

// decide reads the rest of a name around the claim that decides.
func (r *reader) decide(best *claim, v *Verdict) {
	if best.target.Item >= 0 && best.rung >= Separators {
		if product, told := r.toldOtherwise(best); told {
			best = product
		}
	}
	v.Kind, v.Key, v.Clue, v.Rung, v.Score = Paired, best.key, best.clue, best.rung, score(best)
	r.markKey(best)
	if int(best.to) >= r.base {
		r.markSameProduct(best)
	}
	if best.clue == Pattern {
		for _, c := range r.patternedAt {
			r.roles[c.atom], r.whats[c.atom] = c.role, c.what
		}
	}
	v.Target = r.readOptions(best.target)
	if r.spans {
		r.nameOptions(v.Target)
	}
	unknown := r.unknownVariant(best, v.Target)
	from, to := int(best.from), int(best.to)
	if to < r.base {
		from, to = -1, -1
	}
	d := r.readDetails(v.Target, from, to, best.barcode)
	if best.clue == Pattern {
		d = r.patterned.or(d)
	}
	if best.target.Item < 0 && v.Target.Item >= 0 && r.optionsGoOn() {
		v.Target = best.target
	}
	v.Place, v.View, v.number, v.letter, v.gluedOnly = d.place, d.view, d.number, d.letter, d.gluedLetter
	v.roman = d.roman
	v.bare = from == r.base && to == r.end-1
	v.Reason = pairedReasons[v.Clue][v.Rung]
	reason := r.doubt(best, d.rest)
	if unknown != "" {
		reason = "found " + best.key + ", but no variant of it is " + unknown
	}
	if reason != "" {
		if around, ok := r.around(best); ok {
			r.settleOn(&around, v)
			return
		}
		v.Candidates = []Candidate{best.candidate()}
		v.unpair(reason, Doubtful)
	}
	if r.spans {
		v.Spans = r.readSpans()
	}
}

// unmark forgets how a name was read, extension and parameters aside.
func (r *reader) unmark() {
	r.optionsAt = r.optionsAt[:0]
	clear(r.saids)
	for i := range r.roles {
		if r.whats[i] != "extension" && r.whats[i] != "parameter" {
			r.roles[i] = unread
		}
	}
}

// around returns the claim of a clue that explains a doubtful one with what
// stands around it: an attribute's value that the key stands in by chance.
func (r *reader) around(doubtful *claim) (claim, bool) {
	if !doubtful.clue.inBase() || !slices.Contains(r.list.order, Attribute) {
		return claim{}, false
	}
	held := *doubtful
	found := r.attribute(nil)
	if len(found) != 1 || !found[0].contains(held.match) || found[0].match == held.match {
		return claim{}, false
	}
	return found[0], true
}

// settleOn reads the name anew with one claim.
func (r *reader) settleOn(c *claim, v *Verdict) {
	r.unmark()
	r.claims = append(r.claims[:0], *c)
	*v = Verdict{}
	r.decide(&r.claims[0], v)
}

// unpair makes a verdict loose again, for a reason.
func (v *Verdict) unpair(reason string, why Why) {
	v.Kind, v.Target, v.Category, v.Key, v.Clue, v.Rung, v.Score = Loose, NoTarget, 0, "", NoClue, NoRung, 0
	v.letter, v.roman, v.gluedOnly, v.number = 0, 0, false, -1
	v.Reason, v.Why = reason, why
}

// markKey gives a claim's atoms to its key.
func (r *reader) markKey(c *claim) {
	for i := c.from; i <= c.to; i++ {
		r.roles[i], r.whats[i] = asKey, c.key
	}
	for _, i := range c.also {
		r.roles[i], r.whats[i] = asKey, c.key
	}
}

// or gives what a pattern said before what the rest of the name says.
func (d details) or(rest details) details {
	if d.place > 0 {
		rest.place, rest.number, rest.letter, rest.gluedLetter = d.place, d.number, 0, false
		rest.roman = 0
	}
	rest.view = cmp.Or(d.view, rest.view)
	return rest
}

// markSameProduct gives the atoms of further keys of a claim's product to the
// key: "HB-10 HB-10-S" and "HB-20 2000000000121" say the same thing twice.
func (r *reader) markSameProduct(c *claim) {
	for _, m := range r.baseFound {
		if m.target.Product != c.target.Product || m.rung.loose() && m.from <= c.to && c.from <= m.to ||
			m.target.Item >= 0 && m.size(r) > c.size(r) && m.contains(c.match) {
			continue // another one, or another reading of the same
		}
		for i := m.from; i <= m.to; i++ {
			if r.roles[i] == unread {
				r.roles[i], r.whats[i] = asKey, c.key
			}
		}
	}
}

// weigh returns the claims that count, the best first: those of the first clue
// in the list that has any, and a folder's where it tells more or tells
// otherwise. Keys and barcodes in the base name are weighed together.
func (r *reader) weigh() []claim {
	r.claims = r.claims[:0]
	decided := NoClue
	for _, clue := range r.list.order {
		switch {
		case clue == Folder:
			r.byFolder = r.folder(r.byFolder[:0])
			r.claims = append(r.claims, r.byFolder...)
		case !clue.inBase():
			r.claims = available[clue](r, r.claims)
		case decided == NoClue:
			decided = clue
			for _, together := range r.list.base {
				r.claims = available[together](r, r.claims)
			}
		}
		if len(r.claims) > 0 {
			decided = clue
			break
		}
	}
	if len(r.claims) > 0 && decided != Folder && r.list.folder && (weak(&r.claims[0]) || r.claims[0].target.Item < 0) {
		r.weighFolder()
	}
	if len(r.claims) > 1 {
		slices.SortStableFunc(r.claims, func(a, b claim) int {
			return cmp.Or(cmp.Compare(a.rung, b.rung), cmp.Compare(b.alnum, a.alnum), cmp.Compare(a.from, b.from))
		})
	}
	return r.claims
}

// inBase tells whether a clue reads keys and barcodes in the base name.
func (c Clue) inBase() bool { return c == SameName || c == KeyInName || c == BarcodeInName }

// weighFolder weighs the folder beside what the name says.
func (r *reader) weighFolder() {
	r.byFolder = r.folder(r.byFolder[:0])
	switch {
	case len(r.byFolder) > 0 && onlyPlaces(r.claims):
		r.claims = append(r.claims[:0], r.byFolder...)
	case len(r.byFolder) == 1:
		r.addFolder(&r.byFolder[0])
	}
}

// onlyPlaces tells whether claims are by numbers of one to three digits only,
// which below a folder that is a key are places.
func onlyPlaces(claims []claim) bool {
	return !slices.ContainsFunc(claims, func(c claim) bool { return !c.digits || c.alnum > 3 })
}

// addFolder weighs a folder's claim beside those of the name: it may single
// out the item of a product, and it stands against a name that is weak.
func (r *reader) addFolder(f *claim) {
	for i, c := range r.claims {
		if c.target.Product != f.target.Product {
			if weak(&c) && !weak(f) {
				r.claims = append(r.claims, *f)
				return
			}
			continue
		}
		if c.target.Item < 0 && f.target.Item >= 0 {
			r.claims[i].target = f.target
		}
	}
}

// weak tells whether a claim leaves room for doubt: a loose rung, a short
// number, or a clue that does not rest on a whole key.
func weak(c *claim) bool {
	return c.rung.loose() || (c.digits && !c.barcode && c.alnum < 6) || c.clue == NameInKey || c.clue == Title || c.clue == Attribute
}

// rivals returns one claim a target, for all targets that claims name.
func (r *reader) rivals(claims []claim) []claim {
	var rivals []claim
	for _, c := range claims {
		if !slices.ContainsFunc(rivals, func(o claim) bool {
			return o.target == c.target || (o.target.Product == c.target.Product && (o.target.Item < 0 || c.target.Item < 0))
		}) {
			rivals = append(rivals, c)
		}
	}
	return rivals
}

var (
	ofClue = [...]float64{
		SheetRow: 1, SameName: 1, KeyInName: 0.95, NameInKey: 0.8, BarcodeInName: 0.97, BarcodeInPicture: 0.96, Folder: 0.85,
		Title: 0.7, Attribute: 0.75, Pattern: 0.9, LookAlike: 0.6, SaidBySource: 0.9,
	}
	ofRung = [...]float64{SameCharacters: 0, LetterCase: 0.01, Separators: 0.02, NoSeparators: 0.06, LeadingZeros: 0.10}
)

func score(c *claim) float64 {
	return ofClue[c.clue] - ofRung[c.rung]
}

func (c *claim) candidate() Candidate {
	return Candidate{Target: c.target, Key: c.key, Clue: c.clue, Rung: c.rung, Score: score(c)}
}

func (r *reader) contested(v *Verdict, rivals []claim) {
	v.Kind, v.Target, v.Clue, v.Rung, v.Score, v.number = Contested, NoTarget, rivals[0].clue, rivals[0].rung, score(&rivals[0]), -1
	for i := range rivals {
		c := &rivals[i]
		v.Candidates = append(v.Candidates, c.candidate())
		r.markKey(c)
	}
	from, to := int(rivals[0].from), int(rivals[0].to)
	if to < r.base {
		from, to = -1, -1
	}
	d := r.readDetails(NoTarget, from, to, rivals[0].barcode)
	v.Place, v.View = d.place, d.view
	switch {
	case rivals[0].key == rivals[1].key || (rivals[0].from == rivals[1].from && rivals[0].to == rivals[1].to):
		v.Reason, v.Why = rivals[0].key+" belongs to "+strconv.Itoa(len(rivals))+" products or variants", SeveralProducts
	case rivals[0].clue == Folder || rivals[len(rivals)-1].clue != Folder:
		v.Reason, v.Why = "the name holds the keys "+rivals[0].key+" and "+rivals[1].key, SeveralKeys
	default:
		v.Reason, v.Why = "the name holds "+rivals[0].key+", its folder "+rivals[len(rivals)-1].key, AgainstFolder
	}
	if r.spans {
		v.Spans = r.readSpans()
	}
}

// longKey is how many figures a key has that no other number is by chance.
const longKey = 7

// doubt returns why a claim is not sure enough to pair, or "".
func (r *reader) doubt(c *claim, left rest) string {
	digits := c.digits && !c.barcode
	wordsOnly := !c.digits && !r.hasDigit(c)
	switch {
	case c.clue == Pattern:
		return "" // a person said how to read it
	case left.keyLike != "" && c.rung.loose():
		return "found " + c.key + " only with " + rungReasons[c.rung] + ", and " + left.keyLike + " beside it looks like another key"
	case left.counted && digits && c.alnum >= longKey && !c.rung.loose():
		return ""
	case left.keyLike != "" && (digits || wordsOnly):
		return "found " + c.key + ", but " + left.keyLike + " beside it looks like another key"
	case left.beside != "" && (digits || (isShort(left.beside) && !c.barcode)):
		return "found " + c.key + ", but " + left.beside + " goes on right beside it"
	case digits && c.alnum < 4 && left.words > 0 && c.clue != Folder:
		return "found " + c.key + ", too short a number to be sure of beside other words"
	}
	return ""
}

func isShort(text string) bool { return len(text) <= 3 || asciiClass[text[0]&0x7f] == digit }

func (r *reader) hasDigit(c *claim) bool {
	for i := int(c.from); i <= int(c.to); i++ {
		if r.isDigit(i) {
			return true
		}
	}
	return false
}

// loose says in words why nothing was found.
func (r *reader) loose(v *Verdict) {
	d := r.readDetails(NoTarget, -1, -1, false)
	v.Place, v.View = d.place, d.view
	v.unpair(r.whyLoose(d))
	if r.spans {
		v.Spans = r.readSpans()
	}
}

func (r *reader) whyLoose(d details) (reason string, why Why) {
	for i := r.base; i < r.end; i++ {
		if length := r.f.atoms[i].len(); r.isDigit(i) && r.regions[i] == 0 && (length == 8 || length >= 12 && length <= 14) {
			digits := string(r.text(i))
			want := gtin.CheckDigit(digits[:length-1])
			if want == digits[length-1] {
				return "reads the barcode " + digits + ", but no product has it", UnknownBarcode
			}
			if length >= 12 {
				return "reads the barcode " + digits + ", whose check digit would have to be " + string(want), UnknownBarcode
			}
		}
	}
	shaped := r.keyShaped()
	if shaped == "" {
		shaped = d.rest.keyLike
	}
	switch {
	case shaped != "":
		return "reads " + shaped + " as a key, but no product has it", UnknownKey
	case d.rest.words > 0:
		return "no key found in the name or its folders", NoKey
	case r.end == r.base:
		return "the name is empty", NoKey
	}
	for i := r.base; i < r.end; i++ {
		if r.roles[i] == asNoise && r.whats[i] != "extension" && r.whats[i] != "" {
			return "only noise in the name: " + r.whats[i], OnlyNoise
		}
	}
	return "nothing in the name but a place or a view", OnlyDetails
}

// keyShaped returns the longest run of atoms that single separators other than
// a space join, when it is shaped as keys are: letters and digits, four or more.
// Noise ends a run, and a place does at its end unless its number is the only one.
func (r *reader) keyShaped() (longest string) {
	open := func(i int) bool {
		return r.roles[i] == unread || r.roles[i] == asView || r.roles[i] == asPlace ||
			r.roles[i] == asNoise && (r.whats[i] == "measure" || r.whats[i] == "letter")
	}
	for i := r.base; i < r.end; i++ {
		if !open(i) || r.roles[i] == asPlace {
			continue
		}
		to := i
		for to < r.end && open(to) && (to == i || r.f.atoms[to].glued || len(r.between(to)) == 1 && r.between(to)[0] != ' ') {
			to++
		}
		last := to
		for last > i && r.roles[last-1] != unread {
			last--
		}
		if !r.isKeyShaped(i, last) && r.hasFigures(i, to, 3) {
			for last = to; last > i && r.roles[last-1] == asView; {
				last--
			}
		}
		if text := r.written(i, max(last, i+1)); r.isKeyShaped(i, last) && len(text) > len(longest) {
			longest = text
		}
		i = to - 1
	}
	return longest
}

// hasFigures tells whether the atoms [i, to), which begin with a word no longer than
// a key's, hold a number of so many figures.
func (r *reader) hasFigures(i, to, least int) bool {
	for n := i; n < to; n++ {
		if r.isDigit(n) && r.f.atoms[n].len() >= least && r.f.atoms[i].len() <= longNumber+1 {
			return true
		}
	}
	return false
}

// isKeyShaped tells whether the atoms [i, last) hold letters and digits as keys do.
func (r *reader) isKeyShaped(i, last int) bool {
	letters, digits, own := 0, 0, false
	for n := i; n < last; n++ {
		own = own || r.roles[n] == unread
		if r.isDigit(n) {
			digits += r.f.atoms[n].len()
		} else {
			letters += r.f.atoms[n].len()
		}
	}
	return own && letters > 0 && digits > 0 && letters+digits >= 4 && letters <= 8+digits
}
