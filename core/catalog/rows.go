// Package catalog judges rows that describe products and variants. Writing
// them is for internal/store; reading spreadsheets in full is for core/sheet.
package catalog

import (
	"fmt"
	"slices"
	"strings"

	"ambrosa/core/gtin"
	"ambrosa/core/sheet"
)

// Option is a value that tells a variant from its siblings.
type Option struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Row is a variant as a row of a sheet gives it.
type Row struct {
	SKU      string
	Product  string // the product's code; empty when the sheet names none: then the one it has, else the SKU
	Title    string
	GTIN     string // 14 digits, or empty
	Category string // names from the top, separated by " / "
	Codes    []string
	Options  []Option
}

// Problem is a cell that cannot be used, and why. The row is left out, unless
// Kept is set: then only the cell is.
type Problem struct {
	Row    int    `json:"row" doc:"Line of the sheet, the header being 1"`
	Column string `json:"column"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Kept   bool   `json:"kept" doc:"The row was taken without this cell"`
}

// MaxCell is the longest cell that is taken, in bytes.
const MaxCell = 10_000

// Columns says which column of a sheet of products means what. A column that
// means nothing known is an option.
type Columns struct{ header sheet.Header }

// ReadHeader maps a sheet's header. The error is a *sheet.HeaderError: what is
// missing or stands there twice.
func ReadHeader(header []string) (Columns, error) {
	read, err := sheet.Products.Header(header, false, sheet.SKU)
	return Columns{read}, err
}

// Judge reads one row. Problems without Kept mean that the row cannot be
// taken; line is the row's number for messages.
func (c Columns) Judge(cells []string, line int) (Row, []Problem) {
	var problems []Problem
	refuse := func(column int, kept bool, reason string) {
		name, value := "", ""
		if column >= 0 && column < len(c.header.Names) {
			name = c.header.Names[column]
		}
		if column >= 0 && column < len(cells) {
			value = sheet.Clip(cells[column])
		}
		problems = append(problems, Problem{line, name, value, reason, kept})
	}
	for i, cell := range cells {
		if len(cell) > MaxCell {
			refuse(i, false, fmt.Sprintf("the cell holds %d characters, more than %d", len(cell), MaxCell))
			return Row{}, problems
		}
	}
	if len(cells) > len(c.header.Names) {
		refuse(
			-1,
			false,
			fmt.Sprintf("the row has %d cells, the header %d: a delimiter or quote is out of place", len(cells), len(c.header.Names)),
		)
		return Row{}, problems
	}
	cell := func(field sheet.Field) string { return c.header.Cell(cells, field) }
	row := Row{SKU: cell(sheet.SKU), Product: cell(sheet.Product), Title: cell(sheet.Title), Category: cleanCategory(cell(sheet.Category))}
	if row.SKU == "" {
		refuse(c.header.Column(sheet.SKU), false, "the SKU is empty")
		return row, problems
	}
	if text := cell(sheet.GTIN); text != "" {
		normal, err := gtin.Normalise(text)
		if err != nil {
			refuse(c.header.Column(sheet.GTIN), true, err.Error())
		}
		row.GTIN = normal
	}
	for code := range strings.SplitSeq(cell(sheet.Codes), "|") {
		if code = strings.TrimSpace(code); code != "" && !slices.Contains(row.Codes, code) {
			row.Codes = append(row.Codes, code)
		}
	}
	for _, i := range c.header.Others {
		if i < len(cells) && strings.TrimSpace(cells[i]) != "" {
			row.Options = append(row.Options, Option{c.header.Names[i], strings.TrimSpace(cells[i])})
		}
	}
	return row, problems
}

func cleanCategory(text string) string {
	var names []string
	for _, name := range strings.FieldsFunc(text, func(r rune) bool { return r == '/' || r == '>' }) {
		if name = strings.TrimSpace(name); name != "" {
			names = append(names, name)
		}
	}
	return strings.Join(names, " / ")
}
