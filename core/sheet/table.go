package sheet

import (
	"slices"
	"strings"
	"unicode"
)

// Worksheet is one of a workbook.
type Worksheet struct {
	Name   string `json:"name"`
	Hidden bool   `json:"hidden"`
}

// searched is how many rows are looked at for the header.
const searched = 60

// Top is where a sheet's header was found.
type Top struct {
	At    int      // index of the header among the rows, -1 for none
	Names []string // of all columns; a column without a name has ""
	First int      // index of the first row of data
}

// FindTop finds the header among the first rows of a sheet: not below more than
// sixty, behind titles and notes, before units. A row counts by how many of its cells
// are words of headers, and by what stands below it.
func FindTop(rows [][]string) Top {
	best, most := -1, 0.0
	for i, cells := range rows[:min(len(rows), searched)] {
		var above []string
		if i > 0 {
			above = rows[i-1]
		}
		if score := headerScore(cells, above, rows[i+1:]); score > most {
			best, most = i, score
		}
	}
	if best < 0 {
		return Top{At: -1}
	}
	return TopAt(rows, best)
}

// TopAt takes the row at an index for the header.
func TopAt(rows [][]string, at int) Top {
	top := Top{At: at, First: at + 1}
	width := widthOf(rows[at+1:])
	for _, cell := range rows[at] {
		top.Names = append(top.Names, Clean(strings.TrimPrefix(cell, "\ufeff")))
	}
	for len(top.Names) > 0 && top.Names[len(top.Names)-1] == "" && len(top.Names) > width {
		top.Names = top.Names[:len(top.Names)-1]
	}
	for len(top.Names) < width {
		top.Names = append(top.Names, "")
	}
	if at > 0 {
		underGroups(top.Names, rows[at-1])
	}
	for top.First < len(rows) && isUnits(rows[top.First], rows[at]) {
		top.First++
	}
	return top
}

// underGroups names columns that have no header of their own, or only a number,
// by the merged cell above them.
func underGroups(names []string, above []string) {
	group := ""
	for i := range names {
		if i < len(above) && Clean(above[i]) != "" {
			group = Clean(above[i])
		}
		if group == "" || ruleOf(heard(group)) == nil {
			continue
		}
		if names[i] == "" {
			if i < len(above) && Clean(above[i]) != "" {
				names[i] = group
			}
		} else if onlyNumber(names[i]) {
			names[i] = group + " " + names[i]
		}
	}
}

func onlyNumber(text string) bool {
	return strings.IndexFunc(text, func(r rune) bool { return !unicode.IsDigit(r) }) < 0
}

// headerScore tells how much a row looks like a header above others, and below another
// that may name its columns in groups.
func headerScore(cells, above []string, below [][]string) float64 {
	filled, known, distinct := 0, 0.0, map[string]bool{}
	group := ""
	for i, cell := range cells {
		if i < len(above) && Clean(above[i]) != "" {
			group = Clean(above[i])
		}
		text := Clean(cell)
		if text == "" {
			continue
		}
		filled++
		distinct[text] = true
		h := heard(text)
		switch {
		case len(text) < 3 && onlyNumber(text) && group != "" && ruleOf(heard(group)) != nil:
			known += 0.7
		case len(text) > 120:
			known -= 0.5
		case isCodeShaped(text) && ruleOf(h) == nil, IsAddress(text), pictureEnding(text):
			known -= 1
		case ruleOf(h) != nil && h.unknown <= 1:
			known += 1
		case ruleOf(h) != nil:
			known += 0.5
		case strings.IndexFunc(text, unicode.IsLetter) >= 0:
			known += 0.1
		}
	}
	if filled == 0 {
		return 0
	}
	score := known + float64(len(distinct)-filled)*0.2
	// A header stands above rows that are about as wide as it.
	next := 0
	for _, row := range below[:min(len(below), 5)] {
		next = max(next, filledIn(row))
	}
	switch {
	case filled == 1 && next > 1, len(below) > 0 && next*2 < filled:
		score *= 0.3
	case filled*2 < next:
		score *= 0.6
	}
	return score
}

func filledIn(cells []string) (n int) {
	for _, cell := range cells {
		if Clean(cell) != "" {
			n++
		}
	}
	return n
}

// widthOf returns how many columns most rows have something in.
func widthOf(rows [][]string) int {
	var widths []int
	for _, row := range rows[:min(len(rows), 1000)] {
		wide := len(row)
		for wide > 0 && Clean(row[wide-1]) == "" {
			wide--
		}
		if wide > 0 {
			widths = append(widths, wide)
		}
	}
	if len(widths) == 0 {
		return 0
	}
	slices.Sort(widths)
	return widths[len(widths)/2]
}

// unitWords stand in a row below the header that says what columns hold (common
// practice).
var unitWords = func() map[string]bool {
	all := map[string]bool{}
	for word := range strings.FieldsSeq("mm cm m km g kg mg l ml cl pcs pc stk st stuck stueck eur usd gbp % text string number " +
		"integer decimal numeric alphanumeric date boolean url required optional mandatory pflicht pflichtfeld optionales obligatoire " +
		"facultatif obligatorio opcional obbligatorio facoltativo verplicht optioneel wymagane opcjonalne " +
		"varchar char int zahl texte texto testo tekst unit einheit") {
		all[word] = true
	}
	return all
}()

// isUnits tells whether a row below the header says units, types or what is
// needed, instead of data.
func isUnits(cells, header []string) bool {
	filled, units := 0, 0
	for i, cell := range cells {
		text := strings.Trim(Clean(cell), "()[]*. ")
		if text == "" {
			continue
		}
		filled++
		words := headerWords(text)
		if len(words) > 0 && len(words) < 7 && slices.ContainsFunc(words, func(w string) bool { return unitWords[w] }) &&
			(i < len(header) || len(words) == 1) && !isCodeShaped(text) || strings.HasPrefix(strings.ToLower(text), "max") {
			units++
		}
	}
	return units > 0 && units*3 >= filled*2
}
