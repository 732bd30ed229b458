package sheetfile

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/sheet"
)

// Sheet is a spreadsheet that is being read, row by row: one worksheet of an XLSX,
// or a CSV.
type Sheet struct {
	Worksheets []sheet.Worksheet // of a workbook, hidden ones last; none of a CSV
	Worksheet  string            // that is read
	Macros     bool              // the workbook has macros, which are not run

	next rowReader
	end  func() error
}

// Next returns the cells of the next row, valid until the one after, and its number
// as a spreadsheet program counts. The error is io.EOF behind the last row.
func (s *Sheet) Next() (cells []string, row int, err error) { return s.next() }

// Close ends it.
func (s *Sheet) Close() error { return s.end() }

// What files of other formats begin with.
var (
	zipMark    = []byte("PK\x03\x04")
	oldMark    = []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1") // compound file: the old binary workbook, and encrypted ones
	openMark   = []byte("mimetypeapplication/vnd.oasis.opendocument")
	pdfMark    = []byte("%PDF")
	markupMark = []byte("<")
)

// Open opens the spreadsheet at path, which is told by its bytes, not by its name,
// and of a workbook a worksheet: the first that is not hidden when worksheet is "".
// A *Refused says why it cannot be read.
func Open(path, worksheet string) (*Sheet, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	head := make([]byte, 4096)
	n, err := io.ReadFull(file, head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return nil, errors.Join(err, file.Close())
	}
	head = head[:n]
	if refused := foreign(head); refused != nil {
		return nil, errors.Join(refused, file.Close())
	}
	if bytes.HasPrefix(head, zipMark) {
		opened, err := openWorkbook(path, worksheet)
		return opened, errors.Join(err, file.Close())
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return nil, errors.Join(err, file.Close())
	}
	table, err := newTable(file)
	if errors.Is(err, io.EOF) {
		err = refuse(Empty, "The file is empty.")
	}
	if err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return &Sheet{next: table.next, end: file.Close}, nil
}

// foreign refuses what is no sheet that is read, and says what to do.
func foreign(head []byte) error {
	switch {
	case bytes.HasPrefix(head, oldMark):
		return refuse(NoWorkbook, "It is an old binary workbook, or one with a password. Save it as XLSX, without a password, or as CSV.")
	case bytes.Contains(head[:min(len(head), 200)], openMark):
		return refuse(NoWorkbook, "It is a workbook of another format. Save it as XLSX or as CSV.")
	case bytes.HasPrefix(head, pdfMark):
		return refuse(NoWorkbook, "It is a PDF. A spreadsheet is needed: XLSX or CSV.")
	case bytes.HasPrefix(bytes.TrimLeft(bytes.TrimPrefix(head, []byte("\ufeff")), " \r\n\t"), markupMark):
		return refuse(NoWorkbook, "It is a web page or XML, whatever its name says. Save it as XLSX or as CSV.")
	}
	return nil
}

// Bounds of a workbook, bytes: unpacked in all, and of a part that is held in
// memory; larger ones are put into a file.
const (
	maxUnpacked = 4 << 30
	maxInMemory = 16 << 20
)

func openWorkbook(path, worksheet string) (*Sheet, error) {
	book, err := excelize.OpenFile(path, excelize.Options{UnzipSizeLimit: maxUnpacked, UnzipXMLSizeLimit: maxInMemory})
	if err != nil {
		return nil, &Refused{Kind: NoWorkbook, Err: err, Reason: "It is not a workbook that can be read."}
	}
	opened, err := worksheetOf(book, worksheet)
	if err != nil {
		return nil, errors.Join(err, book.Close())
	}
	return opened, nil
}

// worksheetOf begins to read a worksheet of a workbook.
func worksheetOf(book *excelize.File, wanted string) (*Sheet, error) {
	s := &Sheet{Worksheet: wanted}
	var hidden []sheet.Worksheet
	for _, name := range book.GetSheetList() {
		visible, err := book.GetSheetVisible(name)
		if err != nil || visible {
			s.Worksheets = append(s.Worksheets, sheet.Worksheet{Name: name})
		} else {
			hidden = append(hidden, sheet.Worksheet{Name: name, Hidden: true})
		}
	}
	s.Worksheets = append(s.Worksheets, hidden...)
	if len(s.Worksheets) == 0 {
		return nil, refuse(NoWorkbook, "The workbook has no worksheet.")
	}
	if s.Worksheet == "" {
		s.Worksheet = s.Worksheets[0].Name
	}
	_, s.Macros = book.Pkg.Load("xl/vbaProject.bin")
	rows, err := book.Rows(s.Worksheet)
	if err != nil {
		return nil, &Refused{Kind: NoWorkbook, Err: err, Reason: fmt.Sprintf("Its worksheet %q cannot be read.", s.Worksheet)}
	}
	s.next = rowsOf(rows)
	s.end = func() error { return errors.Join(rows.Close(), book.Close()) }
	return s, nil
}

// rowsOf reads the rows of a worksheet, blank ones passed over but counted.
func rowsOf(rows *excelize.Rows) rowReader {
	row := 0
	return func() ([]string, int, error) {
		for {
			if row++; row > maxSheetRow {
				return nil, row, errTooManyRows
			}
			if !rows.Next() {
				if err := rows.Error(); err != nil {
					return nil, row, err
				}
				return nil, row, io.EOF
			}
			cells, err := rows.Columns()
			if len(cells) > maxColumns {
				err = errTooManyColumns
			}
			if err != nil {
				return nil, row, err
			}
			if len(cells) > 0 {
				return fitCells(cells), row, nil
			}
		}
	}
}
