package sheet

import (
	"fmt"
	"strings"
)

// RowProblem is a cell that cannot be used, and why. The row is left out, unless Kept is set: then only the cell is.
type RowProblem struct {
	Row    int    `json:"row" doc:"Line of the sheet, the header being 1"`
	Column string `json:"column"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Kept   bool   `json:"kept" doc:"The row was taken without this cell"`
}

// codesSeparator parts codes in one cell of a sheet that a program sends.
const codesSeparator = "|"

// ByHeader maps the columns of products that a program sends, at the row of the header, by the words of
// Products alone: the same header means the same whatever stands below it. A column that means nothing
// known is an option, one without a name nothing. The error is a *HeaderError: what is missing
// or stands there twice.
func ByHeader(names []string, row int) (Mapping, error) {
	read, err := Products.Header(names, false, SKU)
	if err != nil {
		return Mapping{}, err
	}
	m := Mapping{Header: row, Columns: make([]Column, len(read.Names)), Identity: []Field{SKU}}
	for i, name := range read.Names {
		m.Columns[i] = Column{Column: name, Index: i}
	}
	for _, i := range read.Others {
		m.Columns[i].Field, m.Columns[i].Name = Option, read.Names[i]
	}
	for field, i := range read.at {
		m.Columns[i].Field = field
	}
	for i := range m.Columns {
		c := &m.Columns[i]
		if c.Field == "" {
			continue
		}
		c.Sure, c.Evidence = true, fmt.Sprintf("a program sent it, and its header %q means this", Clip(strings.TrimSpace(c.Column)))
		if c.Field == Codes {
			c.Field, c.Steps = Code, []CellStep{{Do: Split, Arg: codesSeparator}}
		}
	}
	return m, nil
}

// ProblemsOf returns what refuses a row, in the order of its columns. What is only said of a row (a category that will be made)
// is none.
func (m Mapping) ProblemsOf(j Judged) (list []RowProblem) {
	for _, cell := range j.Cells {
		if !cell.Refuses {
			continue
		}
		p := RowProblem{Row: j.Row, Value: cell.Value, Reason: cell.Reason}
		if cell.Column >= 0 && cell.Column < len(m.Columns) {
			p.Column = m.Columns[cell.Column].Column
		}
		list = append(list, p)
	}
	return list
}
