// Package gtin normalises and checks Global Trade Item Numbers.
//
// It owns the check digit and the 14-digit normal form of the GS1 General
// Specifications (section 7.9, "Check digit calculations"). What a GTIN
// identifies is for core/catalog and core/pairing.
package gtin

import (
	"errors"
	"fmt"

	"ambrosa/core/legible"
)

// longestQuoted is how many bytes of a text an error repeats.
const longestQuoted = 43

// The kinds of reasons why a text is not a GTIN.
var (
	ErrNotDigits  = errors.New("a GTIN holds digits only")
	ErrLength     = errors.New("a GTIN has 8, 12, 13 or 14 digits")
	ErrCheckDigit = errors.New("the check digit is wrong")
)

// Error says where a text is not a GTIN, and how.
type Error struct {
	Text   string // as it was given
	At     int    // byte of Text that is wrong: a character that is no digit, or the check digit; -1 for none
	Digits int    // that were counted, of ErrLength
	Want   byte   // the check digit that it would have to be, of ErrCheckDigit
	Kind   error  // ErrNotDigits, ErrLength or ErrCheckDigit
}

func (e *Error) Error() string {
	switch e.Kind {
	case ErrLength:
		return fmt.Sprintf("%q has %d digits: %v", legible.Short(e.Text, longestQuoted), e.Digits, e.Kind)
	case ErrCheckDigit:
		return fmt.Sprintf("%q ends in %c, expected %c: %v", legible.Short(e.Text, longestQuoted), e.Text[e.At], e.Want, e.Kind)
	}
	return fmt.Sprintf("%q: %v", legible.Short(e.Text, longestQuoted), e.Kind)
}

// Unwrap returns the kind.
func (e *Error) Unwrap() error { return e.Kind }

// CheckDigit returns the GS1 check digit (0 to 9) of digits, the number
// without its last figure: from the right, the figures are weighted 3, 1, 3 …
// and the check digit fills the sum up to a multiple of ten. digits must hold
// ASCII digits only.
func CheckDigit(digits string) byte {
	sum, weight := 0, 3
	for i := len(digits) - 1; i >= 0; i-- {
		sum += int(digits[i]-'0') * weight
		weight = 4 - weight
	}
	return byte((10-sum%10)%10) + '0'
}

// Normalise returns the 14-digit form of a GTIN-8, -12, -13 or -14: padded
// with zeros on the left, so that all the forms of one number are equal.
// Spaces and hyphens, as people write them between groups, are passed over.
// The error is an *Error.
func Normalise(text string) (string, error) {
	digits := make([]byte, 0, 14)
	end := -1 // the last figure
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c >= '0' && c <= '9':
			digits = append(digits, c)
			end = i
		case c == ' ' || c == '-':
		default:
			return "", &Error{Text: text, At: i, Kind: ErrNotDigits}
		}
	}
	switch len(digits) {
	case 8, 12, 13, 14:
	default:
		return "", &Error{Text: text, At: -1, Digits: len(digits), Kind: ErrLength}
	}
	last := len(digits) - 1
	if want := CheckDigit(string(digits[:last])); want != digits[last] {
		return "", &Error{Text: text, At: end, Want: want, Kind: ErrCheckDigit}
	}
	return Pad(string(digits)), nil
}

// Pad fills digits with zeros on the left to 14 figures; longer texts are
// returned as they are.
func Pad(digits string) string {
	const zeros = "00000000000000"
	if len(digits) >= 14 {
		return digits
	}
	return zeros[:14-len(digits)] + digits
}

// Number returns a 14-digit normal form as a number, and whether digits are 8
// to 14 figures with a right check digit. It does not allocate: it is meant
// for reading many names. A shorter form (a figure lost on the left) is
// accepted as the number it would be with its zeros.
func Number(digits string) (n uint64, ok bool) {
	if len(digits) < 8 || len(digits) > 14 {
		return 0, false
	}
	for i := 0; i < len(digits); i++ {
		if digits[i] < '0' || digits[i] > '9' {
			return 0, false
		}
		n = n*10 + uint64(digits[i]-'0')
	}
	last := len(digits) - 1
	return n, CheckDigit(digits[:last]) == digits[last]
}
