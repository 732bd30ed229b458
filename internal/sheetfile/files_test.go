package sheetfile

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"image"
	"io"
	"os/exec"
	"runtime"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"ambrosa/internal/budget"
)

type listed struct {
	name, reason string
	width        int
}

var listedColumns = []Column[listed]{
	{Title: "File", Of: func(l listed) any { return l.name }},
	{Title: "Reason", Of: func(l listed) any { return l.reason }},
	{Title: "Width", Of: func(l listed) any { return l.width }},
}

// each gives n rows.
func each(n int, of func(int) listed) func() (listed, bool, error) {
	at := -1
	return func() (listed, bool, error) {
		at++
		if at >= n {
			return listed{}, false, nil
		}
		return of(at), true, nil
	}
}

// webpOf draws a thumbnail with the vips command line.
func webpOf(t *testing.T) []byte {
	t.Helper()
	out, err := exec.Command("sh", "-c", "d=$(mktemp -d) && vips black $d/a.png 320 200 && vips webpsave $d/a.png $d/a.webp && cat "+
		"$d/a.webp && rm -r $d").
		Output()
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// TestAWorkbookForPeople looks into a workbook for what people see of it: columns
// as wide as their texts, a header that stays, texts whole, pictures in their rows.
func TestAWorkbookForPeople(t *testing.T) {
	long := strings.Repeat("a long reason, ", 30)
	thumbnail := webpOf(t)
	var out bytes.Buffer
	err := WriteXLSX(&out, "Files", listedColumns, each(1_500, func(n int) listed {
		return listed{fmt.Sprintf("folder/of some length/picture number %d.jpg", n), map[bool]string{true: long, false: "=1+1"}[n == 3], n}
	}), func(l listed) ([]byte, error) {
		if l.width%2 == 0 {
			return thumbnail, nil
		}
		return nil, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(bytes.NewReader(out.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if rows, err := book.GetRows("Files"); err != nil || len(rows) != 1_501 || rows[4][2] != long || rows[5][2] != "=1+1" ||
		rows[1500][3] != "1499" {
		t.Errorf("%d rows, %v", len(rows), err)
	}
	if formula, err := book.GetCellFormula("Files", "C6"); err != nil || formula != "" {
		t.Errorf("a text became the formula %q, %v", formula, err)
	}
	for column, least := range map[string]float64{"A": 11, "B": 46, "C": widest, "D": narrowest} {
		if width, err := book.GetColWidth("Files", column); err != nil || width < least || width > widest {
			t.Errorf("column %s is %g wide, at least %g is needed; %v", column, width, least, err)
		}
	}
	if height, err := book.GetRowHeight("Files", 5); err != nil || height < lineHeight*7 {
		t.Errorf("the row of a long text is %g high, %v", height, err)
	}
	panes, err := book.GetPanes("Files")
	if err != nil || !panes.Freeze || panes.YSplit != 1 {
		t.Errorf("panes %+v, %v", panes, err)
	}
	for row, want := range map[int]int{2: 1, 3: 0, 1000: 1} {
		pictures, err := book.GetPictures("Files", fmt.Sprintf("A%d", row))
		if err != nil || len(pictures) != want {
			t.Errorf("row %d has %d pictures, %v", row, len(pictures), err)
			continue
		}
		if want == 1 {
			if config, _, err := image.DecodeConfig(bytes.NewReader(pictures[0].File)); err != nil || config.Width != pictureSide {
				t.Errorf("row %d: %+v, %v", row, config, err)
			}
		}
	}
}

// TestExportsDoNotHoldTheirRows writes many rows and little more memory is held
// than for few.
func TestExportsDoNotHoldTheirRows(t *testing.T) {
	held := func(n int) uint64 {
		var most uint64
		var m runtime.MemStats
		text := strings.Repeat("x", 500)
		err := WriteXLSX(io.Discard, "Files", listedColumns, each(n, func(i int) listed {
			if i%1000 == 0 {
				runtime.GC()
				runtime.ReadMemStats(&m)
				most = max(most, m.HeapAlloc)
			}
			return listed{fmt.Sprintf("%d %s", i, text), text, i}
		}), nil)
		if err != nil {
			t.Fatal(err)
		}
		return most
	}
	few, many := held(10_000), held(80_000)
	if many > few+48<<20 {
		t.Errorf("%d MB are held for 10,000 rows, %d for 80,000", few>>20, many>>20)
	}
}

// FuzzWorkbook reads a workbook whose sheet and shared strings are anything.
func FuzzWorkbook(f *testing.F) {
	f.Add(
		`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData><row r="1"><c r="A1" t="inlineStr"><is>`+
			`<t>file</t></is></c><c r="B1" t="s"><v>0</v></c></row><row r="9"><c r="XFD9" t="str"><v>x_x0000_</v></c></row></sheetData></worksheet>`,
		`<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><si><t>sku</t></si></sst>`,
	)
	f.Add(`<worksheet><sheetData><row r="200000000"/></sheetData></worksheet>`, `<`)
	f.Fuzz(func(t *testing.T, sheet, strings string) {
		budget.Of(len(sheet)+len(strings)).Check(t, func() {
			var out bytes.Buffer
			book := zip.NewWriter(&out)
			const office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
			for _, part := range []struct{ name, content string }{
				{"[Content_Types].xml", `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">` +
					`<Default Extension="xml" ContentType="application/xml"/></Types>`},
				{"_rels/.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="` +
					office + `/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
				{"xl/workbook.xml", `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="` + office +
					`"><sheets><sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>`},
				{"xl/_rels/workbook.xml.rels", `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">` +
					`<Relationship Id="r1" Type="` + office + `/worksheet" Target="worksheets/sheet1.xml"/>` +
					`<Relationship Id="r2" Type="` + office + `/sharedStrings" Target="sharedStrings.xml"/></Relationships>`},
				{"xl/worksheets/sheet1.xml", sheet}, {"xl/sharedStrings.xml", strings},
			} {
				w, err := book.Create(part.name)
				if err != nil {
					t.Fatal(err)
				}
				if _, err := io.WriteString(w, part.content); err != nil {
					t.Fatal(err)
				}
			}
			if err := book.Close(); err != nil {
				t.Fatal(err)
			}
			rows, numbers, err := opened(t, "any.xlsx", out.Bytes())
			var refused *Refused
			if err != nil && !errors.As(err, &refused) {
				t.Fatalf("%v", err)
			}
			for i, cells := range rows {
				if !utf8.ValidString(fmt.Sprint(cells)) || numbers[i] > maxSheetRow {
					t.Fatalf("row %d: %q", numbers[i], cells)
				}
			}
		})
	})
}
