package naming

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/gosimple/slug"

	"ambrosa/core/catalog"
)

// Picture is what a name can be made of.
type Picture struct {
	SKU      string // of the variant; of a product as a whole, of its only variant, or else its code
	Code     string // of the product
	ID       string // of the product, in another system or here
	Category string // ID of its category
	Title    string
	Options  []catalog.Option
	GTIN     string
	View     string
	Place    int // from 1, as it stands
	Number   int // from 1, of its product among the pictures that go
	Nth      int // from 1, among those of its product that go under the same SKU
	Name     string
	More     map[string]string // fields that are known in one place only, by name
}

// fields are what a template can name.
var fields = map[string]func(*Picture) string{
	"sku":      func(p *Picture) string { return p.SKU },
	"code":     func(p *Picture) string { return p.Code },
	"id":       func(p *Picture) string { return p.ID },
	"category": func(p *Picture) string { return p.Category },
	"title":    func(p *Picture) string { return p.Title },
	"gtin":     func(p *Picture) string { return p.GTIN },
	"options":  optionsOf,
	"view":     func(p *Picture) string { return p.View },
	"place":    func(p *Picture) string { return number(p.Place) },
	"number":   func(p *Picture) string { return number(p.Number) },
	"nth":      func(p *Picture) string { return number(p.Nth) },
	"item":     item,
	"name":     func(p *Picture) string { return stem(p.Name) },
	"gs1":      gs1,
}

// item is the SKU with the number among its pictures, so that no two pictures have the same.
func item(p *Picture) string {
	if p.SKU == "" {
		return ""
	}
	return p.SKU + "_" + pad(number(p.Nth), 2)
}

// optionsOf are the values of all options, in their order.
func optionsOf(p *Picture) string {
	values := make([]string, 0, len(p.Options))
	for _, o := range p.Options {
		values = append(values, o.Value)
	}
	return strings.Join(values, " ")
}

// Fields are the names of what a template can name, in order; beside them "option NAME".
func Fields() []string { return slices.Sorted(maps.Keys(fields)) }

func number(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// stem is a file's name without folder and ending.
func stem(path string) string {
	base := path[strings.LastIndexByte(path, '/')+1:]
	if dot := strings.LastIndexByte(base, '.'); dot > 0 {
		base = base[:dot]
	}
	return base
}

// Template makes names: text, and fields in brackets. In brackets stands the field's name and
// what is done with its value, word by word: "slug", "slug de" (for a language), "upper",
// "lower", "pad 3", "most 40". Behind a bar stands what comes where that is empty: another
// field, or a text in quotation marks. Two opening brackets are one in the text.
//
//	[title slug en most 40]-[option Colour slug | "plain"]-[place pad 2]
type Template struct{ parts []part }

// part is text, or the first of its choices that is not empty.
type part struct {
	text    string
	choices []choice
}

type choice struct {
	value func(*Picture) string
	turns []func(string) string
}

// BadTemplate says what is wrong with a template, and where.
type BadTemplate struct {
	At  int // character, from 1
	Why string
}

func (e BadTemplate) Error() string { return fmt.Sprintf("at character %d: %s", e.At, e.Why) }

// The bounds of a template.
const (
	mostTemplate = 1000 // bytes
	mostPad      = 20
	mostLength   = 200
	mostFields   = 40
	mostChoices  = 8 // of one field with its fallbacks
	mostTurns    = 6 // that are done with one value
)

// The bounds of what a template makes, however often it names a long value.
const (
	MostName = 1024  // bytes of a whole path; what an S3 key may have (common practice)
	MostText = 32767 // bytes of a cell or field; characters that a cell of a workbook may have (ECMA-376, from memory)
)

// ParseTemplate reads a template of names. The error is a BadTemplate.
func ParseTemplate(text string) (Template, error) {
	t, err := ParseText(text)
	if err == nil && !slices.ContainsFunc(t.parts, func(p part) bool { return p.choices != nil }) {
		return Template{}, BadTemplate{1, "a name has to be made of at least one field, as [sku]"}
	}
	return t, err
}

// ParseText reads a template that need not name a field. more are fields beside the usual, as
// Picture.More has them. The error is a BadTemplate.
func ParseText(text string, more ...string) (t Template, err error) {
	if len(text) > mostTemplate {
		return t, BadTemplate{mostTemplate, "the template is too long"}
	}
	count := 0
	at := func(rest string) int { return utf8.RuneCountInString(text[:len(text)-len(rest)]) + 1 }
	for rest := text; rest != ""; {
		if strings.HasPrefix(rest, "[[") {
			t.parts, rest = append(t.parts, part{text: "["}), rest[2:]
			continue
		}
		if rest[0] != '[' {
			end := strings.IndexByte(rest, '[')
			if end < 0 {
				end = len(rest)
			}
			t.parts, rest = append(t.parts, part{text: rest[:end]}), rest[end:]
			continue
		}
		end := strings.IndexByte(rest, ']')
		if end < 0 {
			return Template{}, BadTemplate{at(rest), "a bracket is not closed"}
		}
		choices, why := parseChoices(rest[1:end], more)
		if why != "" {
			return Template{}, BadTemplate{at(rest), why}
		}
		if count++; count > mostFields {
			return Template{}, BadTemplate{at(rest), fmt.Sprintf("a template names at most %d fields", mostFields)}
		}
		t.parts, rest = append(t.parts, part{choices: choices}), rest[end+1:]
	}
	return t, nil
}

func parseChoices(text string, more []string) (choices []choice, why string) {
	for each := range strings.SplitSeq(text, "|") {
		c, why := parseChoice(strings.TrimSpace(each), more)
		if why != "" {
			return nil, why
		}
		if choices = append(choices, c); len(choices) > mostChoices {
			return nil, fmt.Sprintf("at most %d choices can be given for one field", mostChoices)
		}
	}
	return choices, ""
}

func parseChoice(text string, more []string) (c choice, why string) {
	if len(text) >= 2 && text[0] == '"' && text[len(text)-1] == '"' {
		constant := text[1 : len(text)-1]
		return choice{value: func(*Picture) string { return constant }}, ""
	}
	words := strings.Fields(text)
	if len(words) == 0 {
		return c, "the brackets are empty"
	}
	field := strings.ToLower(words[0])
	words = words[1:]
	if field == "option" {
		if len(words) == 0 {
			return c, "which option? Write its name, as [option Colour]"
		}
		named := words[0]
		words = words[1:]
		c.value = func(p *Picture) string { return optionOf(p, named) }
	} else if slices.Contains(more, field) {
		c.value = func(p *Picture) string { return p.More[field] }
	} else if c.value = fields[field]; c.value == nil {
		return c, fmt.Sprintf("there is no field %q; an option of that name is [option %s]", field, field)
	}
	for len(words) > 0 {
		turn, taken, why := parseTurn(words)
		if why != "" {
			return c, why
		}
		c.turns, words = append(c.turns, turn), words[taken:]
		if len(c.turns) > mostTurns {
			return c, fmt.Sprintf("at most %d things can be done with one value", mostTurns)
		}
	}
	return c, ""
}

func optionOf(p *Picture, name string) string {
	for _, o := range p.Options {
		if strings.EqualFold(o.Name, name) {
			return o.Value
		}
	}
	return ""
}

// languages are those that slugs have words and letters of.
var languages = []string{"bg", "cs", "de", "en", "es", "fi", "fr", "gr", "hu", "id", "it", "kz", "nb", "nl", "nn", "pl", "pt", "ro", "sl",
	"sv", "tr"}

func parseTurn(words []string) (turn func(string) string, taken int, why string) {
	count := func(most int) (int, bool) {
		if len(words) < 2 {
			return 0, false
		}
		n, err := strconv.Atoi(words[1])
		return n, err == nil && n > 0 && n <= most
	}
	switch word := strings.ToLower(words[0]); word {
	case "slug":
		if len(words) > 1 && slices.Contains(languages, strings.ToLower(words[1])) {
			language := strings.ToLower(words[1])
			return func(s string) string { return slug.MakeLang(s, language) }, 2, ""
		}
		return slugged, 1, ""
	case "upper":
		return strings.ToUpper, 1, ""
	case "lower":
		return strings.ToLower, 1, ""
	case "pad":
		n, ok := count(mostPad)
		if !ok {
			return nil, 0, fmt.Sprintf("pad wants how many figures, 1 to %d: pad 2", mostPad)
		}
		return func(s string) string { return pad(s, n) }, 2, ""
	case "most":
		n, ok := count(mostLength)
		if !ok {
			return nil, 0, fmt.Sprintf("most wants how many characters, 1 to %d: most 40", mostLength)
		}
		return func(s string) string { return most(s, n) }, 2, ""
	default:
		return nil, 0, fmt.Sprintf("%q is nothing that is done with a value; slug, upper, lower, pad and most are", word)
	}
}

// slugged is slug.Make, which takes a hundred times as long for texts that are plain already.
func slugged(s string) string {
	out := make([]byte, 0, len(s))
	for i := range len(s) {
		c := s[i]
		switch {
		case c >= 'a' && c <= 'z', c >= '0' && c <= '9', c == '_':
		case c >= 'A' && c <= 'Z':
			c += 'a' - 'A'
		case c == ' ', c == '-':
			if c = '-'; len(out) > 0 && out[len(out)-1] == '-' {
				continue
			}
		default:
			return slug.Make(s)
		}
		out = append(out, c)
	}
	return strings.Trim(string(out), "-_")
}

func pad(s string, n int) string {
	if s == "" {
		return ""
	}
	return strings.Repeat("0", max(0, n-utf8.RuneCountInString(s))) + s
}

// most cuts to so many characters, between words where there is one to keep.
func most(s string, n int) string {
	if len(s) <= n {
		return s
	}
	cut, next := s[:n], rune(s[n])
	if strings.IndexFunc(s[:n+1], func(r rune) bool { return r >= utf8.RuneSelf }) >= 0 {
		runes := []rune(s)
		if len(runes) <= n {
			return s
		}
		cut, next = string(runes[:n]), runes[n]
	}
	if isBetween := strings.ContainsRune("- _.,", next); !isBetween {
		if end := strings.LastIndexAny(cut, "- _"); end > 0 {
			cut = cut[:end]
		}
	}
	return strings.TrimRight(cut, "- _.,")
}

// usual is about how long names are, bytes.
const usual = 48

// Name is what a template makes of a picture, without ending. Slashes in the template make
// folders; in values they, and what cannot be in any name, become a hyphen. empty tells
// whether a field was empty that nothing stood for. A name of more than MostName bytes is cut
// there.
func (t Template) Name(p Picture) (name string, empty bool) {
	name, empty, _ = t.name(&p, make([]told, len(t.parts)))
	return name, empty
}

// told is what a part made of a picture last: those of one product stand beside each other, and
// much of their names is the same.
type told struct{ from, to string }

// name is Name, with what each part made last; cut tells whether it is longer than a name may be.
func (t Template) name(p *Picture, last []told) (name string, empty, cut bool) {
	var b strings.Builder
	b.Grow(usual)
	for i := range t.parts {
		each := &t.parts[i]
		if each.choices == nil {
			b.WriteString(each.text)
			continue
		}
		value := each.value(p, &last[i])
		empty = empty || value == ""
		b.WriteString(value)
		if b.Len() > MostName {
			return folders(Cut(b.String(), MostName)), empty, true
		}
	}
	return folders(b.String()), empty, false
}

// Cut returns at most so many bytes of a text, whole characters of it.
func Cut(text string, most int) string {
	if len(text) <= most {
		return text
	}
	for most > 0 && !utf8.RuneStart(text[most]) {
		most--
	}
	return strings.Clone(text[:most])
}

// Text is what a template makes of a picture as it stands, each value of a field turned by
// escape. empty tells whether a field was empty that nothing stood for. A text of more than MostText
// bytes is cut there.
func (t Template) Text(p Picture, escape func(string) string) (text string, empty bool) {
	var b strings.Builder
	for _, each := range t.parts {
		if each.choices == nil {
			b.WriteString(each.text)
			continue
		}
		value := each.raw(&p)
		empty = empty || value == ""
		b.WriteString(escape(Cut(value, MostText)))
		if b.Len() > MostText {
			return Cut(b.String(), MostText), empty
		}
	}
	return b.String(), empty
}

func (p *part) value(of *Picture, last *told) string {
	if len(p.choices) == 1 { // what it makes depends on one value alone
		from := p.choices[0].value(of)
		if from != last.from || last.to == "" {
			last.from, last.to = from, fit(p.choices[0].turned(from))
		}
		return last.to
	}
	return fit(p.raw(of))
}

// fit is a value as it may stand in a name.
func fit(value string) string {
	if strings.IndexFunc(value, func(r rune) bool { return within(r) != r }) < 0 {
		return value
	}
	return strings.Map(within, value)
}

// raw is the first of a part's choices that is not empty.
func (p *part) raw(of *Picture) string {
	for _, c := range p.choices {
		if value := c.turned(c.value(of)); value != "" {
			return value
		}
	}
	return ""
}

// turned is a value with all that is done to it.
func (c choice) turned(value string) string {
	for _, turn := range c.turns {
		value = turn(value)
	}
	return strings.TrimSpace(value)
}

// within is what a character of a value becomes in a name; what is not seen, and turns the direction
// of writing around or stands for nothing, is left out (Unicode Standard Annex #9 and #44: Cf), but
// for what joins letters and emoji.
func within(r rune) rune {
	const joiner, nonJoiner = '\u200d', '\u200c'
	if r != joiner && r != nonJoiner && r > 0x7f && unicode.Is(unicode.Cf, r) {
		return -1
	}
	if r == '/' || r == '\\' || r < ' ' || r == 0x7f || r == utf8.RuneError {
		return '-'
	}
	return r
}

// folders cleans a path: no empty parts, none that lead elsewhere, none that end in what a
// file system drops.
func folders(path string) string {
	if path = strings.TrimSpace(path); !strings.ContainsRune(path, '/') {
		return strings.TrimRight(path, ". ")
	}
	var kept []string
	for part := range strings.SplitSeq(path, "/") {
		if part = strings.TrimRight(strings.TrimSpace(part), ". "); part != "" {
			kept = append(kept, part)
		}
	}
	return strings.Join(kept, "/")
}
