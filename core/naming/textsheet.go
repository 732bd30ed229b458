package naming

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"ambrosa/core/legible"
)

// What a sheet of texts says, by the titles of its columns, in lower case. The first of each is
// that of the sheet which is taken out.
var textTitles = map[string][]string{
	"sku":   {"sku", "article", "artikelnummer", "item", "code"},
	"place": {"place", "position", "pos", "no", "number"},
	"file":  {"file", "file name", "filename", "picture", "image", "path"},
	"text":  {"alternative text", "alt text", "alt", "text", "alternativtext"},
}

// LongestText is how many characters a text that is brought may have.
const LongestText = 500

// mostQuoted is how many bytes of a cell a message repeats.
const mostQuoted = 100

// TextRow is a row of a sheet of texts.
type TextRow struct {
	Row             int // as a spreadsheet program counts
	SKU, File, Text string
	Place           int // 0 for none
	Wrong           string
}

// TextSheet finds the columns of a sheet of texts by their titles.
type TextSheet struct{ sku, place, file, text int }

// ReadTextTitles reads the titles of a sheet's columns; missing says which columns it needs and has
// not, in words, empty where it can be read.
func ReadTextTitles(titles []string) (s TextSheet, missing string) {
	find := func(what string) int {
		for _, known := range textTitles[what] {
			for i, title := range titles {
				if strings.EqualFold(strings.TrimSpace(title), known) {
					return i
				}
			}
		}
		return -1
	}
	s = TextSheet{find("sku"), find("place"), find("file"), find("text")}
	switch {
	case s.text < 0:
		return s, "a column called Alternative text"
	case s.sku < 0 && s.file < 0:
		return s, "a column called SKU or File, which says what each text is of"
	}
	return s, ""
}

// Read reads the cells of a row; is is false for one that brings no text.
func (s TextSheet) Read(cells []string, row int) (r TextRow, is bool) {
	cell := func(i int) string {
		if i < 0 || i >= len(cells) {
			return ""
		}
		return strings.TrimSpace(cells[i])
	}
	r = TextRow{Row: row, SKU: cell(s.sku), File: cell(s.file), Text: strings.Join(strings.Fields(cell(s.text)), " ")}
	if r.Text == "" {
		return r, false
	}
	if place := cell(s.place); place != "" {
		n, err := strconv.Atoi(strings.TrimSuffix(place, ".0"))
		if err != nil || n < 1 {
			r.Wrong = fmt.Sprintf("its place %q is no number", legible.Short(place, mostQuoted))
		}
		r.Place = n
	}
	if utf8.RuneCountInString(r.Text) > LongestText {
		r.Wrong = fmt.Sprintf("its text has more than %d characters", LongestText)
	}
	return r, true
}

// TextTargets finds the picture that a row of a sheet of texts is of.
type TextTargets struct {
	bySKU  map[string][]int // positions, in lower case
	byFile map[string][]int
	of     []Picture
}

// NewTextTargets looks pictures up by their SKU and by the name that their file came with.
func NewTextTargets(pictures []Picture) *TextTargets {
	t := &TextTargets{map[string][]int{}, map[string][]int{}, pictures}
	for i, p := range pictures {
		sku := strings.ToLower(p.SKU)
		t.bySKU[sku] = append(t.bySKU[sku], i)
		path := strings.ToLower(p.Name)
		t.byFile[path] = append(t.byFile[path], i)
		if base := path[strings.LastIndexByte(path, '/')+1:]; base != path {
			t.byFile[base] = append(t.byFile[base], i)
		}
	}
	return t
}

// Texts returns for the rows of a sheet which text each picture gets, by position: of several rows for one picture the
// last counts; and for each row why its text goes nowhere, "" where it goes somewhere. Rows that name the same are looked up
// once, so that it ends soon however many rows name a file that thousands of pictures are called.
func (t *TextTargets) Texts(rows []TextRow) (to map[int]string, whys []string) {
	type key struct {
		sku, file string
		place     int
	}
	of := func(r TextRow) key { return key{strings.ToLower(r.SKU), strings.ToLower(r.File), r.Place} }
	last, known := map[key]int{}, map[key]string{}
	for n, r := range rows {
		if r.Wrong == "" {
			last[of(r)] = n
		}
	}
	to, whys = map[int]string{}, make([]string, len(rows))
	for n, r := range rows {
		if whys[n] = r.Wrong; r.Wrong != "" {
			continue
		}
		if why, is := known[of(r)]; is && last[of(r)] != n {
			whys[n] = why
			continue
		}
		found, why := t.Of(r)
		known[of(r)], whys[n] = why, why
		for _, i := range found {
			to[i] = r.Text
		}
	}
	return to, whys
}

// Of returns the positions of the pictures that a row is of: all that show the file it names, on the
// SKU and in the place that it names; why says in words why there is none.
func (t *TextTargets) Of(r TextRow) (found []int, why string) {
	if r.Wrong != "" {
		return nil, r.Wrong
	}
	byFile, bySKU := t.byFile[strings.ToLower(r.File)], t.bySKU[strings.ToLower(r.SKU)]
	switch {
	case r.File == "" && r.SKU == "":
		return nil, "it does not say what its text is of"
	case r.File != "" && len(byFile) == 0:
		return nil, fmt.Sprintf("no product shows a file called %q", legible.Short(r.File, mostQuoted))
	case r.File == "" && len(bySKU) == 0:
		return nil, fmt.Sprintf("nothing that shows a picture has the SKU %q", legible.Short(r.SKU, mostQuoted))
	}
	of := byFile
	if r.File == "" || r.SKU != "" && len(bySKU) < len(byFile) {
		of = bySKU
	}
	for _, i := range of {
		p := t.of[i]
		if (r.SKU == "" || strings.EqualFold(p.SKU, r.SKU)) && (r.Place == 0 || p.Place == r.Place) &&
			(r.File == "" || isCalled(p.Name, r.File)) {
			found = append(found, i)
		}
	}
	switch {
	case len(found) == 0:
		return nil, "there is no such picture: the SKU, the place and the file do not go together"
	case r.File == "" && len(found) > 1:
		return nil, fmt.Sprintf("%d pictures have that SKU: say the place or the file", len(found))
	}
	return found, ""
}

// isCalled tells whether a file's path, or the last part of it, is a name in any case.
func isCalled(path, name string) bool {
	path, name = strings.ToLower(path), strings.ToLower(name)
	return path == name || path[strings.LastIndexByte(path, '/')+1:] == name
}
