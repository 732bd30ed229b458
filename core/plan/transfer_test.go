package plan

import (
	"fmt"
	"testing"

	"ambrosa/core/catalog"
)

// TestTransfer moves and copies pictures between products, and within one.
func TestTransfer(t *testing.T) {
	one, two, variant := catalog.Product(1), catalog.Product(2), catalog.Variant(9)
	standing := map[catalog.Target]Arrangement{
		one: {one: {{ID: 1, File: 11, Sum: "a", View: "front", Alt: "One", AltBy: "draft"},
			{ID: 2, File: 12, Sum: "b", Alt: "own", AltBy: "person"}},
			variant: {{ID: 3, File: 13, Sum: "c"}}},
		two: {two: {{ID: 4, File: 14, Sum: "b"}}},
	}
	draft := func(view string) string { return "Two " + view }
	for _, c := range []struct {
		name      string
		owner, to catalog.Target
		pictures  []int64
		copies    bool
		want      string
		done      Transferred
	}{
		{"moved", two, two, []int64{1, 3}, false, "product 1:b | product 2:b a0 c0", Transferred{Moved: 2}},
		{"copied", two, two, []int64{1}, true, "product 1:a1 b | variant 9:c | product 2:b a0", Transferred{Moved: 1}},
		{"there already", two, two, []int64{2, 4, 77, 2}, false, "product 1:a1 | variant 9:c | product 2:b", Transferred{There: 2, Gone: 2}},
		{"within the product", one, variant, []int64{1}, false, "product 1:b | variant 9:c a1 | product 2:b", Transferred{Moved: 1}},
	} {
		shows, done := Transfer(standing, c.owner, c.to, c.pictures, c.copies, draft)
		got := ""
		for _, part := range []struct{ owner, on catalog.Target }{{one, one}, {one, variant}, {two, two}} {
			list := shows[part.owner][part.on]
			if len(list) == 0 {
				continue
			}
			if got != "" {
				got += " | "
			}
			got += fmt.Sprintf("%s %d:", part.on.Kind, part.on.ID)
			for i, e := range list {
				if i > 0 {
					got += " "
				}
				got += e.Sum
				if e.Sum == "a" || e.Sum == "c" && e.ID == 0 {
					got += fmt.Sprint(e.ID)
				}
			}
		}
		if got != c.want || done != c.done {
			t.Errorf("%s: %s %+v, want %s %+v", c.name, got, done, c.want, c.done)
		}
	}
	shows, _ := Transfer(standing, two, two, []int64{1, 2}, false, draft)
	if a := shows[two][two][1]; a.Alt != "Two front" || a.View != "front" {
		t.Errorf("the text is drafted for the product: %+v", a)
	}
	if len(standing[one][one]) != 2 {
		t.Error("the input was changed")
	}
}
