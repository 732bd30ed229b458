// Package sheet is the one place where the header words and cells of spreadsheets
// are understood. Which rows are read from which file is for others; what they
// say of products is judged in core/catalog, what they say of pictures in
// core/pairing.
package sheet

import (
	"errors"
	"fmt"
	"strings"
	"unicode"
)

// Field is what a column means.
type Field string

// The fields that are understood.
const (
	SKU      Field = "sku"
	Product  Field = "product" // code of the product that the variant is of
	Title    Field = "title"
	GTIN     Field = "gtin"
	Category Field = "category"
	Codes    Field = "codes" // other codes of the product
	File     Field = "file"  // name of a picture
	Place    Field = "place"
	View     Field = "view"
	Alt      Field = "alt"
	Lead     Field = "lead"
)

// Vocabulary maps header words, as fold writes them, to what they mean in sheets
// of one purpose.
type Vocabulary map[string]Field

// Products are sheets of products and variants (common practice).
var Products = vocabulary(map[Field]string{
	SKU:      "sku, article, article number, item, item number, item no",
	Product:  "product, product code, parent, parent sku, model",
	Title:    "title, name, product name, description",
	GTIN:     "gtin, ean, upc, barcode, ean 13, gtin 13, gtin 14",
	Category: "category, category path",
	Codes:    "codes, other codes, supplier code, manufacturer code",
})

// Exactly understands fields by their own names alone.
func Exactly(fields ...Field) Vocabulary {
	v := Vocabulary{}
	for _, f := range fields {
		v[fold(string(f))] = f
	}
	return v
}

func vocabulary(words map[Field]string) Vocabulary {
	v := Vocabulary{}
	for field, list := range words {
		for _, word := range strings.Split(list, ",") {
			v[fold(word)] = field
		}
	}
	return v
}

// fold leaves letters and digits of a header word, in lower case: case, blanks
// and marks do not tell one word from another.
func fold(word string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, word)
}

// The kinds of what is wrong with a header.
var (
	ErrMissing = errors.New("a column is missing")
	ErrTwice   = errors.New("two columns mean the same")
)

// HeaderError is what is wrong with a header, and where.
type HeaderError struct {
	Kind    error    // ErrMissing or ErrTwice
	Field   Field    // that is missing, or that two columns mean
	Columns [2]int   // of ErrTwice: the two columns, from 1
	Names   []string // the header
}

// Error says it in words.
func (e *HeaderError) Error() string {
	if e.Kind == ErrTwice {
		one, other := Clip(e.Names[e.Columns[0]-1]), Clip(e.Names[e.Columns[1]-1])
		return fmt.Sprintf("the columns %q and %q both mean %s", one, other, e.Field)
	}
	return fmt.Sprintf("no column %q among %s", e.Field, quoted(e.Names))
}

// Unwrap returns the kind.
func (e *HeaderError) Unwrap() error { return e.Kind }

// Header says which column of a sheet means what.
type Header struct {
	Names  []string // of all columns, without blanks around them
	Others []int    // columns that have a name and mean no field, from 0

	at map[Field]int
}

// Header reads the first row of a sheet. needed are the fields that it must have;
// of two columns that mean the same field the first counts with first, else that
// is wrong. The error is a *HeaderError.
func (v Vocabulary) Header(cells []string, first bool, needed ...Field) (Header, error) {
	h := Header{at: map[Field]int{}}
	for i, cell := range cells {
		name := strings.TrimSpace(strings.TrimPrefix(cell, "\ufeff"))
		h.Names = append(h.Names, name)
		field, known := v[fold(name)]
		before, twice := h.at[field]
		switch {
		case !known && name != "":
			h.Others = append(h.Others, i)
		case !known, twice && first:
		case twice:
			return h, &HeaderError{Kind: ErrTwice, Field: field, Columns: [2]int{before + 1, i + 1}, Names: h.Names}
		default:
			h.at[field] = i
		}
	}
	for _, field := range needed {
		if !h.Has(field) {
			return h, &HeaderError{Kind: ErrMissing, Field: field, Names: h.Names}
		}
	}
	return h, nil
}

// Has tells whether a column means a field.
func (h Header) Has(f Field) bool { return h.Column(f) >= 0 }

// Column returns the column that means a field, from 0; -1 for none.
func (h Header) Column(f Field) int {
	if i, ok := h.at[f]; ok {
		return i
	}
	return -1
}

// Cell returns what a row says of a field, without blanks around it; "" where it
// says nothing.
func (h Header) Cell(cells []string, f Field) string {
	if i := h.Column(f); i >= 0 && i < len(cells) {
		return strings.TrimSpace(cells[i])
	}
	return ""
}

// Yes tells whether a cell says so (common practice).
func Yes(cell string) bool {
	switch strings.ToLower(strings.TrimSpace(cell)) {
	case "1", "x", "y", "yes", "true", "ja", "oui", "si", "sí", "lead", "main":
		return true
	}
	return false
}

// longestShown and mostShown bound what a message repeats of a header.
const (
	longestShown = 60
	mostShown    = 20
)

func quoted(names []string) string {
	list := make([]string, 0, len(names))
	for _, name := range names[:min(len(names), mostShown)] {
		list = append(list, fmt.Sprintf("%q", Clip(name)))
	}
	return strings.Join(list, ", ")
}

// Clip shortens a value for a message.
func Clip(text string) string {
	if runes := []rune(text[:min(len(text), 400)]); len(runes) > longestShown {
		return string(runes[:longestShown]) + "…"
	}
	return text
}
