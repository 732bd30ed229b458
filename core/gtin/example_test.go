package gtin_test

import (
	"fmt"

	"ambrosa/core/gtin"
)

// GS1's own example of the method: the check digit of 6291041500213 is 3.
func ExampleCheckDigit() {
	fmt.Printf("%c\n", gtin.CheckDigit("629104150021"))
	// Output: 3
}

// A code is known by its 14 digits, however short it was written.
func ExampleNormalise() {
	for _, code := range []string{"96385074", "6291041500213", "6291041500214"} {
		normal, err := gtin.Normalise(code)
		fmt.Println(normal, err != nil)
	}
	// Output:
	// 00000096385074 false
	// 06291041500213 false
	//  true
}
