package sheetfile

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/sheet"
)

// catalogOut is a catalog with what programs damage: zeros in front, codes like powers of
// ten and dates, texts that begin like formulas, line ends, quotes.
func catalogOut() []sheet.Item {
	var items []sheet.Item
	for i, sku := range []string{"0004711", "12E10", "2026-03-01", "36.0", "AB-100-L", "1/2"} {
		items = append(items, sheet.Item{Product: int64(i + 1), Variant: int64(i + 1), SKU: sku, Code: sku, ProductID: fmt.Sprintf("00%d", i),
			Title: []string{"=Räuchermantel", "Smoker, \"large\"", "+ Haube", "Gant\nlong", "@home", "-20 %"}[i], GTIN: "",
			Category: "Hives / Floors", CategoryID: "0010", Codes: []string{fmt.Sprintf("0%d", i), "1E5"}[:i%3],
			Options:     []catalog.Option{{Name: "Size", Value: []string{"0", "1/2", "36.0", "5E3", "XL", "03-04"}[i]}},
			Attributes:  []catalog.Option{{Name: "Material", Value: "cotton"}},
			Description: "Soft; durable | washable", Retired: i == 2})
	}
	return items
}

// TestTheCatalogOutAndInAgain writes a catalog in both formats and reads it again, the
// workbook also after LibreOffice opened and saved it: every row is the same.
func TestTheCatalogOutAndInAgain(t *testing.T) {
	items := catalogOut()
	columns := []Column[sheet.Item]{}
	for _, c := range sheet.OutColumns([]string{"Size"}, []string{"Material"}, 2) {
		columns = append(columns, Column[sheet.Item]{Title: c.Header(), Of: func(item sheet.Item) any { return c.Of(&item) }})
	}
	next := func() func() (sheet.Item, bool, error) {
		at := 0
		return func() (sheet.Item, bool, error) {
			if at++; at > len(items) {
				return sheet.Item{}, false, nil
			}
			return items[at-1], true, nil
		}
	}
	folder := t.TempDir()
	var text, book bytes.Buffer
	if err := WriteCSV(&text, columns, next()); err != nil {
		t.Fatal(err)
	}
	if err := WriteXLSX(&book, "Products", columns, next(), nil); err != nil {
		t.Fatal(err)
	}
	paths := map[string][]byte{"catalog.csv": text.Bytes(), "catalog.xlsx": book.Bytes()}
	for name, content := range paths {
		if err := os.WriteFile(filepath.Join(folder, name), content, 0o600); err != nil {
			t.Fatal(err)
		}
		isTheSame(t, filepath.Join(folder, name), items)
	}
	saved := filepath.Join(folder, "saved")
	office := exec.Command("soffice", "--headless", "-env:UserInstallation=file://"+filepath.Join(folder, "profile"), "--convert-to", "xlsx",
		"--outdir", saved, filepath.Join(folder, "catalog.xlsx"))
	if out, err := office.CombinedOutput(); err != nil {
		t.Fatalf("LibreOffice: %v\n%s", err, out)
	}
	isTheSame(t, filepath.Join(saved, "catalog.xlsx"), items)
}

// isTheSame expects that every row of a sheet is as the catalog has it.
func isTheSame(t *testing.T, path string, items []sheet.Item) {
	t.Helper()
	opened, err := Open(path, "")
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	var rows [][]string
	for {
		cells, _, err := opened.Next()
		if err != nil {
			break
		}
		rows = append(rows, append([]string{}, cells...))
	}
	if len(rows) != len(items)+1 {
		t.Fatalf("%s has %d rows", path, len(rows))
	}
	known := sheet.NewItems(items)
	m := sheet.Proposer{Known: known.Hits, Names: known.Names()}.Propose(rows[0], rows[1:])
	judge, err := sheet.NewJudge(m, sheet.Usual)
	if err != nil {
		t.Fatal(err)
	}
	for i, cells := range rows[1:] {
		if got := judge.Row(i+2, cells, nil, known); got.Verdict != sheet.Same {
			t.Errorf("%s: row %d is %s: %+v %+v\n%q", filepath.Base(path), i+2, got.Verdict, got.Cells, got.Changes, cells)
		}
	}
}

// TestATemplateOffersWhatTheCatalogHas fills a template's lists, and keeps zeros in front.
func TestATemplateOffersWhatTheCatalogHas(t *testing.T) {
	path := filepath.Join(t.TempDir(), "template.xlsx")
	file, err := os.Create(path)
	if err != nil {
		t.Fatal(err)
	}
	fillings := []Filling{{Header: "SKU (Ambrosa)", Example: "0004711"},
		{Header: "Category", Example: "Hives", Values: []string{"Hives", "Candles"}},
		{Header: "Retired", Example: "no", Values: []string{"no", "yes"}}}
	if err := WriteTemplateXLSX(file, fillings); err != nil {
		t.Fatal(err)
	}
	if err := file.Close(); err != nil {
		t.Fatal(err)
	}
	opened, err := Open(path, "")
	if err != nil {
		t.Fatal(err)
	}
	defer opened.Close()
	for _, want := range []string{"[SKU (Ambrosa) Category Retired]", "[0004711 Hives no]"} {
		cells, _, err := opened.Next()
		if err != nil || fmt.Sprint(cells) != want {
			t.Errorf("%v (%v), expected %s", cells, err, want)
		}
	}
	if len(opened.Worksheets) != 2 || !opened.Worksheets[1].Hidden {
		t.Errorf("worksheets: %+v", opened.Worksheets)
	}
}
