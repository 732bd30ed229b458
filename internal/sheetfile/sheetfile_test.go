package sheetfile

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/unicode"

	"ambrosa/core/sheet"
	"ambrosa/internal/budget"
)

// products reads what a program sends, and returns SKU and title of its rows, each with its number.
func products(content string) (read []string, err error) {
	rows, err := OpenCSV(strings.NewReader(content))
	if err != nil {
		return nil, err
	}
	for {
		cells, row, err := rows.Next()
		if errors.Is(err, io.EOF) {
			return read, nil
		}
		if err != nil {
			return read, err
		}
		of := map[sheet.Field]string{}
		for i, c := range rows.Mapping.Columns {
			if i < len(cells) {
				of[c.Field] = cells[i]
			}
		}
		read = append(read, strings.TrimSpace(fmt.Sprintf("%d %s %s", row, of[sheet.SKU], of[sheet.Title])))
	}
}

// TestHowSheetsAreWritten reads one sheet in the ways in which spreadsheet
// programs and shops write it (RFC 4180; what deviates is common practice).
func TestHowSheetsAreWritten(t *testing.T) {
	utf16, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String("sku\ttitle\r\nA-1\tHülse\r\n")
	if err != nil {
		t.Fatal(err)
	}
	big, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String("sku;title\nA-1;Hülse")
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		text string
		want []string
	}{
		"commas":                     {"sku,title\nA-1,Hülse\n", []string{"2 A-1 Hülse"}},
		"semicolons":                 {"sku;title\r\nA-1;Hülse, klein\r\n", []string{"2 A-1 Hülse, klein"}},
		"bars":                       {"sku|title\nA-1|Hülse", []string{"2 A-1 Hülse"}},
		"tabs in UTF-16":             {utf16, []string{"2 A-1 Hülse"}},
		"UTF-16, the other way":      {big, []string{"2 A-1 Hülse"}},
		"Windows-1252":               {"sku;title\nA-1;H\xfclse", []string{"2 A-1 Hülse"}},
		"a mark":                     {"\ufeffsku,title\nA-1,Hülse", []string{"2 A-1 Hülse"}},
		"a mark before quotes":       {"\ufeff\"sku\",\"title\"\r\n\"A-1\",\"Hülse\"\r\n", []string{"2 A-1 Hülse"}},
		"a line for the delimiter":   {"sep=;\r\nsku;title\r\nA-1;Hülse\r\n", []string{"2 A-1 Hülse"}},
		"the same in quotes is none": {"\"sep=;\"\nA-1\n", nil},
		"quotes within":              {"sku,title\nA-1,\"Hülse, \"\"klein\"\"\"\n", []string{`2 A-1 Hülse, "klein"`}},
		"a stray quote":              {"sku,title\nA-1,Hülse 2\" lang\nA-2,x\n", []string{`2 A-1 Hülse 2" lang`, "3 A-2 x"}},
		"rows without a cell":        {"sku,title\n\nA-1,x\n\n\nA-2,y\n", []string{"3 A-1 x", "6 A-2 y"}},
		"lines within a cell":        {"sku,title\nA-1,\"one\r\ntwo\nthree\"\nA-2,y\n", []string{"2 A-1 one\ntwo\nthree", "3 A-2 y"}},
		"both":                       {"sku,title\n\"A-0\",\"a\nb\"\n\nA-1,\"c\nd\"\nA-2,y\n", []string{"2 A-0 a\nb", "4 A-1 c\nd", "5 A-2 y"}},
		"short and long rows":        {"sku,title\nA-1\nA-2,y,z,z\n", []string{"2 A-1", "3 A-2 y"}},
	} {
		got, err := products(c.text)
		var refused *Refused
		if c.want == nil {
			if !errors.As(err, &refused) {
				t.Errorf("%s: %q, %v", name, got, err)
			}
			continue
		}
		if err != nil || !slices.Equal(got, c.want) {
			t.Errorf("%s: %q, %v; expected %q", name, got, err, c.want)
		}
	}
}

// TestSheetsThatCannotBeRead says what is wrong, and in which row.
func TestSheetsThatCannotBeRead(t *testing.T) {
	for name, c := range map[string]struct {
		text, says string
		kind       Kind
		row        int
	}{
		"empty":          {"", "empty", Empty, 0},
		"only a mark":    {"\ufeff", "empty", Empty, 0},
		"only line ends": {"\n\n\n", "empty", Empty, 0},
		"no column":      {"title;price\nx;1\n", `Row 1: no column "sku"`, NoHeader, 1},
		"two of one":     {"sku,article number\nA,B\n", "both mean", NoHeader, 1},
		"an endless cell": {"sku,title\nA-1,\"" + strings.Repeat("x", maxRow+200_000),
			"Row 2 cannot be read: it is longer than 8 MB; a quote may be missing.", Unreadable, 2},
	} {
		_, err := products(c.text)
		var refused *Refused
		if !errors.As(err, &refused) || !strings.Contains(err.Error(), c.says) || refused.Kind != c.kind || refused.Row != c.row {
			t.Errorf("%s: %v, %+v", name, err, refused)
		}
	}
	rows, err := OpenCSV(io.MultiReader(strings.NewReader("sku\nA-1\n"), broken{}))
	for err == nil {
		_, _, err = rows.Next()
	}
	if errors.Is(err, io.EOF) {
		t.Error("a source that breaks off ends a sheet")
	}
}

// broken is a source that cannot be read.
type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errors.New("the line is dead") }

// workbook writes rows by excelize.
func workbook(t *testing.T, rows ...[]any) []byte {
	t.Helper()
	book := excelize.NewFile()
	defer book.Close()
	for i, cells := range rows {
		if cells == nil {
			continue
		}
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &cells); err != nil {
			t.Fatal(err)
		}
	}
	var out bytes.Buffer
	if err := book.Write(&out); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// opened reads the cells of a file that is there whole.
func opened(t *testing.T, name string, content []byte) (rows [][]string, numbers []int, err error) {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, content, 0o600); err != nil {
		t.Fatal(err)
	}
	found, err := Open(path, "")
	if err != nil {
		return nil, nil, err
	}
	defer func() { err = errors.Join(err, found.Close()) }()
	for {
		cells, row, err := found.Next()
		if errors.Is(err, io.EOF) {
			return rows, numbers, nil
		}
		if err != nil {
			return rows, numbers, unreadable(row, err)
		}
		rows, numbers = append(rows, slices.Clone(cells)), append(numbers, row)
	}
}

// TestAWorkbookThatBreaksOff reads a workbook that was not sent to its end: what
// is there of it is not taken for all.
func TestAWorkbookThatBreaksOff(t *testing.T) {
	whole := workbook(t, []any{"file", "sku"}, []any{"a.jpg", "A-1"}, []any{"b.jpg", "A-2"})
	for _, part := range []int{1, 2, 3} {
		var refused *Refused
		if rows, _, err := opened(t, "cut.xlsx", whole[:len(whole)*part/4]); !errors.As(err, &refused) {
			t.Errorf("%d quarters: %q, %v", part, rows, err)
		}
	}
}

// TestListsComeBack writes cells that are hostile to spreadsheet programs and
// reads them again, with encoding/csv and as a sheet of files.
func TestListsComeBack(t *testing.T) {
	cells := []string{"a.jpg", "=1+1.jpg", "+x", "-y", "@z", "\tq", "two\nlines", `"quoted"`, "semi;colon", "Hülse", " ", ""}
	columns := []Column[string]{{Title: "file", Of: func(s string) any { return s }}, {Title: "sku", Of: func(string) any { return 7 }}}
	at := 0
	var out bytes.Buffer
	if err := WriteCSV(&out, columns, func() (string, bool, error) {
		if at++; at > len(cells) {
			return "", false, nil
		}
		return cells[at-1], true, nil
	}); err != nil {
		t.Fatal(err)
	}
	if !bytes.HasPrefix(out.Bytes(), []byte("\ufefffile,sku\r\n")) {
		t.Errorf("it begins %q", out.Bytes()[:20])
	}
	rows, err := csv.NewReader(bytes.NewReader(out.Bytes()[3:])).ReadAll()
	if err != nil || len(rows) != len(cells)+1 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	for i, row := range rows[1:] {
		want := cells[i]
		if want != "" && strings.ContainsRune("=+-@\t\r", rune(want[0])) {
			want = "'" + want // OWASP, CSV Injection
		}
		if row[0] != want || row[1] != "7" {
			t.Errorf("%q came back as %q", cells[i], row)
		}
	}
	read, numbers, err := opened(t, "list.csv", out.Bytes())
	if err != nil || len(read) != len(cells)+1 || read[1][0] != "a.jpg" || numbers[len(numbers)-1] != len(cells)+1 {
		t.Errorf("%q in rows %v, %v", read, numbers, err)
	}
	failing := errors.New("no more")
	if err := WriteCSV(io.Discard, columns, func() (string, bool, error) { return "", false, failing }); !errors.Is(err, failing) {
		t.Errorf("%v", err)
	}
}

// FuzzSheets reads anything as a sheet: it is refused or read, with rows that
// go up and cells that are text.
func FuzzSheets(f *testing.F) {
	for _, seed := range []string{"sku,title\nA,b\n", "sep=;\nfile;sku\na.jpg;A\n", "\ufeff\"file\"\t\"sku\"\n\"a\nb\"\tA",
		"\xff\xfes\x00k\x00u\x00", "file|sku\n\"", "sep=", "\n\n\"\n", "sku\r\r\n\x00\xff"} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, content []byte) {
		budget.Of(len(content)).Check(t, func() {
			var refused *Refused
			rows, err := OpenCSV(bytes.NewReader(content))
			for err == nil {
				_, _, err = rows.Next()
			}
			if !errors.Is(err, io.EOF) && !errors.As(err, &refused) {
				t.Fatal(err)
			}
			_, numbers, err := opened(t, "any.csv", content)
			if err != nil && !errors.As(err, &refused) {
				t.Fatal(err)
			}
			last := 0
			for _, row := range numbers {
				if row <= last {
					t.Fatalf("row %d behind row %d", row, last)
				}
				last = row
			}
		})
	})
}
