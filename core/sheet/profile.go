package sheet

import (
	"net/url"
	"path"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"ambrosa/core/gtin"
)

// profile is what the values of a column look like.
type profile struct {
	filled   int // of the rows that were looked at
	distinct int
	values   []string // the first distinct ones

	gtins, numbers, small, files, addresses, pictureAddresses int // of filled
	paths, yesNo, codes, views, long, words                   int
	length                                                    int // of all, characters
	separator                                                 string
}

// mostLooked bounds how many values of a column are kept.
const mostLooked = 400

// share tells how many of the filled cells are so, 0 to 1.
func (p *profile) share(n int) float64 {
	if p.filled == 0 {
		return 0
	}
	return float64(n) / float64(p.filled)
}

// counts tells whether the values count the rows: 1, 2, 3 and on.
func (p *profile) counts() bool {
	for i, value := range p.values {
		if value != strconv.Itoa(i+1) {
			return false
		}
	}
	return p.distinct == p.filled && p.filled >= 5
}

func (p *profile) mean() int { return p.length / max(1, p.filled) }

// profileOf looks at a column of rows.
func profileOf(rows [][]string, column int) *profile {
	p := &profile{}
	seen := map[string]bool{}
	for _, cells := range rows {
		if column >= len(cells) {
			continue
		}
		value := Clean(cells[column])
		if value == "" {
			continue
		}
		p.filled++
		p.look(value)
		if !seen[value] {
			seen[value] = true
			if len(p.values) < mostLooked {
				p.values = append(p.values, value)
			}
		}
	}
	p.distinct = len(seen)
	p.separator = separatorOf(p.values)
	return p
}

func (p *profile) look(value string) {
	count := func(n *int, is bool) {
		if is {
			*n++
		}
	}
	p.length += utf8.RuneCountInString(value)
	_, wrong := gtin.Normalise(value)
	count(&p.gtins, wrong == nil && len(value) > 7)
	n, notNumber := strconv.Atoi(value)
	count(&p.numbers, notNumber == nil)
	count(&p.small, notNumber == nil && n >= 0 && n < 100)
	address := IsAddress(value)
	count(&p.addresses, address)
	count(&p.pictureAddresses, address && pictureEnding(addressPath(value)))
	count(&p.files, !address && pictureEnding(firstPart(value)))
	count(&p.paths, pathWithin.MatchString(value))
	_, said := YesOrNo(value)
	count(&p.yesNo, said)
	count(&p.codes, isCodeShaped(value))
	count(&p.views, viewWords[plainWord(value)])
	count(&p.long, utf8.RuneCountInString(value) > 80)
	count(&p.words, strings.ContainsRune(value, ' ') && strings.IndexFunc(value, unicode.IsLower) >= 0)
}

var pathWithin = regexp.MustCompile(`\S\s*(>|»|\s/\s|\|)\s*\S`)

// viewWords are values of a column of views (common practice).
var viewWords = func() map[string]bool {
	all := map[string]bool{}
	for word := range strings.FieldsSeq("front back side top bottom detail left right pack label swatch scale inuse " +
		"vorne hinten seite oben unten rueckseite vorderseite ruckseite frontal " +
		"face dos cote dessus frente dorso espalda lado fronte retro lato voorkant achterkant zijkant przod tyl bok") {
		all[word] = true
	}
	return all
}()

// IsAddress tells whether a cell holds a web address.
func IsAddress(value string) bool {
	lower := strings.ToLower(value[:min(len(value), 8)])
	return strings.HasPrefix(lower, "http://") || strings.HasPrefix(lower, "https://")
}

func addressPath(value string) string {
	if u, err := url.Parse(firstPart(value)); err == nil {
		return u.Path
	}
	return ""
}

// firstPart returns what stands before the first separator of a list in a cell.
func firstPart(value string) string {
	if at := strings.IndexAny(value, ";|,\n"); at > 0 {
		return strings.TrimSpace(value[:at])
	}
	return value
}

// pictureEnding tells whether a name ends as pictures do.
func pictureEnding(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".gif", ".bmp", ".heic", ".avif", ".psd", ".svg", ".jfif", ".eps":
		return true
	}
	return false
}

// isCodeShaped tells whether a value looks like a code: figures, or letters with
// figures; with blanks, in capitals alone.
func isCodeShaped(value string) bool {
	blanks := strings.ContainsRune(value, ' ')
	if len(value) > 40 || strings.ContainsAny(value, "\n@") || blanks && strings.IndexFunc(value, unicode.IsLower) >= 0 {
		return false
	}
	return strings.ContainsAny(value, "0123456789")
}

// separatorOf returns what stands between several values in one cell; "" where
// cells hold one.
func separatorOf(values []string) string {
	for _, separator := range []string{"|", ";", "\n", ","} {
		several := 0
		for _, value := range values {
			parts := strings.Split(value, separator)
			if len(parts) < 2 {
				continue
			}
			files, codes := true, true
			for _, part := range parts {
				part = strings.TrimSpace(part)
				file := part == "" || pictureEnding(part) || IsAddress(part)
				files, codes = files && file, codes && (file || isCodeShaped(part))
			}
			if files {
				return separator
			}
			if codes {
				several++
			}
		}
		if several > 0 && several*5 >= len(values) || several > 2 {
			return separator
		}
	}
	return ""
}
