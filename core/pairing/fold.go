package pairing

import (
	"slices"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// class tells what a folded byte belongs to.
type class uint8

const (
	separator class = iota
	letter
	digit
)

// atom is a maximal run of letters or of digits in a folded text.
type atom struct {
	start, end int32 // in the folded text
	class      class
	glued      bool // no separator stands before it
	segment    int16
}

func (a atom) len() int { return int(a.end - a.start) }

// folded is a text after Unicode NFKC and case folding, cut into atoms.
type folded struct {
	text    []byte
	offsets []int32 // of each folded byte in the original; empty when they are equal
	atoms   []atom
	source  string
}

var asciiClass = func() (table [128]class) {
	for c := '0'; c <= '9'; c++ {
		table[c] = digit
	}
	for c := 'a'; c <= 'z'; c++ {
		table[c], table[c-'a'+'A'] = letter, letter
	}
	return table
}()

// fold fills f from source, which may hold any bytes at all. Bytes that are
// not UTF-8 are separators; what was done to a name on its way is undone.
func (f *folded) fold(source string) {
	f.source = source
	f.offsets, f.atoms = f.offsets[:0], f.atoms[:0]
	f.text = slices.Grow(f.text[:0], len(source))[:len(source)]
	segment, glued, looked := int16(0), false, false
	for i := 0; i < len(source); {
		c := source[i]
		kind := byteClass[c]
		switch kind {
		case separator:
			if (c == '%' || c == '&') && !looked {
				if f.foldRestored(source) {
					return
				}
				looked = true
			}
			f.text[i] = c
			if c == '/' {
				segment++
			}
			glued = false
			i++
			continue
		case beyondASCII:
			if !f.foldRestored(source) {
				f.foldUnicode(source)
				f.cut()
			}
			return
		}
		start := i
		for i < len(source) && byteClass[source[i]] == kind {
			f.text[i] = lower[source[i]]
			i++
		}
		f.atoms = append(f.atoms, atom{int32(start), int32(i), kind, glued, segment})
		glued = true
	}
}

// foldRestored folds what a mangled name was before; false, with nothing changed,
// when there is nothing to undo.
func (f *folded) foldRestored(source string) bool {
	text, back := restored(source)
	if back == nil {
		return false
	}
	f.offsets = f.offsets[:0]
	f.foldUnicode(text)
	for i, at := range f.offsets {
		f.offsets[i] = back[at]
	}
	f.cut()
	return true
}

const beyondASCII class = 255

// byteClass and lower are what fold looks up for each byte.
var byteClass, lower = func() (classes [256]class, lower [256]byte) {
	for c := range classes {
		classes[c], lower[c] = beyondASCII, byte(c)
		if c < utf8.RuneSelf {
			classes[c] = asciiClass[c]
		}
		if c >= 'A' && c <= 'Z' {
			lower[c] = byte(c) + 'a' - 'A'
		}
	}
	return classes, lower
}()

func (f *folded) foldUnicode(source string) {
	f.text, f.atoms = f.text[:0], f.atoms[:0]
	var segments norm.Iter
	segments.InitString(norm.NFKC, source)
	for !segments.Done() {
		at := int32(segments.Pos())
		for part := segments.Next(); len(part) > 0; {
			r, size := utf8.DecodeRune(part)
			part = part[size:]
			before := len(f.text)
			f.text = utf8.AppendRune(f.text, unicode.ToLower(unicode.ToUpper(r)))
			for range len(f.text) - before {
				f.offsets = append(f.offsets, at)
			}
		}
	}
}

func (f *folded) cut() {
	segment := int16(0)
	previous := separator
	for i := 0; i < len(f.text); {
		kind, size := separator, 1
		if c := f.text[i]; c < utf8.RuneSelf {
			kind = asciiClass[c]
			if c == '/' {
				segment++
			}
		} else {
			var r rune
			r, size = utf8.DecodeRune(f.text[i:])
			if r != utf8.RuneError && (unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsNumber(r)) {
				kind = letter
			}
		}
		switch {
		case kind == separator:
		case kind == previous:
			f.atoms[len(f.atoms)-1].end += int32(size)
		default:
			f.atoms = append(f.atoms, atom{int32(i), int32(i + size), kind, previous != separator, segment})
		}
		previous = kind
		i += size
	}
}

// origin returns the offset in the source of an offset in the folded text.
func (f *folded) origin(at int32) int {
	if len(f.offsets) == 0 {
		return int(at)
	}
	if int(at) >= len(f.offsets) {
		return len(f.source)
	}
	return int(f.offsets[at])
}

func (f *folded) bytes(a atom) []byte { return f.text[a.start:a.end] }

// Rung is a step of the equality ladder, tightest first.
type Rung uint8

// The rungs of the ladder.
const (
	NoRung         Rung = iota
	SameCharacters      // byte for byte
	LetterCase          // letter case and Unicode form (NFKC) aside
	Separators          // separators equal to one another
	NoSeparators        // separators left out
	LeadingZeros        // leading zeros of a digit group aside
)

var rungNames = [...]string{"", "same", "case", "separators", "joined", "zeros"}

func (r Rung) String() string { return rungNames[r] }

// loose tells whether the rung leaves room for another reading.
func (r Rung) loose() bool { return r >= NoSeparators }

// compare returns the tightest rung on which two spans are equal; NoRung when
// they are not. Both are given as they were written and as they are folded.
func compare(name, key string, foldedName, foldedKey []byte) Rung {
	switch {
	case name == key:
		return SameCharacters
	case string(foldedName) == string(foldedKey):
		return LetterCase
	case equalAsGroups(foldedName, foldedKey, true):
		return Separators
	case equalAsGroups(foldedName, foldedKey, false):
		return NoSeparators
	default:
		return LeadingZeros
	}
}

// equalAsGroups compares two folded texts with any run of separators equal to
// any other, or, when keep is false, with separators left out.
func equalAsGroups(a, b []byte, keep bool) bool {
	i, j := 0, 0
	for {
		skippedA, skippedB := skipSeparators(a, &i), skipSeparators(b, &j)
		if keep && skippedA != skippedB {
			return false
		}
		if i == len(a) || j == len(b) {
			return i == len(a) && j == len(b)
		}
		if a[i] != b[j] {
			return false
		}
		i++
		j++
	}
}

func skipSeparators(text []byte, at *int) bool {
	start := *at
	for *at < len(text) {
		r, size := rune(text[*at]), 1
		if r >= utf8.RuneSelf {
			r, size = utf8.DecodeRune(text[*at:])
			if r != utf8.RuneError && (unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsNumber(r)) {
				break
			}
		} else if asciiClass[r] != separator {
			break
		}
		*at += size
	}
	return *at > start
}
