package naming

import (
	"strings"
	"unicode/utf8"
)

// What can be wrong with a name.
const (
	Collision = "collision" // another one has it, case aside
	TooLong   = "too long"  // for common file systems, in bytes of a part
	Forbidden = "forbidden" // has a character that some file system refuses
	Reserved  = "reserved"  // is a device on some system
	EmptyPart = "empty"     // a field was empty that nothing stood for
)

// MostBytes is how long a part of a path may be (POSIX's NAME_MAX as common file systems have
// it, common practice).
const MostBytes = 255

// Named is a picture's name, and what is wrong with it.
type Named struct {
	Name     string   `json:"name"`
	Problems []string `json:"problems,omitempty"`
}

// Names makes the names of pictures, each with its ending ("jpg"), in their order.
func (t Template) Names(pictures []Picture, endings []string) []Named {
	names := make([]Named, len(pictures))
	first := make(map[string]int, len(pictures))
	for i, p := range pictures {
		stem, empty := t.Name(p)
		n := Named{Name: stem + "." + endings[i]}
		if empty || stem == "" {
			n.Problems = append(n.Problems, EmptyPart)
		}
		n.Problems = append(n.Problems, problems(stem, n.Name)...)
		names[i] = n
		key := Key(n.Name)
		if before, taken := first[key]; taken {
			names[i].collides()
			names[before].collides()
		} else {
			first[key] = i
		}
	}
	return names
}

// Key is equal for names that some file system does not tell apart.
func Key(name string) string { return strings.ToLower(name) }

func (n *Named) collides() {
	if len(n.Problems) == 0 || n.Problems[len(n.Problems)-1] != Collision {
		n.Problems = append(n.Problems, Collision)
	}
}

// devices are names that stand for devices on some systems, whatever their ending (Microsoft,
// Naming Files, Paths, and Namespaces; from memory).
var devices = map[string]bool{"con": true, "prn": true, "aux": true, "nul": true}

func init() {
	for _, n := range "123456789" {
		devices["com"+string(n)], devices["lpt"+string(n)] = true, true
	}
}

func problems(stem, name string) (found []string) {
	if strings.ContainsAny(stem, `<>:"|?*`) {
		found = append(found, Forbidden)
	}
	long, reserved := false, false
	for part := range strings.SplitSeq(name, "/") {
		long = long || len(part) > MostBytes
		base, _, _ := strings.Cut(strings.ToLower(part), ".")
		reserved = reserved || devices[base]
	}
	if long || !utf8.ValidString(name) {
		found = append(found, TooLong)
	}
	if reserved {
		found = append(found, Reserved)
	}
	return found
}
