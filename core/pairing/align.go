package pairing

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// Edit is one step of an alignment of what was read with a key: a character of
// each, or one that only one of the two has ("" on the other side).
type Edit struct {
	Key  string `json:"key"`
	Read string `json:"read"`
}

// Same tells whether the characters are equal, letter case aside.
func (e Edit) Same() bool {
	return e.Key != "" && e.Read != "" && plain(e.Key) == plain(e.Read)
}

// longestAligned bounds both texts of an alignment, characters; longer ones are
// not keys.
const longestAligned = 256

// What two characters against each other, or one alone, cost. Letters and digits
// tell one key from another, separators hardly do: a dash for a blank is less
// than a digit too much.
const (
	costSame      = 0
	costCase      = 1 // of the same letter in another case or width
	costSeparator = 2 // of a separator for another
	costAnother   = 15
	costLost      = 10 // of a letter or digit that only one has
	costLostMark  = 6  // of a separator that only one has
)

// Align writes what was read against a key, character against character, with
// the least cost (a global alignment by dynamic programming, as Needleman and
// Wunsch gave it). It returns nil where one of them is longer than any key.
func Align(read, key string) []Edit {
	a, b := characters(read), characters(key)
	if len(a) > longestAligned || len(b) > longestAligned {
		return nil
	}
	width := len(b) + 1
	cost := make([]int, (len(a)+1)*width) // of what is left behind i of a and j of b
	for i := len(a); i >= 0; i-- {
		for j := len(b); j >= 0; j-- {
			if i == len(a) && j == len(b) {
				continue
			}
			least := int(^uint(0) >> 1)
			if i < len(a) && j < len(b) {
				least = min(least, a[i].against(b[j])+cost[(i+1)*width+j+1])
			}
			if i < len(a) {
				least = min(least, a[i].alone()+cost[(i+1)*width+j])
			}
			if j < len(b) {
				least = min(least, b[j].alone()+cost[i*width+j+1])
			}
			cost[i*width+j] = least
		}
	}
	edits := make([]Edit, 0, max(len(a), len(b)))
	for i, j := 0, 0; i < len(a) || j < len(b); {
		here := cost[i*width+j]
		switch {
		case i < len(a) && j < len(b) && here == a[i].against(b[j])+cost[(i+1)*width+j+1]:
			edits = append(edits, Edit{Key: b[j].text, Read: a[i].text})
			i, j = i+1, j+1
		case i < len(a) && here == a[i].alone()+cost[(i+1)*width+j]:
			edits = append(edits, Edit{Read: a[i].text})
			i++
		default:
			edits = append(edits, Edit{Key: b[j].text})
			j++
		}
	}
	return edits
}

// character is one character with what an alignment asks of it.
type character struct {
	text, plain string
	code        bool // a letter, digit or accent; what else there is, separates
}

func characters(text string) []character {
	var list []character
	for _, r := range norm.NFC.String(text) {
		list = append(list, character{string(r), plain(string(r)), unicode.In(r, unicode.L, unicode.N, unicode.M)})
	}
	return list
}

// plain is a character whatever its case and width.
func plain(text string) string { return strings.ToLower(norm.NFKC.String(text)) }

func (c character) against(o character) int {
	switch {
	case c.text == o.text:
		return costSame
	case c.plain == o.plain:
		return costCase
	case c.code || o.code:
		return costAnother
	}
	return costSeparator
}

func (c character) alone() int {
	if c.code {
		return costLost
	}
	return costLostMark
}
