package plan

import (
	"encoding/json"
	"maps"
	"slices"

	"ambrosa/core/catalog"
)

// Arrangement is the pictures of what changes together: of a product as a whole
// and of its variants, or of a category. Each list is in order of place.
type Arrangement map[catalog.Target][]Entry

// Clone returns a copy that shares nothing.
func (a Arrangement) Clone() Arrangement {
	b := make(Arrangement, len(a))
	for target, list := range a {
		b[target] = slices.Clone(list)
	}
	return b
}

// Equal tells whether both show the same placements in the same order with the
// same texts.
func (a Arrangement) Equal(b Arrangement) bool {
	covers := func(x, y Arrangement) bool {
		for target, list := range x {
			if !slices.Equal(list, y[target]) {
				return false
			}
		}
		return true
	}
	return covers(a, b) && covers(b, a)
}

// Targets returns what an arrangement is of, in order.
func (a Arrangement) Targets() []catalog.Target { return targets(a) }

// shown is how an arrangement is written: what each target shows, in order, so
// that the same arrangement is always the same text.
type shown struct {
	catalog.Target
	Pictures []Entry `json:"pictures"`
}

// MarshalJSON writes the targets that show something.
func (a Arrangement) MarshalJSON() ([]byte, error) {
	list := make([]shown, 0, len(a))
	for _, target := range targets(a) {
		if len(a[target]) > 0 {
			list = append(list, shown{target, a[target]})
		}
	}
	return json.Marshal(list)
}

// UnmarshalJSON reads what MarshalJSON wrote.
func (a *Arrangement) UnmarshalJSON(text []byte) error {
	var list []shown
	if err := json.Unmarshal(text, &list); err != nil {
		return err
	}
	*a = make(Arrangement, len(list))
	for _, s := range list {
		(*a)[s.Target] = s.Pictures
	}
	return nil
}

// targets returns the targets that any of the maps knows, in order.
func targets[V any, M ~map[catalog.Target]V](of ...M) []catalog.Target {
	known := map[catalog.Target]bool{}
	for _, m := range of {
		for target := range m {
			known[target] = true
		}
	}
	return slices.SortedFunc(maps.Keys(known), catalog.Target.Compare)
}
