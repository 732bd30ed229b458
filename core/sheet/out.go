package sheet

import (
	"fmt"
	"strconv"
	"strings"

	"ambrosa/core/catalog"
)

// OutColumn is a column of the catalog as it goes out, to be brought in again.
type OutColumn struct {
	Field Field
	Name  string // of an option or attribute
	At    int    // of several: which, from 1
}

// ownMark is the header by which a sheet is known to be the catalog's own.
const ownMark = "SKU (Ambrosa)"

// outHeaders are the headers of the columns that there is one of.
var outHeaders = map[Field]string{SKU: ownMark, Product: "Product code", ProductID: "Product ID", GTIN: "GTIN", Title: "Title",
	Description: "Description", Category: "Category", CategoryID: "Category ID", Retire: "Retired"}

// outNumbered are the words before the number of those that there are several of.
var outNumbered = map[Field]string{Code: "Further code ", Picture: "Picture "}

// outNamed are the words behind the name of those that have one.
var outNamed = map[Field]string{Option: " (option)", Attribute: " (attribute)"}

// OutColumns returns all columns that a catalog with these options, attributes and, at
// most, so many further codes has, in their usual order.
func OutColumns(options, attributes []string, codes int) []OutColumn {
	columns := []OutColumn{{Field: SKU}, {Field: Product}, {Field: ProductID}, {Field: GTIN}, {Field: Title}}
	for _, name := range options {
		columns = append(columns, OutColumn{Field: Option, Name: name})
	}
	columns = append(columns, OutColumn{Field: Category}, OutColumn{Field: CategoryID}, OutColumn{Field: Description})
	for _, name := range attributes {
		columns = append(columns, OutColumn{Field: Attribute, Name: name})
	}
	for at := range codes {
		columns = append(columns, OutColumn{Field: Code, At: at + 1})
	}
	return append(columns, OutColumn{Field: Retire})
}

// Header is what the column is called; by it the column is known again.
func (c OutColumn) Header() string {
	switch {
	case c.Name != "":
		return c.Name + outNamed[c.Field]
	case c.At > 0:
		return outNumbered[c.Field] + strconv.Itoa(c.At)
	}
	return outHeaders[c.Field]
}

// Of returns what an item has in the column.
func (c OutColumn) Of(item *Item) string {
	switch c.Field {
	case Description:
		return item.Description
	case Category:
		return item.Category
	case CategoryID:
		return item.CategoryID
	case Option:
		return valueNamed(item.Options, c.Name)
	case Attribute:
		return valueNamed(item.Attributes, c.Name)
	case Code:
		if c.At <= len(item.Codes) {
			return item.Codes[c.At-1]
		}
		return ""
	case Retire:
		return yesWord(item.Retired)
	}
	return c.Field.of(item)
}

// isOwn tells whether headers are those of the catalog's own sheet.
func isOwn(names []string) bool {
	for _, name := range names {
		if SameHeader(name, ownMark) {
			return true
		}
	}
	return false
}

// ownColumn returns what a header of the catalog's own sheet means; false for one that
// somebody added.
func ownColumn(header string) (field Field, name string, known bool) {
	for f, text := range outHeaders {
		if SameHeader(header, text) {
			return f, "", true
		}
	}
	for f, after := range outNamed {
		if name, so := strings.CutSuffix(header, after); so && name != "" {
			return f, name, true
		}
	}
	for f, before := range outNumbered {
		if rest, so := strings.CutPrefix(header, before); so {
			_, err := strconv.Atoi(rest)
			return f, "", err == nil
		}
	}
	return "", "", false
}

// takeOwn maps the columns of the catalog's own sheet as they went out.
func takeOwn(all []*proposal) {
	for _, one := range all {
		field, name, known := ownColumn(one.column.Column)
		if !known {
			continue
		}
		one.column.Field, one.column.Name, one.score = field, name, 100
		one.because = []string{"the catalog's own sheets call it so"}
		one.column.Steps = []CellStep{} // each column holds one value
	}
}

// Template is an item to show how a sheet is filled in, where the catalog has none.
var Template = Item{SKU: "AB-100-L", Code: "AB-100", Title: "An example: write over this row", GTIN: "", Category: "Category / Below it",
	Options: []catalog.Option{}, Attributes: []catalog.Option{}}

// String names the column in an address: the field, and its name or number.
func (c OutColumn) String() string {
	switch {
	case c.Name != "":
		return string(c.Field) + ":" + c.Name
	case c.At > 0:
		return fmt.Sprintf("%s:%d", c.Field, c.At)
	}
	return string(c.Field)
}

// ParseOut reads what String wrote; false for anything else.
func ParseOut(text string) (OutColumn, bool) {
	field, rest, more := strings.Cut(text, ":")
	c := OutColumn{Field: Field(field)}
	switch {
	case outHeaders[c.Field] != "":
		return c, !more
	case outNamed[c.Field] != "":
		c.Name = Clean(rest)
		return c, c.Name != ""
	case outNumbered[c.Field] != "":
		at, err := strconv.Atoi(rest)
		c.At = at
		return c, err == nil && at > 0
	}
	return c, false
}
