package sheet

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"ambrosa/core/catalog"
	"ambrosa/core/gtin"
)

// identify finds what the row is about.
func (r *rowJudge) identify() {
	for _, f := range r.identity {
		value, there := r.first(f)
		if !there {
			continue
		}
		r.by = f
		r.out.SKU = value.text
		r.identifyBy(f, value)
		break
	}
	if r.by == "" && !r.refused() {
		column := r.of[r.identity[0]][0]
		r.say(column, NoIdentity, true, fmt.Sprintf("The %s is empty: nothing says which product the row is about.", Words[r.identity[0]]))
	}
	w := &r.out.Wanted
	w.SKU, w.Product, w.ProductID = r.code(SKU), r.code(Product), r.code(ProductID)
	w.Title, w.Descr = r.text(Title), r.text(Description)
	if w.Item != nil && w.SKU == "" {
		w.SKU = w.Item.SKU
	}
	r.judgeNew()
}

// judgeNew judges whether something new can be made of a row: it needs a code of its own,
// which no variant has.
func (r *rowJudge) judgeNew() {
	w := &r.out.Wanted
	value, there := r.first(r.by)
	if w.Item != nil || !there || w.SKU != "" || r.refused() {
		return
	}
	if w.Product == "" {
		r.say(value.column, NoSKU, true, fmt.Sprintf("The catalog does not have this %s, and the row says no SKU that a new one would have.",
			Words[r.by]))
		return
	}
	if taken := r.known.Find(SKU, Key(w.Product)); len(taken) > 0 {
		r.say(value.column, TakenSKU, true, fmt.Sprintf("%q is the SKU of a variant of %q.", Clip(w.Product), taken[0].Code))
	}
}

// code returns a field's first value without what spreadsheet programs put around
// codes.
func (r *rowJudge) code(f Field) string { return cleanCode(r.text(f)) }

func (r *rowJudge) identifyBy(f Field, value cellValue) {
	code := value.text
	if f.isCode() {
		if code = cleanCode(code); code != value.text {
			r.say(value.column, Cleaned, false, fmt.Sprintf("Read as %q, without the marks around it.", code))
		}
		r.out.SKU = code
	}
	key := Key(code)
	if f == GTIN {
		normal, err := gtin.Normalise(code)
		if err != nil {
			return // judgeGTIN says so
		}
		key = normal
	}
	items := r.known.Find(f, key)
	if item := oneOf(f, items); item != nil {
		r.out.Wanted.Item = item
		return
	}
	if len(items) > 1 {
		r.say(value.column, Ambiguous, true, fmt.Sprintf("%d things in the catalog have this %s: %s.", len(items), Words[f], skusOf(items)))
		return
	}
	r.unknown(f, value.column, code)
}

// oneOf returns the one item that is meant; of all variants of a product, the
// product as a whole.
func oneOf(f Field, items []*Item) *Item {
	switch {
	case len(items) == 1:
		return items[0]
	case len(items) > 1 && (f == Product || f == ProductID):
		whole := *items[0]
		whole.Title = cmp.Or(whole.OfProduct, whole.Title)
		whole.Variant, whole.SKU, whole.GTIN, whole.Options, whole.Codes = 0, "", "", nil, nil
		return &whole
	}
	return nil
}

func skusOf(items []*Item) string {
	var skus []string
	for _, item := range items[:min(len(items), 4)] {
		skus = append(skus, item.SKU)
	}
	return strings.Join(skus, ", ")
}

// unknown judges a code that the catalog does not have: it may be one that was
// damaged, or one that is spelt otherwise.
func (r *rowJudge) unknown(f Field, column int, code string) {
	hurt := damage(code, f)
	keep := Remedy{Do: Keep, Words: "It is right as it is"}
	if hurt.kind != "" {
		var remedies []Remedy
		for _, look := range hurt.looks {
			for _, item := range r.known.Find(f, Key(look)) {
				remedies = appendTake(remedies, f.of(item))
			}
			for _, item := range r.known.Near(f, LooseKey(look)) {
				remedies = appendTake(remedies, f.of(item))
			}
		}
		if hurt.kind == tailZero && len(remedies) == 0 {
			remedies = appendTake(remedies, hurt.looks[0])
		}
		kind := LostFigures
		if hurt.kind == turnedDate {
			kind = MadeDate
		}
		if hurt.kind != powerOfTen {
			remedies = append(remedies, keep)
		}
		r.say(column, kind, true, fmt.Sprintf("%q is no %s: %s.", Clip(code), Words[f], hurt.words), remedies...)
		return
	}
	if f == GTIN || f == Title {
		return
	}
	var remedies []Remedy
	for _, item := range r.known.Near(f, LooseKey(code)) {
		remedies = appendTake(remedies, f.of(item))
		r.near = append(r.near, item)
	}
	if len(remedies) > 0 {
		r.say(column, Spelling, true, fmt.Sprintf("The catalog has no %s %q, but %q.", Words[f], Clip(code), Clip(remedies[0].Value)),
			append(remedies, Remedy{Do: Keep, Words: "It is a new one"})...)
	}
}

// appendTake adds a value to take, once.
func appendTake(remedies []Remedy, value string) []Remedy {
	for _, one := range remedies {
		if one.Value == value {
			return remedies
		}
	}
	if value == "" || len(remedies) == 5 {
		return remedies
	}
	return append(remedies, take(value, "Take "+Clip(value)))
}

// of returns what an item has in a field that identifies.
func (f Field) of(item *Item) string {
	switch f {
	case SKU:
		return item.SKU
	case Product:
		return item.Code
	case ProductID:
		return item.ProductID
	case GTIN:
		return item.GTIN
	case Title:
		return item.Title
	case Code:
		if len(item.Codes) > 0 {
			return item.Codes[0]
		}
	}
	return ""
}

// judgeProduct judges whose variant the row says it is.
func (r *rowJudge) judgeProduct() {
	value, there := r.first(Product)
	if !there || r.by == Product {
		return
	}
	code, item := cleanCode(value.text), r.out.Wanted.Item
	if variants := r.known.Find(Product, Key(code)); len(variants) > 0 {
		r.joins = variants[0]
	}
	if item == nil {
		if r.joins == nil {
			r.unknown(Product, value.column, code)
		}
		return
	}
	if Key(item.Code) == Key(code) {
		return
	}
	r.say(value.column, Moves, true, fmt.Sprintf("%s is a variant of %q in the catalog, not of %q.", item.SKU, item.Code, Clip(code)),
		take(item.Code, "Leave it with "+item.Code), Remedy{Do: Keep, Words: "Move it to " + Clip(code)})
}

// judgeID judges the product's ID in another system, which no other product may have.
func (r *rowJudge) judgeID() {
	value, there := r.first(ProductID)
	if !there || r.by == ProductID {
		return
	}
	of := Key(r.out.Wanted.product())
	for _, other := range r.known.Find(ProductID, Key(cleanCode(value.text))) {
		if Key(other.Code) != of {
			r.say(value.column, TakenID, true, fmt.Sprintf("The catalog has this ID for the product %q.", other.Code), emptyIt)
			return
		}
	}
	if c := r.noted.ids[r.noted.hash(Key(cleanCode(value.text)))]; c.otherRow != 0 {
		r.say(value.column, TakenID, true, fmt.Sprintf("This ID stands for another product in row %d.", c.beside(r.ownerHash(), r.row)), emptyIt)
	}
}

// judgeGTIN judges the barcode's number, and whose it is.
func (r *rowJudge) judgeGTIN() {
	value, there := r.first(GTIN)
	if !there {
		return
	}
	code := cleanCode(value.text)
	normal, err := gtin.Normalise(code)
	if err != nil {
		r.badGTIN(value.column, code, err)
		return
	}
	r.out.Wanted.GTIN = normal
	for _, other := range r.known.Find(GTIN, normal) {
		if r.isAbout(other) {
			continue
		}
		r.say(value.column, TakenGTIN, true, fmt.Sprintf("The catalog has this GTIN for %s (%s).", other.SKU, Clip(other.Title)), emptyIt)
		return
	}
}

// isAbout tells whether the row is, or may be, about an item.
func (r *rowJudge) isAbout(other *Item) bool {
	item := r.out.Wanted.Item
	if item == nil {
		return r.by == GTIN || slices.Contains(r.near, other)
	}
	return other.Variant == item.Variant || item.Variant == 0 && other.Product == item.Product
}

func (r *rowJudge) badGTIN(column int, code string, err error) {
	var remedies []Remedy
	kind, why := BadGTIN, err.Error()
	hurt := damage(code, GTIN)
	switch {
	case hurt.kind == powerOfTen, hurt.kind == tailZero, hurt.kind == turnedDate:
		kind, why = LostFigures, hurt.words
		for _, look := range hurt.looks {
			if _, wrong := gtin.Normalise(look); wrong == nil {
				remedies = appendTake(remedies, look)
			}
		}
	case allDigits(code) && (len(code) == 11 || len(code) == 7 || len(code) == 10):
		padded := "0" + code
		if len(code) == 10 {
			padded = "00" + code
		}
		if _, wrong := gtin.Normalise(padded); wrong == nil {
			kind, why = LostFigures, "zeros in front were lost"
			remedies = appendTake(remedies, padded)
		}
	}
	if item := r.out.Wanted.Item; item != nil && item.GTIN != "" {
		remedies = append(remedies, take(item.GTIN, "Keep "+item.GTIN+", as the catalog has it"))
	}
	r.say(column, kind, true, "This is no GTIN: "+why+".", append(remedies, emptyIt)...)
}

func allDigits(text string) bool {
	return strings.IndexFunc(text, func(c rune) bool { return c < '0' || c > '9' }) < 0
}

// judgeCategory judges the path or ID of the product's category.
func (r *rowJudge) judgeCategory() {
	if id, there := r.first(CategoryID); there {
		path := r.known.PathOf(cleanCode(id.text))
		if path == "" && !r.has(Category) {
			r.say(id.column, NoCategory, true, "The catalog has no category with this ID.", emptyIt)
		}
		r.out.Wanted.Category = path
	}
	value, there := r.first(Category)
	if !there {
		return
	}
	path := CleanPath(value.text)
	if known := r.known.Path(Key(path)); known != "" {
		path = known
	} else if !catalog.FitsTree(path) {
		r.say(value.column, TooDeep, true, tooDeep, emptyIt)
		return
	} else if path != "" {
		r.say(value.column, NewCategory, false, fmt.Sprintf("The category %q will be made.", Clip(path)))
	}
	r.out.Wanted.Category = path
}

// tooDeep says that a category's path does not fit into the tree.
var tooDeep = fmt.Sprintf("A category lies at most %d levels deep, and its path has at most %d characters.", catalog.MostDepth,
	catalog.MostPath)

func (r *rowJudge) has(f Field) bool { return len(r.values[f]) > 0 }

// judgeFlags judges what says yes or no, and collects what needs no judging.
func (r *rowJudge) judgeFlags() {
	w := &r.out.Wanted
	if value, there := r.first(Retire); there {
		yes, said := YesOrNo(value.text)
		if !said {
			r.say(value.column, NotYesNo, true, fmt.Sprintf("%q says neither yes nor no.", Clip(value.text)), emptyIt)
		} else {
			w.Retire = &yes
		}
	}
	for _, value := range r.values[Code] {
		if code := cleanCode(value.text); !slices.Contains(w.Codes, code) {
			w.Codes = append(w.Codes, code)
		}
	}
	w.Options, w.Attributes = r.named(Option), r.named(Attribute)
}

func (r *rowJudge) named(f Field) (list []catalog.Option) {
	for _, value := range r.values[f] {
		name := r.columns[value.column].Name
		if name == "" {
			name = r.columns[value.column].Column.Column
		}
		list = append(list, catalog.Option{Name: name, Value: value.text})
	}
	return list
}
