package plan

import (
	"slices"

	"ambrosa/core/catalog"
)

// Transferred counts what a transfer did.
type Transferred struct {
	Moved int `json:"moved" doc:"Pictures that were moved or copied"`
	There int `json:"there" doc:"Pictures whose bytes the target shows already"`
	Gone  int `json:"gone" doc:"Pictures that are no longer where the person saw them"`
}

// Transfer returns what products and categories show when a person moves pictures, by placement, to the end of a target of
// owner, or copies them there. A picture whose bytes the target shows already is not added; moved, it leaves where it was.
// View and a person's text go with it; a drafted text is drafted for the target. The input is not changed.
func Transfer(
	standing map[catalog.Target]Arrangement, owner, to catalog.Target, pictures []int64, copies bool, draft func(view string) string,
) (map[catalog.Target]Arrangement, Transferred) {
	type origin struct {
		owner catalog.Target
		on    catalog.Target
		entry Entry
	}
	from := map[int64]origin{}
	shows := map[catalog.Target]Arrangement{}
	there := map[string]bool{}
	for of, arrangement := range standing {
		shows[of] = arrangement.Clone()
		for on, entries := range arrangement {
			for _, e := range entries {
				from[e.ID] = origin{of, on, e}
				if of == owner && on == to {
					there[e.Sum] = true
				}
			}
		}
	}
	var done Transferred
	leaves := map[int64]bool{}
	if shows[owner] == nil {
		shows[owner] = Arrangement{}
	}
	for _, id := range pictures {
		o, stands := from[id]
		switch {
		case !stands || leaves[id]:
			done.Gone++
			continue
		case o.on == to:
			done.There++
			continue
		}
		leaves[id] = !copies
		e := o.entry
		if there[e.Sum] {
			done.There++
			continue
		}
		there[e.Sum] = true
		if copies || o.owner != owner {
			e.ID = 0 // a placement belongs to one product
		}
		if e.AltBy == "draft" {
			e.Alt = draft(e.View)
		}
		shows[owner][to] = append(shows[owner][to], e)
		done.Moved++
	}
	for _, arrangement := range shows {
		for on, entries := range arrangement {
			if on != to {
				arrangement[on] = slices.DeleteFunc(entries, func(e Entry) bool { return leaves[e.ID] })
			}
		}
	}
	return shows, done
}
