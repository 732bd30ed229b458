// Package sheetfile reads sheets of products as streams. What a row means and
// whether it can be taken is for core/sheet.
package sheetfile

import (
	"errors"
	"fmt"
	"io"
	"slices"

	"ambrosa/core/sheet"
)

// CSV is products that a program sends: a CSV with a header row that names the column "sku".
type CSV struct {
	Names   []string      // the header, as it stands there
	Mapping sheet.Mapping // of its columns, by the header's words alone

	rows *table
}

// OpenCSV reads the header. The error is a *Refused, or one of the source.
func OpenCSV(source io.Reader) (*CSV, error) {
	rows, err := newTable(source)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	var header []string
	var at int
	if err == nil {
		header, at, err = rows.next()
	}
	switch {
	case errors.Is(err, io.EOF):
		return nil, refuse(Empty, "The file is empty: a header row with the column \"sku\" is needed.")
	case err != nil:
		return nil, refuse(NoHeader, "The header row cannot be read: "+reason(err))
	}
	mapping, err := sheet.ByHeader(header, at)
	if err != nil {
		return nil, &Refused{Kind: NoHeader, Row: at, Err: err,
			Reason: fmt.Sprintf("Row %d: %v. Cells were taken to be separated by %s.", at, err, nameOf(rows.rows.Comma))}
	}
	names := slices.Clone(header)
	for i, name := range names {
		names[i] = cut(name)
	}
	return &CSV{Names: names, Mapping: mapping, rows: rows}, nil
}

// Next returns the cells of the next row, valid until the one after, and its number as a
// spreadsheet program counts. The error is io.EOF behind the last row, a *Refused, or one of the source.
func (c *CSV) Next() (cells []string, row int, err error) {
	cells, row, err = c.rows.next()
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, 0, unreadable(row, err)
	}
	for i, cell := range cells {
		cells[i] = cut(cell)
	}
	return cells, row, err
}
