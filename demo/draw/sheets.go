package draw

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"

	"ambrosa/core/gtin"
	"ambrosa/demo"
)

// writeSheets writes the suppliers' spreadsheets into a folder, each with its
// supplier's habits.
func writeSheets(folder string, items []item) error {
	for i, write := range []func([]item) ([]byte, error){northcombList, lindmoorList, categoryList} {
		content, err := write(items)
		if err != nil {
			return fmt.Errorf("make %s: %w", demo.Sheets[i], err)
		}
		if err := os.WriteFile(filepath.Join(folder, demo.Sheets[i]), content, 0o644); err != nil {
			return err
		}
	}
	return nil
}

func ofKind(items []item, prefix string) []item {
	return slices.DeleteFunc(slices.Clone(items), func(it item) bool { return it.kind.prefix != prefix })
}

// optionWord returns what an item has for an option; "" for none.
func (it item) optionWord(name string) string {
	if at := slices.Index(it.names, name); at >= 0 {
		return it.options[at].word
	}
	return ""
}

// northcombList is a workbook with two title lines and merged headers. Codes have
// lost their zeros, a few barcodes were damaged by the program that it was made with,
// some articles are new.
func northcombList(items []item) ([]byte, error) {
	book := excelize.NewFile()
	defer book.Close()
	const name = "Articles"
	if err := book.SetSheetName("Sheet1", name); err != nil {
		return nil, err
	}
	rows := [][]any{
		{"Northcomb Apiary Goods: articles from spring 2026 on"},
		{"Prices without tax, valid until further notice"},
		{},
		{"Article", "", "", "", "", "", "Pictures", ""},
		{"Item no.", "Item description", "EAN", "Volume", "Finish", "List price", "1", "2"},
	}
	for i, it := range append(ofKind(items, "LB"), ofKind(items, "SM")...) {
		rows = append(rows, northcombRow(i, it))
	}
	for i, title := range []string{"Dome smoker, tall", "Bellows for smokers", "Smoker hook"} {
		code := fmt.Sprintf("SM-9%02d", 10*(i+1))
		rows = append(rows, []any{code + "-ST", title, number(900 + i), "", "steel", 24.5 + float64(i), code + "_1.jpg", ""})
	}
	for i, row := range rows {
		if err := book.SetSheetRow(name, fmt.Sprintf("A%d", i+1), &row); err != nil {
			return nil, err
		}
	}
	for _, merged := range [][2]string{{"A1", "H1"}, {"A4", "F4"}, {"G4", "H4"}} {
		if err := book.MergeCell(name, merged[0], merged[1]); err != nil {
			return nil, err
		}
	}
	var out bytes.Buffer
	err := book.Write(&out)
	return out.Bytes(), err
}

func northcombRow(i int, it item) []any {
	code, title, barcode := it.sku, it.title, it.gtin
	if rest, labels := strings.CutPrefix(code, "00"); labels {
		code = rest
	}
	switch i % 9 {
	case 3:
		title += " (new label)"
	case 5:
		barcode = fmt.Sprintf("%.5fE+12", float64(mustNumber(barcode))/1e12)
	case 7:
		barcode = barcode[:12] + string('0'+(barcode[12]-'0'+1)%10)
	}
	picture := strings.ReplaceAll(it.sku, "-", "_")
	return []any{code, title, barcode, it.optionWord("Volume"), it.optionWord("Finish"), 2.4 + float64(i%7),
		picture + "_1.jpg", picture + "_2.jpg"}
}

// mustNumber returns a GTIN as the number that a spreadsheet program takes it for.
func mustNumber(digits string) uint64 {
	n, _ := gtin.Number(digits)
	return n
}

// lindmoorList is a CSV of Windows-1252 with semicolons and German headers.
func lindmoorList(items []item) ([]byte, error) {
	lines := []string{"Artikelnummer;Hauptartikelnummer;Bezeichnung;Größe;Farbe;EAN;Warengruppe;Bilddatei;Auslaufartikel"}
	for i, it := range append(ofKind(items, "SU"), ofKind(items, "VL")...) {
		code, ends := it.sku, "nein"
		if i%11 == 4 {
			code = strings.ReplaceAll(code, "-", " ")
		}
		if i%17 == 9 {
			ends = "ja"
		}
		picture := strings.ToLower(it.sku) + "-" + slug(it.optionWord("Colour"))
		lines = append(lines, strings.Join([]string{code, it.product, it.title, it.optionWord("Size"), it.optionWord("Colour"), it.gtin,
			strings.ReplaceAll(it.category, " / ", " > "), picture + "_web.jpg", ends}, ";"))
	}
	lines = append(lines, "SU-990-M-WHT;SU-990;Schürze für Kinder;Größe M;weiß;;Clothing > Aprons;schürze_vorne.jpg|schürze_rücken.jpg;nein")
	text, err := charmap.Windows1252.NewEncoder().String(strings.Join(lines, "\r\n") + "\r\n")
	return []byte(text), err
}

// categoryList is a shop's own list of categories: their IDs, texts and banners, which are
// files of the second archive that no product claims, and one that nobody sent. One
// category is new, one ID stands twice.
func categoryList(items []item) ([]byte, error) {
	banners := []string{"apiary morning.jpg", "IMG_5544.jpg", "img_5545", "DSC_0042.JPG", "hives-wide.jpg"}
	paths := []string{"Hives"}
	for _, it := range items {
		top, _, _ := strings.Cut(it.category, " / ")
		for _, path := range []string{top, it.category} {
			if !slices.Contains(paths, path) {
				paths = append(paths, path)
			}
		}
	}
	paths = append(paths, "Honey / Tasting sets")
	lines := [][]string{{"Category ID", "Category", "Description", "Banner"}}
	for i, path := range paths {
		id, about, banner := fmt.Sprintf("C-%03d", 10*(i+1)), "", ""
		if name := path[strings.LastIndex(path, "/")+1:]; i%2 == 0 {
			about = "All about " + strings.ToLower(strings.TrimSpace(name)) + " for small and large apiaries."
		}
		if i < len(banners) {
			banner = banners[i]
		}
		if i == len(paths)-2 {
			id = fmt.Sprintf("C-%03d", 10*i)
		}
		lines = append(lines, []string{id, strings.ReplaceAll(path, " / ", " > "), about, banner})
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	err := w.WriteAll(lines)
	return out.Bytes(), err
}
