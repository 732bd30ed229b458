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
