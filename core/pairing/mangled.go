package pairing

import (
	"html"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
)

// Restored returns what a name was before senders and archives mangled it; ok is
// false, and the name as it is, where nothing did.
func Restored(name string) (before string, ok bool) {
	before, back := restored(name)
	return before, back != nil
}

// restored undoes what senders and archives do to a name: percent-encoding (RFC
// 3986), HTML entities, and UTF-8 that was read as Windows-1252, up to three times
// over. back gives, for each byte of the text, where in source it comes from; it
// is nil where there is nothing to undo.
func restored(source string) (text string, back []int32) {
	text = source
	for range 3 {
		once, from := restoredOnce(text)
		if from == nil {
			break
		}
		if back != nil {
			for i, at := range from {
				from[i] = back[at]
			}
		}
		text, back = once, from
	}
	return text, back
}

// restoredOnce is restored, once. It looks first whether there is anything to undo:
// mostly there is not.
func restoredOnce(source string) (string, []int32) {
	first := 0
	for first < len(source) {
		if _, taken := restoredAt(source, first); taken > 0 {
			break
		}
		first++
	}
	if first == len(source) {
		return source, nil
	}
	var text strings.Builder
	var back []int32
	changed := false
	for i := 0; i < len(source); {
		piece, taken := restoredAt(source, i)
		if taken == 0 {
			_, taken = utf8.DecodeRuneInString(source[i:])
			piece = source[i : i+taken]
			for n := range taken {
				back = append(back, int32(i+n))
			}
		} else {
			changed = true
			for range len(piece) {
				back = append(back, int32(i))
			}
		}
		text.WriteString(piece)
		i += taken
	}
	if !changed || !utf8.ValidString(text.String()) {
		return source, nil
	}
	return text.String(), back
}

// restoredAt returns what a text stands for from a byte on, and how many bytes
// stand for it; 0 when they stand for themselves.
func restoredAt(source string, i int) (piece string, taken int) {
	text := source[i:]
	switch c := text[0]; {
	case c == '%':
		return percent(text)
	case c == '&':
		return entity(text)
	case c == 0xc2 || c == 0xc3:
		piece, known := "", false
		if len(text) > 1 {
			piece, known = standsFor[text[:2]]
		}
		switch {
		case !known:
			return mojibake(text)
		case piece[0] == '.' && (i == 0 || byteClass[source[i-1]] != digit):
			return "0" + piece, 2 // half alone
		}
		return piece, 2
	case c >= utf8.RuneSelf:
		return mojibake(text)
	}
	return "", 0
}

// standsFor are characters that stand for others that keys are written with.
var standsFor = map[string]string{"×": "x", "½": ".5", "¼": ".25", "¾": ".75"}

// percent reads "%C3%A9". What would be a slash or a control character stays as it
// is: it was written so to be no folder.
func percent(text string) (piece string, taken int) {
	var octets []byte
	for taken+2 < len(text) && text[taken] == '%' {
		high, low := hexValue(text[taken+1]), hexValue(text[taken+2])
		c := byte(high<<4 | low)
		if high < 0 || low < 0 || c < 0x20 || c == '/' || c == '\\' || c == 0x7f {
			break
		}
		octets = append(octets, c)
		taken += 3
	}
	if !utf8.Valid(octets) {
		return "", 0
	}
	return string(octets), taken
}

func hexValue(c byte) int {
	switch {
	case c >= '0' && c <= '9':
		return int(c - '0')
	case c >= 'a' && c <= 'f':
		return int(c-'a') + 10
	case c >= 'A' && c <= 'F':
		return int(c-'A') + 10
	}
	return -1
}

// longestEntity is how long an entity's name may be, bytes.
const longestEntity = 12

// entity reads "&amp;" and "&#233;".
func entity(text string) (piece string, taken int) {
	end := strings.IndexByte(text[:min(len(text), longestEntity)], ';')
	if end < 2 {
		return "", 0
	}
	piece = html.UnescapeString(text[:end+1])
	if piece == text[:end+1] || strings.ContainsAny(piece, "/\\\x00") {
		return "", 0
	}
	return piece, end + 1
}

// mojibake reads "Ã©": the bytes of one character in UTF-8, each shown as
// Windows-1252 shows it.
func mojibake(text string) (piece string, taken int) {
	var octets [utf8.UTFMax]byte
	n := 0
	for n < len(octets) && taken < len(text) {
		r, size := utf8.DecodeRuneInString(text[taken:])
		c, ok := charmap.Windows1252.EncodeRune(r)
		if !ok || n == 0 && c < 0xc2 || n > 0 && (c < 0x80 || c > 0xbf) {
			return "", 0
		}
		octets[n] = c
		n++
		taken += size
		if utf8.FullRune(octets[:n]) {
			if r, size := utf8.DecodeRune(octets[:n]); n < 2 || r == utf8.RuneError || size != n {
				return "", 0
			}
			return string(octets[:n]), taken
		}
	}
	return "", 0
}
