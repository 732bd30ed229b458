package sheetfile

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"ambrosa/internal/budget"
)

// put writes a file and returns its path.
func put(t testing.TB, name string, content []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, content, 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

// all reads a sheet whole: each row as "number: cell|cell".
func all(path, worksheet string) (rows []string, err error) {
	opened, err := Open(path, worksheet)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, opened.Close()) }()
	for {
		cells, row, err := opened.Next()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			return rows, err
		}
		rows = append(rows, fmt.Sprintf("%d: %s", row, strings.Join(cells, "|")))
	}
}

const polyglot = "sku;Bezeichnung;nazwa;nom\nA-1;Größe für Bienenkästen, 5 €;Ule łąka żółć;Été à la ruche\n" +
	"A-2;Öl – „süß“;miód gęsty;crème brûlée\n"

// TestEncodingsAreRecognised reads texts that iconv wrote (GNU C Library): what is no
// UTF-8 is read in the encoding in which it makes sense.
func TestEncodingsAreRecognised(t *testing.T) {
	for _, c := range []struct{ encoding, text string }{
		{"UTF-8", polyglot},
		{"UTF-16LE", polyglot},
		{"UTF-16BE", polyglot},
		{"UTF-16", polyglot},
		{"WINDOWS-1252", "sku;Bezeichnung;nom\nA-1;Größe für Kästen, 5 €;Été à la ruche\nA-2;„süß“;crème brûlée\n"},
		{"ISO-8859-2", "sku;nazwa\nA-1;Ule łąka żółć\nA-2;miód gęsty, świeży\n"},
		{"WINDOWS-1250", "sku;nazwa\nA-1;Ule łąka żółć\nA-2;miód gęsty, świeży, „słodki”\n"},
		{"MACINTOSH", "sku;Bezeichnung;nom\nA-1;Größe für Bienenkästen;Été à la ruche\nA-2;süß;crème brûlée\n"},
	} {
		iconv := exec.Command("iconv", "-f", "UTF-8", "-t", c.encoding)
		iconv.Stdin = strings.NewReader(c.text)
		content, err := iconv.Output()
		if err != nil {
			t.Fatalf("%s: %v", c.encoding, err)
		}
		got, err := all(put(t, "a.csv", content), "")
		want := strings.ReplaceAll(strings.TrimSpace(c.text), ";", "|")
		for i, line := range strings.Split(want, "\n") {
			if err != nil || i >= len(got) || got[i] != fmt.Sprintf("%d: %s", i+1, line) {
				t.Errorf("%s: %q %v, expected row %d to be %q", c.encoding, got, err, i+1, line)
				break
			}
		}
	}
}

// TestTwoEncodingsInOneFile reads a line of each.
func TestTwoEncodingsInOneFile(t *testing.T) {
	got, err := all(put(t, "a.csv", []byte("sku;t\nA-1;Größe\nA-2;Gr\xf6\xdfe\n")), "")
	if err != nil || !slices.Equal(got, []string{"1: sku|t", "2: A-1|Größe", "3: A-2|Größe"}) {
		t.Errorf("%q %v", got, err)
	}
}

// TestTheSameCellsAsAnotherReader reads messy CSVs as Miller does (Debian's miller): RFC
// 4180's quoting, line ends of every kind, cells with line ends.
func TestTheSameCellsAsAnotherReader(t *testing.T) {
	for name, text := range map[string]string{
		"quotes":       "a,b,c\n1,\"x, \"\"y\"\"\",z\n2,\"\",\"line one\nline two\"\n",
		"CRLF":         "a;b;c\r\n1;x;y\r\n2;\"p;q\";r\r\n",
		"tabs":         "a\tb\tc\n1\tx\ty\n2\tp q\tr\n",
		"comma decima": "a;b;c\n1;2,50;x\n2;3,75;y\n3;4,10;z\n",
		"bars":         "a|b|c\n1|x|y\n",
	} {
		separator := string(delimiter([]byte(text)))
		mlr := exec.Command("mlr", "--csv", "--ifs", separator, "--ojson", "--infer-none", "cat")
		mlr.Stdin = strings.NewReader(text)
		said, err := mlr.Output()
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		opened, err := Open(put(t, "a.csv", []byte(text)), "")
		if err != nil {
			t.Fatal(err)
		}
		var ours strings.Builder
		header, _, err := opened.Next()
		header = slices.Clone(header)
		for err == nil {
			var cells []string
			if cells, _, err = opened.Next(); err != nil {
				break
			}
			for i, cell := range cells {
				fmt.Fprintf(&ours, "%q: %q\n", header[i], cell)
			}
		}
		var theirs strings.Builder
		for line := range strings.SplitSeq(string(said), "\n") {
			if line = strings.TrimSuffix(strings.TrimSpace(line), ","); strings.Contains(line, "\": ") {
				fmt.Fprintln(&theirs, line)
			}
		}
		if ours.String() != theirs.String() {
			t.Errorf("%s:\n%s\nMiller:\n%s", name, ours.String(), theirs.String())
		}
		if err := opened.Close(); err != nil {
			t.Error(err)
		}
	}
}

// TestLineEndsAndRowNumbers numbers rows as a spreadsheet program shows them.
func TestLineEndsAndRowNumbers(t *testing.T) {
	for text, want := range map[string][]string{
		"a,b\rc,d\r\re,f":           {"1: a|b", "2: c|d", "4: e|f"},
		"sep=;\r\na;b\r\n\r\nc;d":   {"1: a|b", "3: c|d"},
		"a,b\r\nc,d\ne,f\rg,h":      {"1: a|b", "2: c|d", "3: e|f", "4: g|h"},
		"a,\"x\r\ny\"\r\nc,d":       {"1: a|x\ny", "2: c|d"},
		"title of a list\na;b\nc;d": {"1: title of a list", "2: a|b", "3: c|d"},
		"a;b\x00;c\nd;e;f":          {`1: a|b\x00|c`, "2: d|e|f"},
	} {
		if got, err := all(put(t, "a.csv", []byte(text)), ""); err != nil || !slices.Equal(got, want) {
			t.Errorf("%q: %q %v", text, got, err)
		}
	}
}

// TestOtherFormatsAreRefused says of each what to save it as.
func TestOtherFormatsAreRefused(t *testing.T) {
	for name, content := range map[string]string{
		"old.xls":      "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + strings.Repeat("\x00", 600),
		"open.ods":     "PK\x03\x04" + strings.Repeat("\x00", 26) + "mimetypeapplication/vnd.oasis.opendocument.spreadsheet",
		"page.xls":     "\ufeff\r\n<html><table><tr><td>sku</td></tr></table>",
		"list.pdf":     "%PDF-1.7\n",
		"broken.xlsx":  "PK\x03\x04 but no archive",
		"empty.csv":    "",
		"only-mark":    "\ufeff",
		"archive.xlsx": "PK\x03\x04" + strings.Repeat("x", 100),
	} {
		_, err := all(put(t, name, []byte(content)), "")
		var refused *Refused
		if !errors.As(err, &refused) || refused.Reason == "" {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// TestWorksheets lists a workbook's worksheets, hidden ones last, and reads any of them.
func TestWorksheets(t *testing.T) {
	book := excelize.NewFile()
	for _, name := range []string{"Notes", "Prices"} {
		if _, err := book.NewSheet(name); err != nil {
			t.Fatal(err)
		}
		if err := book.SetSheetRow(name, "B3", &[]any{"sku", name}); err != nil {
			t.Fatal(err)
		}
	}
	book.SetActiveSheet(2)
	if err := errors.Join(book.SetSheetVisible("Sheet1", false), book.SetSheetVisible("Notes", false)); err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := book.Write(&out); err != nil {
		t.Fatal(err)
	}
	path := put(t, "a.xlsx", out.Bytes())
	opened, err := Open(path, "")
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	var names []string
	for _, w := range opened.Worksheets {
		names = append(names, fmt.Sprintf("%s %v", w.Name, w.Hidden))
	}
	if !slices.Equal(names, []string{"Prices false", "Sheet1 true", "Notes true"}) || opened.Worksheet != "Prices" {
		t.Errorf("%q, reads %s", names, opened.Worksheet)
	}
	if got, err := all(path, "Notes"); err != nil || !slices.Equal(got, []string{"3: |sku|Notes"}) {
		t.Errorf("%q %v", got, err)
	}
}

// TestAWorkbookThatAnotherProgramSaved has LibreOffice (Debian) write a workbook, open
// one of ours and save it again: the same cells, zeros in front and all.
func TestAWorkbookThatAnotherProgramSaved(t *testing.T) {
	folder := t.TempDir()
	csv := filepath.Join(folder, "list.csv")
	text := "sku;title;gtin\n0045010;Größe \"M\";04006381333931\nMAR15;=1+1;4006381333931\n"
	if err := os.WriteFile(csv, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	convert := func(from, filter string) {
		t.Helper()
		office := exec.Command("soffice", "--headless", "-env:UserInstallation=file://"+filepath.Join(folder, "profile"),
			"--infilter=CSV:59,34,76,1,1/2/2/2/3/2", "--convert-to", filter, "--outdir", folder, from)
		if said, err := office.CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, said)
		}
	}
	convert(csv, "xlsx")
	want := []string{"1: sku|title|gtin", `2: 0045010|Größe "M"|04006381333931`, "3: MAR15|=1+1|4006381333931"}
	if got, err := all(filepath.Join(folder, "list.xlsx"), ""); err != nil || !slices.Equal(got, want) {
		t.Errorf("%q %v", got, err)
	}
}

// TestAJudgedSheetGoesBack writes a judged sheet and has LibreOffice open it: the same
// cells, no formula run, the reasons behind them and in notes.
func TestAJudgedSheetGoesBack(t *testing.T) {
	lines := []JudgedLine{
		{Cells: []string{"0045010", "=1+1"}, Row: 2, Verdict: "refused",
			Asked: map[int]string{0: "The catalog has no such SKU.", -1: "Too wide."}},
		{Cells: []string{"A-1"}, Row: 4, Verdict: "same"},
	}
	give := func() func() (JudgedLine, bool, error) {
		n := -1
		return func() (JudgedLine, bool, error) {
			if n++; n == len(lines) {
				return JudgedLine{}, false, nil
			}
			return lines[n], true, nil
		}
	}
	var book bytes.Buffer
	if err := WriteJudgedXLSX(&book, []string{"sku", "title"}, give()); err != nil {
		t.Fatal(err)
	}
	path := put(t, "judged.xlsx", book.Bytes())
	opened, err := excelize.OpenFile(path)
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	notes, err := opened.GetComments("Sheet1")
	if err != nil || len(notes) != 1 || notes[0].Cell != "A2" || !strings.Contains(fmt.Sprint(notes[0].Paragraph), "no such SKU") {
		t.Errorf("notes: %+v %v", notes, err)
	}
	office := exec.Command("soffice", "--headless", "-env:UserInstallation=file://"+t.TempDir(), "--convert-to", "csv", "--outdir",
		filepath.Dir(path), path)
	if said, err := office.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	got, err := all(filepath.Join(filepath.Dir(path), "judged.csv"), "")
	want := []string{"1: sku|title|Row|Verdict|What to look at", "2: 0045010|=1+1|2|refused|Too wide. sku: The catalog has no such SKU.",
		"3: A-1||4|same|"}
	if err != nil || !slices.Equal(got, want) {
		t.Errorf("%q %v", got, err)
	}
	var text bytes.Buffer
	err = WriteJudgedCSV(&text, []string{"sku", "title"}, give())
	if err != nil || !strings.Contains(text.String(), "0045010,'=1+1,2,refused,") {
		t.Errorf("%s %v", text.String(), err)
	}
}

// FuzzOpen opens any bytes: an error or rows, and an end.
func FuzzOpen(f *testing.F) {
	f.Add([]byte("sep=;\na;\"b\n\n;c"))
	f.Add([]byte("\xff\xfea\x00,\x00b\x00\n\x00"))
	f.Add([]byte("a\r\rb\xe4\r"))
	f.Fuzz(func(t *testing.T, content []byte) {
		budget.Of(len(content)).Check(t, func() {
			if bytes.HasPrefix(content, zipMark) {
				return // workbooks have a target of their own
			}
			last := 0
			opened, err := Open(put(t, "a", content), "")
			if err != nil {
				return
			}
			defer opened.Close()
			for {
				_, row, err := opened.Next()
				if err != nil {
					return
				}
				if row <= last {
					t.Fatalf("row %d behind %d", row, last)
				}
				last = row
			}
		})
	})
}
