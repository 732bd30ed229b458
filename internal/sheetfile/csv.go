// Package sheetfile reads sheets of products as streams. What a row means and
// whether it can be taken is for core/catalog.
package sheetfile

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"ambrosa/core/catalog"
	"ambrosa/core/sheet"
)

// ReadCSV reads products from a CSV with a header row and calls each for every
// row, with its problems and whether it can be taken. A SKU that stands twice is
// taken once, the first time. The error is a *Refused, one of the source, or what
// each returns.
func ReadCSV(source io.Reader, each func(row catalog.Row, problems []sheet.Problem, taken bool) error) error {
	table, err := newTable(source)
	if errors.Is(err, io.EOF) {
		return refuse(Empty, "The file is empty: a header row with the column \"sku\" is needed.")
	}
	if err != nil {
		return err
	}
	header, at, err := table.next()
	if errors.Is(err, io.EOF) {
		return refuse(Empty, "The file is empty: a header row with the column \"sku\" is needed.")
	}
	if err != nil {
		return refuse(NoHeader, "The header row cannot be read: "+reason(err))
	}
	columns, err := sheet.ReadHeader(header)
	if err != nil {
		return &Refused{Kind: NoHeader, Row: at, Err: err,
			Reason: fmt.Sprintf("Row %d: %v. Cells were taken to be separated by %s.", at, err, nameOf(table.rows.Comma))}
	}
	seen := map[string]int{}
	for {
		cells, at, err := table.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return unreadable(at, err)
		}
		row, problems := columns.Judge(cells, at)
		taken := true
		for _, p := range problems {
			taken = taken && p.Kept
		}
		if taken {
			if before, twice := seen[strings.ToLower(row.SKU)]; twice {
				taken = false
				problems = append(
					problems,
					sheet.Problem{
						Row:    at,
						Column: "sku",
						Value:  row.SKU,
						Reason: fmt.Sprintf("the SKU stands in row %d already", before),
					},
				)
			} else {
				seen[strings.ToLower(row.SKU)] = at
			}
		}
		if err := each(row, problems, taken); err != nil {
			return err
		}
	}
}
