package sheet

import (
	"regexp"
	"strings"
	"time"
)

// The traces that spreadsheet programs leave on codes (common practice).
const (
	errorValue = "error"
	powerOfTen = "power"
	tailZero   = "tail"
	turnedDate = "date"
)

// trace is what was done to a code, and what it may have been: spellings to look
// for, the likeliest first.
type trace struct {
	kind  string
	looks []string
	words string
}

var (
	power    = regexp.MustCompile(`^\d(?:[.,]\d+[eE]\+?|[eE]\+)\d{1,2}$`)
	decimals = regexp.MustCompile(`^(\d+)[.,]0+$`)
)

// errorValues are what spreadsheet programs write where a formula failed
// (ECMA-376 part 1, 18.17.3, and the same in German, French and Spanish, from memory).
var errorValues = map[string]bool{
	"#N/A": true, "#REF!": true, "#VALUE!": true, "#NAME?": true, "#DIV/0!": true, "#NULL!": true, "#NUM!": true, "#GETTING_DATA": true,
	"#SPILL!": true, "#CALC!": true,
	"#NV": true, "#BEZUG!": true, "#WERT!": true, "#ZAHL!": true, "#VALEUR!": true, "#NOM?": true, "#NOMBRE!": true, "#VALOR!": true,
	"#¿NOMBRE?": true, "#¡REF!": true, "#¡VALOR!": true, "#ADR!": true, "#ARG!": true, "#NAZWA?": true, "#VERW!": true, "#WAARDE!": true,
	"ERR:502": true, "ERR:504": true, "ERR:508": true, "ERR:522": true,
}

// failed tells whether a cell says that a formula failed.
func failed(value string) bool {
	if value == "" || value[0] != '#' && value[0] != 'E' && value[0] != 'e' {
		return false
	}
	return errorValues[strings.ToUpper(value)]
}

// damage recognises what happened to a cell that should hold a code.
func damage(value string, f Field) trace {
	if failed(value) {
		return trace{kind: errorValue, words: "a formula failed here"}
	}
	if !f.isCode() {
		return trace{}
	}
	if strings.ContainsAny(value, "eE") && power.MatchString(value) {
		return trace{kind: powerOfTen, words: "the spreadsheet program wrote the number as a power of ten, and its last figures are lost"}
	}
	if strings.ContainsAny(value, ".,") {
		if m := decimals.FindStringSubmatch(value); m != nil {
			return trace{kind: tailZero, looks: []string{m[1]}, words: "the spreadsheet program took the code for a number with decimals"}
		}
	}
	if looks := dateLooks(value); looks != nil {
		return trace{kind: turnedDate, looks: looks, words: "the spreadsheet program may have turned a code into a date"}
	}
	return trace{}
}

// dateShapes are how spreadsheet programs show what they took for a date.
var dateShapes = []string{"02-Jan", "2-Jan", "Jan-06", "Jan-02", "02-Jan-06", "2-Jan-06", "2-Jan-2006",
	"02-01-06", "01-02-06", "2006-01-02", "2006-01-02 15:04:05", "02.01.2006", "2.1.2006",
	"02.Jan", "2.Jan", "02. Jan", "2. Jan", "02/01/2006", "1/2/2006", "01/02/2006", "1/2/06"}

// dateLooks returns the codes that a date may have been: "15-Mar" was MAR15 or
// 15-3; nil for what is no date.
func dateLooks(value string) (looks []string) {
	if len(value) < 5 || len(value) > 20 || !strings.ContainsAny(value, "-./") || !dateShaped.MatchString(value) {
		return nil
	}
	for _, shape := range dateShapes {
		day, err := time.Parse(shape, value)
		if err != nil {
			continue
		}
		month := strings.ToUpper(day.Format("Jan"))
		for _, shape := range []string{"M2", "M02", "2M", "02M", "M-2", "2-M", "1-2", "2-1", "01-02", "02-01", "1/2", "2/1",
			"M06", "M-06", "2-1-06", "1-2-06", "2/1/06", "2006-1-2"} {
			code := strings.Replace(day.Format(shape), "M", month, 1)
			looks = append(looks, code)
		}
	}
	return looks
}

// dateShaped is anchored at one place alone, so that it is decided at the first characters.
var dateShaped = regexp.MustCompile(`^(?:\d{1,4}[-./]|[A-Za-z]{3}-\d)`)

// curly are quotes that word processors put where a code has plain ones.
var curly = strings.NewReplacer("‘", "'", "’", "'", "‚", "'",
	"“", `"`, "”", `"`, "„", `"`, "′", "'", "″", `"`, "–", "-", "—", "-", "‑", "-")

// cleanCode returns a code as it was meant: without quotes around it and with
// plain marks within.
func cleanCode(value string) string {
	value = curly.Replace(value)
	if after, ok := strings.CutPrefix(value, "'"); ok && after != "" {
		value = after // as spreadsheet programs mark text
	}
	if len(value) > 2 && value[0] == '"' && value[len(value)-1] == '"' {
		value = value[1 : len(value)-1]
	}
	return strings.TrimSpace(value)
}
