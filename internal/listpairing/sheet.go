package listpairing

import (
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"ambrosa/core/pairing"
	sheets "ambrosa/core/sheet"
)

// heedSheet weighs the rows of the sheet that a clue list names, which lies
// beside the list, over the verdicts. Without one it does nothing.
func heedSheet(list string, clues pairing.ClueList, catalog *pairing.Catalog, names []string, verdicts []pairing.Verdict) error {
	for _, setting := range clues.Clues {
		if setting.Clue != pairing.SheetRow.String() || setting.Off || setting.Sheet == "" {
			continue
		}
		path := setting.Sheet
		if !filepath.IsAbs(path) {
			path = filepath.Join(filepath.Dir(list), path)
		}
		content, err := readText(path, nil)
		if err != nil {
			return err
		}
		found, err := readRows(content)
		if err != nil {
			return inFile(path, err)
		}
		index, listener := pairing.NewRows(found), pairing.NewListener(catalog)
		for i := range verdicts {
			listener.Row(&verdicts[i], index.Of(names[i]))
		}
	}
	return nil
}

// The command understands columns by their own names alone.
var (
	products = sheets.Exactly(sheets.SKU, sheets.Product, sheets.Title, sheets.GTIN, sheets.Codes)
	pictures = sheets.Exactly(sheets.File, sheets.SKU, sheets.Place, sheets.View, sheets.Alt, sheets.Lead)
)

// readRows reads a sheet in CSV: the columns "file" and "sku" are needed,
// "place", "view", "alt" and "lead" may be there.
func readRows(content string) (found []pairing.Row, err error) {
	table := &rows{text: strings.TrimPrefix(content, "\ufeff"), next: 1}
	cells, err := table.read(nil)
	if err != nil {
		return nil, err
	}
	header, err := pictures.Header(cells, true, sheets.File, sheets.SKU)
	if err != nil {
		return nil, fmt.Errorf("line 1: the columns \"file\" and \"sku\" are needed, there are %q", cells)
	}
	for {
		if cells, err = table.read(cells[:0]); err != nil || cells == nil {
			return found, err
		}
		cell := func(field sheets.Field) string { return header.Cell(cells, field) }
		row := pairing.Row{
			Line: table.line,
			File: cell(sheets.File),
			SKU:  cell(sheets.SKU),
			View: cell(sheets.View),
			Alt:  cell(sheets.Alt),
			Lead: sheets.Yes(cell(sheets.Lead)),
		}
		if text := cell(sheets.Place); text != "" {
			if row.Place, err = strconv.Atoi(text); err != nil || row.Place < 1 {
				return nil, fmt.Errorf("line %d: the place %q is not a number from 1 on", table.line, text)
			}
		}
		if row.File != "" && row.SKU != "" {
			found = append(found, row)
		}
	}
}
