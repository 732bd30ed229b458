package sheet

import (
	"fmt"
	"slices"
	"strings"

	"ambrosa/core/catalog"
	"ambrosa/core/gtin"
)

// Problem is a cell that cannot be used, and why. The row is left out, unless
// Kept is set: then only the cell is.
type Problem struct {
	Row    int    `json:"row" doc:"Line of the sheet, the header being 1"`
	Column string `json:"column"`
	Value  string `json:"value"`
	Reason string `json:"reason"`
	Kept   bool   `json:"kept" doc:"The row was taken without this cell"`
}

// ProductColumns says which column of a sheet of products means what. A column that
// means nothing known is an option.
type ProductColumns struct{ header Header }

// ReadHeader maps a sheet's header. The error is a *HeaderError: what is
// missing or stands there twice.
func ReadHeader(header []string) (ProductColumns, error) {
	read, err := Products.Header(header, false, SKU)
	return ProductColumns{read}, err
}

// Judge reads one row. Problems without Kept mean that the row cannot be
// taken; line is the row's number for messages.
func (c ProductColumns) Judge(cells []string, line int) (catalog.Row, []Problem) {
	var problems []Problem
	refuse := func(column int, kept bool, reason string) {
		name, value := "", ""
		if column >= 0 && column < len(c.header.Names) {
			name = c.header.Names[column]
		}
		if column >= 0 && column < len(cells) {
			value = Clip(cells[column])
		}
		problems = append(problems, Problem{line, name, value, reason, kept})
	}
	for i, cell := range cells {
		if len(cell) > MaxCell {
			refuse(i, false, fmt.Sprintf("the cell holds %d characters, more than %d", len(cell), MaxCell))
			return catalog.Row{}, problems
		}
	}
	if len(cells) > len(c.header.Names) {
		refuse(
			-1,
			false,
			fmt.Sprintf("the row has %d cells, the header %d: a delimiter or quote is out of place", len(cells), len(c.header.Names)),
		)
		return catalog.Row{}, problems
	}
	cell := func(field Field) string { return c.header.Cell(cells, field) }
	row := catalog.Row{SKU: cell(SKU), Product: cell(Product), Title: cell(Title), Category: cleanCategory(cell(Category))}
	if row.SKU == "" {
		refuse(c.header.Column(SKU), false, "the SKU is empty")
		return row, problems
	}
	if text := cell(GTIN); text != "" {
		normal, err := gtin.Normalise(text)
		if err != nil {
			refuse(c.header.Column(GTIN), true, err.Error())
		}
		row.GTIN = normal
	}
	for code := range strings.SplitSeq(cell(Codes), "|") {
		if code = strings.TrimSpace(code); code != "" && !slices.Contains(row.Codes, code) {
			row.Codes = append(row.Codes, code)
		}
	}
	for _, i := range c.header.Others {
		if i < len(cells) && strings.TrimSpace(cells[i]) != "" {
			row.Options = append(row.Options, catalog.Option{Name: c.header.Names[i], Value: strings.TrimSpace(cells[i])})
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
	return strings.Join(names, catalog.PathSeparator)
}
