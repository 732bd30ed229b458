package sheet

import (
	"fmt"
	"slices"
	"strings"
)

// RowProblem is an error in a cell. Its row is not imported, unless Kept is set: then the row is imported without this cell.
type RowProblem struct {
	Row    int    `json:"row" doc:"Line of the sheet, the header being 1"`
	Column string `json:"column"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Kept   bool   `json:"kept" doc:"The row was imported without this cell"`
}

// codesSeparator separates several codes in one cell.
const codesSeparator = "|"

// ByHeader returns the mapping for products that a program sends. names is the header, row its number. Only the words of Products count,
// never the values below them, so that the same header always means the same. A column with another name is an option; a column without a
// name is ignored. The error is a *HeaderError: a column is missing, or two columns mean the same.
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
		c.Sure, c.Evidence = true, fmt.Sprintf("sent by a program with the header %q", Clip(strings.TrimSpace(c.Column)))
		if c.Field == Codes {
			c.Field, c.Steps = Code, []CellStep{{Do: Split, Arg: codesSeparator}}
		}
	}
	return m, nil
}

// ProblemsOf returns the errors of a row, in the order of its columns: all, or only those in columns of some fields. Remarks that do
// not stop the row (a category that will be created) are not errors.
func (m Mapping) ProblemsOf(j Judged, only ...Field) (list []RowProblem) {
	for _, cell := range j.Cells {
		if !cell.Refuses || len(only) > 0 && !slices.Contains(only, cell.Field) {
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
