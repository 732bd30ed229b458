package plan

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ambrosa/core/catalog"
)

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

// viewRank is where a view stands among others; pictures without one come right after the front.
func viewRank(view string) int {
	i := slices.Index(catalog.Views, view)
	switch {
	case i == 0:
		return 0
	case view == "":
		return 1
	case i > 0:
		return i + 1
	}
	return len(catalog.Views) + 1
}

// placeWarnings reports two files for one place or view, and places left out.
func placeWarnings(target catalog.Target, files []Arriving) (warnings []Warning) {
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
	for _, place := range slices.Sorted(maps.Keys(byPlace)) {
		if names := byPlace[place]; len(names) > 1 {
			warnings = append(
				warnings,
				Warning{
					Kind:   "collision",
					Target: target,
					Text:   fmt.Sprintf("%d files for place %d: %s", len(names), place, strings.Join(names, ", ")),
				},
			)
		}
	}
	for _, view := range slices.Sorted(maps.Keys(byView)) {
		if names := byView[view]; len(names) > 1 {
			warnings = append(
				warnings,
				Warning{
					Kind:   "collision",
					Target: target,
					Text:   fmt.Sprintf("%d files for the view %s: %s", len(names), view, strings.Join(names, ", ")),
				},
			)
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
		warnings = append(warnings, Warning{Kind: "gap", Target: target, Text: "no file for place " + strings.Join(missing, ", ")})
	}
	return warnings
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
