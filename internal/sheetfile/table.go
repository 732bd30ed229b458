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

	"ambrosa/core/legible"
)

// maxRow bounds the bytes of one row, whatever its quotes say.
const maxRow = 8 << 20

// looked is how far into a text is looked for what separates its cells, bytes.
const looked = 64 << 10

// table reads a CSV row by row (RFC 4180). The delimiter may be a comma,
// semicolon, tab or bar: what the first line says with "sep=" (common practice
// of spreadsheet programs), else what stands in it most often. The text is
// UTF-8, UTF-16 with its mark, or Windows-1252.
type table struct {
	rows   *csv.Reader
	guard  *guarded
	last   int // number of the row before
	breaks int // lines that cells had so far beside their first
	said   int // lines before the header that only say the delimiter
}

// newTable returns io.EOF for a text without any row.
func newTable(source io.Reader) (*table, error) {
	t := &table{guard: &guarded{source: decoded(source), left: maxRow}}
	buffered := bufio.NewReaderSize(t.guard, looked)
	head, err := buffered.Peek(looked)
	if len(head) == 0 {
		if err == nil {
			err = io.EOF
		}
		return nil, err
	}
	comma := delimiter(head)
	if line, _, found := bytes.Cut(head, []byte("\n")); found && len(bytes.TrimRight(line, "\r")) == len("sep=;") &&
		bytes.EqualFold(line[:4], []byte("sep=")) &&
		strings.ContainsRune(delimiters, rune(line[4])) {
		comma, t.said = rune(line[4]), 1
		if _, err := buffered.Discard(len(line) + 1); err != nil {
			return nil, err
		}
	}
	t.rows = csv.NewReader(buffered)
	t.rows.Comma, t.rows.FieldsPerRecord, t.rows.LazyQuotes, t.rows.ReuseRecord = comma, -1, true, true
	return t, nil
}

// next returns the cells of the next row, valid until the one after, and its
// number as a spreadsheet program counts: rows without a cell count, the lines
// within a cell do not. The error is io.EOF behind the last row.
func (t *table) next() (cells []string, row int, err error) {
	t.guard.left = maxRow
	cells, err = t.rows.Read()
	if err != nil {
		return nil, t.last + 1, err
	}
	line, _ := t.rows.FieldPos(0)
	row = line - t.breaks + t.said
	t.last = row
	for i, cell := range cells {
		t.breaks += strings.Count(cell, "\n")
		if !utf8.ValidString(cell) {
			if decoded, err := charmap.Windows1252.NewDecoder().String(cell); err == nil {
				cell = decoded
			}
		}
		cells[i] = legible.Text(cell)
	}
	return cells, row, nil
}

// decoded turns UTF-16 with a mark into UTF-8 and leaves a mark of UTF-8 out;
// anything else comes as it is.
func decoded(source io.Reader) io.Reader {
	buffered := bufio.NewReader(source)
	mark, _ := buffered.Peek(3)
	switch {
	case bytes.HasPrefix(mark, []byte{0xff, 0xfe}), bytes.HasPrefix(mark, []byte{0xfe, 0xff}):
		return transform.NewReader(buffered, unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder())
	case bytes.Equal(mark, []byte("\ufeff")):
		_, _ = buffered.Discard(len(mark)) // cannot fail: they were seen
	}
	return buffered
}

const delimiters = ",;\t|"

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
	best := delimiters[0]
	for _, b := range []byte(delimiters) {
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
