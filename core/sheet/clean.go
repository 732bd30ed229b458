package sheet

import (
	"regexp"
	"strings"
	"unicode"
)

// Clean returns a cell's text without the blanks around it, those that are not
// seen included, and with plain blanks for hard ones.
func Clean(cell string) string {
	if plainText(cell) {
		return unguarded(strings.TrimSpace(cell))
	}
	return unguarded(strings.TrimSpace(strings.Map(func(r rune) rune {
		switch {
		case unseen(r):
			return -1
		case r != '\n' && r != '\t' && unicode.IsSpace(r):
			return ' '
		}
		return r
	}, cell)))
}

// unguarded takes the apostrophes away by which a text is kept from being run as a formula
// (OWASP, CSV Injection): at its beginning, and behind what another program may take for the end of a cell.
func unguarded(cell string) string {
	if !strings.Contains(cell, "'") {
		return cell
	}
	return guarded.ReplaceAllString(cell, "$1$2")
}

var guarded = regexp.MustCompile(`(^|[;,|\t\r\n])'([=+\-@])`)

// plainText tells whether a cell holds ASCII alone.
func plainText(cell string) bool {
	for i := range len(cell) {
		if cell[i] >= 0x80 || cell[i] == '\r' {
			return false
		}
	}
	return true
}

// unseen tells whether a character takes no room (Unicode's format characters that
// spreadsheet and web programs leave in cells).
func unseen(r rune) bool {
	return r == '\u200b' || r == '\u200c' || r == '\u200d' || r == '\u2060' || r == '\ufeff' || r == '\u00ad'
}

// YesOrNo reads a cell that says one or the other, in the words of seven languages
// (common practice); said is false where it says neither.
func YesOrNo(cell string) (yes, said bool) {
	switch plainWord(Clean(cell)) {
	case "1", "x", "y", "yes", "true", "ja", "j", "wahr", "oui", "o", "vrai", "si", "s", "verdadero", "vero", "waar", "tak", "t", "prawda",
		"✓", "✔", "lead", "main":
		return true, true
	case "0", "n", "no", "false", "nein", "falsch", "non", "faux", "falso", "nee", "onwaar", "nie", "falsz", "-", "–":
		return false, true
	}
	return false, false
}
