package sheetfile

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

// withWorksheet returns a workbook whose worksheet has other markup.
func withWorksheet(t testing.TB, from, markup string) (path string) {
	t.Helper()
	before, err := zip.OpenReader(from)
	if err != nil {
		t.Fatal(err)
	}
	defer before.Close()
	path = filepath.Join(t.TempDir(), "hostile.xlsx")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	out := zip.NewWriter(file)
	for _, part := range before.File {
		entry, err := out.Create(part.Name)
		if err != nil {
			t.Fatal(err)
		}
		if part.Name == "xl/worksheets/sheet1.xml" {
			_, err = io.WriteString(entry, markup)
		} else {
			var content io.ReadCloser
			if content, err = part.Open(); err == nil {
				_, err = io.Copy(entry, content)
			}
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(out.Close(), file.Close()); err != nil {
		t.Fatal(err)
	}
	return path
}

// worksheet is the markup of a worksheet (ECMA-376, 18.3.1.99).
func worksheet(inside string) string {
	return `<?xml version="1.0" encoding="UTF-8"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">` + inside +
		`</worksheet>`
}

// TestWorkbooksThatExpand hands in workbooks of a few kilobytes that name millions of cells: each is
// refused, with a reason, for about what reading it takes.
func TestWorkbooksThatExpand(t *testing.T) {
	row := func(r int, cell string) string {
		return fmt.Sprintf(`<row r="%d"><c r="%s%d" t="inlineStr"><is><t>x</t></is></c></row>`, r, cell, r)
	}
	var wide strings.Builder
	for r := range 1000 {
		wide.WriteString(row(r+1, "XFD"))
	}
	var merged strings.Builder
	for n := range 20_000 {
		fmt.Fprintf(&merged, `<mergeCell ref="A%d:B%d"/>`, n+1, n+1)
	}
	widths := strings.Repeat(`<col min="1" max="16384" width="9"/>`, 5000)
	for name, c := range map[string]struct{ markup, want string }{
		"a cell in the last row":      {`<sheetData>` + row(1, "A") + row(1048576, "XFD") + `</sheetData>`, "far below the rest"},
		"rows to the last column":     {`<sheetData>` + wide.String() + `</sheetData>`, "more than 3000000 cells"},
		"widths over and over":        {`<cols>` + widths + `</cols><sheetData/>`, "widths"},
		"everything merged":           {`<sheetData/><mergeCells count="1"><mergeCell ref="A1:XFD1048576"/></mergeCells>`, "merged areas reach"},
		"merged areas by the million": {`<sheetData/><mergeCells>` + merged.String() + `</mergeCells>`, "merged areas"},
	} {
		path := withWorksheet(t, colleagues(t), worksheet(c.markup))
		budget.Of(len(c.markup)).Check(t, func() {
			_, _, err := appended(t, path, Below{Header: []string{"SKU"}}, BelowRow{Cells: []any{"NEW-1"}})
			var refused *Refused
			if !errors.As(err, &refused) || !strings.Contains(refused.Reason, c.want) {
				t.Errorf("%s: %v, expected %q", name, err, c.want)
			}
		})
	}
}

// FuzzWorkbooksToAppendTo puts a row into workbooks with any markup, within a budget.
func FuzzWorkbooksToAppendTo(f *testing.F) {
	f.Add(`<sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>SKU</t></is></c></row></sheetData>`)
	f.Add(`<cols><col min="1" max="9"/></cols><sheetData><row><c/><c r="ZZ9"/></row></sheetData>` +
		`<mergeCells><mergeCell ref="A1:B2"/></mergeCells>`)
	f.Add(`<sheetData><row r="99999"/></sheetData>`)
	f.Fuzz(func(t *testing.T, inside string) {
		if len(inside) > 20_000 {
			return
		}
		path := withWorksheet(t, colleagues(t), worksheet(inside))
		b := budget.Of(len(inside)).Times(4)
		b.Bytes += 700 << 20 // what the bounds allow a worksheet to expand to
		b.Check(t, func() {
			_, _, _ = appended(t, path, Below{Header: []string{"SKU"}}, BelowRow{Cells: []any{"NEW-1"}})
		})
	})
}
