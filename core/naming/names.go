package naming

import (
	"context"
	"hash/maphash"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode/utf8"
)

// What can be wrong with a name.
const (
	Collision = "collision" // another one has it, case aside
	TooLong   = "too long"  // for common file systems, in bytes of a part
	Forbidden = "forbidden" // has a character that some file system refuses
	Reserved  = "reserved"  // is a device on some system
	EmptyPart = "empty"     // a field was empty that nothing stood for
	NoName    = "no name"   // nothing is left of it, or of a folder of it
	Hidden    = "hidden"    // a part begins with a dot: some systems do not show it
)

// MostBytes is how long a part of a path may be (POSIX's NAME_MAX as common file systems have
// it, common practice).
const MostBytes = 255

// Named is a picture's name, and what is wrong with it.
type Named struct {
	Name     string   `json:"name"`
	Problems []string `json:"problems,omitempty"`
}

// atOnce is how many names one of those who make them makes at a time.
const atOnce = 4096

// Names makes the names of so many pictures, in their order; of returns one of them, with its
// ending ("jpg"), and is called by several at once. When ctx ends, the rest of the names are empty.
func (t Template) Names(ctx context.Context, count int, of func(i int) (Picture, string)) []Named {
	names := make([]Named, count)
	var makers sync.WaitGroup
	var next atomic.Int64
	for range runtime.GOMAXPROCS(0) {
		makers.Go(func() {
			last := make([]told, len(t.parts))
			p, ending := new(Picture), "" // one for all: it does not stay on the stack
			for {
				from := int(next.Add(atOnce)) - atOnce
				if from >= count || ctx.Err() != nil {
					return
				}
				for i := from; i < min(from+atOnce, count); i++ {
					*p, ending = of(i)
					names[i] = t.named(p, ending, last)
				}
			}
		})
	}
	makers.Wait()
	if ctx.Err() != nil {
		return names
	}
	collide(names)
	return names
}

func (t Template) named(p *Picture, ending string, last []told) Named {
	stem, empty, cut := t.name(p, last)
	n := Named{Name: stem + "." + ending}
	if empty || stem == "" {
		n.Problems = append(n.Problems, EmptyPart)
	}
	if stem == "" {
		n.Problems = append(n.Problems, NoName)
	}
	n.Problems = append(n.Problems, problems(stem, n.Name)...)
	if cut && !slices.Contains(n.Problems, TooLong) {
		n.Problems = append(n.Problems, TooLong)
	}
	return n
}

// collide says of names that others have them, too. Names are looked up by a hash of theirs; the
// few that share one without being the same are looked up whole.
func collide(names []Named) {
	seed := maphash.MakeSeed()
	first := make(map[uint64]int, len(names))
	var rest map[string]int
	for i := range names {
		key := Key(names[i].Name)
		hash := maphash.String(seed, key)
		before, taken := first[hash]
		if !taken {
			first[hash] = i
			continue
		}
		if Key(names[before].Name) != key {
			if rest == nil {
				rest = map[string]int{}
			}
			if before, taken = rest[key]; !taken {
				rest[key] = i
				continue
			}
		}
		names[i].collides()
		names[before].collides()
	}
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

const longestDevice = 4

func init() {
	for _, n := range "123456789" {
		devices["com"+string(n)], devices["lpt"+string(n)] = true, true
	}
}

func problems(stem, name string) (found []string) {
	if strings.ContainsAny(stem, `<>:"|?*`) {
		found = append(found, Forbidden)
	}
	long, reserved, hidden := len(name) > MostName, false, false
	for part := range strings.SplitSeq(name, "/") {
		long = long || len(part) > MostBytes
		hidden = hidden || stem != "" && strings.HasPrefix(part, ".")
		base, _, _ := strings.Cut(part, ".")
		reserved = reserved || len(base) <= longestDevice && devices[strings.ToLower(base)]
	}
	if long || !utf8.ValidString(name) {
		found = append(found, TooLong)
	}
	if reserved {
		found = append(found, Reserved)
	}
	if hidden {
		found = append(found, Hidden)
	}
	return found
}

// Unfit returns which of a name's problems keeps it from being used at all: nothing, or nothing that
// everybody sees, would be there under it. Empty where none does.
func Unfit(problems []string) string {
	for _, p := range []string{NoName, Reserved, Hidden, TooLong} {
		if slices.Contains(problems, p) {
			return p
		}
	}
	return ""
}
