package sheet

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"ambrosa/core/catalog"
	"ambrosa/core/gtin"
)

// Choices are what an import shall do.
type Choices struct {
	New   Choice `json:"new" enum:"make,skip" doc:"Rows that the catalog does not have"`
	Known Choice `json:"known" enum:"change,skip" doc:"Rows that it has"`
	Empty Choice `json:"empty" enum:"leave,clear" doc:"Empty cells: leave what stands, or clear it"`
}

// Choice is a way to do one of them.
type Choice string

// The ways.
const (
	DoMake   Choice = "make"
	DoChange Choice = "change"
	DoSkip   Choice = "skip"
	DoLeave  Choice = "leave"
	DoClear  Choice = "clear"
)

// Usual are the choices that hold where nobody chose.
var Usual = Choices{New: DoMake, Known: DoChange, Empty: DoLeave}

// Or fills what was not chosen.
func (c Choices) Or(usual Choices) Choices {
	if c.New == "" {
		c.New = usual.New
	}
	if c.Known == "" {
		c.Known = usual.Known
	}
	if c.Empty == "" {
		c.Empty = usual.Empty
	}
	return c
}

// MaxCell is the longest cell that is taken, in bytes.
const MaxCell = 10_000

// Judge judges the rows of one sheet. First every row is noted, so that what stands
// in two of them is seen; then rows are judged, in any order and by any number of
// goroutines.
type Judge struct {
	mapping  Mapping
	choices  Choices
	columns  []readColumn
	of       map[Field][]int // indices of columns, in order
	lists    bool            // the sheet lists pictures
	noted    *noted
	identity []Field
}

// readColumn is a column that means something, ready.
type readColumn struct {
	Column
	steps steps
	main  bool // its header says that its picture leads
}

// NewJudge makes a judge of a mapping. The error says what of the mapping cannot be
// used.
func NewJudge(m Mapping, c Choices) (*Judge, error) {
	j := &Judge{mapping: m, choices: c.Or(Usual), columns: make([]readColumn, len(m.Columns)), of: map[Field][]int{}, noted: newNoted()}
	for i, column := range m.Columns {
		if column.Index != i {
			return nil, fmt.Errorf("column %d says that it is column %d", i, column.Index)
		}
		if column.Field == "" {
			continue
		}
		if !column.Field.Known() {
			return nil, fmt.Errorf("column %q: there is no field %q", Clip(column.Column), Clip(string(column.Field)))
		}
		ready, err := prepare(column.Steps)
		if err != nil {
			return nil, fmt.Errorf("column %q: %w", Clip(column.Column), err)
		}
		if len(j.of[column.Field]) > 0 && !column.Field.Many() {
			return nil, fmt.Errorf("the columns %q and %q both are the %s",
				Clip(m.Columns[j.of[column.Field][0]].Column), Clip(column.Column), Words[column.Field])
		}
		j.columns[i] = readColumn{column, ready, heard(column.Column).has("main")}
		j.of[column.Field] = append(j.of[column.Field], i)
	}
	for _, f := range m.Identity {
		if !f.Identifies() {
			return nil, fmt.Errorf("the %s does not say which product a row is about", Words[f])
		}
		if len(j.of[f]) > 0 {
			j.identity = append(j.identity, f)
		}
	}
	if len(j.identity) == 0 {
		return nil, errNoIdentity
	}
	j.lists = len(j.of[Picture]) > 0
	return j, nil
}

var errNoIdentity = fmt.Errorf("no column says which product a row is about: one has to be the %s", func() string {
	words := make([]string, len(identities))
	for i, f := range identities {
		words[i] = Words[f]
	}
	return strings.Join(words[:len(words)-1], ", ") + " or " + words[len(words)-1]
}())

// Blank tells whether a row holds nothing.
func Blank(cells []string) bool { return filledIn(cells) == 0 }

// Row judges a row, as a person edited it, against the catalog.
func (j *Judge) Row(row int, cells []string, edits []Edit, known Catalog) Judged {
	r := j.begin(row, cells, edits)
	r.known = known
	r.read()
	r.identify()
	r.judgeProduct()
	r.judgeGTIN()
	r.judgeCategory()
	r.judgeFlags()
	r.judgePictures()
	r.judgeTwice()
	r.compare()
	return r.end()
}

// rowJudge judges one row.
type rowJudge struct {
	*Judge
	row    int
	cells  []string
	edits  []Edit
	known  Catalog
	values map[Field][]cellValue
	by     Field   // that identifies the row
	near   []*Item // what it may be about, as the catalog spells it
	out    Judged
}

// cellValue is a value of a row and the column that it stands in.
type cellValue struct {
	text   string
	column int
}

func (j *Judge) begin(row int, cells []string, edits []Edit) *rowJudge {
	for _, e := range edits {
		if e.Value != nil && e.Column >= 0 && e.Column < len(j.columns) {
			cells = slices.Clone(cells)
			for len(cells) <= e.Column {
				cells = append(cells, "")
			}
			break
		}
	}
	for _, e := range edits {
		if e.Value != nil && e.Column >= 0 && e.Column < len(cells) {
			cells[e.Column] = *e.Value
		}
	}
	return &rowJudge{Judge: j, row: row, cells: cells, edits: edits, values: map[Field][]cellValue{},
		out: Judged{Row: row, Cells: []Judgement{}, Changes: []Changed{}}}
}

// say records what is the matter with a cell, unless a person said that it shall be
// so.
func (r *rowJudge) say(column int, kind Matter, refuses bool, reason string, remedies ...Remedy) {
	for _, e := range r.edits {
		if e.Column == column && e.Kept == kind {
			return
		}
	}
	one := Judgement{Column: column, Kind: kind, Refuses: refuses, Reason: reason, Remedies: append([]Remedy{}, remedies...)}
	if column >= 0 {
		one.Value = Clip(cellOf(r.cells, column))
		if column < len(r.columns) {
			one.Field = r.columns[column].Field
		}
	}
	if refuses {
		one.Remedies = append(one.Remedies, Remedy{Do: Leave, Words: "Leave this row out"})
	}
	r.out.Cells = append(r.out.Cells, one)
}

func take(value, words string) Remedy { return Remedy{Do: Take, Value: value, Words: words} }

var emptyIt = Remedy{Do: Empty, Words: "Leave the cell out"}

// read takes the values of all columns that mean something; what cannot be
// read at all refuses the row.
func (r *rowJudge) read() {
	for i := len(r.columns); i < len(r.cells); i++ {
		if Clean(r.cells[i]) != "" {
			r.say(-1, OutOfPlace, true, fmt.Sprintf("The row has %d cells, the header %d: a delimiter or quote is out of place.",
				len(r.cells), len(r.columns)))
			break
		}
	}
	for i := range r.columns {
		c := &r.columns[i]
		if c.Field == "" {
			continue
		}
		if i < len(r.cells) && len(r.cells[i]) > MaxCell {
			r.say(i, TooLong, true, fmt.Sprintf("The cell holds %d characters, more than the %d that are taken.",
				len([]rune(r.cells[i])), MaxCell), emptyIt)
			continue
		}
		values, err := c.steps.of(r.cells, i)
		if err != nil {
			r.say(i, BadStep, true, "The steps of this column cannot be done: "+err.Error()+".", emptyIt)
			continue
		}
		for _, value := range values {
			if damage(value, c.Field).kind == errorValue {
				r.say(i, FormulaError, true, fmt.Sprintf("A formula failed here: the cell says %s.", value), emptyIt)
				continue
			}
			r.values[c.Field] = append(r.values[c.Field], cellValue{value, i})
		}
	}
}

// first returns a field's first value.
func (r *rowJudge) first(f Field) (cellValue, bool) {
	if values := r.values[f]; len(values) > 0 {
		return values[0], true
	}
	return cellValue{column: -1}, false
}

func (r *rowJudge) text(f Field) string {
	value, _ := r.first(f)
	return value.text
}

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
	if item == nil {
		if len(r.known.Find(Product, Key(code))) == 0 {
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

// judgeGTIN judges the barcode's number, and whose it is.
func (r *rowJudge) judgeGTIN() {
	value, there := r.first(GTIN)
	if !there {
		return
	}
	item := r.out.Wanted.Item
	code := cleanCode(value.text)
	normal, err := gtin.Normalise(code)
	if err != nil {
		r.badGTIN(value.column, code, err)
		return
	}
	r.out.Wanted.GTIN = normal
	for _, other := range r.known.Find(GTIN, normal) {
		if item == nil && (r.by == GTIN || slices.Contains(r.near, other)) || item != nil && (other.Variant == item.Variant || item.Variant == 0 && other.Product == item.Product) {
			continue
		}
		r.say(value.column, TakenGTIN, true, fmt.Sprintf("The catalog has this GTIN for %s (%s).", other.SKU, Clip(other.Title)), emptyIt)
		return
	}
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
	} else if path != "" {
		r.say(value.column, NewCategory, false, fmt.Sprintf("The category %q will be made.", Clip(path)))
	}
	r.out.Wanted.Category = path
}

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

// judgePictures takes the pictures that the row names, each with what stands
// beside it.
func (r *rowJudge) judgePictures() {
	pictures := r.values[Picture]
	for i, value := range pictures {
		named := NamedPicture{Column: value.column, Name: value.text, Lead: r.columns[value.column].main}
		if why := notAPicture(value.text); why != "" {
			r.say(value.column, NotAPicture, false, why, emptyIt)
			continue
		}
		if isAddress(value.text) && privateHost(value.text) {
			r.say(value.column, PrivateHost, false, "The address is inside a network, and is not fetched.", emptyIt)
			continue
		}
		named.View, named.Alt, named.Rights = r.beside(View, value.column), r.beside(Alt, value.column), r.text(Rights)
		if text := r.beside(Place, value.column); text != "" {
			named.Place = r.place(text, i)
		}
		r.out.Wanted.Pictures = append(r.out.Wanted.Pictures, named)
	}
	if value, there := r.first(Lead); there {
		yes, said := YesOrNo(value.text)
		if !said {
			r.say(value.column, NotYesNo, true, fmt.Sprintf("%q says neither yes nor no.", Clip(value.text)), emptyIt)
		} else if yes && len(r.out.Wanted.Pictures) > 0 {
			r.out.Wanted.Pictures[0].Lead = true
		}
	}
	if value, there := r.first(Place); there && len(r.of[Place]) == 1 {
		if _, ok := placeOf(value.text); !ok {
			r.say(value.column, NotAPlace, true, fmt.Sprintf("%q is no place: a number from 1 on is expected.", Clip(value.text)), emptyIt)
		}
	}
}

// beside returns what a column of a field says of the picture in another: the
// column that belongs to it where there are as many, else the only one.
func (r *rowJudge) beside(f Field, picture int) string {
	columns := r.of[f]
	if len(columns) == 0 {
		return ""
	}
	at := 0
	if len(columns) > 1 {
		at = slices.Index(r.of[Picture], picture)
		if at >= len(columns) {
			return ""
		}
	}
	for _, value := range r.values[f] {
		if value.column == columns[at] {
			return value.text
		}
	}
	return ""
}

// place is the place of the i-th picture of a row: what the row says, and the
// following for the following.
func (r *rowJudge) place(text string, i int) int {
	n, ok := placeOf(text)
	if !ok {
		return 0
	}
	if len(r.of[Place]) == 1 {
		n += i
	}
	return n
}

func placeOf(text string) (int, bool) {
	n, err := strconv.Atoi(strings.TrimSpace(text))
	return n, err == nil && n > 0 && n < 10_000
}

func (r *rowJudge) refused() bool {
	return slices.ContainsFunc(r.out.Cells, func(c Judgement) bool { return c.Refuses })
}

// end gives the row its verdict.
func (r *rowJudge) end() Judged {
	left := slices.ContainsFunc(r.edits, func(e Edit) bool { return e.Left })
	item := r.out.Wanted.Item
	switch {
	case left:
		r.out.Verdict = Skipped
	case r.refused():
		r.out.Verdict = Refused
	case item == nil && r.choices.New == DoSkip, item != nil && r.choices.Known == DoSkip && len(r.out.Changes) > 0:
		r.out.Verdict = Skipped
	case item == nil:
		r.out.Verdict = Make
	case len(r.out.Changes) > 0:
		r.out.Verdict = Change
	default:
		r.out.Verdict = Same
	}
	return r.out
}
