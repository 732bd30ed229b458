package sheetfile

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"regexp"
	"strings"
	"unicode/utf8"

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

// MostPictures is how many rows a workbook has whose rows have pictures: each is a file
// of its own within it, and all are in memory until it is written.
const MostPictures = 5_000

// ErrManyPictures means that a workbook has more rows with pictures than MostPictures.
var ErrManyPictures = errors.New("a workbook has pictures in at most 5000 rows: write several, or none")

// WriteBooks writes rows with pictures as workbooks of MostPictures rows each, into a ZIP in which they
// are called by a name and their number.
func WriteBooks[T any](out io.Writer, name, worksheet string, columns []Column[T], next func() (T, bool, error),
	thumbnail func(T) ([]byte, error), side int) error {
	books := zip.NewWriter(out)
	waiting, more, err := next()
	for n := 1; more && err == nil; n++ {
		var book io.Writer
		if book, err = books.CreateHeader(&zip.FileHeader{Name: fmt.Sprintf("%s %d.xlsx", name, n), Method: zip.Store}); err != nil {
			return err
		}
		rows := 0
		err = WriteBook(book, worksheet, columns, func() (row T, there bool, err error) {
			if !more || rows == MostPictures {
				return row, false, nil
			}
			row = waiting
			rows++
			waiting, more, err = next()
			return row, true, err
		}, thumbnail, side)
	}
	return errors.Join(err, books.Close())
}

// WriteCSV writes rows as CSV (RFC 4180), with a byte order mark, by which
// spreadsheet programs know UTF-8. next returns false behind the last row.
func WriteCSV[T any](out io.Writer, columns []Column[T], next func() (T, bool, error)) error {
	return WriteSeparated(out, ',', columns, next)
}

// WriteSeparated is WriteCSV with another character between cells.
func WriteSeparated[T any](out io.Writer, between rune, columns []Column[T], next func() (T, bool, error)) error {
	if _, err := io.WriteString(out, "\ufeff"); err != nil {
		return err
	}
	rows := csv.NewWriter(out)
	rows.Comma, rows.UseCRLF = between, true
	line := make([]string, len(columns))
	for i, c := range columns {
		line[i] = fmt.Sprint(harmless(c.Title))
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
// it: it gets an apostrophe before it (OWASP, CSV Injection), and so does what
// would begin a cell for a program that takes another character for the one
// between cells.
func harmless(value any) any {
	text, ok := value.(string)
	if !ok || text == "" || !strings.ContainsAny(text, "=+-@\t\r") {
		return value
	}
	return begins.ReplaceAllString(text, "${1}'${2}")
}

// begins finds what begins a formula at the beginning of a cell, whatever is between cells.
var begins = regexp.MustCompile(`(^|[;,|\t\r\n])([=+\-@\t\r])`)

// WriteXLSX writes rows as a workbook of one worksheet with a name, whose header stays in sight and whose
// columns fit their content, with a thumbnail in the first cell of each row as far
// as thumbnail returns one (WebP). With thumbnails it has at most MostPictures rows: more are
// ErrManyPictures, and nothing is written.
func WriteXLSX[T any](out io.Writer, name string, columns []Column[T], next func() (T, bool, error),
	thumbnail func(T) ([]byte, error)) error {
	return WriteBook(out, name, columns, next, thumbnail, pictureSide)
}

// WriteBook is WriteXLSX with thumbnails of a side, in pixels.
func WriteBook[T any](out io.Writer, name string, columns []Column[T], next func() (T, bool, error),
	thumbnail func(T) ([]byte, error), side int) (err error) {
	book := excelize.NewFile()
	defer func() { err = errors.Join(err, book.Close()) }()
	if err := book.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	rows, err := book.NewStreamWriter(name)
	if err != nil {
		return err
	}
	w := &listBook[T]{name: name, book: book, rows: rows, columns: columns, thumbnail: thumbnail, side: side}
	if thumbnail != nil {
		w.shift = 1
	}
	first, err := firstRows(next)
	if err != nil {
		return err
	}
	if err := w.begin(first); err != nil {
		return err
	}
	for n := 0; ; n++ {
		var value T
		more := n < len(first)
		if more {
			value = first[n]
		} else if len(first) == fitted {
			value, more, err = next()
		}
		if err != nil {
			return err
		}
		if !more {
			break
		}
		if err := w.add(n+2, value); err != nil {
			return fmt.Errorf("write row %d: %w", n+2, err)
		}
	}
	if err := rows.Flush(); err != nil {
		return err
	}
	return book.Write(out)
}

// fitted is by how many rows columns are made wide.
const fitted = 1_000

// Column widths, in characters; longer text is broken into lines.
const (
	narrowest = 6
	widest    = 64
)

const (
	lineHeight  = 15 // of a line of text, points
	pictureSide = 76 // of thumbnails where nothing else is said, pixels
)

func firstRows[T any](next func() (T, bool, error)) (rows []T, err error) {
	for len(rows) < fitted {
		value, more, err := next()
		if err != nil || !more {
			return rows, err
		}
		rows = append(rows, value)
	}
	return rows, nil
}

// listBook is a workbook that is being written.
type listBook[T any] struct {
	name      string
	book      *excelize.File
	rows      *excelize.StreamWriter
	columns   []Column[T]
	widths    []int
	shift     int // columns before those: one for thumbnails
	wrapped   int // style
	thumbnail func(T) ([]byte, error)
	side      int // of thumbnails, pixels
}

// begin writes the header, as wide as the first rows need.
func (w *listBook[T]) begin(first []T) error {
	bold, err := w.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	if w.wrapped, err = w.book.NewStyle(&excelize.Style{Alignment: &excelize.Alignment{WrapText: true, Vertical: "top"}}); err != nil {
		return err
	}
	if w.shift > 0 {
		if err := w.rows.SetColWidth(1, 1, columnOf(w.side)); err != nil {
			return err
		}
	}
	titles := make([]any, w.shift+len(w.columns))
	for i, c := range w.columns {
		titles[w.shift+i] = excelize.Cell{StyleID: bold, Value: c.Title}
		wide := utf8.RuneCountInString(c.Title)
		for _, row := range first {
			wide = max(wide, utf8.RuneCountInString(fmt.Sprint(c.Of(row))))
		}
		w.widths = append(w.widths, min(max(wide+2, narrowest), widest))
		if err := w.rows.SetColWidth(w.shift+i+1, w.shift+i+1, float64(w.widths[i])); err != nil {
			return err
		}
	}
	if err := w.rows.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	return w.rows.SetRow("A1", titles)
}

// add writes a row, high enough for its texts and its picture.
func (w *listBook[T]) add(row int, value T) error {
	cells := make([]any, w.shift+len(w.columns))
	lines := 1
	for i, c := range w.columns {
		v := c.Of(value) // a text is written as text, never as a formula
		if text, ok := v.(string); ok {
			text = cutText(text)
			v, lines = text, max(lines, (utf8.RuneCountInString(text)+w.widths[i]-1)/w.widths[i])
		}
		cells[w.shift+i] = excelize.Cell{StyleID: w.wrapped, Value: v}
	}
	height := float64(lines * lineHeight)
	var picture []byte
	if w.thumbnail != nil && row > MostPictures+1 {
		return ErrManyPictures
	}
	if w.thumbnail != nil {
		small, err := w.thumbnail(value)
		if err != nil {
			return err
		}
		if picture = AsJPEG(small, w.side); picture != nil {
			height = max(height, heightOf(w.side))
		}
	}
	at, err := excelize.CoordinatesToCellName(1, row)
	if err != nil {
		return err
	}
	if err := w.rows.SetRow(at, cells, excelize.RowOpts{Height: min(height, 400)}); err != nil || picture == nil {
		return err
	}
	return w.book.AddPictureFromBytes(w.name, at, &excelize.Picture{Extension: ".jpg", File: picture,
		Format: &excelize.GraphicOptions{OffsetX: 2, OffsetY: 2, Positioning: "oneCell"}})
}

// cutText keeps a text within what a cell may hold (ECMA-376: 32,767 characters).
func cutText(text string) string {
	if len(text) <= excelize.TotalCellChars {
		return text
	}
	runes := []rune(text)
	return string(runes[:min(len(runes), excelize.TotalCellChars)])
}

// AsJPEG makes a picture for a cell of a thumbnail (WebP), with a longer side in pixels; nil
// where there is none.
func AsJPEG(thumbnail []byte, side int) []byte {
	if len(thumbnail) == 0 {
		return nil
	}
	whole, err := webp.Decode(bytes.NewReader(thumbnail))
	if err != nil {
		return nil
	}
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
