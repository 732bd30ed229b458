package plan

import "slices"

// Ref names a picture on a target before it is applied: by its placement where
// it stands already, else by its file.
type Ref struct {
	ID   int64 `json:"id"` // of the placement, 0 for a picture that arrives
	File int64 `json:"file"`
}

// Orders is the order that a person gave pictures by hand: by variant, under 0
// that of the product as a whole.
type Orders map[int64][]Ref

// Settle puts an arrangement into the order that was given by hand; what the
// order does not know stays behind, as it was. Warnings of places that collide
// or are left out do not matter any more where a person gave the order.
func (o Orders) Settle(wanted Arrangement, warnings []Warning) (Arrangement, []Warning) {
	for variant, order := range o {
		list, known := wanted[variant]
		if !known {
			continue
		}
		rank := func(e Entry) int {
			at := slices.IndexFunc(order, func(r Ref) bool { return r.ID != 0 && r.ID == e.ID || r.File == e.File })
			if at < 0 {
				return len(order)
			}
			return at
		}
		list = slices.Clone(list)
		slices.SortStableFunc(list, func(a, b Entry) int { return rank(a) - rank(b) })
		wanted[variant] = list
		warnings = slices.DeleteFunc(warnings, func(w Warning) bool {
			return w.Variant == variant && (w.Kind == "collision" || w.Kind == "gap")
		})
	}
	return wanted, warnings
}
