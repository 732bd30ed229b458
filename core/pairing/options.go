package pairing

import (
	"bytes"
	"cmp"
	"hash/maphash"
	"slices"
	"strings"
)

// options is what tells the items of a product apart: the forms of their options'
// values, "amber" or "AMB", by their hashes. Most words of names are none, which the
// filter tells.
type options struct {
	forms  []optionForm // by hash
	items  []int32
	filter uint64
	atoms  int // that the longest has
}

// optionForm is a form that some of a product's items have: items[from:to], by their
// place in the product.
type optionForm struct {
	hash     uint64
	from, to int32
}

var formSeed = maphash.MakeSeed()

func hashOf(form []byte) uint64 { return maphash.Bytes(formSeed, form) }

// of returns the items that have a form, nil for none.
func (o *options) of(form []byte) []int32 {
	if len(form) == 0 || o.filter == 0 {
		return nil
	}
	hash := hashOf(form)
	if o.filter&(1<<(hash%64)) == 0 {
		return nil
	}
	at, found := slices.BinarySearchFunc(o.forms, hash, func(f optionForm, hash uint64) int { return cmp.Compare(f.hash, hash) })
	if !found {
		return nil
	}
	return o.items[o.forms[at].from:o.forms[at].to:o.forms[at].to]
}

// noOptions are those of a product with one item.
var noOptions = &options{}

// optionsOf returns what tells the items of a product apart. It is worked out
// when it is first asked for; two goroutines that ask at once work out the
// same.
func (r *reader) optionsOf(p int) *options {
	c := r.catalog
	if !c.hasSeveral(p) {
		return noOptions
	}
	if known := c.options[p].Load(); known != nil {
		return known
	}
	found := r.findOptions(p)
	c.options[p].Store(found)
	return found
}

// valueForm is a form of a value, of so many atoms, and whether it is long enough to
// be explained where all items have it.
type valueForm struct {
	hash  uint64
	atoms uint8
	long  bool
}

// gathered is a form on its way to be an option: of an item, and whether it tells
// of the item by itself, as a title's word does not.
type gathered struct {
	valueForm
	item int32
	own  bool
}

// mostOptionAtoms is how many atoms of a name are read as one option.
const mostOptionAtoms = 4

// mostValues is how many values a reader keeps the forms of.
const mostValues = 1 << 14

// formsOf returns the forms of a value; catalogs have the same ones over and over.
func (r *reader) formsOf(value string, kind valueKind) []valueForm {
	known, ok := r.values[kind][value]
	if ok {
		return known
	}
	f := &r.value
	f.fold(value)
	var forms []valueForm
	atoms := uint8(min(len(f.atoms), mostOptionAtoms))
	add := func(form []byte) {
		if made := (valueForm{hashOf(form), atoms, len(form) >= 3}); len(form) > 0 && !slices.Contains(forms, made) {
			forms = append(forms, made)
		}
	}
	switch kind {
	case ofAttribute:
		f.eachForm(add)
	case ofTitle:
		for i := range f.atoms {
			if !f.atoms[i].glued && f.atoms[i].class == letter {
				add(f.bytes(f.atoms[i]))
			}
		}
	case ofKey:
		f.eachPart(add)
	}
	if r.values[kind] == nil || len(r.values[kind]) >= mostValues {
		r.values[kind] = map[string][]valueForm{}
	}
	r.values[kind][value] = forms
	return forms
}

// valueKind is what a value is.
type valueKind uint8

const (
	ofAttribute valueKind = iota
	ofTitle
	ofKey // the rest of an item's key behind its product's
	valueKinds
)

// eachPart gives the forms of the rest of a key: all of it, and what separators
// keep apart in it.
func (f *folded) eachPart(add func(form []byte)) {
	last := len(f.atoms) - 1
	if last < 0 {
		return
	}
	add(f.joinedBytes(0))
	add(f.form(0, last))
	for i := range f.atoms {
		if !f.atoms[i].glued && (i == last || !f.atoms[i+1].glued) && !f.inDecimal(i) {
			add(f.bytes(f.atoms[i]))
		}
	}
}

// restOf returns what an item's key has behind its product's code, where it begins
// with it; "" where it does not, or goes on with more of the same word or number.
func restOf(sku, code string) string {
	if len(sku) <= len(code) || code == "" || !strings.EqualFold(sku[:len(code)], code) {
		return ""
	}
	rest := sku[len(code):]
	if kind := byteClass[rest[0]]; kind != separator && kind == byteClass[code[len(code)-1]] {
		return ""
	}
	return rest
}

// findOptions gathers what tells a product's items apart. Many products have the
// same values: they have the same options.
func (r *reader) findOptions(p int) *options {
	c := r.catalog
	items := c.products[p].items
	title := c.items[items[0]].Title
	titles := slices.ContainsFunc(items, func(i int32) bool { return c.items[i].Title != title }) // the same one tells nothing
	key := r.setKey[:0]
	for _, item := range items {
		entry := &c.items[item]
		for _, value := range entry.Attributes {
			key = append(append(key, value...), 0)
		}
		if titles {
			key = append(append(key, entry.Title...), 0)
		}
		key = append(append(append(key, 1), restOf(entry.SKU, c.products[p].code)...), 2)
	}
	r.setKey = key
	if known, ok := r.sets[string(key)]; ok {
		return known
	}
	all := r.gathered[:0]
	for n, item := range items {
		entry := &c.items[item]
		add := func(forms []valueForm, own bool) {
			for _, form := range forms {
				all = append(all, gathered{form, int32(n), own})
			}
		}
		for _, value := range entry.Attributes {
			add(r.formsOf(value, ofAttribute), true)
		}
		if titles {
			add(r.formsOf(entry.Title, ofTitle), false)
		}
		if rest := restOf(entry.SKU, c.products[p].code); rest != "" {
			add(r.formsOf(rest, ofKey), true)
		}
	}
	r.gathered = all
	found := r.optionsFrom(all, len(items))
	if r.sets == nil || len(r.sets) >= mostValues {
		r.sets = map[string]*options{}
	}
	if len(key) <= mostSetKey {
		r.sets[string(key)] = found
	}
	return found
}

// mostSetKey bounds the values of a product that are kept to be found again, bytes.
const mostSetKey = 1 << 10

// optionsFrom gathers the items of each form. What all items have tells none from
// the others; it is kept to be explained, where it is long enough and not of the
// title.
func (r *reader) optionsFrom(all []gathered, items int) *options {
	slices.SortFunc(all, func(a, b gathered) int {
		switch {
		case a.hash < b.hash:
			return -1
		case a.hash > b.hash:
			return 1
		}
		return cmp.Compare(a.item, b.item)
	})
	found := &options{forms: room(&r.formRoom, len(all)), items: room(&r.itemRoom, len(all))}
	for lo := 0; lo < len(all); {
		hi, own, from := lo, false, len(found.items)
		for ; hi < len(all) && all[hi].hash == all[lo].hash; hi++ {
			own = own || all[hi].own
			found.atoms = max(found.atoms, int(all[hi].atoms))
			if n := len(found.items); n == from || found.items[n-1] != all[hi].item {
				found.items = append(found.items, all[hi].item)
			}
		}
		if len(found.items)-from < items || own && all[lo].long {
			found.forms = append(found.forms, optionForm{all[lo].hash, int32(from), int32(len(found.items))})
			found.filter |= 1 << (all[lo].hash % 64)
		} else {
			found.items = found.items[:from]
		}
		lo = hi
	}
	give(&r.formRoom, len(found.forms))
	give(&r.itemRoom, len(found.items))
	return found
}

// roomy is how much room is made at once for what many products keep a little of.
const roomy = 1 << 14

// room returns an empty slice with room for n, of a piece that is larger; what of it
// is used is given by give.
func room[T any](piece *[]T, n int) []T {
	if cap(*piece) < n {
		*piece = make([]T, 0, max(n, roomy))
	}
	return (*piece)[:0:n]
}

// give takes the first n of a piece away from it.
func give[T any](piece *[]T, n int) { *piece = (*piece)[n:n:cap(*piece)] }

// eachForm gives the forms in which an option's value may stand in a name: its
// letters and digits, its numbers kept apart or not, its words, what it and its
// words mean in any language, and a number of two figures or more without its
// unit.
func (f *folded) eachForm(add func(form []byte)) {
	last := len(f.atoms) - 1
	if last < 0 {
		return
	}
	whole := f.form(0, last)
	add(whole)
	if numbers := bytes.ContainsAny(whole, numberMarks); numbers {
		add(f.joinedBytes(0))
		if spelt := bytes.ReplaceAll(whole, decimalMark, apartMark); !allDigits(string(f.joinedBytes(0))) {
			add(spelt)
		}
	}
	f.eachMeaning(0, last, wholeMeant, add)
	for i, a := range f.atoms {
		if a.class == letter && a.len() >= 3 && last > 0 && !a.glued {
			add(f.bytes(a))
			f.eachMeaning(i, i, partMeant, add)
		}
	}
	number := 0
	for number+1 <= last && f.atoms[number+1].class == digit && f.isDecimal(number+1) {
		number++
	}
	if number+1 == last && f.atoms[0].class == digit && units.of(f.bytes(f.atoms[last])) && f.atoms[number].end-f.atoms[0].start >= 2 {
		add(f.form(0, number))
	}
}

// eachMeaning gives what the atoms i to j mean together in any language.
func (f *folded) eachMeaning(i, j int, mark string, add func(form []byte)) {
	for n := i; n <= j; n++ {
		if f.atoms[n].class != letter {
			return
		}
	}
	for _, meant := range everyOptionWord().of(f.form(i, j)) {
		add([]byte(mark + meant))
	}
}

// What stands before what a value, or a word of it, means: in forms that no word
// has.
const (
	wholeMeant = "\x00"
	partMeant  = "\x02"
)

// What stands in a form between two numbers side by side: those of a decimal, and
// those that are kept apart.
var (
	decimalMark = []byte(".")
	apartMark   = []byte("\x01")
)

const numberMarks = ".\x01"

// form returns the letters and digits of the atoms i to j, with a mark between two
// numbers side by side.
func (f *folded) form(i, j int) []byte {
	if i == j {
		return f.bytes(f.atoms[i])
	}
	return f.appendForm(nil, i, j)
}

func (f *folded) appendForm(text []byte, i, j int) []byte {
	for n := i; n <= j; n++ {
		if n > i && f.atoms[n].class == digit && f.atoms[n-1].class == digit {
			mark := apartMark
			if f.isDecimal(n) {
				mark = decimalMark
			}
			text = append(text, mark...)
		}
		text = append(text, f.bytes(f.atoms[n])...)
	}
	return text
}

// isDecimal tells whether a decimal point stands between atom n, a number, and the
// number before it.
func (f *folded) isDecimal(n int) bool {
	return f.atoms[n-1].class == digit && isDecimal(f.text[f.atoms[n-1].end:f.atoms[n].start])
}

// inDecimal tells whether atom i is a part of a number with a decimal point.
func (f *folded) inDecimal(i int) bool {
	joins := func(a, b int) bool { return a >= 0 && b < len(f.atoms) && f.atoms[b].class == digit && f.isDecimal(b) }
	return joins(i-1, i) || joins(i, i+1)
}

func (f *folded) joined(from int) string { return string(f.joinedBytes(from)) }

// joinedBytes returns the letters and digits from an atom on; without a copy where
// no separator stands between them.
func (f *folded) joinedBytes(from int) []byte {
	if from+1 == len(f.atoms) {
		return f.bytes(f.atoms[from])
	}
	var text []byte
	for _, a := range f.atoms[from:] {
		text = append(text, f.bytes(a)...)
	}
	return text
}

func allDigits(text string) bool {
	for i := range len(text) {
		if text[i] < '0' || text[i] > '9' {
			return false
		}
	}
	return true
}

// knowsWord tells whether a folded word stands in the title of a target.
func (c *Catalog) knowsWord(t Target, word []byte) bool {
	item := t.Item
	if item < 0 {
		item = int(c.products[t.Product].items[0])
	}
	title := c.items[item].Title
	for i := 0; i+len(word) <= len(title); i++ {
		if equalFoldASCII(title[i:i+len(word)], word) && !letterAt(title, i-1) && !letterAt(title, i+len(word)) {
			return true
		}
	}
	return false
}

func letterAt(text string, i int) bool {
	return i >= 0 && i < len(text) && (text[i] >= 0x80 || asciiClass[text[i]] == letter)
}

func equalFoldASCII(text string, word []byte) bool {
	for i := range len(word) {
		c := text[i]
		if c >= 'A' && c <= 'Z' {
			c += 'a' - 'A'
		}
		if c != word[i] {
			return false
		}
	}
	return true
}

// readOptions marks the option values in a file's path and narrows a product
// as a whole down to the one item they single out. The base name counts before
// the folders; there, a single letter or figure says nothing.
func (r *reader) readOptions(t Target) Target {
	r.markRest(t)
	if t.Item >= 0 && !r.leftOver() {
		return t // the key says all, and nothing is left but a place
	}
	options := r.optionsOf(t.Product)
	if len(options.forms) == 0 {
		return t
	}
	items := r.catalog.products[t.Product].items
	left := r.everyOf(items)
	if t.Item >= 0 {
		left = []int32{int32(slices.Index(items, int32(t.Item)))}
	}
	numberOnly := r.base > 0 && !r.leftOver() // "2.5 m/1.jpg": the folder tells, and the number is its place
	if numberOnly {
		left = r.narrow(options, left, 0, r.base, 2, t.Item >= 0)
	}
	left = r.narrow(options, left, r.base, r.end, 1, t.Item >= 0)
	if !numberOnly && (len(left) > 1 || t.Item >= 0) {
		left = r.narrow(options, left, 0, r.base, 2, t.Item >= 0)
	}
	if t.Item < 0 && len(left) == 1 && len(items) > 1 {
		t.Item = int(items[left[0]])
	}
	return t
}

// everyOf returns the places of all items of a product; it is not to be changed.
func (r *reader) everyOf(items []int32) []int32 {
	for len(r.places) < len(items) {
		r.places = append(r.places, int32(len(r.places)))
	}
	return r.places[:len(items):len(items)]
}

// markRest gives the rest of an only item's key to it where the base name begins
// with that rest, below a folder that is the product's code: "LX.9396/01_3.jpg".
func (r *reader) markRest(t Target) {
	if t.Item < 0 || r.base == 0 || r.roles[r.base-1] != asKey {
		return
	}
	rest, ok := strings.CutPrefix(r.catalog.items[t.Item].SKU, r.catalog.ProductCode(t.Product))
	if !ok || rest == "" {
		return
	}
	r.key.fold(rest)
	n := len(r.key.atoms)
	if n == 0 || r.sameAtoms(r.base, 0) != n || r.base+n < r.end && r.f.atoms[r.base+n].glued {
		return
	}
	r.markOption(r.base, r.base+n-1)
}

// narrow marks the option values of at least shortest characters among the
// atoms [lo, hi), and returns those of left, items by their place in the product, that
// have them all. Where the
// item is known, a number may be the place rather than its option once more.
func (r *reader) narrow(options *options, left []int32, lo, hi, shortest int, known bool) []int32 {
	for i := lo; i < hi; i++ {
		if r.roles[i] != unread || !r.opensOption(i) {
			continue
		}
		for j := min(i+mostOptionAtoms, hi) - 1; j >= i; j-- {
			end := r.f.atoms[j].end
			if r.f.atoms[j].segment != r.f.atoms[i].segment || !r.closesOption(i, j, hi) ||
				int(end-r.f.atoms[i].start) < shortest && !r.isFolder(i) {
				continue
			}
			if (known || len(left) == 1) && i == j && r.isPlaceBefore(i, hi) {
				continue
			}
			both := intersect(left, r.optionAt(options, i, j))
			if len(both) == 0 {
				continue
			}
			left = both
			r.markOption(i, j)
			i = j
			break
		}
	}
	return left
}

// isFolder tells whether a letter is the whole name of a folder, as a size is.
func (r *reader) isFolder(i int) bool {
	a := r.f.atoms[i]
	return a.class == letter && i < r.base && (i == 0 || r.f.atoms[i-1].segment != a.segment) && r.f.atoms[i+1].segment != a.segment
}

// opensOption tells whether an option's value may begin at an atom: at a
// separator, behind the key or another option, or where digits follow letters.
func (r *reader) opensOption(i int) bool {
	return i == 0 || !r.f.atoms[i].glued || r.roles[i-1] == asKey || r.roles[i-1] == asOption
}

// closesOption tells whether an option's value that begins at atom i may end with
// atom j: at a separator, or where a word or a longer number meets the next.
func (r *reader) closesOption(i, j, hi int) bool {
	if j+1 >= hi || !r.f.atoms[j+1].glued || r.roles[j+1] != unread {
		return true
	}
	length := r.f.atoms[j].len()
	return r.f.atoms[j].class == letter && length >= 3 || r.isDigit(j) && length >= 2 && i == j
}

// isPlaceBefore tells whether a number is a place before it is an option that is
// known already: one figure, or up to three where no other number stands behind
// them that can be the place.
func (r *reader) isPlaceBefore(i, hi int) bool {
	length := r.f.atoms[i].len()
	return r.isDigit(i) && (length == 1 || length <= 3 && !r.numberBehind(i, hi))
}

// isDecimal tells whether what stands between two numbers makes one of them.
func isDecimal(between []byte) bool {
	return len(between) == 1 && (between[0] == '.' || between[0] == ',')
}

// numberBehind tells whether a number that may be a place stands behind atom i.
func (r *reader) numberBehind(i, hi int) bool {
	for n := i + 1; n < hi; n++ {
		if r.roles[n] == unread && r.isDigit(n) && r.f.atoms[n].len() <= 3 {
			return true
		}
	}
	return false
}

// optionAt returns the items, by their place in the product, that have the atoms i to j as an option's value, as
// they are written or by what the words mean in a language that is on.
func (r *reader) optionAt(options *options, i, j int) (items []int32) {
	if j-i >= options.atoms && (r.isDigit(i) || r.isDigit(j)) {
		return nil // longer than any, and no words
	}
	r.eachSaid(i, j, func(form []byte) bool {
		items = options.of(form)
		return items != nil
	})
	return items
}

// eachSaid gives the forms that the atoms i to j may be of a value: as they are
// written, then what they mean in the languages that are on; until one is enough.
func (r *reader) eachSaid(i, j int, enough func(form []byte) bool) {
	var buffer [64]byte
	if int(r.f.atoms[j].end-r.f.atoms[i].start) > len(buffer)-2 {
		return
	}
	form := r.f.appendForm(buffer[:0], i, j)
	if enough(form) {
		return
	}
	meanings := r.list.optionWords.of(form)
	for _, mark := range [...]string{wholeMeant, partMeant} {
		for _, meant := range meanings {
			if enough(append(append(buffer[:0], mark...), meant...)) {
				return
			}
		}
	}
}

// nameOptions says of what was read as options which they are: "colour: black". It
// is asked for a file that is shown.
func (r *reader) nameOptions(t Target) {
	item := t.Item
	if item < 0 {
		item = int(r.catalog.products[t.Product].items[0])
	}
	entry := &r.catalog.items[item]
	for _, at := range r.optionsAt {
		said := ""
		for a, value := range entry.Attributes {
			forms := r.formsOf(value, ofAttribute)
			r.eachSaid(at.from, at.to, func(form []byte) bool {
				hash := hashOf(form)
				if said == "" && slices.ContainsFunc(forms, func(f valueForm) bool { return f.hash == hash }) {
					said = value
					if a < len(r.catalog.attributes) {
						said = r.catalog.attributes[a] + ": " + value
					}
				}
				return said != ""
			})
		}
		for i := at.from; i <= at.to; i++ {
			r.saids[i] = said
		}
	}
}

// optionRange is where an option stands: atoms from to to, both included.
type optionRange struct{ from, to int }

// markOption gives the atoms i to j to an option.
func (r *reader) markOption(i, j int) {
	for n := i; n <= j; n++ {
		r.roles[n], r.whats[n] = asOption, "option"
	}
	if r.spans {
		r.optionsAt = append(r.optionsAt, optionRange{i, j})
	}
}

func intersect(a, b []int32) (both []int32) {
	for _, x := range a {
		if slices.Contains(b, x) {
			both = append(both, x)
		}
	}
	return both
}
