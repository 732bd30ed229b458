package sheet

import (
	_ "embed"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// wordTable are the words that headers of seven languages use: a line for each
// meaning, a column for each language, forms apart by commas. From memory; the
// words of ERP exports, supplier lists and marketplaces (common practice).
//
//go:embed headerwords.tsv
var wordTable string

// A meaning is what a word of a header stands for, as the first column of the
// table has it.
type meaning string

// meanings holds the meanings of every word, folded.
var meanings = sync.OnceValue(func() map[string][]meaning {
	all := map[string][]meaning{}
	lines := strings.Split(strings.TrimSpace(wordTable), "\n")
	for _, line := range lines[1:] {
		cells := strings.Split(line, "\t")
		for _, cell := range cells[1:] {
			for form := range strings.SplitSeq(cell, ",") {
				for _, spelt := range spellings(form) {
					addMeaning(all, spelt, meaning(cells[0]))
				}
			}
		}
	}
	return all
})

func addMeaning(all map[string][]meaning, word string, m meaning) {
	for _, known := range all[word] {
		if known == m {
			return
		}
	}
	if word != "" && word != "-" {
		all[word] = append(all[word], m)
	}
}

// spellings returns a word without its accents, and with German umlauts written
// out.
func spellings(word string) []string {
	plain := plainWord(word)
	out := plainWord(strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue").Replace(strings.ToLower(word)))
	if out == plain {
		return []string{plain}
	}
	return []string{plain, out}
}

// plainWord folds a word: lower case, without accents, ß as ss, ł as l.
func plainWord(word string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.Is(unicode.Mn, r), unicode.IsSpace(r):
			return -1
		case r == 'ł':
			return 'l'
		}
		return r
	}, norm.NFKD.String(strings.ReplaceAll(strings.ToLower(word), "ß", "ss")))
}

// longestHeader bounds how much of a header is read, bytes.
const longestHeader = 400

// said is what a header says.
type said struct {
	meant   map[meaning]bool
	unknown int  // words that mean nothing known
	number  bool // a number stands in it ("Image 2")
}

func (s said) has(m meaning) bool { return s.meant[m] }

// heard reads a header: its words in any order, case and spelling, also where
// they are written together.
func heard(header string) said {
	s := said{meant: map[meaning]bool{}}
	for _, word := range headerWords(header) {
		if word[0] >= '0' && word[0] <= '9' {
			s.number = true
			continue
		}
		found := wordMeans(word)
		if len(found) == 0 && utf8.RuneCountInString(word) > 2 {
			s.unknown++
		}
		for _, m := range found {
			s.meant[m] = true
		}
	}
	return s
}

// headerWords cuts a header into folded words: at marks, blanks, between letters
// and figures, and where a capital follows a small letter.
func headerWords(header string) (words []string) {
	header = header[:min(len(header), longestHeader)]
	var word []rune
	end := func() {
		if len(word) > 0 {
			if plain := plainWord(string(word)); plain != "" {
				words = append(words, plain)
			}
			word = word[:0]
		}
	}
	for _, r := range norm.NFC.String(header) {
		switch {
		case r == '#' || r == '№':
			end()
			words = append(words, "number")
			continue
		case !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '°':
			end()
			continue
		case len(word) > 0:
			last := word[len(word)-1]
			if unicode.IsDigit(last) != unicode.IsDigit(r) || unicode.IsLower(last) && unicode.IsUpper(r) {
				end()
			}
		}
		word = append(word, r)
	}
	end()
	return words
}

// endings are what a word may have behind its known form.
var endings = []string{"s", "e", "n", "en", "es", "er", "i", "y"}

// wordMeans returns what a folded word means: as it is, without an ending, as
// known words written together, or by the known word that it ends with.
func wordMeans(word string) []meaning {
	known := meanings()
	if found := known[word]; found != nil {
		return found
	}
	for _, ending := range endings {
		if stem := strings.TrimSuffix(word, ending); stem != word && len(stem) > 3 && known[stem] != nil {
			return known[stem]
		}
	}
	if parts := compound(word, known); parts != nil {
		return parts
	}
	for at := range word {
		if len(word)-at < 5 {
			break
		}
		if found := known[word[at:]]; at > 0 && found != nil {
			return found
		}
	}
	return nil
}

// links are the letters that stand between the parts of a word (German and
// Dutch).
var links = []string{"", "s", "n", "en", "es", "er"}

// compound cuts a word into known words; nil where none of it may be left over
// and some is.
func compound(word string, known map[string][]meaning) []meaning {
	for at := len(word) - 2; at >= 3; at-- {
		head := word[:at]
		for _, link := range links {
			stem := strings.TrimSuffix(head, link)
			if link != "" && stem == head || len(stem) < 3 {
				continue
			}
			first := known[stem]
			if first == nil {
				continue
			}
			rest := word[at:]
			last := known[rest]
			if len(rest) < 3 && rest != "nr" && rest != "no" && rest != "id" {
				last = nil
			}
			if last == nil && len(rest) > 4 {
				last = compound(rest, known)
			}
			if last != nil {
				return append(append([]meaning(nil), first...), last...)
			}
		}
	}
	return nil
}
