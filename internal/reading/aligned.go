package reading

import (
	"slices"

	"ambrosa/core/pairing"
	"ambrosa/internal/store"
)

// Aligned is a part of a name that is a key, against a key that it may be.
type Aligned struct {
	Read  string         `json:"read" doc:"The part of the name"`
	Key   string         `json:"key"`
	Edits []pairing.Edit `json:"edits" nullable:"false" doc:"The two, character against character"`
}

// mostAligned bounds how many alignments are told of one name.
const mostAligned = 48

// AlignedIn aligns those parts of a name that are keys with the keys given, and
// each with the one that it was read as.
func AlignedIn(path string, spans []store.Span, keys []string) []Aligned {
	list := []Aligned{}
	for _, s := range spans {
		if s.Kind != "key" || s.What == "option" || s.Start < 0 || s.End > len(path) || s.Start > s.End {
			continue
		}
		read := path[s.Start:s.End]
		for _, key := range append([]string{s.What}, keys...) {
			known := slices.ContainsFunc(list, func(a Aligned) bool { return a.Read == read && a.Key == key })
			if key == "" || known || len(list) == mostAligned {
				continue
			}
			if edits := pairing.Align(read, key); edits != nil {
				list = append(list, Aligned{read, key, edits})
			}
		}
	}
	return list
}
