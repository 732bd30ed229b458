// Package legible makes text that came from outside fit to be kept and shown:
// valid UTF-8 without NUL or other control characters, in which what was not fit
// still can be read. Everything that brings text in goes through it, and nothing
// else changes text for that reason.
package legible

import (
	"fmt"
	"net/url"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Text returns a text of several lines as it may be kept: bytes that are no UTF-8
// and control characters other than tab and line ends stand there as "\xFF",
// hexadecimal. A text that is fit is returned as it is.
func Text(text string) string {
	return escaped(text, func(r rune) bool { return unicode.IsControl(r) && r != '\t' && r != '\n' && r != '\r' })
}

// Name is Text for what stands on one line: names of files, cells of headers,
// codes. Tabs, line ends and marks that turn the direction of writing around are
// written out as well, so that a name shows what it is.
func Name(text string) string {
	return escaped(text, func(r rune) bool { return unicode.IsControl(r) || turns(r) })
}

// turns tells whether a character changes the direction of those behind it
// without being seen (Unicode Standard Annex #9).
func turns(r rune) bool {
	return r >= '\u202a' && r <= '\u202e' || r >= '\u2066' && r <= '\u2069'
}

func escaped(text string, unfit func(rune) bool) string {
	if fit(text, unfit) {
		return text
	}
	var b strings.Builder
	for len(text) > 0 {
		r, n := utf8.DecodeRuneInString(text)
		switch {
		case r == utf8.RuneError && n == 1, unfit(r) && r < 0x100:
			for _, octet := range []byte(text[:n]) {
				fmt.Fprintf(&b, `\x%02X`, octet)
			}
		case unfit(r):
			fmt.Fprintf(&b, `\u%04X`, r)
		default:
			b.WriteString(text[:n])
		}
		text = text[n:]
	}
	return b.String()
}

func fit(text string, unfit func(rune) bool) bool {
	return utf8.ValidString(text) && strings.IndexFunc(text, unfit) < 0
}

// Short returns at most so many bytes of a fit text, whole characters, with an
// ellipsis where some of it is left out.
func Short(text string, most int) string {
	const mark = "…"
	if len(text) <= most {
		return text
	}
	cut := max(0, most-len(mark))
	for cut > 0 && !utf8.RuneStart(text[cut]) {
		cut--
	}
	return text[:cut] + mark
}

const keyMark = "raw:"

// Key returns a text by which the other side knows something, so that it can be
// kept and given back to it byte for byte (FromKey).
func Key(text string) string {
	if fit(text, unicode.IsControl) && !strings.HasPrefix(text, keyMark) {
		return text
	}
	return keyMark + url.PathEscape(text)
}

// FromKey returns what Key was given.
func FromKey(key string) string {
	escaped, ok := strings.CutPrefix(key, keyMark)
	if !ok {
		return key
	}
	text, err := url.PathUnescape(escaped)
	if err != nil {
		return key
	}
	return text
}
