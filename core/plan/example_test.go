package plan_test

import (
	"fmt"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
)

// A lot brings two pictures for a product that shows one; the plan tells what it
// would show, what changes, and the way back.
func ExampleArrange() {
	hive := catalog.Product(7)
	standing := plan.Arrangement{hive: {{ID: 1, File: 1, Sum: "a", View: "front"}}}
	arriving := []plan.Arriving{
		{Target: hive, Path: "hive_3.jpg", Place: 3, Entry: plan.Entry{File: 3, Sum: "c"}},
		{Target: hive, Path: "hive_2.jpg", Place: 2, Entry: plan.Entry{File: 2, Sum: "b"}},
	}
	wanted, _ := plan.Arrange(standing, arriving, plan.After, nil)
	for _, e := range wanted[hive] {
		fmt.Print(e.File, " ")
	}
	change := plan.Diff(standing, wanted)
	fmt.Println(change.Added, "added")
	back := plan.Reverse(standing, wanted, wanted)
	fmt.Println(back.Equal(standing))
	// Output:
	// 1 2 3 2 added
	// true
}
