package sheet

import (
	"errors"
	"fmt"
	"slices"
)

// Choices are what an import shall do.
type Choices struct {
	New   Choice `json:"new" enum:"make,skip" doc:"Rows that the catalog does not have"`
	Known Choice `json:"known" enum:"change,skip" doc:"Rows that it has"`
	Empty Choice `json:"empty" enum:"leave,clear" doc:"Empty cells: leave what stands, or clear it"`
	Gone  Choice `json:"gone,omitempty" enum:"leave,list,list all" doc:"Variants that it does not name: list those of an earlier one, or all"`
	// Pictures says how those that it names are placed among what stands: a way of a plan.
	Pictures Choice `json:"pictures,omitempty" enum:"after,before,instead,like for like" doc:"How its pictures are planned"`
	// Lots are looked in for the pictures that it names.
	Lots []int64 `json:"lots,omitempty" maxItems:"100" doc:"Where pictures are looked for by their names; none for all lots"`
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
	DoList   Choice = "list"
	DoAll    Choice = "list all"
	DoAfter  Choice = "after"
)

// Usual are the choices that hold where nobody chose.
var Usual = Choices{New: DoMake, Known: DoChange, Empty: DoLeave, Gone: DoLeave, Pictures: DoAfter}

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
	if c.Gone == "" {
		c.Gone = usual.Gone
	}
	if c.Pictures == "" {
		c.Pictures = usual.Pictures
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

var errNoIdentity = errors.New("no column says which product a row is about: " +
	"one has to be the SKU, product code, product ID, GTIN, a further code or the title; in a list of categories, their ID or path")

// Blank tells whether a row holds nothing.
func Blank(cells []string) bool { return filledIn(cells) == 0 }

// Row judges a row, as a person edited it, against the catalog.
func (j *Judge) Row(row int, cells []string, edits []CellEdit, known Catalog) Judged {
	return j.Open(row, cells, edits).Judge(known)
}

// Judge judges the row against a catalog that has what the row asked of it.
func (o Opened) Judge(known Catalog) Judged {
	r := o.row
	r.known = known
	if r.ofCategories() {
		r.judgeBranch()
		r.judgePictures()
		r.judgeTwice()
		r.compareBranch()
		return r.end()
	}
	r.identify()
	r.judgeProduct()
	r.judgeID()
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
	edits  []CellEdit
	known  Catalog
	values map[Field][]cellValue
	by     Field   // that identifies the row
	near   []*Item // what it may be about, as the catalog spells it
	joins  *Item   // a variant of the product that a new one joins, or a known one moves to
	out    Judged
}

// cellValue is a value of a row and the column that it stands in.
type cellValue struct {
	text   string
	column int
}

func (j *Judge) begin(row int, cells []string, edits []CellEdit) *rowJudge {
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
		out: Judged{Row: row, Cells: []Judgement{}, Changes: []FieldChange{}}}
}

// say records what is the matter with a cell, unless a person said that it shall be
// so; then it returns false.
func (r *rowJudge) say(column int, kind Matter, refuses bool, reason string, remedies ...Remedy) bool {
	for _, e := range r.edits {
		if e.Column == column && e.Kept == kind {
			return false
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
	return true
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
			if failed(value) {
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

func (r *rowJudge) refused() bool {
	return slices.ContainsFunc(r.out.Cells, func(c Judgement) bool { return c.Refuses })
}

// end gives the row its verdict.
func (r *rowJudge) end() Judged {
	left := slices.ContainsFunc(r.edits, func(e CellEdit) bool { return e.Left })
	known := r.out.Wanted.Item != nil || r.out.Wanted.Branch != nil && r.out.Wanted.Branch.Item != nil
	switch {
	case left:
		r.out.Verdict = Skipped
	case r.refused():
		r.out.Verdict = Refused
	case !known && r.choices.New == DoSkip, known && r.choices.Known == DoSkip && len(r.out.Changes) > 0:
		r.out.Verdict = Skipped
	case !known:
		r.out.Verdict = Make
	case len(r.out.Changes) > 0:
		r.out.Verdict = Change
	default:
		r.out.Verdict = Same
	}
	return r.out
}
