package sheetfile

import "fmt"

// maxSheetRow and maxColumns are as many as a workbook may have (ECMA-376, and
// common practice); beyond them nothing is read.
const (
	maxSheetRow = 1_048_576
	maxColumns  = 16_384
)

// rowReader gives the cells of one row after the other, with its number; the
// error is io.EOF behind the last.
type rowReader func() (cells []string, row int, err error)

var (
	errTooManyRows    = fmt.Errorf("a sheet has at most %d rows", maxSheetRow)
	errTooManyColumns = fmt.Errorf("a sheet has at most %d columns", maxColumns)
)
