package dispatch

import (
	"fmt"
	"net/url"
	"strconv"
	"strings"

	"ambrosa/core/naming"
)

// The forms of a sheet that goes along.
const (
	NoSheet  = "none"
	CSV      = "csv"
	Workbook = "xlsx"
)

// What a row of a sheet is about.
const (
	RowPicture = "picture"
	RowSKU     = "sku"
	RowProduct = "product"
)

// How a column has what several pictures of a row say.
const (
	FirstOnly = "first"   // of the first alone
	InColumns = "columns" // each in a column of its own, numbered
	Joined    = "joined"  // in one cell, with what stands between
)

// SheetColumn is a column of a sheet that goes along.
type SheetColumn struct {
	Header string `json:"header" maxLength:"200"`
	Value  string `json:"value" maxLength:"1000" doc:"A text with fields in brackets: [sku], [file], [address], [text], …"`
	Many   string `json:"many" enum:"first,columns,joined" doc:"Where a row is about several pictures"`
}

// SheetSettings are how a sheet is that goes along with pictures.
type SheetSettings struct {
	Format    string        `json:"format" enum:"none,csv,xlsx"`
	Separator string        `json:"separator" enum:"comma,semicolon,tab,bar" doc:"Of a CSV's cells"`
	Rows      string        `json:"rows" enum:"picture,sku,product" doc:"What a row is about"`
	Columns   []SheetColumn `json:"columns" nullable:"false" maxItems:"100"`
	Base      string        `json:"base" maxLength:"1000" doc:"Stands before a picture's name in its address"`
	Between   string        `json:"between" maxLength:"10" doc:"Stands between what is in one cell"`
	Size      int           `json:"size" minimum:"0" maximum:"320" doc:"Longer side of the pictures in a workbook's cells, pixels; 0 for none"`
}

// Separators of a CSV's cells, by their names.
var Separators = map[string]rune{"comma": ',', "semicolon": ';', "tab": '\t', "bar": '|'}

// SheetFields are what a column can name beside the fields of names.
func SheetFields() []string {
	return []string{"file", "address", "text", "lead", "form", "credit", "before", "sum"}
}

// Table is a sheet whose columns were read.
type Table struct {
	settings SheetSettings
	values   []naming.Template
}

// BadColumn says which column of a sheet cannot be read, and why.
type BadColumn struct {
	Header string
	Err    error
}

func (e BadColumn) Error() string { return fmt.Sprintf("the column %q, %v", e.Header, e.Err) }

// Table reads the columns. The error is a BadColumn.
func (s SheetSettings) Table() (t Table, err error) {
	t.settings = s
	for _, c := range s.Columns {
		value, err := naming.ParseText(c.Value, SheetFields()...)
		if err != nil {
			return Table{}, BadColumn{c.Header, err}
		}
		t.values = append(t.values, value)
	}
	return t, nil
}

// Row is a row of a sheet: its cells, and the picture that stands for it.
type Row struct {
	Cells []string
	Of    Outcome
}

// The bounds of a sheet, however many columns name how many long values.
const (
	mostColumns = 16_384  // of a workbook (ECMA-376, from memory)
	mostRow     = 4 << 20 // bytes of one row
)

// Rows are the rows of a sheet, made one by one.
type Rows struct {
	Header []string
	Count  int // how many there are

	table    Table
	outcomes []Outcome
	next     int
	most     int // pictures of one row
}

// Rows begins the sheet of pictures that go, in their order. The error is a BadColumn.
func (t Table) Rows(outcomes []Outcome) (*Rows, error) {
	r := &Rows{table: t, outcomes: outcomes, most: 1}
	for at := 0; at < len(outcomes); {
		group, next := t.group(outcomes, at, false)
		if at = next; group.count > 0 {
			r.Count++
			r.most = max(r.most, group.count)
		}
	}
	for _, c := range t.settings.Columns {
		if c.Many != InColumns || t.settings.Rows == RowPicture {
			r.Header = append(r.Header, c.Header)
			continue
		}
		if len(r.Header)+r.most > mostColumns {
			return nil, BadColumn{c.Header, fmt.Errorf("one product has %d pictures, and a sheet has at most %d columns", r.most, mostColumns)}
		}
		for n := range r.most {
			r.Header = append(r.Header, c.Header+" "+strconv.Itoa(n+1))
		}
	}
	return r, nil
}

// Next makes the next row; more is false behind the last. The error is a BadColumn.
func (r *Rows) Next() (row Row, more bool, err error) {
	for r.next < len(r.outcomes) {
		group, next := r.table.group(r.outcomes, r.next, true)
		if r.next = next; group.count > 0 {
			cells, err := r.table.cells(group.pictures, r.most)
			return Row{cells, *group.pictures[0]}, true, err
		}
	}
	return row, false, nil
}

// pictures are those of one row.
type pictures struct {
	count    int
	pictures []*Outcome // where they were asked for
}

// group returns the pictures of the row that begins at or behind a number, and where the next begins.
func (t Table) group(outcomes []Outcome, from int, list bool) (g pictures, next int) {
	first := -1
	for next = from; next < len(outcomes); next++ {
		o := &outcomes[next]
		if o.Held != "" {
			continue
		}
		if first >= 0 && !t.together(&outcomes[first], o) {
			return g, next
		}
		if first < 0 {
			first = next
		}
		g.count++
		if list {
			g.pictures = append(g.pictures, o)
		}
	}
	return g, next
}

func (t Table) together(a, b *Outcome) bool {
	switch t.settings.Rows {
	case RowProduct:
		return a.Product == b.Product
	case RowSKU:
		return a.Product == b.Product && a.Variant == b.Variant
	}
	return false
}

func (t Table) cells(group []*Outcome, most int) (cells []string, err error) {
	row := 0
	for i, c := range t.settings.Columns {
		values := make([]string, 0, len(group))
		for n, o := range group {
			value := t.value(i, o, n == 0)
			if row += len(value); row > mostRow {
				return nil, BadColumn{c.Header, fmt.Errorf("the row of %s is longer than %d MB: name fewer or shorter values", o.SKU, mostRow>>20)}
			}
			values = append(values, value)
			if t.settings.Rows == RowPicture || c.Many == FirstOnly || c.Many == "" {
				break
			}
		}
		switch {
		case t.settings.Rows == RowPicture || c.Many == FirstOnly || c.Many == "":
			cells = append(cells, values[0])
		case c.Many == Joined:
			cells = append(cells, naming.Cut(strings.Join(values, t.settings.Between), naming.MostText))
		default:
			cells = append(cells, values...)
			cells = append(cells, make([]string, most-len(values))...)
		}
	}
	return cells, nil
}

func (t Table) value(column int, o *Outcome, first bool) string {
	of := o.picture()
	sum := o.SentSum
	if sum == "" && o.Made == "" {
		sum = o.Sum // it goes as it came
	}
	of.More = map[string]string{"file": o.Name, "address": t.address(o.Name), "text": o.Alt, "form": o.Form, "credit": o.Credit,
		"before": o.Was, "sum": sum, "lead": "no"}
	if of.Place == 1 || first && t.settings.Rows != RowPicture {
		of.More["lead"] = "yes"
	}
	text, _ := t.values[column].Text(of, func(value string) string { return value })
	return text
}

// address is where a picture is found by its name: behind the base, part by part as addresses
// have them (RFC 3986).
func (t Table) address(name string) string {
	parts := strings.Split(name, "/")
	for i, part := range parts {
		parts[i] = url.PathEscape(part)
	}
	return t.settings.Base + strings.Join(parts, "/")
}

// UsualSheet is the sheet that goes along where nobody says otherwise.
func UsualSheet() SheetSettings {
	s := SheetSettings{Format: CSV, Separator: "comma", Rows: RowPicture, Between: "|"}
	for _, c := range [][2]string{{"Picture", "[file]"}, {"Name before", "[before]"}, {"SKU", "[sku]"}, {"Product", "[code]"},
		{"Title", "[title]"}, {"Place", "[place]"}, {"View", "[view]"}, {"Alternative text", "[text]"}, {"Credit", "[credit]"},
		{"Form", "[form]"}, {"SHA-256", "[sum]"}} {
		s.Columns = append(s.Columns, SheetColumn{c[0], c[1], FirstOnly})
	}
	return s
}
