// Package catalog judges rows that describe products and variants. Writing
// them is for internal/store; reading spreadsheets in full is for core/sheet.
package catalog

import (
	"fmt"
	"slices"
	"strings"

	"ambrosa/core/gtin"
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

// Columns says which column of a sheet means what.
type Columns struct {
	header  []string
	byField map[string]int
	options []int
}

var headerWords = map[string]string{
	"sku": "sku", "article": "sku", "article number": "sku", "item": "sku", "item number": "sku", "item no": "sku",
	"product": "product", "product code": "product", "parent": "product", "parent sku": "product", "model": "product",
	"title": "title", "name": "title", "product name": "title", "description": "title",
	"gtin": "gtin", "ean": "gtin", "upc": "gtin", "barcode": "gtin", "ean13": "gtin", "gtin13": "gtin", "gtin14": "gtin",
	"category": "category", "category path": "category",
	"codes": "codes", "other codes": "codes", "supplier code": "codes", "manufacturer code": "codes",
}

// ReadHeader maps a sheet's header. A header that is not known names an option.
// The error says what is missing or stands there twice.
func ReadHeader(header []string) (Columns, error) {
	c := Columns{byField: map[string]int{}}
	for i, cell := range header {
		name := strings.TrimSpace(strings.TrimPrefix(cell, "\ufeff"))
		c.header = append(c.header, name)
		field, known := headerWords[strings.Join(strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return r == ' ' || r == '_' || r == '-' || r == '.' }), " ")]
		if !known {
			if name != "" {
				c.options = append(c.options, i)
			}
			continue
		}
		if before, twice := c.byField[field]; twice {
			return c, fmt.Errorf("the columns %q and %q both mean %s", c.header[before], name, field)
		}
		c.byField[field] = i
	}
	if _, ok := c.byField["sku"]; !ok {
		return c, fmt.Errorf("no column \"sku\" among %s", quoteList(c.header))
	}
	return c, nil
}

func quoteList(list []string) string {
	quoted := make([]string, 0, len(list))
	for _, text := range list[:min(len(list), 20)] {
		quoted = append(quoted, fmt.Sprintf("%q", Clip(text)))
	}
	return strings.Join(quoted, ", ")
}

// Clip shortens a value for a message.
func Clip(text string) string {
	if runes := []rune(text[:min(len(text), 400)]); len(runes) > 60 {
		return string(runes[:60]) + "…"
	}
	return text
}

// Judge reads one row. Problems without Kept mean that the row cannot be
// taken; line is the row's number for messages.
func (c Columns) Judge(cells []string, line int) (Row, []Problem) {
	var problems []Problem
	refuse := func(column int, kept bool, reason string) {
		name, value := "", ""
		if column >= 0 && column < len(c.header) {
			name = c.header[column]
		}
		if column >= 0 && column < len(cells) {
			value = Clip(cells[column])
		}
		problems = append(problems, Problem{line, name, value, reason, kept})
	}
	for i, cell := range cells {
		if len(cell) > MaxCell {
			refuse(i, false, fmt.Sprintf("the cell holds %d characters, more than %d", len(cell), MaxCell))
			return Row{}, problems
		}
	}
	if len(cells) > len(c.header) {
		refuse(-1, false, fmt.Sprintf("the row has %d cells, the header %d: a delimiter or quote is out of place", len(cells), len(c.header)))
		return Row{}, problems
	}
	cell := func(field string) string {
		if i, ok := c.byField[field]; ok && i < len(cells) {
			return strings.TrimSpace(cells[i])
		}
		return ""
	}
	row := Row{SKU: cell("sku"), Product: cell("product"), Title: cell("title"), Category: cleanCategory(cell("category"))}
	if row.SKU == "" {
		refuse(c.byField["sku"], false, "the SKU is empty")
		return row, problems
	}
	if text := cell("gtin"); text != "" {
		normal, err := gtin.Normalise(text)
		if err != nil {
			refuse(c.byField["gtin"], true, err.Error())
		}
		row.GTIN = normal
	}
	for code := range strings.SplitSeq(cell("codes"), "|") {
		if code = strings.TrimSpace(code); code != "" && !slices.Contains(row.Codes, code) {
			row.Codes = append(row.Codes, code)
		}
	}
	for _, i := range c.options {
		if i < len(cells) && strings.TrimSpace(cells[i]) != "" {
			row.Options = append(row.Options, Option{c.header[i], strings.TrimSpace(cells[i])})
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
