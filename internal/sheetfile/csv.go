// Package sheetfile reads sheets of products as streams. What a row means and
// whether it can be taken is for core/catalog.
package sheetfile

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"

	"ambrosa/core/catalog"
)

// Refused says in the user's words why a sheet as a whole cannot be read, or
// not further.
type Refused string

func (r Refused) Error() string { return string(r) }

// maxRow bounds the bytes of one row, whatever its quotes say.
const maxRow = 8 << 20

// ReadCSV reads products from a CSV with a header row (RFC 4180; the delimiter
// may be a comma, semicolon, tab or bar, the text UTF-8, UTF-16 with its mark,
// or Windows-1252) and calls each for every row, with its problems and whether
// it can be taken. A SKU that stands twice is taken once, the first time.
func ReadCSV(source io.Reader, each func(row catalog.Row, problems []catalog.Problem, taken bool) error) error {
	guard := &guarded{source: decoded(source), left: maxRow}
	buffered := bufio.NewReaderSize(guard, 64<<10)
	head, err := buffered.Peek(64 << 10)
	if len(head) == 0 {
		if err != nil && !errors.Is(err, io.EOF) {
			return err
		}
		return Refused("The file is empty: a header row with the column \"sku\" is needed.")
	}
	rows := csv.NewReader(buffered)
	rows.Comma = delimiter(head)
	rows.FieldsPerRecord = -1
	rows.LazyQuotes = true
	rows.ReuseRecord = true
	header, err := rows.Read()
	if err != nil {
		return Refused("The header row cannot be read: " + reason(err))
	}
	columns, err := catalog.ReadHeader(header)
	if err != nil {
		return Refused(fmt.Sprintf("Row 1: %v. Cells were taken to be separated by %s.", err, nameOf(rows.Comma)))
	}
	seen := map[string]int{}
	for {
		guard.left = maxRow
		cells, err := rows.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		line, _ := rows.FieldPos(0)
		if err != nil {
			return Refused(fmt.Sprintf("Row %d cannot be read: %s.", lineOf(err, line), reason(err)))
		}
		for i, cell := range cells {
			if !utf8.ValidString(cell) {
				cells[i], _ = charmap.Windows1252.NewDecoder().String(cell)
			}
		}
		row, problems := columns.Judge(cells, line)
		taken := true
		for _, p := range problems {
			taken = taken && p.Kept
		}
		if taken {
			if before, twice := seen[strings.ToLower(row.SKU)]; twice {
				taken = false
				problems = append(problems, catalog.Problem{Row: line, Column: "sku", Value: row.SKU, Reason: fmt.Sprintf("the SKU stands in row %d already", before)})
			} else {
				seen[strings.ToLower(row.SKU)] = line
			}
		}
		if err := each(row, problems, taken); err != nil {
			return err
		}
	}
}

// decoded turns UTF-16 with a mark into UTF-8; anything else comes as it is.
func decoded(source io.Reader) io.Reader {
	buffered := bufio.NewReader(source)
	mark, _ := buffered.Peek(2)
	if bytes.Equal(mark, []byte{0xff, 0xfe}) || bytes.Equal(mark, []byte{0xfe, 0xff}) {
		return transform.NewReader(buffered, unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder())
	}
	return buffered
}

// delimiter picks the separator that stands most often in the first line,
// outside quotes.
func delimiter(head []byte) rune {
	line, _, _ := bytes.Cut(head, []byte("\n"))
	counts := map[byte]int{}
	quoted := false
	for _, b := range line {
		if b == '"' {
			quoted = !quoted
		}
		if !quoted {
			counts[b]++
		}
	}
	best := byte(',')
	for _, b := range []byte(";\t|") {
		if counts[b] > counts[best] {
			best = b
		}
	}
	return rune(best)
}

func nameOf(delimiter rune) string {
	return map[rune]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars"}[delimiter]
}

var errRowTooLong = fmt.Errorf("it is longer than %d MB; a quote may be missing", maxRow>>20)

// guarded ends a row that goes on for too long.
type guarded struct {
	source io.Reader
	left   int
}

func (g *guarded) Read(p []byte) (int, error) {
	if g.left < 0 {
		return 0, errRowTooLong
	}
	n, err := g.source.Read(p)
	g.left -= n
	return n, err
}

func reason(err error) string {
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		return parse.Err.Error()
	}
	return err.Error()
}

func lineOf(err error, line int) int {
	var parse *csv.ParseError
	if errors.As(err, &parse) {
		return parse.StartLine
	}
	return line
}
