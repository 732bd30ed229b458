package sheet_test

import (
	"fmt"

	"ambrosa/core/sheet"
)

// A header row is understood by its words, in any order and spelling; what means
// nothing known is left to the caller.
func ExampleVocabulary_Header() {
	header, err := sheet.Products.Header([]string{"Product name", "Item No.", "EAN-13", "Colour"}, false, sheet.SKU)
	if err != nil {
		panic(err)
	}
	row := []string{"Hive body", "HB-10-S", "6291041500213", "natural"}
	fmt.Println(header.Cell(row, sheet.SKU), header.Cell(row, sheet.Title), header.Cell(row, sheet.GTIN))
	fmt.Println(header.Names[header.Others[0]])

	_, err = sheet.Products.Header([]string{"title"}, false, sheet.SKU)
	fmt.Println(err)
	// Output:
	// HB-10-S Hive body 6291041500213
	// Colour
	// no column "sku" among "title"
}
