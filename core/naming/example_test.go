package naming_test

import (
	"fmt"

	"ambrosa/core/naming"
)

func ExampleAltText() {
	fmt.Println(naming.AltText("Hive body", []string{"8 frame", "pine"}, "front"))
	// Output: Hive body, 8 frame, pine, front
}
