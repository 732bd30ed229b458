package sheetfile

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"

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
	header, err := next()
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
	for line := 2; len(rows) < maxRows; line++ {
		cells, err := next()
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
			rows = append(rows, row)
		}
	}
	return rows, nil
}

// cellsOf returns what gives the rows of a sheet one after the other, and what
// ends it.
func cellsOf(name string, source io.Reader) (next func() ([]string, error), end func(), err error) {
	if strings.EqualFold(path.Ext(name), ".xlsx") {
		return cellsOfWorkbook(source)
	}
	guard := &guarded{source: decoded(source), left: maxRow}
	buffered := bufio.NewReaderSize(guard, 64<<10)
	head, _ := buffered.Peek(64 << 10)
	table := csv.NewReader(buffered)
	table.Comma, table.FieldsPerRecord, table.LazyQuotes, table.ReuseRecord = delimiter(head), -1, true, true
	first := true
	return func() ([]string, error) {
		guard.left = maxRow
		cells, err := table.Read()
		for i, cell := range cells {
			if first && i == 0 {
				cell = strings.TrimPrefix(cell, "\ufeff")
			}
			if !utf8.ValidString(cell) {
				cell, _ = charmap.Windows1252.NewDecoder().String(cell)
			}
			cells[i] = cell
		}
		first = false
		return cells, err
	}, func() {}, nil
}

func cellsOfWorkbook(source io.Reader) (next func() ([]string, error), end func(), err error) {
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
	return func() ([]string, error) {
		if !rows.Next() {
			return nil, errors.Join(io.EOF, rows.Error())
		}
		return rows.Columns()
	}, func() { _, _ = rows.Close(), book.Close() }, nil
}
