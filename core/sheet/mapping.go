package sheet

import (
	"fmt"
	"slices"
	"strings"
)

// Mapping says which column of a sheet means what.
type Mapping struct {
	Header   int      `json:"header" doc:"Row of the header, from 1, as a spreadsheet program counts"`
	Columns  []Column `json:"columns" nullable:"false"`
	Identity []Field  `json:"identity" nullable:"false" doc:"What says which variant a row is about: the first that holds something"`
}

// Column is a column and what it means.
type Column struct {
	Column   string     `json:"column" doc:"Its header, as it stands there"`
	Index    int        `json:"index" doc:"From 0"`
	Field    Field      `json:"field" doc:"What it means; empty where that is open"`
	Name     string     `json:"name,omitempty" doc:"Of an option or attribute"`
	Evidence string     `json:"evidence" doc:"Why, in words"`
	Sure     bool       `json:"sure" doc:"Whether the evidence agrees"`
	Steps    []CellStep `json:"steps,omitempty" doc:"What is done to its cells before they are judged"`
}

// Hits says for fields how many of some values are equal to what the catalog has
// there.
type Hits map[Field]int

// Proposer proposes mappings.
type Proposer struct {
	// Known looks values up in the catalog; nil where there is none.
	Known func(values []string) Hits
	// Names are the options and attributes that the catalog has.
	Names []string
	// Chosen returns what a person chose for a header before; false for nothing.
	Chosen func(header string) (Column, bool)
}

// proposal is what is thought of a column.
type proposal struct {
	column  Column
	said    said
	rule    *rule
	seen    *profile
	hits    Hits
	score   float64 // how much speaks for the field; a field of which there is one goes to the best
	because []string
}

// Propose maps the columns of a header by its words, by the values in rows below
// it, and by what was chosen before. Where words and values disagree the values
// count; what is not sure is left open.
func (p Proposer) Propose(names []string, rows [][]string) Mapping {
	all := make([]*proposal, len(names))
	for i, name := range names {
		all[i] = p.column(i, name, rows)
	}
	tellVariants(all, rows)
	secondLooks(all, rows)
	byBarcodes(all)
	settle(all)
	if isOwn(names) {
		takeOwn(all)
	}
	m := Mapping{Columns: make([]Column, len(all))}
	for i, one := range all {
		one.finish(p.Names)
		m.Columns[i] = one.column
	}
	m.Identity = m.Surest()
	if own := m.ofCategories(); len(own) > 0 && listsCategories(all) {
		m.Identity = own
	}
	return m
}

// Surest returns the field by which rows are told apart: the surest that is
// mapped.
func (m Mapping) Surest() []Field {
	for _, f := range identities {
		if m.has(f) {
			return []Field{f}
		}
	}
	return m.ofCategories()
}

// ofCategories returns by what the rows of a list of categories are told apart.
func (m Mapping) ofCategories() []Field {
	return slices.DeleteFunc(slices.Clone(categoryIdentities), func(f Field) bool { return !m.has(f) })
}

func (m Mapping) has(f Field) bool {
	return slices.ContainsFunc(m.Columns, func(c Column) bool { return c.Field == f })
}

func (p Proposer) column(i int, name string, rows [][]string) *proposal {
	one := &proposal{column: Column{Column: name, Index: i}, said: heard(name), seen: profileOf(rows, i)}
	if p.Chosen != nil {
		if before, ok := p.Chosen(name); ok {
			one.column.Field, one.column.Name, one.column.Steps = before.Field, before.Name, before.Steps
			one.score = 100
			one.because = append(one.because, "you chose this for this header before")
			return one
		}
	}
	if p.Known != nil && one.seen.filled > 0 {
		one.hits = p.Known(one.seen.values)
	}
	one.byWords()
	one.byValues()
	return one
}

// set takes a field for the column, for a reason.
func (o *proposal) set(f Field, score float64, because string) {
	o.column.Field, o.score = f, score
	o.because = append(o.because, because)
}

// open leaves the column open, for a reason.
func (o *proposal) open(because string) {
	o.column.Field, o.score = "", 0
	o.because = append(o.because, because)
}

func (o *proposal) byWords() {
	o.rule = ruleOf(o.said)
	exact := exactly[HeaderKey(o.column.Column)]
	switch {
	case exact != "":
		o.rule = nil
		o.set(exact, 10, fmt.Sprintf("its header is %q", o.column.Column))
	case o.rule == nil && o.column.Column == "":
		o.because = append(o.because, "it has no header")
	case o.rule == nil:
		o.because = append(o.because, "no word of its header is known")
	case o.rule.field == "":
		o.open("by its header " + o.rule.why)
	default:
		score := 10 - 2*float64(min(o.said.unknown, 2))
		if o.rule.weak {
			score = 3
		}
		if o.said.has("own") {
			score += 3
		}
		o.set(o.rule.field, score, fmt.Sprintf("its header says %s", Words[o.rule.field]))
	}
}

// exactly are headers that are fields' own names.
var exactly = func() map[string]Field {
	all := map[string]Field{"codes": Code, "file": Picture}
	for _, f := range Fields {
		all[HeaderKey(string(f))] = f
	}
	delete(all, string(Code)) // "code" alone is mostly the SKU
	return all
}()

// Words are the fields in the words of people.
var Words = map[Field]string{
	SKU: "SKU", Product: "product code", ProductID: "product ID", GTIN: "GTIN", Code: "a further code", Title: "title",
	Description: "description", Option: "an option", Attribute: "an attribute", Category: "category", CategoryID: "category ID",
	Picture: "picture", View: "view", Place: "place", Alt: "alternative text", Lead: "lead", Rights: "rights", Retire: "retire",
}

// Shares of values from which on they speak.
const (
	most = 0.8
	some = 0.5
	few  = 0.2
)

// byValues lets the values confirm, refuse or replace what the words say.
func (o *proposal) byValues() {
	seen := o.seen
	if seen.filled == 0 {
		if o.column.Field != "" {
			o.because = append(o.because, "all its cells are empty")
			o.score /= 2
		}
		return
	}
	if o.byCatalog() || o.byFiles() {
		return
	}
	switch o.column.Field {
	case Picture:
		o.likePictures()
	case GTIN:
		o.likeBarcodes()
	case SKU, Product, ProductID, Code:
		o.likeCodes()
	case Lead, Retire:
		o.unless(seen.share(seen.yesNo) >= most, "its values say yes and no", "its values do not say yes or no")
	case Place:
		o.unless(seen.share(seen.small) >= most && !seen.counts(), "its values are small numbers", "its values do not look like places")
	case Title, Description, Alt:
		if o.rule != nil && o.rule.weak && o.column.Field == Title && seen.share(seen.codes) >= most && seen.share(seen.words) < few {
			o.set(SKU, o.score-1, "but its values are codes")
			return
		}
		o.unless(seen.share(seen.numbers) < some && seen.share(seen.addresses)+seen.share(seen.files) < few && seen.share(seen.yesNo) < most,
			"its values are texts", "its values are no texts")
	case Category:
		o.likeCategories()
	case Attribute:
		alone := o.said.has("material") && o.said.unknown == 0 && len(o.said.meant) == 1
		if alone && seen.share(seen.codes) >= most && seen.distinct == seen.filled {
			o.set(SKU, o.score, "its values are codes, none of which stands twice")
		}
	case CategoryID:
		o.unless(seen.mean() < 24, "", "its values are texts")
	case "":
		o.byValuesAlone()
	}
}

// byFiles takes for pictures what nearly all end like pictures, whatever the header
// says.
func (o *proposal) byFiles() bool {
	seen := o.seen
	if o.column.Field == Picture || seen.filled < 2 || seen.share(seen.files+seen.pictureAddresses) < most {
		return false
	}
	because := "its values end like pictures"
	if o.column.Field != "" {
		because = "but " + because
	}
	o.set(Picture, 6, because)
	return true
}

// unless keeps the field where is holds, else leaves the column open.
func (o *proposal) unless(is bool, because, why string) {
	switch {
	case !is:
		o.open("but " + why)
		o.byValuesAlone()
	case because != "":
		o.score++
		o.because = append(o.because, because)
	}
}

// byCatalog compares values with the catalog: what is equal to many of its codes
// is that code, whatever the header says.
func (o *proposal) byCatalog() bool {
	looked := len(o.seen.values)
	if looked < 2 {
		return false
	}
	best, hits := Field(""), 0
	for _, f := range []Field{SKU, Product, ProductID, GTIN, Code, Title, CategoryID, Category} {
		n := o.hits[f]
		if n > hits || n == hits && n > 0 && f == o.column.Field {
			best, hits = f, n
		}
	}
	if hits == 0 || float64(hits) < some*float64(looked) && (best != o.column.Field || hits < 2) {
		return false
	}
	if o.column.Field == Option || o.column.Field == Attribute {
		return false
	}
	because := fmt.Sprintf("%d of %d values are the %s of something in the catalog", hits, looked, Words[best])
	if best != o.column.Field && o.column.Field != "" {
		because = "but " + because
	}
	o.set(best, 20+float64(hits)/float64(looked), because)
	return true
}

func (o *proposal) likePictures() {
	seen := o.seen
	switch {
	case seen.share(seen.files) >= few:
		o.score += 5
		o.because = append(o.because, "its values end like pictures")
	case seen.share(seen.addresses) >= some:
		o.score += 5
		o.because = append(o.because, "its values are addresses")
	case seen.share(seen.yesNo) >= most:
		o.open("but its values say yes and no")
		if o.said.has("main") {
			o.set(Lead, 8, "as a lead is marked")
		}
	case seen.share(seen.small) >= most:
		o.open("but its values are small numbers")
		if o.said.has("number") {
			o.set(Place, 6, "as places are counted")
		}
	case seen.share(seen.words) >= most && !o.said.has("file"):
		o.open("but its values are texts")
	case o.rule != nil && o.rule.weak:
		o.open("but its values are no files")
	}
}

func (o *proposal) likeBarcodes() {
	seen := o.seen
	o.unless(seen.share(seen.gtins) >= few || seen.share(seen.numbers) >= some || damagedShare(seen) >= few,
		fmt.Sprintf("%d of %d values have a right check digit", seen.gtins, seen.filled), "its values are no barcodes")
}

func damagedShare(seen *profile) float64 {
	n := 0
	for _, value := range seen.values {
		if damage(value, GTIN).kind != "" {
			n++
		}
	}
	return float64(n) / float64(max(1, len(seen.values)))
}

func (o *proposal) likeCodes() {
	seen := o.seen
	switch {
	case seen.share(seen.gtins) >= 0.9 && seen.filled >= 4 && seen.mean() >= 12:
		f := GTIN
		if o.column.Field == Code {
			f = Code
		}
		o.set(f, o.score, fmt.Sprintf("but %d of %d values are GTINs by their check digit", seen.gtins, seen.filled))
	case seen.share(seen.files) >= most || seen.share(seen.addresses) >= most:
		o.open("but its values name files")
		o.byValuesAlone()
	case o.column.Field == Code && seen.share(seen.small) >= most:
		o.open("but its values are small numbers")
	case (o.column.Field == Product || o.column.Field == SKU) && seen.share(seen.words) >= some && seen.share(seen.codes) < few:
		o.set(Title, o.score-4, "but its values are texts")
	case seen.share(seen.words) >= most && seen.mean() > 24:
		o.open("but its values are texts")
	case o.rule != nil && o.rule.weak && (seen.share(seen.codes) < most || o.said.unknown > 0 && seen.distinct < seen.filled):
		o.open("but its values are no codes")
	case o.column.Field == ProductID && seen.share(seen.codes) < some:
		o.open("but its values are no codes")
	default:
		if seen.share(seen.codes) >= some {
			o.score++
			o.because = append(o.because, "its values are codes")
		}
	}
}

func (o *proposal) likeCategories() {
	seen := o.seen
	switch {
	case seen.share(seen.paths) >= some:
		o.score += 4
		o.because = append(o.because, "its values are paths")
	case seen.share(seen.codes) >= most && seen.share(seen.words) < few:
		o.set(CategoryID, o.score, "its values are codes")
	case seen.mean() > 120:
		o.open("but its values are long texts")
	}
}

// byValuesAlone maps a column by its values where its header says nothing that
// counts, and only what cannot be taken for something else.
func (o *proposal) byValuesAlone() {
	seen := o.seen
	if seen.filled < 2 || o.rule != nil && o.rule.field == "" && o.rule.why != "" {
		return
	}
	switch {
	case seen.share(seen.files) >= most:
		o.set(Picture, 6, "its values end like pictures")
	case seen.share(seen.pictureAddresses) >= most:
		o.set(Picture, 6, "its values are addresses of pictures")
	case seen.share(seen.gtins) >= 0.9 && seen.filled >= 4 && seen.mean() >= 12:
		o.set(GTIN, 5, fmt.Sprintf("%d of %d values are GTINs by their check digit", seen.gtins, seen.filled))
	case seen.share(seen.paths) >= 0.9 && seen.filled >= 4 && strings.ContainsAny(seen.values[0], ">»"):
		o.set(Category, 4, "its values are paths")
	case seen.share(seen.views) >= most:
		o.set(View, 4, "its values are views")
	}
}

// finish words the evidence. names are the catalog's options and attributes.
func (o *proposal) finish(names []string) {
	c := &o.column
	if (c.Field == Option || c.Field == Attribute) && c.Name == "" {
		c.Name = c.Column
		if name := sameName(c.Column, names); name != "" && name != c.Column {
			c.Name = name
			o.because = append(o.because, fmt.Sprintf("the catalog calls it %q", Clip(name)))
		}
	}
	if c.Steps == nil && (c.Field == Picture || c.Field == Code) && o.seen.separator != "" {
		c.Steps = []CellStep{{Do: Split, Arg: o.seen.separator}}
		o.because = append(o.because, fmt.Sprintf("several stand in one cell, apart by %s", separatorWords[o.seen.separator]))
	}
	c.Evidence = strings.Join(o.because, ", ")
	// What the catalog itself says of most values is sure, whatever the header says.
	c.Sure = c.Field != "" && (o.score >= 20 || o.score >= 5 && !strings.Contains(c.Evidence, "but "))
}

var separatorWords = map[string]string{"|": "bars", ";": "semicolons", ",": "commas", "\n": "line ends"}

// sameName returns what the catalog calls an option or attribute: the same header,
// or the only one that means the same.
func sameName(header string, names []string) string {
	var alike []string
	meant := heard(header)
	for _, name := range names {
		if SameHeader(name, header) {
			return name
		}
		other := heard(name)
		for _, m := range []meaning{"colour", "size", "material", "scent", "finish", "volume", "length", "brand"} {
			if meant.has(m) && other.has(m) && meant.number == other.number {
				alike = append(alike, name)
				break
			}
		}
	}
	if len(alike) == 1 {
		return alike[0]
	}
	return ""
}
