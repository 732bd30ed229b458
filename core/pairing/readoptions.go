package pairing

import (
	"slices"
	"strings"
)

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
