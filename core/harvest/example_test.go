package harvest_test

import (
	"fmt"
	"net/url"

	"ambrosa/core/harvest"
)

// A page tells its pictures in many ways; each comes with where it was found.
func ExampleReadPage() {
	address, _ := url.Parse("https://supplier.example/jar")
	page, err := harvest.ReadPage(address, []byte(`<h1>Jar</h1><img src="/t/jar_120.jpg" srcset="/m/jar_900.jpg 900w">`))
	if err != nil {
		panic(err)
	}
	for _, found := range page.Pictures() {
		fmt.Println(found.Where, found.Address)
	}
	// Output:
	// picture element https://supplier.example/t/jar_120.jpg
	// set of sizes https://supplier.example/m/jar_900.jpg
}
