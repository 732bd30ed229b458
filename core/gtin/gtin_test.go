package gtin

import (
	"errors"
	"strings"
	"testing"
)

// The first rows are the worked example of the GS1 General Specifications,
// section 7.9.1 (629104150021, check digit 3), and the examples GS1 publishes
// beside its check digit calculator method for the four lengths; they stand
// here from memory and were recalculated by hand with the published weights.
func TestCheckDigitWorkedExamples(t *testing.T) {
	for _, c := range []struct {
		number string
		want   byte
	}{
		{"629104150021", '3'},  // GTIN-13, the worked example
		{"0629104150021", '3'}, // the same, written as a GTIN-14
		{"03600029145", '2'},   // GTIN-12
		{"7351353", '7'},       // GTIN-8
		{"400638133393", '1'},  // GTIN-13
		{"1061414100073", '6'}, // GTIN-14: 3·(1+6+4+4+0+0+3)+0+1+1+1+0+7 = 64
		{"0000000", '0'},
	} {
		if got := CheckDigit(c.number); got != c.want {
			t.Errorf("CheckDigit(%s) = %c, want %c", c.number, got, c.want)
		}
	}
}

func TestNormaliseMakesAllFormsEqual(t *testing.T) {
	for _, text := range []string{"036000291452", "0036000291452", "00036000291452", "0 36000 29145 2", "0-36000-29145-2"} {
		got, err := Normalise(text)
		if err != nil || got != "00036000291452" {
			t.Errorf("Normalise(%q) = %q, %v", text, got, err)
		}
	}
}

func TestNormaliseRefuses(t *testing.T) {
	for text, want := range map[string]error{
		"6291041500214":          ErrCheckDigit,
		"629104150021":           ErrCheckDigit,
		"12345":                  ErrLength,
		"":                       ErrLength,
		"62910415002I3":          ErrNotDigits,
		strings.Repeat("1", 999): ErrLength,
	} {
		if _, err := Normalise(text); !errors.Is(err, want) {
			t.Errorf("Normalise(%.20q) = %v, want %v", text, err, want)
		}
	}
}

// Every single wrong figure is found (a property of the weights 1 and 3, both
// prime to 10).
func TestEverySingleWrongFigureIsFound(t *testing.T) {
	const right = "6291041500213"
	for i := range right {
		for c := byte('0'); c <= '9'; c++ {
			text := right[:i] + string(c) + right[i+1:]
			if _, ok := Number(text); ok != (c == right[i]) {
				t.Errorf("Number(%s) ok = %v", text, ok)
			}
		}
	}
}

// TestErrorsSayWhere looks at the position and kind of what is wrong.
func TestErrorsSayWhere(t *testing.T) {
	for text, want := range map[string]Error{
		"629-1041500214":  {At: 13, Want: '3', Kind: ErrCheckDigit},
		"62910415002I3":   {At: 11, Kind: ErrNotDigits},
		" 12 345":         {At: -1, Digits: 5, Kind: ErrLength},
		"6291041500214  ": {At: 12, Want: '3', Kind: ErrCheckDigit},
	} {
		_, err := Normalise(text)
		var at *Error
		if want.Text = text; !errors.As(err, &at) || *at != want || !errors.Is(err, want.Kind) {
			t.Errorf("%q: %+v, want %+v", text, at, want)
		}
	}
}

// TestErrorsRepeatWholeCharacters: a long text is cut between characters.
func TestErrorsRepeatWholeCharacters(t *testing.T) {
	for n := range 8 {
		_, err := Normalise(strings.Repeat("x", n) + strings.Repeat("ü", 60))
		if err == nil || strings.Contains(err.Error(), `\x`) || len(err.Error()) > 150 {
			t.Errorf("%d: %v", n, err)
		}
	}
}
