package upkeep

import "fmt"

// Why the same bytes are under several files is told by where they stand.
const (
	ShownTwice    = "shown twice"      // one product or category shows them more than once
	ShownByOthers = "shown by several" // several show them: told, not judged
	SameBytes     = "same bytes"       // several files have them
)

// TwiceAs says as what the same bytes under several files are found: owners is how many
// products and categories show them, most how often one of them does.
func TwiceAs(owners, most int) (reason, detail string) {
	switch {
	case most > 1:
		return ShownTwice, fmt.Sprintf("one product shows it %d times", most)
	case owners > 1:
		return ShownByOthers, fmt.Sprintf("%d products show it", owners)
	}
	return SameBytes, ""
}
