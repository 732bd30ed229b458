package sheetfile

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"
	"golang.org/x/image/draw"
	"golang.org/x/image/webp"
)

// Column is a column of a list that is written for people.
type Column[T any] struct {
	Name  string
	Title string
	Of    func(T) any // text or number
}

// maxPictures bounds how many rows of a workbook get a thumbnail: each is a file
// of its own within it.
const maxPictures = 5_000

// WriteCSV writes rows as CSV (RFC 4180), with a byte order mark, by which
// spreadsheet programs know UTF-8. next returns false behind the last row.
func WriteCSV[T any](out io.Writer, columns []Column[T], next func() (T, bool, error)) error {
	if _, err := io.WriteString(out, "\ufeff"); err != nil {
		return err
	}
	rows := csv.NewWriter(out)
	rows.UseCRLF = true
	line := make([]string, len(columns))
	for i, c := range columns {
		line[i] = c.Title
	}
	if err := rows.Write(line); err != nil {
		return err
	}
	for {
		row, more, err := next()
		if err != nil || !more {
			rows.Flush()
			if err == nil {
				err = rows.Error()
			}
			return err
		}
		for i, c := range columns {
			line[i] = fmt.Sprint(harmless(c.Of(row)))
		}
		if err := rows.Write(line); err != nil {
			return err
		}
	}
}

// harmless keeps a text from being run as a formula by the program that opens
// it: it gets an apostrophe before it (OWASP, CSV Injection).
func harmless(value any) any {
	text, ok := value.(string)
	if ok && text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return value
}

// WriteXLSX writes rows as a workbook with a thumbnail in the first cell of
// each, as far as thumbnail returns one (WebP). Rows without limit are written
// without thumbnails beyond the first 5,000.
func WriteXLSX[T any](out io.Writer, columns []Column[T], next func() (T, bool, error), thumbnail func(T) []byte) error {
	book := excelize.NewFile()
	defer book.Close()
	const sheet = "Files"
	if err := book.SetSheetName("Sheet1", sheet); err != nil {
		return err
	}
	shift := 1
	if thumbnail != nil {
		shift = 2
		if err := book.SetColWidth(sheet, "A", "A", 11); err != nil {
			return err
		}
	}
	bold, err := book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	cell := func(column, row int) string {
		name, _ := excelize.CoordinatesToCellName(column, row)
		return name
	}
	for i, c := range columns {
		if err := book.SetCellValue(sheet, cell(i+shift, 1), c.Title); err != nil {
			return err
		}
	}
	if err := book.SetRowStyle(sheet, 1, 1, bold); err != nil {
		return err
	}
	for row := 2; ; row++ {
		value, more, err := next()
		if err != nil {
			return err
		}
		if !more {
			return book.Write(out)
		}
		for i, c := range columns {
			v := c.Of(value)
			if text, ok := v.(string); ok { // as text, never as a formula
				err = book.SetCellStr(sheet, cell(i+shift, row), text)
			} else {
				err = book.SetCellValue(sheet, cell(i+shift, row), v)
			}
			if err != nil {
				return err
			}
		}
		if thumbnail == nil || row > maxPictures {
			continue
		}
		if picture := asJPEG(thumbnail(value)); picture != nil {
			if err := book.SetRowHeight(sheet, row, 60); err != nil {
				return err
			}
			if err := book.AddPictureFromBytes(sheet, cell(1, row), &excelize.Picture{Extension: ".jpg", File: picture,
				Format: &excelize.GraphicOptions{AutoFit: true, LockAspectRatio: true}}); err != nil {
				return err
			}
		}
	}
}

// asJPEG makes a picture for a cell of a thumbnail; nil where there is none.
func asJPEG(thumbnail []byte) []byte {
	if len(thumbnail) == 0 {
		return nil
	}
	whole, err := webp.Decode(bytes.NewReader(thumbnail))
	if err != nil {
		return nil
	}
	const side = 96
	w, h := whole.Bounds().Dx(), whole.Bounds().Dy()
	longer := max(w, h, 1)
	small := image.NewRGBA(image.Rect(0, 0, max(1, w*side/longer), max(1, h*side/longer)))
	draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(small, small.Bounds(), whole, whole.Bounds(), draw.Over, nil)
	var out bytes.Buffer
	if jpeg.Encode(&out, small, &jpeg.Options{Quality: 82}) != nil {
		return nil
	}
	return out.Bytes()
}
