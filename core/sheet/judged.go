package sheet

import (
	"slices"

	"ambrosa/core/catalog"
)

// Verdict is what an import will do with a row.
type Verdict string

// The verdicts.
const (
	Make    Verdict = "make"
	Change  Verdict = "change"
	Same    Verdict = "same"
	Refused Verdict = "refused"
	Skipped Verdict = "skipped" // by a choice of the import, or by a person
)

// Judged is a row as it was judged.
type Judged struct {
	Row     int           `json:"row" doc:"As a spreadsheet program counts"`
	Verdict Verdict       `json:"verdict" enum:"make,change,same,refused,skipped"`
	SKU     string        `json:"sku" doc:"Or what else identifies the row"`
	Cells   []Judgement   `json:"cells" nullable:"false" doc:"Those in question"`
	Changes []FieldChange `json:"changes" nullable:"false" doc:"What becomes of a known row, field by field"`
	Wanted  Wanted        `json:"-"` // what the import writes
}

// Judgement says what is the matter with a cell.
type Judgement struct {
	Column   int      `json:"column" doc:"From 0; -1 for the row as a whole"`
	Field    Field    `json:"field"`
	Value    string   `json:"value"`
	Kind     Matter   `json:"judgement" doc:"What is the matter, in a word: alike ones can be mended together"`
	Refuses  bool     `json:"refuses" doc:"Whether the row is refused for it"`
	Reason   string   `json:"reason"`
	Remedies []Remedy `json:"remedies" nullable:"false"`
}

// Matter is a kind of what is the matter with a cell.
type Matter string

// What can be the matter.
const (
	NoIdentity   Matter = "no identity"
	NoSKU        Matter = "no sku" // of what would be made
	TakenID      Matter = "another's id"
	TakenSKU     Matter = "another's sku"
	FormulaError Matter = "formula error"
	TooLong      Matter = "too long"
	TooDeep      Matter = "too deep"
	OutOfPlace   Matter = "out of place"
	LostFigures  Matter = "lost figures"
	MadeDate     Matter = "made a date"
	Spelling     Matter = "spelt otherwise" // the catalog has it with zeros or separators
	Ambiguous    Matter = "several"
	BadGTIN      Matter = "no gtin"
	TakenGTIN    Matter = "another's gtin"
	Moves        Matter = "would move"
	Twice        Matter = "twice"
	NotYesNo     Matter = "not yes or no"
	NotAPlace    Matter = "no place"
	NoCategory   Matter = "no such category"
	NotAPicture  Matter = "no picture"
	BadStep      Matter = "step failed"
	NewCategory  Matter = "new category"
	Cleaned      Matter = "cleaned"
	SharedFile   Matter = "named for another"
	Missing      Matter = "missing" // of a picture
	Contested    Matter = "contested"
	NotFetched   Matter = "not fetched"
	PrivateHost  Matter = "private address"
)

// Deed is what a remedy does.
type Deed string

// What remedies do.
const (
	Take  Deed = "take"  // a value for the cell
	Empty Deed = "empty" // the cell is taken as empty
	Keep  Deed = "keep"  // it stands as it is
	Leave Deed = "leave" // the row is left out
)

// Remedy is a way to mend a cell.
type Remedy struct {
	Do    Deed   `json:"do" enum:"take,empty,keep,leave"`
	Value string `json:"value,omitempty" doc:"Of take"`
	Words string `json:"words" doc:"As a button says it"`
	Sum   string `json:"sum,omitempty" doc:"Of the picture that the value means, where several are called so"`
}

// FieldChange is what becomes of one field.
type FieldChange struct {
	Field  Field  `json:"field"`
	Name   string `json:"name,omitempty" doc:"Of an option or attribute"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// Wanted is what a row says, ready to be written. Of a known row only what the
// sheet says.
type Wanted struct {
	Item       *Item // as the catalog has it; nil for a new one
	SKU        string
	Product    string // code; "" where the sheet names none
	ProductID  string
	Title      string
	Descr      string
	GTIN       string
	Category   string
	Codes      []string
	Options    []catalog.Option
	Attributes []catalog.Option
	Retire     *bool
	Pictures   []NamedPicture
	Branch     *Branch // of a list of categories
}

// NamedPicture is a picture that a row names.
type NamedPicture struct {
	Column int    `json:"column"`
	Name   string `json:"name" doc:"Of a file, or an address"`
	View   string `json:"view,omitempty"`
	Place  int    `json:"place,omitempty"`
	Alt    string `json:"alt,omitempty"`
	Lead   bool   `json:"lead,omitempty"`
	Rights string `json:"rights,omitempty"`
}

// CellEdit is what a person did to a row of a sheet, which itself stays as it came.
type CellEdit struct {
	Column int     `json:"column" doc:"From 0; -1 for the row"`
	Value  *string `json:"value,omitempty" doc:"Instead of what stands there"`
	Kept   Matter  `json:"kept,omitempty" doc:"What is the matter with it, and shall be"`
	Left   bool    `json:"left,omitempty" doc:"The row is left out"`
}

func yesWord(yes bool) string {
	if yes {
		return "yes"
	}
	return "no"
}

// AsItem returns a new row as the catalog would have it, with a number for it as
// variant and product.
func (w Wanted) AsItem(id int64) Item {
	item := Item{Product: id, Variant: id, SKU: w.SKU, Code: w.Product, ProductID: w.ProductID, Title: w.Title, Description: w.Descr,
		GTIN: w.GTIN, Category: w.Category, Codes: w.Codes, Options: w.Options, Attributes: w.Attributes}
	if item.Code == "" {
		item.Code = w.SKU
	}
	if item.SKU == "" {
		item.SKU = item.Code
	}
	item.Retired = w.Retire != nil && *w.Retire
	return item
}

// Same tells whether two edits are the same.
func (e CellEdit) Same(o CellEdit) bool {
	values := e.Value == o.Value || e.Value != nil && o.Value != nil && *e.Value == *o.Value
	return values && e.Column == o.Column && e.Kept == o.Kept && e.Left == o.Left
}

// Settles tells whether a deed says by itself what becomes of the cell, so that it can be
// done for all alike: the first of its remedies that does it is the surest. Of several files
// or categories of one name none is.
func (j Judgement) Settles(deed Deed) bool {
	ways := 0
	for _, remedy := range j.Remedies {
		if remedy.Do == deed {
			ways++
		}
	}
	return ways == 1 || ways > 1 && j.Kind != Contested && j.Kind != Ambiguous
}

// Mend returns the edits of a row with what a remedy of a cell does added to them; false
// where the cell has no such remedy, or several that are as good.
func Mend(edits []CellEdit, cell Judgement, deed Deed) ([]CellEdit, bool) {
	at := slices.IndexFunc(cell.Remedies, func(r Remedy) bool { return r.Do == deed })
	if at < 0 || !cell.Settles(deed) {
		return edits, false
	}
	edits = slices.Clone(edits)
	switch deed {
	case Take, Empty:
		value := cell.Remedies[at].Value // of Empty it is empty
		edits = slices.DeleteFunc(edits, func(e CellEdit) bool { return e.Column == cell.Column && e.Value != nil })
		edits = append(edits, CellEdit{Column: cell.Column, Value: &value})
	case Keep:
		edits = append(edits, CellEdit{Column: cell.Column, Kept: cell.Kind})
	case Leave:
		edits = append(edits, CellEdit{Column: -1, Left: true})
	}
	return edits, true
}
