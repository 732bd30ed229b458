// Package plan computes what a product's pictures would become: the wanted
// order from what stands and what arrives, the difference between the two, and
// the way back. It changes nothing; writing placements is for internal/store.
package plan

import (
	"cmp"
	"fmt"
	"math/bits"
	"slices"
	"strings"
)

// Way says how arriving pictures are placed among those that stand.
type Way string

// The ways to place.
const (
	After       Way = "after"         // behind what stands
	Before      Way = "before"        // in front of what stands
	Instead     Way = "instead"       // in its stead: what stands goes
	LikeForLike Way = "like for like" // each takes the place of the same view, or of the same place
)

// Ways lists all ways.
var Ways = []Way{After, Before, Instead, LikeForLike}

// Valid tells whether w is a way.
func (w Way) Valid() bool { return slices.Contains(Ways, w) }

// Entry is a picture on a target. Its place is its position in the list.
type Entry struct {
	ID    int64  `json:"id"`   // of the placement; 0 before it is first applied
	File  int64  `json:"file"` // what is shown
	Sum   string `json:"sum"`  // SHA-256 of the file's bytes, hexadecimal
	View  string `json:"view,omitempty"`
	Alt   string `json:"alt,omitempty"`
	AltBy string `json:"altBy,omitempty"` // "draft" or "person"
	Plan  int64  `json:"plan,omitempty"`  // that placed it
}

// Arrangement is the pictures of one product: by variant, and under 0 those of
// the product as a whole.
type Arrangement map[int64][]Entry

// Arriving is a file that a lot brings for a target.
type Arriving struct {
	Variant int64 // 0 for the product as a whole
	Entry
	Place int    // as read from the name, 0 when none was
	Path  string // orders files without a place
	Bare  bool   // the name is nothing but the key
}

// Warning is something a person should know before applying.
type Warning struct {
	Kind    string `json:"kind"` // collision, gap, twice, unmatched, loses last, lead changes, smaller lead, rights, small, larger, alike
	Variant int64  `json:"variant,omitempty"`
	Text    string `json:"text"`
}

// Facts is what is known of pictures, by the SHA-256 of their bytes.
type Facts map[string]Fact

// Fact is what a plan needs to know of a picture.
type Fact struct {
	Pixels      int64  // width times height
	Fingerprint uint64 // see upkeep.Fingerprints; 0 where there is none
	Tint        string // mean colours of its quarters
	Small       bool   // below the least size
	HeldBack    string // why it may not be handed on; empty when it may
}

// Arrange returns what a product would show when arriving files are placed
// among the standing ones in the given way, with warnings. Neither input is
// changed. Targets that nothing arrives for stay as they are, in every way.
// With facts, like for like also knows the same picture by its look.
func Arrange(standing Arrangement, arriving []Arriving, way Way, facts Facts) (Arrangement, []Warning) {
	wanted := standing.Clone()
	var warnings []Warning
	byTarget := map[int64][]Arriving{}
	for _, a := range arriving {
		byTarget[a.Variant] = append(byTarget[a.Variant], a)
	}
	for _, variant := range sortedKeys(byTarget) {
		files := byTarget[variant]
		Order(files)
		warnings = append(warnings, placeWarnings(variant, files)...)
		stands := standing[variant]
		if way == LikeForLike {
			list, left := likeForLike(stands, files, facts)
			wanted[variant] = list
			for _, a := range left {
				warnings = append(warnings, Warning{"unmatched", variant, a.Path + ": nothing like it stands there, so it is left out"})
			}
			continue
		}
		fresh, twice := without(files, stands, way)
		for _, a := range twice {
			warnings = append(warnings, Warning{"twice", variant, a.Path + ": the same bytes stand there already, so it is left out"})
		}
		switch way {
		case Before:
			wanted[variant] = slices.Concat(fresh, stands)
		case Instead:
			wanted[variant] = keepStanding(fresh, stands)
		default:
			wanted[variant] = slices.Concat(stands, fresh)
		}
	}
	return wanted, warnings
}

// Order sorts arriving files: by place, then those whose name is nothing but
// the key before all others, then by view, then by natural order of names.
// Where numbers are counted on from a file without one ("HB-10.jpg",
// "HB-10_2.jpg"; common practice), that file comes first.
func Order(files []Arriving) {
	first := unnumberedFirst(files)
	rank := func(a Arriving) int {
		switch {
		case a.Place > 0:
			return a.Place
		case a.Bare || a.File == first:
			return 0
		default:
			return 1 << 20
		}
	}
	slices.SortStableFunc(files, func(a, b Arriving) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), cmp.Compare(viewRank(a.View), viewRank(b.View)),
			Natural(a.Path, b.Path), cmp.Compare(a.File, b.File))
	})
}

// unnumberedFirst returns the one file without a number that others are
// counted on from, 0 when there is none: no file has place 1, some have a
// later one, and just one has none and shows the front or says nothing.
func unnumberedFirst(files []Arriving) int64 {
	var found int64
	numbered, candidates := false, 0
	for _, a := range files {
		switch {
		case a.Place == 1:
			return 0
		case a.Place > 1:
			numbered = true
		case a.View == "" || a.View == "front":
			found = a.File
			candidates++
		}
	}
	if !numbered || candidates != 1 {
		return 0
	}
	return found
}

// viewOrder is the order in which a shot list shows views (common practice).
var viewOrder = []string{"front", "", "angle", "left", "right", "side", "back", "top", "bottom", "inside", "detail", "label", "pack", "in use", "scale", "swatch"}

func viewRank(view string) int {
	if i := slices.Index(viewOrder, view); i >= 0 {
		return i
	}
	return len(viewOrder)
}

// placeWarnings reports two files for one place or view, and places left out.
func placeWarnings(variant int64, files []Arriving) (warnings []Warning) {
	byPlace, byView := map[int][]string{}, map[string][]string{}
	last := 0
	for _, a := range files {
		if a.Place > 0 {
			byPlace[a.Place] = append(byPlace[a.Place], a.Path)
			last = max(last, a.Place)
		} else if a.View != "" {
			byView[a.View] = append(byView[a.View], a.Path)
		}
	}
	for _, place := range sortedKeys(byPlace) {
		if names := byPlace[place]; len(names) > 1 {
			warnings = append(warnings, Warning{"collision", variant, fmt.Sprintf("%d files for place %d: %s", len(names), place, strings.Join(names, ", "))})
		}
	}
	for _, view := range sortedKeys(byView) {
		if names := byView[view]; len(names) > 1 {
			warnings = append(warnings, Warning{"collision", variant, fmt.Sprintf("%d files for the view %s: %s", len(names), view, strings.Join(names, ", "))})
		}
	}
	var missing []string
	first := unnumberedFirst(files)
	for place := 1; place < last && len(missing) < 9; place++ {
		counted := place == 1 && (first != 0 || slices.ContainsFunc(files, func(a Arriving) bool { return a.Place == 0 && a.Bare }))
		if len(byPlace[place]) == 0 && !counted {
			missing = append(missing, fmt.Sprint(place))
		}
	}
	if len(missing) > 0 {
		warnings = append(warnings, Warning{"gap", variant, "no file for place " + strings.Join(missing, ", ")})
	}
	return warnings
}

// without leaves out files whose bytes stand on the target already, or come
// twice in the lot.
func without(files []Arriving, stands []Entry, way Way) (fresh []Entry, twice []Arriving) {
	seen := map[string]bool{}
	if way != Instead {
		for _, e := range stands {
			seen[e.Sum] = true
		}
	}
	for _, a := range files {
		if seen[a.Sum] {
			twice = append(twice, a)
			continue
		}
		seen[a.Sum] = true
		fresh = append(fresh, a.Entry)
	}
	return fresh, twice
}

// keepStanding gives a picture that stands already its placement and texts
// instead of making a new one.
func keepStanding(fresh, stands []Entry) []Entry {
	list := slices.Clone(fresh)
	for i := range list {
		for _, e := range stands {
			if e.Sum == list[i].Sum {
				list[i] = e
			}
		}
	}
	return list
}

// likeForLike replaces standing pictures by larger ones of the same look, else
// by those of the same view, else of the same place; text and view stay where
// the arriving file has none.
func likeForLike(stands []Entry, files []Arriving, facts Facts) (list []Entry, left []Arriving) {
	list = slices.Clone(stands)
	taken := make([]bool, len(list))
	for _, a := range files {
		at := facts.sameLook(list, taken, a)
		for i, e := range list {
			if at < 0 && !taken[i] && a.View != "" && e.View == a.View {
				at = i
				break
			}
		}
		if at < 0 && a.View == "" && a.Place > 0 && a.Place <= len(list) && !taken[a.Place-1] {
			at = a.Place - 1
		}
		if at < 0 {
			left = append(left, a)
			continue
		}
		taken[at] = true
		if list[at].Sum == a.Sum {
			continue
		}
		e := a.Entry
		e.View = cmp.Or(e.View, list[at].View)
		if list[at].AltBy == "person" {
			e.Alt, e.AltBy = list[at].Alt, list[at].AltBy
		}
		list[at] = e
	}
	return list, left
}

// alikeBits and alikeTint are how far the fingerprints of one picture in two
// sizes may be apart, of 64 bits, and the mean colours of its quarters, of 255.
const (
	alikeBits = 4
	alikeTint = 9
)

// Alike tells whether two pictures are the same in another size or quality.
func (f Fact) Alike(o Fact) bool {
	if f.Fingerprint == 0 || o.Fingerprint == 0 || bits.OnesCount64(f.Fingerprint^o.Fingerprint) > alikeBits || len(f.Tint) != len(o.Tint) {
		return false
	}
	for i := range len(f.Tint) {
		if d := int(f.Tint[i]) - int(o.Tint[i]); d > alikeTint || -d > alikeTint {
			return false
		}
	}
	return true
}

// sameLook returns the place of a smaller picture of the same look as an
// arriving one, -1 when there is none.
func (f Facts) sameLook(list []Entry, taken []bool, a Arriving) int {
	fact, known := f[a.Sum]
	if !known {
		return -1
	}
	for i, e := range list {
		if stands, known := f[e.Sum]; known && !taken[i] && stands.Pixels < fact.Pixels && stands.Alike(fact) {
			return i
		}
	}
	return -1
}

// Warn tells what a person should know of the pictures themselves: a lead that
// is replaced by a smaller one, one that is a larger version of what stands,
// rights that keep it from being handed on, and one below the least size.
func Warn(before, after Arrangement, facts Facts) (warnings []Warning) {
	for _, variant := range sortedKeys(after) {
		was, will := before[variant], after[variant]
		if len(was) > 0 && len(will) > 0 && was[0].Sum != will[0].Sum {
			if a, b := facts[was[0].Sum], facts[will[0].Sum]; b.Pixels > 0 && b.Pixels < a.Pixels {
				warnings = append(warnings, Warning{"smaller lead", variant, fmt.Sprintf("the lead is replaced by a smaller picture, %.1f instead of %.1f megapixels", float64(b.Pixels)/1e6, float64(a.Pixels)/1e6)})
			}
		}
		held, small, larger, twins := "", 0, 0, 0
		for _, e := range will {
			if find(was, e) >= 0 {
				continue
			}
			fact := facts[e.Sum]
			held = cmp.Or(held, fact.HeldBack)
			if fact.Small {
				small++
			}
			for _, o := range will {
				if o.Sum != e.Sum && find(was, o) >= 0 && facts[o.Sum].Alike(fact) {
					if facts[o.Sum].Pixels < fact.Pixels {
						larger++
					} else {
						twins++
					}
				}
			}
		}
		if held != "" {
			warnings = append(warnings, Warning{"rights", variant, "cannot be handed on: " + held})
		}
		for _, w := range []struct {
			n          int
			kind, text string
		}{{small, "small", "below the least size"}, {larger, "larger", "the same as one that stands, but larger: like for like would replace it"},
			{twins, "alike", "the same as one that stands, and no larger: set it aside"}} {
			if w.n == 1 {
				warnings = append(warnings, Warning{w.kind, variant, "one picture is " + w.text})
			} else if w.n > 1 {
				warnings = append(warnings, Warning{w.kind, variant, fmt.Sprintf("%d pictures are %s", w.n, w.text)})
			}
		}
	}
	return warnings
}

// Difference counts what changes from before to after, and warns of leads that
// change and of targets that lose their last picture.
type Difference struct {
	Added, Removed, Moved int
	Warnings              []Warning
}

// Diff compares two arrangements of one product.
func Diff(before, after Arrangement) (d Difference) {
	targets := map[int64]bool{}
	for variant := range before {
		targets[variant] = true
	}
	for variant := range after {
		targets[variant] = true
	}
	for _, variant := range sortedKeys(targets) {
		was, will := before[variant], after[variant]
		for i, e := range will {
			at := slices.IndexFunc(was, func(o Entry) bool { return same(o, e) })
			switch {
			case at < 0:
				d.Added++
			case at != i:
				d.Moved++
			}
		}
		for _, e := range was {
			if !slices.ContainsFunc(will, func(o Entry) bool { return same(o, e) }) {
				d.Removed++
			}
		}
		switch {
		case len(was) > 0 && len(will) == 0:
			d.Warnings = append(d.Warnings, Warning{"loses last", variant, "loses its last picture"})
		case len(was) > 0 && !same(was[0], will[0]):
			d.Warnings = append(d.Warnings, Warning{"lead changes", variant, "another picture becomes the lead"})
		}
	}
	return d
}

func same(a, b Entry) bool {
	if a.ID != 0 && b.ID != 0 {
		return a.ID == b.ID
	}
	return a.ID == b.ID && a.File == b.File
}

// Reverse returns what now becomes when a plan that led from before to after is
// taken back: exactly before, when nothing has changed since; else what the
// plan added goes, what it removed comes back at its place, and later changes
// stay.
func Reverse(before, after, now Arrangement) Arrangement {
	if now.Equal(after) {
		return before.Clone()
	}
	back := now.Clone()
	for variant := range after {
		back[variant] = slices.DeleteFunc(back[variant], func(e Entry) bool {
			return find(after[variant], e) >= 0 && find(before[variant], e) < 0
		})
	}
	for _, variant := range sortedKeys(before) {
		for place, e := range before[variant] {
			if find(after[variant], e) < 0 && find(back[variant], e) < 0 {
				back[variant] = slices.Insert(back[variant], min(place, len(back[variant])), e)
			}
		}
	}
	return back
}

func find(list []Entry, e Entry) int {
	return slices.IndexFunc(list, func(o Entry) bool { return same(o, e) })
}

// Clone returns a copy that shares nothing.
func (a Arrangement) Clone() Arrangement {
	b := make(Arrangement, len(a))
	for variant, list := range a {
		b[variant] = slices.Clone(list)
	}
	return b
}

// Equal tells whether both show the same placements in the same order with the
// same texts.
func (a Arrangement) Equal(b Arrangement) bool {
	covers := func(x, y Arrangement) bool {
		for variant, list := range x {
			if !slices.Equal(list, y[variant]) {
				return false
			}
		}
		return true
	}
	return covers(a, b) && covers(b, a)
}

func sortedKeys[K cmp.Ordered, V any](m map[K]V) []K {
	keys := make([]K, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

// Natural compares two names as people order them: digits by their value,
// letters without regard to case.
func Natural(a, b string) int {
	x, y := strings.ToLower(a), strings.ToLower(b)
	for x != "" && y != "" {
		if isDigit(x[0]) && isDigit(y[0]) {
			var m, n string
			m, x = cutDigits(x)
			n, y = cutDigits(y)
			if c := cmp.Or(cmp.Compare(len(m), len(n)), cmp.Compare(m, n)); c != 0 {
				return c
			}
			continue
		}
		if x[0] != y[0] {
			return cmp.Compare(sortByte(x[0]), sortByte(y[0]))
		}
		x, y = x[1:], y[1:]
	}
	return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(a, b))
}

// sortByte puts the dot before an extension in front of everything else, so
// that "HB-10.jpg" comes before "HB-10_2.jpg".
func sortByte(b byte) byte {
	if b == '.' {
		return 0
	}
	return b
}

func cutDigits(s string) (digits, rest string) {
	n := 0
	for n < len(s) && isDigit(s[n]) {
		n++
	}
	return strings.TrimLeft(s[:n], "0"), s[n:]
}

func isDigit(b byte) bool { return b >= '0' && b <= '9' }
