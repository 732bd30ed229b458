package sheetfile

import (
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/pairing"
)

// maxRows bounds how many rows of a sheet are read.
const maxRows = 500_000

// fileHeaders maps header words, letters and digits only, to what a sheet says
// of files (common practice).
var fileHeaders = map[string]string{
	"file": "file", "filename": "file", "image": "file", "imagename": "file", "imagefile": "file", "picture": "file", "picturename": "file", "photo": "file", "bild": "file", "dateiname": "file",
	"sku": "sku", "article": "sku", "articlenumber": "sku", "articleno": "sku", "itemno": "sku", "itemnumber": "sku", "productcode": "sku", "variant": "sku", "artikelnummer": "sku",
	"place": "place", "position": "place", "order": "place", "sort": "place", "sequence": "place",
	"view": "view", "shot": "view", "alt": "alt", "alttext": "alt", "alternativetext": "alt", "lead": "lead", "main": "lead", "primary": "lead",
}

// ReadRows reads which file shows which SKU from a CSV of any delimiter or an
// XLSX's first sheet. A row without a file or a SKU says nothing and is passed
// over. Refused says why a sheet as a whole says nothing of files.
func ReadRows(name string, source io.Reader) (rows []pairing.Row, err error) {
	next, end, err := cellsOf(name, source)
	if err != nil {
		return nil, err
	}
	defer end()
	header, _, err := next()
	if err != nil {
		return nil, Refused("It has no header row.")
	}
	column := map[string]int{}
	for i, cell := range header {
		word := strings.Map(func(r rune) rune {
			if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
				return r
			}
			return -1
		}, strings.ToLower(cell))
		if field := fileHeaders[word]; field != "" && column[field] == 0 {
			column[field] = i + 1
		}
	}
	if column["file"] == 0 || column["sku"] == 0 {
		return nil, Refused("It names no files: a column with the file's name and one with the SKU are needed.")
	}
	for {
		cells, line, err := next()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			return nil, Refused(fmt.Sprintf("Row %d cannot be read: %s.", line, reason(err)))
		}
		cell := func(field string) string {
			if i := column[field]; i > 0 && i <= len(cells) {
				return strings.TrimSpace(cells[i-1])
			}
			return ""
		}
		row := pairing.Row{Line: line, File: cell("file"), SKU: cell("sku"), View: cell("view"), Alt: cell("alt"), Lead: pairing.Yes(cell("lead"))}
		if n, err := strconv.Atoi(cell("place")); err == nil && n > 0 && n < 10_000 {
			row.Place = n
		}
		if row.File != "" && row.SKU != "" {
			if len(rows) == maxRows {
				return nil, Refused(fmt.Sprintf("It names more than %d files.", maxRows))
			}
			rows = append(rows, row)
		}
	}
}

// rowReader gives the cells of one row after the other, with its number; the
// error is io.EOF behind the last.
type rowReader func() (cells []string, row int, err error)

// cellsOf returns what reads a sheet's rows, and what ends it.
func cellsOf(name string, source io.Reader) (next rowReader, end func(), err error) {
	if strings.EqualFold(path.Ext(name), ".xlsx") {
		return cellsOfWorkbook(source)
	}
	table, err := newTable(source)
	if errors.Is(err, io.EOF) {
		return nil, nil, Refused("It has no header row.")
	}
	if err != nil {
		return nil, nil, err
	}
	return table.next, func() {}, nil
}

func cellsOfWorkbook(source io.Reader) (next rowReader, end func(), err error) {
	book, err := excelize.OpenReader(source, excelize.Options{UnzipSizeLimit: 512 << 20, UnzipXMLSizeLimit: 64 << 20})
	if err != nil {
		return nil, nil, Refused("It is not a workbook that can be read.")
	}
	sheets := book.GetSheetList()
	if len(sheets) == 0 {
		return nil, nil, errors.Join(Refused("The workbook has no sheet."), book.Close())
	}
	rows, err := book.Rows(sheets[0])
	if err != nil {
		return nil, nil, errors.Join(Refused("The workbook's first sheet cannot be read."), book.Close())
	}
	row := 0
	return func() ([]string, int, error) {
		row++
		if !rows.Next() {
			if err := rows.Error(); err != nil {
				return nil, row, err
			}
			return nil, row, io.EOF
		}
		cells, err := rows.Columns()
		return cells, row, err
	}, func() { _, _ = rows.Close(), book.Close() }, nil
}
