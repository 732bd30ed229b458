package pairing

import (
	"bytes"
	"slices"
)

// optionValue is a word or code that tells some of a product's items from the
// others: "amber" or "AMB".
type optionValue struct {
	form  string // letters and digits, folded
	items []int32
}

// optionsOf returns what tells the items of a product apart. It is worked out
// when it is first asked for; two goroutines that ask at once work out the
// same.
func (c *Catalog) optionsOf(p int) []optionValue {
	if !c.hasSeveral(p) {
		return nil
	}
	if known := c.options[p].Load(); known != nil {
		return *known
	}
	found := c.findOptions(p)
	c.options[p].Store(&found)
	return found
}

func (c *Catalog) findOptions(p int) []optionValue {
	items := c.products[p].items
	byForm := map[string][]int32{}
	add := func(form string, item int32) {
		if len(form) == 0 || (len(form) <= 3 && allDigits(form)) || slices.Contains(byForm[form], item) {
			return
		}
		byForm[form] = append(byForm[form], item)
	}
	var f, code folded
	code.fold(c.products[p].code)
	for _, item := range items {
		entry := &c.items[item]
		for _, value := range entry.Attributes {
			f.fold(value)
			add(f.joined(0), item)
		}
		f.fold(entry.Title)
		for i := range f.atoms {
			if !f.atoms[i].glued && f.atoms[i].class == letter {
				add(string(f.bytes(f.atoms[i])), item)
			}
		}
		f.fold(entry.SKU)
		if n := len(code.atoms); n > 0 && len(f.atoms) > n && bytes.HasPrefix(f.text, code.text) && !f.atoms[n].glued {
			add(f.joined(n), item)
			for i := n; i < len(f.atoms); i++ {
				if !f.atoms[i].glued && (i+1 == len(f.atoms) || !f.atoms[i+1].glued) {
					add(string(f.bytes(f.atoms[i])), item)
				}
			}
		}
	}
	var found []optionValue
	for form, holders := range byForm {
		if len(holders) < len(items) {
			found = append(found, optionValue{form, holders})
		}
	}
	slices.SortFunc(found, func(a, b optionValue) int { return bytes.Compare([]byte(a.form), []byte(b.form)) })
	return found
}

func (f *folded) joined(from int) string {
	var text []byte
	for _, a := range f.atoms[from:] {
		text = append(text, f.bytes(a)...)
	}
	return string(text)
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
// the folders; there, a single letter says nothing.
func (r *reader) readOptions(t Target) Target {
	options := r.catalog.optionsOf(t.Product)
	if len(options) == 0 {
		return t
	}
	left := r.catalog.products[t.Product].items
	all := len(left)
	if t.Item >= 0 {
		left = []int32{int32(t.Item)}
	}
	left = r.narrow(options, left, r.base, r.end, 1)
	if len(left) > 1 || t.Item >= 0 {
		left = r.narrow(options, left, 0, r.base, 2)
	}
	if t.Item < 0 && len(left) == 1 && all > 1 {
		t.Item = int(left[0])
	}
	return t
}

// narrow marks the option values of at least shortest characters among the
// atoms [lo, hi), and returns the items of left that have them all.
func (r *reader) narrow(options []optionValue, left []int32, lo, hi, shortest int) []int32 {
	for i := lo; i < hi; i++ {
		if r.roles[i] != unread || (r.f.atoms[i].glued && i > 0 && r.roles[i-1] != asKey) {
			continue
		}
		for j := min(i+3, hi-1); j >= i; j-- {
			end := r.f.atoms[j].end
			if r.f.atoms[j].segment != r.f.atoms[i].segment || (j+1 < hi && r.f.atoms[j+1].glued) ||
				int(end-r.f.atoms[i].start) < shortest {
				continue
			}
			both := intersect(left, findOption(options, r.f, i, j))
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

func findOption(options []optionValue, f folded, i, j int) []int32 {
	var buffer [64]byte
	form := buffer[:0]
	for n := i; n <= j; n++ {
		if len(form)+f.atoms[n].len() > len(buffer) {
			return nil
		}
		form = append(form, f.bytes(f.atoms[n])...)
	}
	at, found := slices.BinarySearchFunc(options, form, func(o optionValue, form []byte) int {
		return bytes.Compare([]byte(o.form), form)
	})
	if !found {
		return nil
	}
	return options[at].items
}

func intersect(a, b []int32) (both []int32) {
	for _, x := range a {
		if slices.Contains(b, x) {
			both = append(both, x)
		}
	}
	return both
}
