package pairing_test

import (
	"cmp"
	"fmt"

	"ambrosa/core/pairing"
)

// A lot of names is read against a catalog; each file says what it is paired
// with, or why it is not.
func ExampleLot() {
	catalog := pairing.NewCatalog([]pairing.Item{
		{SKU: "HB-10-S", Product: "HB-10", Title: "Hive body, small"},
		{SKU: "HB-10-L", Product: "HB-10", Title: "Hive body, large"},
	})
	paths := []string{"hives/hb_10_s_2.jpg", "HB-10-L front.png", "IMG_4410.jpg"}
	verdicts, err := pairing.Lot(catalog, pairing.DefaultClues(), paths, false)
	if err != nil {
		panic(err)
	}
	for i, v := range verdicts {
		fmt.Println(paths[i], v.Kind, v.Key, v.Place, cmp.Or(v.View, "-"))
	}
	// Output:
	// hives/hb_10_s_2.jpg paired HB-10-S 2 -
	// HB-10-L front.png paired HB-10-L 0 front
	// IMG_4410.jpg loose  0 -
}

// What was read is held against the key, character against character.
func ExampleAlign() {
	for _, e := range pairing.Align("HB_1O-S", "HB-10-S") {
		fmt.Printf("%s%s ", e.Read, e.Key)
	}
	// Output: HH BB _- 11 O0 -- SS
}
