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

// Rows makes the sheet of pictures that go, in their order: its header and its rows.
func (t Table) Rows(outcomes []Outcome) (header []string, rows []Row) {
	groups := t.groups(outcomes)
	most := 1
	for _, g := range groups {
		most = max(most, len(g))
	}
	for _, c := range t.settings.Columns {
		if c.Many != InColumns || t.settings.Rows == RowPicture {
			header = append(header, c.Header)
			continue
		}
		for n := range most {
			header = append(header, c.Header+" "+strconv.Itoa(n+1))
		}
	}
	for _, g := range groups {
		rows = append(rows, Row{t.cells(g, most), g[0]})
	}
	return header, rows
}

// groups are the pictures that go, by rows.
func (t Table) groups(outcomes []Outcome) (groups [][]Outcome) {
	for _, o := range outcomes {
		if o.Held != "" {
			continue
		}
		if n := len(groups); n > 0 && t.together(groups[n-1][0], o) {
			groups[n-1] = append(groups[n-1], o)
			continue
		}
		groups = append(groups, []Outcome{o})
	}
	return groups
}

func (t Table) together(a, b Outcome) bool {
	switch t.settings.Rows {
	case RowProduct:
		return a.Product == b.Product
	case RowSKU:
		return a.Product == b.Product && a.Variant == b.Variant
	}
	return false
}

func (t Table) cells(group []Outcome, most int) (cells []string) {
	for i, c := range t.settings.Columns {
		values := make([]string, len(group))
		for n, o := range group {
			values[n] = t.value(i, o, n == 0)
		}
		switch {
		case t.settings.Rows == RowPicture || c.Many == FirstOnly || c.Many == "":
			cells = append(cells, values[0])
		case c.Many == Joined:
			cells = append(cells, strings.Join(values, t.settings.Between))
		default:
			cells = append(cells, values...)
			cells = append(cells, make([]string, most-len(values))...)
		}
	}
	return cells
}

func (t Table) value(column int, o Outcome, first bool) string {
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
