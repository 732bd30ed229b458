package pairing

import (
	_ "embed"
	"strings"
	"sync"
)

// optionTable are the words for colours, materials, finishes, sides and sizes
// that catalogs and names use: a line for each meaning, a column for each
// language, forms apart by commas. From memory; common words of the trades only.
//
//go:embed optionwords.tsv
var optionTable string

// optionWords is what a language's words mean; a word may mean several things. A
// meaning is the first English form. Forms are written as they are folded, with
// blanks left out, and without their accents too.
var optionWords = sync.OnceValue(func() map[string]map[string][]string {
	lines := strings.Split(strings.TrimSpace(optionTable), "\n")
	languages := strings.Split(lines[0], "\t")[1:]
	all := map[string]map[string][]string{}
	for _, language := range languages {
		all[language] = map[string][]string{}
	}
	var shades [][]string
	for _, line := range lines[1:] {
		cells := strings.Split(line, "\t")
		kind, cells := cells[0], cells[1:]
		if kind == "shade" {
			shades = append(shades, cells)
		}
		meant, _, _ := strings.Cut(cells[0], ",")
		for i, cell := range cells {
			words := all[languages[i]]
			for form := range strings.SplitSeq(cell, ",") {
				addOptionWord(words, form, meant)
				if kind != "colour" {
					continue
				}
				for _, shade := range shades {
					for of := range strings.SplitSeq(shade[i], ",") {
						addOptionWord(words, of+form, shade[0]+" "+meant)
						addOptionWord(words, form+of, shade[0]+" "+meant)
					}
				}
			}
		}
	}
	return all
})

// addOptionWord adds a form with what it means, without its accents too.
func addOptionWord(words map[string][]string, form, meant string) {
	var f folded
	f.fold(form)
	word := f.joined(0)
	for _, spelt := range append(withoutAccents([]byte(word)), word) {
		words[spelt] = appendNew(words[spelt], meant)
	}
}

func appendNew(list []string, text string) []string {
	for _, known := range list {
		if known == text {
			return list
		}
	}
	return append(list, text)
}

// everyOptionWord is what a word means in any of the languages: a catalog may be
// in one and its files' names in another.
var everyOptionWord = sync.OnceValue(func() *lexicon[[]string] { return optionWordsOf(languageNames()) })

// englishOptionWords are those that are always understood.
var englishOptionWords = sync.OnceValue(func() *lexicon[[]string] { return optionWordsOf(nil) })

// optionWordsOf returns what words for options mean in English and the languages
// switched on.
func optionWordsOf(languages []string) *lexicon[[]string] {
	key := strings.Join(languages, " ")
	if made, ok := optionLexicons.Load(key); ok {
		return made.(*lexicon[[]string])
	}
	words := map[string][]string{}
	for _, language := range append([]string{"en"}, languages...) {
		for word, meanings := range optionWords()[language] {
			for _, meant := range meanings {
				words[word] = appendNew(words[word], meant)
			}
		}
	}
	made := newLexicon(words)
	for _, language := range languages {
		if optionWords()[language] == nil {
			return made // of no list that can be used
		}
	}
	optionLexicons.Store(key, made)
	return made
}

// optionLexicons keeps what optionWordsOf returned, by the languages: there are few
// sets of them that people use.
var optionLexicons sync.Map
