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

	"ambrosa/core/legible"
)

// maxRow bounds the bytes of one row, whatever its quotes say.
const maxRow = 8 << 20

// looked is how far into a text is looked for what separates its cells, bytes.
const looked = 64 << 10

// table reads a CSV row by row (RFC 4180). The delimiter may be a comma,
// semicolon, tab or bar: what the first line says with "sep=" (common practice
// of spreadsheet programs), else what parts the lines most evenly. Lines end in any
// way; the text is in any of the encodings of encoding.go, also in two of them.
type table struct {
	rows     *csv.Reader
	guard    *guarded
	fallback *charmap.Charmap
	last     int // number of the row before
	breaks   int // lines that cells had so far beside their first
}

// newTable returns io.EOF for a text without any row.
func newTable(source io.Reader) (*table, error) {
	text, fallback := decoded(source)
	t := &table{guard: &guarded{source: &lineEnds{source: text}, left: maxRow}, fallback: fallback}
	buffered := bufio.NewReaderSize(t.guard, looked)
	head, err := buffered.Peek(looked)
	if len(head) == 0 {
		if err == nil {
			err = io.EOF
		}
		return nil, err
	}
	comma := delimiter(head)
	if line, _, found := bytes.Cut(head, []byte("\n")); found && len(line) == len("sep=;") && bytes.EqualFold(line[:4], []byte("sep=")) &&
		strings.ContainsRune(delimiters, rune(line[4])) {
		comma = rune(line[4])
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
// within a cell and a line that says the delimiter do not. The error is io.EOF
// behind the last row.
func (t *table) next() (cells []string, row int, err error) {
	t.guard.left = maxRow
	cells, err = t.rows.Read()
	if err != nil {
		return nil, t.last + 1, err
	}
	if len(cells) > maxColumns {
		return nil, t.last + 1, errTooManyColumns
	}
	line, _ := t.rows.FieldPos(0)
	row = line - t.breaks
	t.last = row
	for i, cell := range cells {
		t.breaks += strings.Count(cell, "\n")
		if !utf8.ValidString(cell) {
			if decoded, err := t.fallback.NewDecoder().String(cell); err == nil {
				cells[i] = decoded
			}
		}
	}
	return fitCells(cells), row, nil
}

// fitCells makes cells fit to be kept and shown.
func fitCells(cells []string) []string {
	for i, cell := range cells {
		cells[i] = legible.Text(cell)
	}
	return cells
}

const delimiters = ",;\t|"

// lookedForDelimiter is how many lines are looked at for what separates cells.
const lookedForDelimiter = 40

// delimiter picks the separator that parts the most lines into the same number of
// cells, outside quotes; of those the one that makes more cells.
func delimiter(head []byte) rune {
	counts := map[byte]map[int]int{}
	line, quoted, lines := map[byte]int{}, false, 0
	for _, b := range head {
		switch {
		case b == '"':
			quoted = !quoted
		case b == '\n' && !quoted:
			for _, d := range []byte(delimiters) {
				if counts[d] == nil {
					counts[d] = map[int]int{}
				}
				counts[d][line[d]]++
			}
			clear(line)
			lines++
		case !quoted:
			line[b]++
		}
		if lines == lookedForDelimiter {
			break
		}
	}
	if lines == 0 || line[','] > 0 || line[';'] > 0 || line['\t'] > 0 || line['|'] > 0 {
		for _, d := range []byte(delimiters) {
			if counts[d] == nil {
				counts[d] = map[int]int{}
			}
			counts[d][line[d]]++
		}
	}
	best, most := delimiters[0], 0
	for _, d := range []byte(delimiters) {
		for cells, times := range counts[d] {
			if points := times * min(cells, 50); cells > 0 && points > most {
				best, most = d, points
			}
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
