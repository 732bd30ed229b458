package sheetfile

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// The bounds of a workbook that rows are put into. A few bytes of it can name a million cells: what
// writes it makes each of them, so they are counted before.
const (
	mostCells  = 3_000_000 // up to the last of each row
	mostGap    = 200_000   // rows that nothing stands in, above the last one
	mostWidths = 65_536    // columns that are given a width, over and over
	mostMerged = 10_000    // merged areas
	mostArea   = 5_000_000 // cells of the rectangle around all merged areas
	mostMarkup = 12 << 20  // elements of one worksheet
)

// expansion is what writing a worksheet would make of it.
type expansion struct {
	cells, rows, lastRow, lastColumn int
	widths, merged                   int
	mergedTo                         [2]int // column and row
	elements                         int
}

// tooMuch refuses a workbook whose worksheets would expand to too much.
func tooMuch(path string) (err error) {
	archive, err := zip.OpenReader(path)
	if err != nil {
		return nil // it is no archive: Open says what it is instead
	}
	defer func() { err = errors.Join(err, archive.Close()) }()
	for _, part := range archive.File {
		name := strings.ToLower(strings.ReplaceAll(part.Name, `\`, "/"))
		if !strings.HasSuffix(name, ".xml") || !strings.Contains(name, "worksheets/") {
			continue
		}
		if part.UncompressedSize64 > maxUnpacked {
			return refuse(TooMany, "One of its worksheets unpacks to more than is allowed.")
		}
		content, err := part.Open()
		if err != nil {
			return refuse(Damaged, "One of its worksheets cannot be unpacked.")
		}
		var e expansion
		err = e.read(io.LimitReader(content, maxUnpacked))
		if err = errors.Join(err, content.Close()); err != nil {
			return err
		}
	}
	return nil
}

// read counts what a worksheet's markup names.
func (e *expansion) read(in io.Reader) error {
	markup := xml.NewDecoder(in)
	markup.CharsetReader = func(string, io.Reader) (io.Reader, error) { return nil, errors.New("only UTF-8") }
	for {
		token, err := markup.RawToken()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return refuse(Damaged, "One of its worksheets is damaged.")
		}
		element, begins := token.(xml.StartElement)
		if !begins {
			continue
		}
		if e.elements++; e.elements > mostMarkup {
			return refuse(TooMany, "One of its worksheets has more in it than rows can be put into.")
		}
		if why := e.element(element); why != "" {
			return refuse(TooMany, "One of its worksheets would expand to too much: "+why+". Remove what is far from its table, and try again.")
		}
	}
}

// element counts one element, and says what there is too much of.
func (e *expansion) element(element xml.StartElement) (why string) {
	at := func(name string) string {
		for _, a := range element.Attr {
			if a.Name.Local == name {
				return a.Value
			}
		}
		return ""
	}
	switch element.Name.Local {
	case "row":
		row, err := strconv.Atoi(at("r"))
		if err != nil {
			row = e.lastRow + 1
		}
		e.rows++
		e.lastRow, e.lastColumn = max(e.lastRow, row), 0
		if e.lastRow-e.rows > mostGap {
			return fmt.Sprintf("something stands in row %d, far below the rest", row)
		}
	case "c":
		column, row := e.lastColumn+1, e.lastRow
		if reference := at("r"); reference != "" {
			var err error
			if column, row, err = excelize.CellNameToCoordinates(reference); err != nil {
				return fmt.Sprintf("it has a cell %.20q", reference)
			}
		}
		if row-e.rows > mostGap {
			return fmt.Sprintf("something stands in row %d, far below the rest", row)
		}
		e.cells += max(0, column-e.lastColumn)
		e.lastColumn = max(e.lastColumn, column)
		if e.cells > mostCells {
			return fmt.Sprintf("it has more than %d cells", mostCells)
		}
	case "col":
		from, err := strconv.Atoi(at("min"))
		to, toErr := strconv.Atoi(at("max"))
		if err != nil || toErr != nil || from < 1 || to > excelize.MaxColumns || to < from {
			return "it gives widths to columns that there are not"
		}
		if e.widths += to - from + 1; e.widths > mostWidths {
			return "it gives widths to the same columns again and again"
		}
	case "mergeCell":
		return e.merge(at("ref"))
	}
	return ""
}

func (e *expansion) merge(reference string) (why string) {
	if e.merged++; e.merged > mostMerged {
		return fmt.Sprintf("it has more than %d merged areas", mostMerged)
	}
	for corner := range strings.SplitSeq(reference, ":") {
		column, row, err := excelize.CellNameToCoordinates(corner)
		if err != nil {
			return fmt.Sprintf("it has a merged area %.20q", reference)
		}
		e.mergedTo = [2]int{max(e.mergedTo[0], column), max(e.mergedTo[1], row)}
	}
	if e.mergedTo[0]*e.mergedTo[1] > mostArea {
		return "its merged areas reach over too many cells"
	}
	return ""
}
