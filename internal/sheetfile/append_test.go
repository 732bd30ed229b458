package sheetfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// colleagues writes a workbook as a colleague keeps it: a title, a header, rows with a formula
// and a format, a second worksheet, a hidden one.
func colleagues(t testing.TB) string {
	t.Helper()
	book := excelize.NewFile()
	money, err := book.NewStyle(&excelize.Style{NumFmt: 4, Font: &excelize.Font{Bold: true}})
	must := func(errs ...error) {
		t.Helper()
		if err := errors.Join(errs...); err != nil {
			t.Fatal(err)
		}
	}
	must(err)
	must(book.SetCellStr("Sheet1", "A1", "Pictures for the spring list"),
		book.SetSheetRow("Sheet1", "A3", &[]any{"Note", "SKU", "Price", "Picture"}),
		book.SetSheetRow("Sheet1", "A4", &[]any{"kept", "OLD-1", 12.5, ""}),
		book.SetCellFormula("Sheet1", "C5", "C4*2"), book.SetCellStyle("Sheet1", "C4", "C5", money))
	_, err = book.NewSheet("Other")
	must(err, book.SetCellFormula("Other", "A1", "Sheet1!C5+1"))
	_, err = book.NewSheet("Secret")
	must(err, book.SetSheetVisible("Secret", false))
	path := filepath.Join(t.TempDir(), "theirs.xlsx")
	must(book.SaveAs(path), book.Close())
	return path
}

func square(t testing.TB) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := jpeg.Encode(&out, image.NewGray(image.Rect(0, 0, 60, 60)), nil); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// appended puts rows into a workbook, as the process does.
func appended(t testing.TB, path string, spec Below, rows ...BelowRow) (out string, put Put, err error) {
	t.Helper()
	var in bytes.Buffer
	lines := json.NewEncoder(&in)
	for _, line := range append([]any{spec}, anys(rows)...) {
		if err := lines.Encode(line); err != nil {
			t.Fatal(err)
		}
	}
	out = filepath.Join(t.TempDir(), "out.xlsx")
	put, err = putBelow(path, out, &in)
	return out, put, err
}

func anys(rows []BelowRow) (all []any) {
	for _, r := range rows {
		all = append(all, r)
	}
	return all
}

// TestAppendedBelowWhatStands puts rows into the columns of their titles; what stood there is as
// it was, and LibreOffice opens it with the same cells.
func TestAppendedBelowWhatStands(t *testing.T) {
	rows := []BelowRow{{[]any{"NEW-1", "https://x/1.jpg"}, square(t)}, {[]any{"NEW-2", "=1+1"}, nil}}
	theirs := colleagues(t)
	out, put, err := appended(t, theirs, Below{Header: []string{"sku", "Address"}, Side: 60}, rows...)
	if err != nil || put != (Put{"Sheet1", 6, 2}) {
		t.Fatalf("%+v, %v", put, err)
	}
	book, err := excelize.OpenFile(out)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	formula, _ := book.GetCellFormula("Sheet1", "C5")
	other, _ := book.GetCellFormula("Other", "A1")
	hidden, _ := book.GetSheetVisible("Secret")
	pictures, err := book.GetPictures("Sheet1", "D6")
	style, _ := book.GetCellStyle("Sheet1", "C5")
	run, _ := book.GetCellFormula("Sheet1", "E7")
	if formula != "C4*2" || other != "Sheet1!C5+1" || hidden || err != nil || len(pictures) != 1 || style == 0 || run != "" {
		t.Errorf("formulas %q, %q, hidden shows %v, %d pictures (%v), style %d, run %q", formula, other, hidden, len(pictures), err, style, run)
	}
	lines := office(t, out)
	// A column more, two rows more, and nothing else.
	want := office(t, theirs)
	for i := range want {
		want[i] += map[bool]string{true: ",Address", false: ","}[i == 2]
	}
	want = append(want, ",NEW-1,,,https://x/1.jpg", ",NEW-2,,,=1+1")
	if !slices.Equal(lines, want) {
		t.Errorf("LibreOffice reads %q", lines)
	}
}

// office is what LibreOffice reads of the first worksheet of a workbook, line by line.
func office(t *testing.T, path string) []string {
	t.Helper()
	command := exec.Command("soffice", "--headless", "-env:UserInstallation=file://"+t.TempDir(), "--convert-to", "csv", "--outdir",
		filepath.Dir(path), path)
	if said, err := command.CombinedOutput(); err != nil {
		t.Fatalf("soffice: %v: %s", err, said)
	}
	csv, err := os.ReadFile(strings.TrimSuffix(path, ".xlsx") + ".csv")
	if err != nil {
		t.Fatal(err)
	}
	return strings.Split(strings.TrimSpace(string(csv)), "\n")
}

// TestAppendedElsewhere: from a chosen cell, to a worksheet by name, and to one that knows none of
// the titles.
func TestAppendedElsewhere(t *testing.T) {
	at := func(spec Below, cells ...string) []string {
		t.Helper()
		spec.Header = []string{"SKU"}
		out, _, err := appended(t, colleagues(t), spec, BelowRow{[]any{"N"}, nil})
		if err != nil {
			t.Fatal(err)
		}
		book, err := excelize.OpenFile(out)
		if err != nil {
			t.Fatal(err)
		}
		defer book.Close()
		for i, cell := range cells {
			sheet, name, _ := strings.Cut(cell, "!")
			cells[i], _ = book.GetCellValue(sheet, name)
		}
		return cells
	}
	if got := at(Below{From: "f2"}, "Sheet1!F2", "Sheet1!F3"); !slices.Equal(got, []string{"SKU", "N"}) {
		t.Errorf("from F2: %q", got)
	}
	if got := at(Below{Worksheet: "Other"}, "Other!A3", "Other!A4"); !slices.Equal(got, []string{"SKU", "N"}) {
		t.Errorf("below what knows none: %q", got)
	}
}

// TestWorkbooksThatCannotBe are refused with what to do.
func TestWorkbooksThatCannotBe(t *testing.T) {
	folder := t.TempDir()
	write := func(name string, content []byte) string {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, content, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	whole, err := os.ReadFile(colleagues(t))
	if err != nil {
		t.Fatal(err)
	}
	for what, c := range map[string]struct {
		path  string
		spec  Below
		words string
	}{
		"a CSV":        {write("a.csv", []byte("sku,x\n1,2\n")), Below{}, "no workbook"},
		"locked":       {write("b.xlsx", append(bytes.Clone(oldMark), make([]byte, 600)...)), Below{}, "password"},
		"cut off":      {write("c.xlsx", whole[:len(whole)/2]), Below{}, "not a workbook"},
		"no worksheet": {write("d.xlsx", whole), Below{Worksheet: "Nothing"}, `no worksheet "Nothing"`},
		"no cell":      {write("e.xlsx", whole), Below{From: "second row"}, "is no cell"},
		"beyond":       {write("f.xlsx", whole), Below{From: "XFD1", Header: []string{"a", "b"}}, "no room"},
		"empty":        {write("g.xlsx", nil), Below{}, "empty"},
	} {
		var refused *Refused
		if _, _, err := appended(t, c.path, c.spec); !errors.As(err, &refused) || !strings.Contains(refused.Reason, c.words) {
			t.Errorf("%s: %v", what, err)
		}
	}
	for n := range 200 { // bytes that are wrong anywhere
		broken := bytes.Clone(whole)
		for k := range 8 {
			broken[(n*7919+k*104729)%len(broken)] ^= byte(1 + n%255)
		}
		_, _, err := appended(t, write(fmt.Sprintf("x%d.xlsx", n), broken), Below{Header: []string{"SKU"}}, BelowRow{[]any{"N"}, nil})
		var refused *Refused
		if err != nil && !errors.As(err, &refused) {
			t.Logf("%d: %v", n, err)
		}
	}
}
