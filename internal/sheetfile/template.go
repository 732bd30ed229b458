package sheetfile

import (
	"encoding/csv"
	"errors"
	"io"

	"github.com/xuri/excelize/v2"
)

// Filling is how a sheet is to be filled in: a column's header, what its example row
// holds, and the values that it may have; none where any may stand there.
type Filling struct {
	Header  string
	Example string
	Values  []string
}

// filled is for how many rows the values of a template are offered.
const filled = 5_000

// WriteTemplateXLSX writes a workbook to fill in: the headers, an example row, and lists
// of values to choose from, which stand on a hidden worksheet. Another value is allowed,
// and warned of.
func WriteTemplateXLSX(out io.Writer, columns []Filling) (err error) {
	const name, lists = "Products", "Values"
	book := excelize.NewFile()
	defer func() { err = errors.Join(err, book.Close()) }()
	if err := book.SetSheetName("Sheet1", name); err != nil {
		return err
	}
	if _, err := book.NewSheet(lists); err != nil {
		return err
	}
	bold, err := book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return err
	}
	text, err := book.NewStyle(&excelize.Style{NumFmt: 49}) // ECMA-376: "@", so that zeros in front stay
	if err != nil {
		return err
	}
	for i, c := range columns {
		if err := writeFilling(book, name, lists, i+1, c, bold, text); err != nil {
			return err
		}
	}
	if err := book.SetSheetVisible(lists, false); err != nil {
		return err
	}
	err = book.SetPanes(name, &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"})
	if err != nil {
		return err
	}
	return book.Write(out)
}

func writeFilling(book *excelize.File, name, lists string, at int, c Filling, bold, text int) error {
	column, err := excelize.ColumnNumberToName(at)
	if err != nil {
		return err
	}
	wide := float64(min(max(len(c.Header), len(c.Example))+4, widest))
	if err := errors.Join(book.SetColWidth(name, column, column, wide), book.SetColStyle(name, column, text),
		book.SetCellStr(name, column+"1", c.Header), book.SetCellStyle(name, column+"1", column+"1", bold),
		book.SetCellStr(name, column+"2", c.Example)); err != nil || len(c.Values) == 0 {
		return err
	}
	for i, value := range c.Values {
		cell, err := excelize.CoordinatesToCellName(at, i+1)
		if err != nil {
			return err
		}
		if err := book.SetCellStr(lists, cell, value); err != nil {
			return err
		}
	}
	last, err := excelize.CoordinatesToCellName(at, len(c.Values), true)
	if err != nil {
		return err
	}
	first, err := excelize.CoordinatesToCellName(at, 1, true)
	if err != nil {
		return err
	}
	end, err := excelize.CoordinatesToCellName(at, filled)
	if err != nil {
		return err
	}
	rule := excelize.NewDataValidation(true)
	rule.SetSqref(column + "2:" + end)
	rule.SetSqrefDropList(lists + "!" + first + ":" + last)
	rule.SetError(excelize.DataValidationErrorStyleWarning, "Not in the catalog yet", "This value is new. Is it spelt as you mean it?")
	return book.AddDataValidation(name, rule)
}

// WriteTemplateCSV writes the headers and the example row alone.
func WriteTemplateCSV(out io.Writer, columns []Filling) error {
	header, example := make([]string, len(columns)), make([]string, len(columns))
	for i, c := range columns {
		header[i], example[i] = c.Header, c.Example
	}
	if _, err := io.WriteString(out, "\ufeff"); err != nil {
		return err
	}
	rows := csv.NewWriter(out)
	rows.UseCRLF = true
	return rows.WriteAll([][]string{header, example})
}
