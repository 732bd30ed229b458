package naming

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// What can be wrong with an alternative text.
const (
	TextMissing = "missing"
	TextSame    = "same"   // another picture has it, too
	TextLong    = "long"   // for what reads it aloud
	TextBegins  = "begins" // with what everybody knows: that it is a picture
	TextCode    = "code"   // is nothing but a code
)

// LongText is from how many characters on a text is too long (common practice; WCAG 2.2 sets no
// length).
const LongText = 125

// beginnings are what a text need not begin with: who hears it knows that it is a picture (WAI,
// An alt Decision Tree and Tips and Tricks; from memory), in some languages.
var beginnings = []string{"picture of", "image of", "photo of", "photograph of", "graphic of", "icon of", "bild von", "foto von",
	"abbildung von", "abbildung:", "image de", "photo de", "imagen de", "foto de", "immagine di", "foto di", "afbeelding van", "foto van",
	"zdjęcie", "obraz"}

// Text is an alternative text, with what tells whether it is only a code.
type Text struct {
	Text      string
	SKU, Code string
	Name      string // of the file, as it came
}

// JudgeTexts says what is wrong with each of the texts of a library.
func JudgeTexts(texts []Text) [][]string {
	found := make([][]string, len(texts))
	first := make(map[string]int, len(texts))
	for i, t := range texts {
		found[i] = t.problems()
		key := strings.ToLower(strings.TrimSpace(t.Text))
		if key == "" {
			continue
		}
		before, twice := first[key]
		if !twice {
			first[key] = i
			continue
		}
		found[i] = append(found[i], TextSame)
		if n := len(found[before]); n == 0 || found[before][n-1] != TextSame {
			found[before] = append(found[before], TextSame)
		}
	}
	return found
}

func (t Text) problems() (found []string) {
	text := strings.TrimSpace(t.Text)
	if text == "" {
		return []string{TextMissing}
	}
	if utf8.RuneCountInString(text) > LongText {
		found = append(found, TextLong)
	}
	low := strings.ToLower(text)
	for _, b := range beginnings {
		if rest, is := strings.CutPrefix(low, b); is && (rest == "" || !unicode.IsLetter([]rune(rest)[0])) {
			found = append(found, TextBegins)
			break
		}
	}
	if strings.EqualFold(text, t.SKU) || strings.EqualFold(text, t.Code) || strings.EqualFold(text, stem(t.Name)) || isCode(text) {
		found = append(found, TextCode)
	}
	return found
}

// isCode tells whether a text is one word that has a figure: no sentence has.
func isCode(text string) bool {
	return !strings.ContainsFunc(text, unicode.IsSpace) && strings.ContainsFunc(text, unicode.IsDigit)
}

// Draft makes a text of a picture by a template: where fields are empty, what joined them goes,
// too.
func (t Template) Draft(p Picture) string {
	text, _ := t.Text(p, func(value string) string { return value })
	text = strings.Join(strings.Fields(text), " ")
	for _, join := range []string{" ,", ",,", " ;", " :", " .", "( )", "()", "– –", "- -"} {
		for strings.Contains(text, join) {
			text = strings.ReplaceAll(text, join, strings.TrimLeft(join[len(join)-1:], " )"))
		}
	}
	return strings.Trim(text, " ,;:-–")
}
