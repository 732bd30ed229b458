package sheetfile

import (
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/legible"
	"ambrosa/core/pairing"
	"ambrosa/core/sheet"
)

// maxRows bounds how many rows of a sheet are read.
const maxRows = 500_000

// maxSheetRow and maxColumns are as many as a workbook may have (ECMA-376, and
// common practice); beyond them nothing is read.
const (
	maxSheetRow = 1_048_576
	maxColumns  = 16_384
)

// maxCell bounds the text that is taken of a cell, bytes.
const maxCell = 4_096

// tooManyRows is said of a sheet with more rows than are read.
var tooManyRows = refuse(TooMany, fmt.Sprintf("It names more than %d files.", maxRows))

// readRows is ReadRows within this process. A row without a file or a SKU says
// nothing and is passed over.
func readRows(name string, source io.Reader) (rows []pairing.Row, err error) {
	next, end, err := cellsOf(name, source)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, end()) }()
	first, _, err := next()
	if err != nil {
		return nil, refuse(NoHeader, "It has no header row.")
	}
	header, err := sheet.Pictures.Header(first, true, sheet.File, sheet.SKU)
	if err != nil {
		return nil, &Refused{Kind: NoHeader, Row: 1, Err: err,
			Reason: "It names no files: a column with the file's name and one with the SKU are needed."}
	}
	for {
		cells, line, err := next()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			return nil, unreadable(line, err)
		}
		cell := func(field sheet.Field) string { return legible.Short(legible.Name(header.Cell(cells, field)), maxCell) }
		row := pairing.Row{
			Line: line,
			File: cell(sheet.File),
			SKU:  cell(sheet.SKU),
			View: cell(sheet.View),
			Alt:  cell(sheet.Alt),
			Lead: sheet.Yes(cell(sheet.Lead)),
		}
		if n, err := strconv.Atoi(cell(sheet.Place)); err == nil && n > 0 && n < 10_000 {
			row.Place = n
		}
		if row.File != "" && row.SKU != "" {
			if len(rows) == maxRows {
				return nil, tooManyRows
			}
			rows = append(rows, row)
		}
	}
}

// rowReader gives the cells of one row after the other, with its number; the
// error is io.EOF behind the last.
type rowReader func() (cells []string, row int, err error)

// cellsOf returns what reads a sheet's rows, and what ends it.
func cellsOf(name string, source io.Reader) (next rowReader, end func() error, err error) {
	if strings.EqualFold(path.Ext(name), ".xlsx") {
		return cellsOfWorkbook(source)
	}
	table, err := newTable(source)
	if errors.Is(err, io.EOF) {
		return nil, nil, refuse(NoHeader, "It has no header row.")
	}
	if err != nil {
		return nil, nil, err
	}
	return table.next, func() error { return nil }, nil
}

func cellsOfWorkbook(source io.Reader) (next rowReader, end func() error, err error) {
	book, err := excelize.OpenReader(source, excelize.Options{UnzipSizeLimit: 512 << 20, UnzipXMLSizeLimit: 64 << 20})
	if err != nil {
		return nil, nil, refuse(NoWorkbook, "It is not a workbook that can be read.")
	}
	opened, err := worksheetOf(book, "")
	if err != nil {
		return nil, nil, errors.Join(err, book.Close())
	}
	return opened.next, opened.end, nil
}

var (
	errTooManyRows    = fmt.Errorf("a sheet has at most %d rows", maxSheetRow)
	errTooManyColumns = fmt.Errorf("a sheet has at most %d columns", maxColumns)
)
