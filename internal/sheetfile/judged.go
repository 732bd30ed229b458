package sheetfile

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/xuri/excelize/v2"
)

// JudgedLine is a row of a sheet as it goes back to who sent it.
type JudgedLine struct {
	Cells   []string       // as they came
	Row     int            // as a spreadsheet program counts
	Verdict string         // of the row
	Asked   map[int]string // cells in question, by column, each with its reason; -1 for the row as a whole
}

// reasons are all of a line's reasons, in the order of their columns.
func (l JudgedLine) reasons(names []string) string {
	var said []string
	for column := -1; column < len(names); column++ {
		if reason := l.Asked[column]; reason != "" {
			if column >= 0 && names[column] != "" {
				reason = names[column] + ": " + reason
			}
			said = append(said, reason)
		}
	}
	return strings.Join(said, " ")
}

// Headers of the columns that are added, behind those of the sheet.
var judgedHeaders = []string{"Row", "Verdict", "What to look at"}

// WriteJudgedCSV writes a judged sheet as CSV (RFC 4180): its own columns, and what is in
// question behind them. next returns false behind the last row.
func WriteJudgedCSV(out io.Writer, names []string, next func() (JudgedLine, bool, error)) error {
	if _, err := io.WriteString(out, "\ufeff"); err != nil {
		return err
	}
	rows := csv.NewWriter(out)
	rows.UseCRLF = true
	if err := rows.Write(append(append([]string{}, names...), judgedHeaders...)); err != nil {
		return err
	}
	for {
		line, more, err := next()
		if err != nil || !more {
			rows.Flush()
			return errors.Join(err, rows.Error())
		}
		cells := make([]string, len(names), len(names)+len(judgedHeaders))
		for i := range names {
			if i < len(line.Cells) {
				cells[i] = fmt.Sprint(harmless(line.Cells[i]))
			}
		}
		if err := rows.Write(append(cells, fmt.Sprint(line.Row), line.Verdict, fmt.Sprint(harmless(line.reasons(names))))); err != nil {
			return err
		}
	}
}

// maxNotes bounds how many cells of a workbook get a note: each is held in memory until
// the end.
const maxNotes = 5_000

// WriteJudgedXLSX writes a judged sheet as a workbook: its own columns with the cells in
// question marked, each with its reason as a note as far as 5,000 go, and all reasons in
// a column behind.
func WriteJudgedXLSX(out io.Writer, names []string, next func() (JudgedLine, bool, error)) (err error) {
	book := excelize.NewFile()
	defer func() { err = errors.Join(err, book.Close()) }()
	rows, err := book.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	w := judgedBook{book: book, rows: rows, names: names}
	if err := w.begin(); err != nil {
		return err
	}
	for n := 2; ; n++ {
		line, more, err := next()
		if err != nil {
			return err
		}
		if !more {
			break
		}
		if err := w.add(n, line); err != nil {
			return fmt.Errorf("write row %d: %w", n, err)
		}
	}
	if err := rows.Flush(); err != nil {
		return err
	}
	return book.Write(out)
}

type judgedBook struct {
	book         *excelize.File
	rows         *excelize.StreamWriter
	names        []string
	marked, bold int // styles
	notes        int
}

func (w *judgedBook) begin() (err error) {
	if w.bold, err = w.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}}); err != nil {
		return err
	}
	w.marked, err = w.book.NewStyle(&excelize.Style{Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"FBE4D3"}},
		Border: []excelize.Border{{Type: "bottom", Color: "A64B0E", Style: 2}}})
	if err != nil {
		return err
	}
	if err := w.rows.SetColWidth(1, max(1, len(w.names)), 18); err != nil {
		return err
	}
	if err := w.rows.SetColWidth(len(w.names)+3, len(w.names)+3, widest); err != nil {
		return err
	}
	if err := w.rows.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	header := make([]any, 0, len(w.names)+len(judgedHeaders))
	for _, name := range append(append([]string{}, w.names...), judgedHeaders...) {
		header = append(header, excelize.Cell{StyleID: w.bold, Value: cutText(name)})
	}
	return w.rows.SetRow("A1", header)
}

// add writes a line; texts are written as texts, never as formulas.
func (w *judgedBook) add(n int, line JudgedLine) error {
	cells := make([]any, len(w.names), len(w.names)+len(judgedHeaders))
	for i := range w.names {
		cell := excelize.Cell{}
		if i < len(line.Cells) {
			cell.Value = cutText(line.Cells[i])
		}
		if reason := line.Asked[i]; reason != "" {
			cell.StyleID = w.marked
			if err := w.note(i+1, n, reason); err != nil {
				return err
			}
		}
		cells[i] = cell
	}
	at, err := excelize.CoordinatesToCellName(1, n)
	if err != nil {
		return err
	}
	return w.rows.SetRow(at, append(cells, line.Row, line.Verdict, cutText(line.reasons(w.names))))
}

func (w *judgedBook) note(column, row int, reason string) error {
	if w.notes++; w.notes > maxNotes {
		return nil
	}
	at, err := excelize.CoordinatesToCellName(column, row)
	if err != nil {
		return err
	}
	return w.book.AddComment("Sheet1", excelize.Comment{Author: "Ambrosa", Cell: at, Paragraph: []excelize.RichTextRun{{Text: reason}}})
}
