package pairing

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
)

// optionValue is a word or code that tells some of a product's items from the
// others: "amber" or "AMB".
type optionValue struct {
	form  string // letters and digits, folded
	items []int32
}

// options is what tells the items of a product apart, in the order of its forms,
// and a filter over them: most words of names are none.
type options struct {
	values []optionValue
	filter uint64
}

func (o *options) bit(form []byte) uint64 {
	return 1 << ((uint(len(form))*7 + uint(form[0])*31 + uint(form[len(form)-1])*3) % 64)
}

// of returns the items that have a form, nil for none.
func (o *options) of(form []byte) []int32 {
	if len(form) == 0 || o.filter&o.bit(form) == 0 {
		return nil
	}
	at, found := slices.BinarySearchFunc(o.values, form, func(v optionValue, form []byte) int {
		return strings.Compare(v.form, string(form))
	})
	if !found {
		return nil
	}
	return o.values[at].items
}

// noOptions are those of a product with one item.
var noOptions = &options{}

// optionsOf returns what tells the items of a product apart. It is worked out
// when it is first asked for; two goroutines that ask at once work out the
// same.
func (c *Catalog) optionsOf(p int) *options {
	if !c.hasSeveral(p) {
		return noOptions
	}
	if known := c.options[p].Load(); known != nil {
		return known
	}
	found := c.findOptions(p)
	c.options[p].Store(found)
	return found
}

// gathered is a form on its way to be an option: of an item, and whether it tells
// of the item by itself, as a title's word does not.
type gathered struct {
	form string
	item int32
	own  bool
}

func (c *Catalog) findOptions(p int) *options {
	items := c.products[p].items
	all := make([]gathered, 0, 8*len(items))
	add := func(form []byte, item int32, own bool) {
		if len(form) > 0 {
			all = append(all, gathered{string(form), item, own})
		}
	}
	var f, code folded
	code.fold(c.products[p].code)
	title := c.items[items[0]].Title
	titles := slices.ContainsFunc(items, func(i int32) bool { return c.items[i].Title != title }) // the same one tells nothing
	for _, item := range items {
		entry := &c.items[item]
		for _, value := range entry.Attributes {
			f.fold(value)
			f.eachForm(func(form []byte) { add(form, item, true) })
		}
		if titles {
			f.fold(entry.Title)
			for i := range f.atoms {
				if !f.atoms[i].glued && f.atoms[i].class == letter {
					add(f.bytes(f.atoms[i]), item, false)
				}
			}
		}
		f.fold(entry.SKU)
		if n := len(code.atoms); n > 0 && len(f.atoms) > n && bytes.HasPrefix(f.text, code.text) {
			add(f.joinedBytes(n), item, true)
			add(f.form(n, len(f.atoms)-1), item, true)
			for i := n; i < len(f.atoms); i++ {
				if !f.atoms[i].glued && (i+1 == len(f.atoms) || !f.atoms[i+1].glued) && !f.inDecimal(n, i) {
					add(f.bytes(f.atoms[i]), item, true)
				}
			}
		}
	}
	return optionsFrom(all, len(items))
}

// optionsFrom gathers the items of each form. What all items have tells none from
// the others; it is kept to be explained, where it is long enough and not of the
// title.
func optionsFrom(all []gathered, items int) *options {
	slices.SortFunc(all, func(a, b gathered) int {
		return cmp.Or(strings.Compare(a.form, b.form), cmp.Compare(a.item, b.item))
	})
	found := &options{}
	for lo := 0; lo < len(all); {
		hi, own := lo, false
		var holders []int32
		for ; hi < len(all) && all[hi].form == all[lo].form; hi++ {
			own = own || all[hi].own
			if n := len(holders); n == 0 || holders[n-1] != all[hi].item {
				holders = append(holders, all[hi].item)
			}
		}
		if len(holders) < items || own && len(all[lo].form) >= 3 {
			found.values = append(found.values, optionValue{all[lo].form, holders})
			found.filter |= found.bit([]byte(all[lo].form))
		}
		lo = hi
	}
	return found
}

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

// inDecimal tells whether atom i is a part of a number with a decimal point, of
// those from an atom on.
func (f *folded) inDecimal(from, i int) bool {
	joins := func(a, b int) bool {
		return a >= from && b < len(f.atoms) && f.atoms[a].class == digit && f.atoms[b].class == digit &&
			isDecimal(f.text[f.atoms[a].end:f.atoms[b].start])
	}
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
	options := r.catalog.optionsOf(t.Product)
	if len(options.values) == 0 {
		return t
	}
	left := r.catalog.products[t.Product].items
	all := len(left)
	if t.Item >= 0 {
		left = []int32{int32(t.Item)}
	}
	numberOnly := r.base > 0 && !r.leftOver() // "2.5 m/1.jpg": the folder tells, and the number is its place
	if numberOnly {
		left = r.narrow(options, left, 0, r.base, 2, t.Item >= 0)
	}
	left = r.narrow(options, left, r.base, r.end, 1, t.Item >= 0)
	if !numberOnly && (len(left) > 1 || t.Item >= 0) {
		left = r.narrow(options, left, 0, r.base, 2, t.Item >= 0)
	}
	if t.Item < 0 && len(left) == 1 && all > 1 {
		t.Item = int(left[0])
	}
	return t
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
	for i := r.base; i < r.base+n; i++ {
		r.roles[i], r.whats[i] = asOption, "option"
	}
}

// narrow marks the option values of at least shortest characters among the
// atoms [lo, hi), and returns the items of left that have them all. Where the
// item is known, a number may be the place rather than its option once more.
func (r *reader) narrow(options *options, left []int32, lo, hi, shortest int, known bool) []int32 {
	for i := lo; i < hi; i++ {
		if r.roles[i] != unread || !r.opensOption(i) {
			continue
		}
		for j := min(i+3, hi-1); j >= i; j-- {
			end := r.f.atoms[j].end
			if r.f.atoms[j].segment != r.f.atoms[i].segment || !r.closesOption(i, j, hi) || int(end-r.f.atoms[i].start) < shortest {
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
			for n := i; n <= j; n++ {
				r.roles[n], r.whats[n] = asOption, "option"
			}
			i = j
			break
		}
	}
	return left
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

// optionAt returns the items that have the atoms i to j as an option's value, as
// they are written or by what the words mean in a language that is on.
func (r *reader) optionAt(options *options, i, j int) []int32 {
	var buffer [64]byte
	if int(r.f.atoms[j].end-r.f.atoms[i].start) > len(buffer)-2 {
		return nil
	}
	form := r.f.appendForm(buffer[:0], i, j)
	if items := options.of(form); items != nil {
		return items
	}
	meanings := r.list.optionWords.of(form)
	for _, mark := range [...]string{wholeMeant, partMeant} {
		for _, meant := range meanings {
			if items := options.of(append(append(buffer[:0], mark...), meant...)); items != nil {
				return items
			}
		}
	}
	return nil
}

func intersect(a, b []int32) (both []int32) {
	for _, x := range a {
		if slices.Contains(b, x) {
			both = append(both, x)
		}
	}
	return both
}
