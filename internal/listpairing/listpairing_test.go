package listpairing

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

func run(t *testing.T, catalog, names, clues string) ([][]string, error) {
	t.Helper()
	folder := t.TempDir()
	put := func(name, text string) string {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	files := Files{Catalog: put("products.csv", catalog), Names: "-"}
	if clues != "" {
		files.Clues = put("clues.json", clues)
	}
	var out bytes.Buffer
	if err := Run(files, strings.NewReader(names), &out); err != nil {
		return nil, err
	}
	rows, err := csv.NewReader(&out).ReadAll() // an independent reader of RFC 4180
	if err != nil {
		t.Fatalf("the output is no CSV: %v", err)
	}
	return rows, nil
}

func TestRun(t *testing.T) {
	rows, err := run(
		t,
		"\ufeffsku,product,title,gtin,codes,Colour\r\nHB-1-A,HB-1,\"Smoker, "+
			"\"\"dome\"\"\",2000000000107,X9|Y-8,amber\r\nHB-1-B,HB-1,Smoker,,,blue\r\n\r\nHB-2,,\"two\nlines\",,,\r\n",
		"HB-1-A_2.jpg\r\na, \"b\"/HB-1 blue.jpg\nY-8.png\nHB-1_front.jpg\nIMG_0001.jpg\nHB-2 HB-1-A.jpg\n", "",
	)
	if err != nil {
		t.Fatal(err)
	}
	want := [][]string{Header,
		{"HB-1-A_2.jpg", "paired", "HB-1-A", "HB-1", "2", "", "key-in-name", "same"},
		{"a, \"b\"/HB-1 blue.jpg", "paired", "HB-1-B", "HB-1", "", "", "key-in-name", "same"},
		{"Y-8.png", "paired", "HB-1-A", "HB-1", "", "", "same-name", "same"},
		{"HB-1_front.jpg", "paired", "", "HB-1", "", "front", "key-in-name", "same"},
		{"IMG_0001.jpg", "loose", "", "", "", "", "", ""},
		{"HB-2 HB-1-A.jpg", "contested", "", "", "", "", "key-in-name", "same"},
	}
	if len(rows) != len(want) {
		t.Fatalf("%d rows, want %d", len(rows), len(want))
	}
	for i := range want {
		if got := fmt.Sprint(rows[i][:8]); i > 0 && got != fmt.Sprint(want[i]) {
			t.Errorf("row %d: %s, want %s", i, got, fmt.Sprint(want[i]))
		}
	}
	if got := rows[6][10]; got != "HB-1-A|HB-2" && got != "HB-2|HB-1-A" {
		t.Errorf("candidates %q", got)
	}
}

func TestInputThatCannotBeUsed(t *testing.T) {
	for name, c := range map[string]struct{ catalog, names, clues, want string }{
		"no SKU column":  {"title\nx\n", "", "", `line 1: no column "sku"`},
		"empty catalog":  {"", "", "", "line 1: the file is empty"},
		"SKU twice":      {"sku\nA\nB\nA\n", "", "", `line 4: the SKU "A" stands in line 2`},
		"empty SKU":      {"sku,title\nA,x\n,y\n", "", "", "line 3: the SKU is empty"},
		"ragged":         {"sku,title\nA\n", "", "", "line 2: 1 cells"},
		"open quote":     {"sku,title\nA,\"x\n", "", "", "line 2: a quote"},
		"names in UTF-8": {"sku\nA\n", "a.jpg\n\xff.jpg\n", "", "line 2: it is not UTF-8"},
		"clue list":      {"sku\nA\n", "", `{"clues":[{"clue":"x"}]}`, "clues.json"},
	} {
		if _, err := run(t, c.catalog, c.names, c.clues); err == nil || !strings.Contains(err.Error(), c.want) ||
			strings.Contains(err.Error(), "\n") {
			t.Errorf("%s: %v, want one line with %q", name, err, c.want)
		}
	}
}

// FuzzRows compares the rows that are cut here with encoding/csv's, where that
// takes the text at all.
func FuzzRows(f *testing.F) {
	for _, text := range []string{"a,b\n1,2\n", "\"a\"\"b\",c\r\n", "a\n\nb", "\"x\ny\",z", "\r\n,", "a,\"\",b\n"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		budget.Of(len(text)).Check(t, func() {
			standard := csv.NewReader(strings.NewReader(text))
			standard.FieldsPerRecord = -1
			want, err := standard.ReadAll()
			if err != nil || strings.Contains(strings.ReplaceAll(text, "\r\n", ""), "\r") ||
				strings.Contains(text, "\"") && strings.Contains(text, "\r\n") {
				return // encoding/csv is stricter, or turns line ends within quotes
			}
			r := &rows{text: text, next: 1}
			for i := 0; ; i++ {
				cells, err := r.read(nil)
				if err != nil {
					t.Fatalf("%q: %v", text, err)
				}
				if cells == nil {
					if i != len(want) {
						t.Fatalf("%q: %d rows, encoding/csv reads %d", text, i, len(want))
					}
					return
				}
				if i >= len(want) || fmt.Sprintf("%q", cells) != fmt.Sprintf("%q", want[i]) {
					t.Fatalf("%q: row %d is %q, encoding/csv reads %q", text, i, cells, want)
				}
			}
		})
	})
}

// TestALargeCatalogIsReadInParts expects of a catalog that is read side by
// side what is expected of one that is read in one piece: quotes around a
// single cell keep it in one.
func TestALargeCatalogIsReadInParts(t *testing.T) {
	var catalog, names strings.Builder
	catalog.WriteString("sku,title\n")
	const items = 20_000
	for i := range items {
		fmt.Fprintf(&catalog, "LC-%05d,Thing %d\n", i, i)
		if i%1000 == 0 {
			catalog.WriteString("\r\n\n") // empty lines are passed over, and counted
		}
		if i%100 == 0 {
			fmt.Fprintf(&names, "folder/LC-%05d_%d.jpg\n", i, i%9+1)
		}
	}
	parts, err := run(t, catalog.String(), names.String(), "")
	if err != nil {
		t.Fatal(err)
	}
	whole, err := run(t, strings.Replace(catalog.String(), "Thing 7\n", "\"Thing 7\"\n", 1), names.String(), "")
	if err != nil {
		t.Fatal(err)
	}
	if len(parts) != items/100+1 || fmt.Sprint(parts) != fmt.Sprint(whole) {
		t.Errorf("%d rows in parts, %d in one piece", len(parts), len(whole))
	}
	for _, row := range parts[1:] {
		if want := strings.TrimSuffix(strings.TrimPrefix(row[0], "folder/"), row[0][len("folder/LC-00000"):]); row[2] != want {
			t.Errorf("%s is paired with %q", row[0], row[2])
		}
	}
	line := strings.Count(catalog.String(), "\n")
	for _, c := range []struct{ more, want string }{
		{"LC-00001,again\n", fmt.Sprintf(`line %d: the SKU "LC-00001" stands in line 5 already`, line+1)},
		{"X\n", fmt.Sprintf("line %d: 1 cells", line+1)},
		{",no SKU\n", fmt.Sprintf("line %d: the SKU is empty", line+1)},
		{"---,dashes only\n---,twice\n", fmt.Sprintf(`line %d: the SKU "---" stands in line %d already`, line+2, line+1)},
	} {
		if _, err := run(t, catalog.String()+c.more, "a.jpg\n", ""); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%q: %v, want %q", c.more, err, c.want)
		}
	}
}

// FuzzSplit expects that cutting a text at line ends changes nothing about its
// rows.
func FuzzSplit(f *testing.F) {
	f.Add("a,b\nc,d\n\n\ne", 3)
	f.Add("\r\n,\n,\r\n", 2)
	f.Fuzz(func(t *testing.T, text string, n int) {
		budget.Of(len(text)).Check(t, func() {
			if strings.Contains(text, `"`) || n < 1 || n > 9 {
				return
			}
			collect := func(parts []*rows) (all []string) {
				for _, part := range parts {
					for {
						cells, err := part.read(nil)
						if err != nil {
							t.Fatal(err)
						}
						if cells == nil {
							break
						}
						all = append(all, fmt.Sprintf("%d %q", part.line, cells))
					}
				}
				return all
			}
			whole, parts := collect([]*rows{{text: text, next: 1}}), collect((&rows{text: text, next: 1}).split(n))
			if fmt.Sprint(whole) != fmt.Sprint(parts) {
				t.Errorf("%q in %d parts: %s, whole %s", text, n, parts, whole)
			}
		})
	})
}
