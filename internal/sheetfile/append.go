package sheetfile

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"ambrosa/internal/contained"
)

// Below says where rows are put into a workbook that was handed in.
type Below struct {
	Worksheet string   `json:"worksheet"` // "" for the first that is not hidden
	From      string   `json:"from"`      // the cell to begin in, as B7; "" for below what stands, in the columns of the same titles
	Header    []string `json:"header"`
	Side      int      `json:"side"` // of the pictures, pixels; 0 for none
}

// BelowRow is a row that is put into a workbook, with its picture as JPEG; nil for none.
type BelowRow struct {
	Cells   []any  `json:"cells"` // texts and numbers
	Picture []byte `json:"picture,omitempty"`
}

// Put is where rows were put.
type Put struct {
	Worksheet string `json:"worksheet"`
	First     int    `json:"first"` // row, as spreadsheets count
	Rows      int    `json:"rows"`
}

type putSaid struct {
	Put     *Put     `json:"put,omitempty"`
	Refused *Refused `json:"refused,omitempty"`
}

// appendMemory bounds the process that puts rows into a foreign workbook, bytes.
const appendMemory = 1 << 30

// sparing is from how much memory on it looks for what it does not need any more at once, bytes.
const sparing = 80 << 20

// ServeAppend is the process that puts rows, told on in, into the workbook at path, and writes
// it to the file at to. What else stands in the workbook stays as it is.
func ServeAppend(path, to string, in io.Reader, out io.Writer) error {
	if err := contained.Limit(appendMemory, childProcessor); err != nil {
		return err
	}
	debug.SetMemoryLimit(sparing)
	put, err := putBelow(path, to, in)
	var refused *Refused
	if err != nil && !errors.As(err, &refused) {
		return err
	}
	_, _ = io.Copy(io.Discard, in) // who tells the rows need not wait
	said := putSaid{Refused: refused}
	if refused == nil {
		said.Put = &put
	}
	return json.NewEncoder(out).Encode(said)
}

func putBelow(path, to string, in io.Reader) (put Put, err error) {
	rows := json.NewDecoder(bufio.NewReaderSize(in, 256<<10))
	var spec Below
	if err := rows.Decode(&spec); err != nil {
		return put, err
	}
	book, err := openToWrite(path)
	if err != nil {
		return put, err
	}
	defer func() { err = errors.Join(err, book.Close()) }()
	w, err := newBelow(book, spec)
	if err != nil {
		return put, err
	}
	put = Put{Worksheet: w.name, First: w.row}
	for {
		var row BelowRow
		if err := rows.Decode(&row); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return put, err
		}
		if err := w.add(row); err != nil {
			return put, err
		}
		put.Rows++
	}
	debug.FreeOSMemory() // writing it takes as much again
	if err := book.SaveAs(to); err != nil {
		return put, refuse(Damaged, "It cannot be written again: something in it is not as a workbook has it.")
	}
	return put, nil
}

// openToWrite opens a workbook that rows are put into. A *Refused says why it cannot be.
func openToWrite(path string) (*excelize.File, error) {
	if err := tooMuch(path); err != nil {
		return nil, err
	}
	opened, err := Open(path, "")
	if err != nil {
		return nil, err
	}
	macros, book := opened.Macros, len(opened.Worksheets) > 0
	if err := opened.Close(); err != nil {
		return nil, err
	}
	if macros {
		return nil, refuse(NoWorkbook, "It has macros, which would not survive. Save it as XLSX without them.")
	}
	if !book {
		return nil, refuse(NoWorkbook, "It is no workbook: pictures need an XLSX to stand in.")
	}
	found, err := excelize.OpenFile(path, excelize.Options{UnzipSizeLimit: maxUnpacked, UnzipXMLSizeLimit: maxInMemory})
	if err != nil {
		return nil, &Refused{Kind: NoWorkbook, Err: err, Reason: "It is not a workbook that can be read."}
	}
	return found, nil
}

// below puts rows into a worksheet.
type below struct {
	book    *excelize.File
	name    string
	row     int
	columns []int // where each of the header's stands, from 1
	picture int   // the column of pictures; 0 for none
	side    int
}

func newBelow(book *excelize.File, spec Below) (*below, error) {
	w := &below{book: book, name: spec.Worksheet, side: spec.Side}
	if w.name == "" {
		for _, name := range book.GetSheetList() {
			if visible, err := book.GetSheetVisible(name); err != nil || visible {
				w.name = name
				break
			}
		}
	}
	if at, err := book.GetSheetIndex(w.name); err != nil || at < 0 {
		return nil, refuse(NoWorkbook, fmt.Sprintf("It has no worksheet %q.", w.name))
	}
	if spec.From != "" {
		return w, w.from(spec)
	}
	return w, w.behind(spec)
}

// from begins in a cell, with the header there.
func (w *below) from(spec Below) error {
	column, row, err := excelize.CellNameToCoordinates(strings.ToUpper(strings.TrimSpace(spec.From)))
	if err != nil {
		return refuse(NoWorkbook, fmt.Sprintf("%q is no cell: write it as B7.", spec.From))
	}
	return w.beginAt(column, row, spec)
}

// beginAt puts the header in a row, and the pictures before it.
func (w *below) beginAt(column, row int, spec Below) error {
	w.row = row + 1
	if w.side > 0 {
		w.picture = column
		column++
	}
	for i, title := range spec.Header {
		w.columns = append(w.columns, column+i)
		if err := w.set(column+i, row, title); err != nil {
			return err
		}
	}
	return w.fit()
}

// behind finds the first row with a title of the header, and puts rows below all that stands:
// each cell in the column of its title, and titles that are new behind the last. A worksheet
// with none of them gets the header below what stands.
func (w *below) behind(spec Below) error {
	titles, at, last, widest, err := w.titles(spec.Header)
	if err != nil {
		return err
	}
	if titles == nil {
		if last > 0 {
			last++ // a row between
		}
		return w.beginAt(1, last+1, spec)
	}
	w.row = last + 1
	for _, title := range spec.Header {
		column, stands := titles[strings.ToLower(title)]
		if !stands {
			column, stands = titles[plain(title)]
		}
		if !stands {
			widest++
			column = widest
			if err := w.set(column, at, title); err != nil {
				return err
			}
		}
		w.columns = append(w.columns, column)
	}
	if w.side > 0 {
		if w.picture = titles[pictureTitle]; w.picture == 0 {
			w.picture = widest + 1
		}
	}
	return w.fit()
}

// pictureTitle is the title, in lower case, of a column that takes the pictures.
const pictureTitle = "picture"

// titles reads a worksheet for the first row that has a title of a header: the columns of its
// titles, and its number. last is the last row in which something stands, widest the widest.
func (w *below) titles(header []string) (titles map[string]int, at, last, widest int, err error) {
	wanted := map[string]bool{}
	for _, title := range header {
		wanted[strings.ToLower(title)], wanted[plain(title)] = true, true
	}
	rows, err := w.book.Rows(w.name)
	if err != nil {
		return nil, 0, 0, 0, refuse(NoWorkbook, fmt.Sprintf("Its worksheet %q cannot be read.", w.name))
	}
	next := rowsOf(rows)
	for {
		cells, row, err := next()
		if errors.Is(err, io.EOF) {
			return titles, at, last, widest, rows.Close()
		}
		if err != nil {
			return nil, 0, 0, 0, errors.Join(unreadable(row, err), rows.Close())
		}
		last, widest = row, max(widest, len(cells))
		known := func(cell string) bool { return wanted[strings.ToLower(strings.TrimSpace(cell))] }
		if titles == nil && slices.ContainsFunc(cells, known) {
			titles, at = map[string]int{}, row
			for i, cell := range cells {
				if title := strings.ToLower(strings.TrimSpace(cell)); titles[title] == 0 {
					titles[title] = i + 1
				}
			}
		}
	}
}

// plain is a title, in lower case, without what it says in brackets at its end: "SKU (Ambrosa)"
// goes into a column called SKU where none is called so.
func plain(title string) string {
	before, _, _ := strings.Cut(title, " (")
	return strings.ToLower(before)
}

// set puts a text or a number into a cell.
func (w *below) set(column, row int, value any) error {
	at, err := excelize.CoordinatesToCellName(column, row)
	if err != nil {
		return refuse(TooMany, "There is no room for more in that worksheet.")
	}
	switch value := value.(type) {
	case float64:
		return w.book.SetCellFloat(w.name, at, value, -1, 64)
	case string:
		return w.book.SetCellStr(w.name, at, cutText(value)) // a text, never a formula
	}
	return w.book.SetCellStr(w.name, at, fmt.Sprint(value))
}

// fit makes the column of pictures as wide as they are, if it is narrower.
func (w *below) fit() error {
	if w.picture == 0 {
		return nil
	}
	column, err := excelize.ColumnNumberToName(w.picture)
	if err != nil {
		return refuse(TooMany, "There is no room for more in that worksheet.")
	}
	wide, err := w.book.GetColWidth(w.name, column)
	if needed := columnOf(w.side); err == nil && wide < needed {
		err = w.book.SetColWidth(w.name, column, column, needed)
	}
	return err
}

// add puts a row, high enough for its picture.
func (w *below) add(row BelowRow) error {
	for i, value := range row.Cells[:min(len(row.Cells), len(w.columns))] {
		if err := w.set(w.columns[i], w.row, value); err != nil {
			return err
		}
	}
	w.row++
	if w.picture == 0 || row.Picture == nil {
		return nil
	}
	at, err := excelize.CoordinatesToCellName(w.picture, w.row-1)
	if err != nil {
		return refuse(TooMany, "There is no room for more in that worksheet.")
	}
	if err := w.book.SetRowHeight(w.name, w.row-1, min(heightOf(w.side), 400)); err != nil {
		return err
	}
	return w.book.AddPictureFromBytes(w.name, at, &excelize.Picture{Extension: ".jpg", File: row.Picture,
		Format: &excelize.GraphicOptions{OffsetX: 2, OffsetY: 2, Positioning: "oneCell"}})
}

// columnOf is how wide a column has to be for pictures, in characters of some 7 pixels; heightOf
// how high a row, in points of 3/4 pixel (ECMA-376, 18.3.1.13 and 18.3.1.73).
func columnOf(side int) float64 { return float64(side+6) / 7 }

func heightOf(side int) float64 { return float64(side+4) * 0.75 }

// Append puts rows below what stands in the workbook at path, by a process of the program, and
// writes it to the file at to. next returns false behind the last row. A *Refused says why the
// workbook cannot be used.
func Append(ctx context.Context, program contained.Program, path, to string, spec Below, next func() (BelowRow, bool, error)) (Put, error) {
	select {
	case appending <- struct{}{}:
		defer func() { <-appending }()
	case <-ctx.Done():
		return Put{}, ctx.Err()
	}
	whole := ctx
	ctx, cancel := context.WithTimeout(ctx, appendTime)
	defer cancel()
	put, err := appendIn(ctx, program, path, to, spec, next)
	if errors.Is(err, context.DeadlineExceeded) && whole.Err() == nil {
		err = refuse(TooMany, fmt.Sprintf("Putting rows into it takes longer than %s: use a workbook with less in it.", appendTime))
	}
	return put, err
}

// How many put rows into workbooks at once, each in a process with appendMemory, and how long one may
// take.
const (
	appendAtOnce = 2
	appendTime   = time.Minute
)

var appending = make(chan struct{}, appendAtOnce)

// appendIn is Append for one that has its turn.
func appendIn(
	ctx context.Context, program contained.Program, path, to string, spec Below, next func() (BelowRow, bool, error),
) (Put, error) {
	scratch, err := os.MkdirTemp("", "ambrosa-workbook-*")
	if err != nil {
		return Put{}, err
	}
	child, err := program.In(scratch).Start(ctx, childProcessor, "append", path, to)
	if err != nil {
		return Put{}, errors.Join(err, os.RemoveAll(scratch))
	}
	put, err := tell(child, spec, next)
	var refused *Refused
	ended := child.Close(err == nil || errors.As(err, &refused))
	switch {
	case ctx.Err() != nil:
		err = ctx.Err()
	case refused != nil:
	case errors.Is(ended, contained.ErrMemory):
		err = refuse(Damaged, "Reading it needs more memory than is allowed.")
	case errors.Is(ended, contained.ErrSilent), errors.Is(ended, contained.ErrFailed):
		err = &Refused{Kind: Damaged, Err: errors.Join(err, ended), Reason: "It is damaged in a way that makes its reader fail."}
	}
	return put, errors.Join(err, os.RemoveAll(scratch))
}

// tell tells a child the rows, and hears what became of them.
func tell(child *contained.Child, spec Below, next func() (BelowRow, bool, error)) (Put, error) {
	buffered := bufio.NewWriterSize(child.In, 256<<10)
	lines := json.NewEncoder(buffered)
	err := lines.Encode(spec)
	for err == nil {
		row, more, failed := next()
		if failed != nil {
			return Put{}, failed
		}
		if !more {
			break
		}
		err = lines.Encode(row)
	}
	if err = errors.Join(err, buffered.Flush(), child.In.Close()); err != nil {
		return Put{}, err
	}
	var said putSaid
	if err := json.NewDecoder(io.LimitReader(child, maxLine)).Decode(&said); err != nil {
		return Put{}, err
	}
	if said.Refused != nil {
		return Put{}, said.Refused
	}
	if said.Put == nil {
		return Put{}, io.ErrUnexpectedEOF
	}
	return *said.Put, nil
}
