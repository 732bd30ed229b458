package rights

import (
	"regexp"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// LongestWorded bounds a licence or credit that is read from a text, in bytes.
const LongestWorded = 300

// Words of seven languages that say whether a picture may be used; they stand whole, but for
// what may follow a word that ends in *. Common practice of suppliers' lists.
var (
	against = wordsOf(`restricted, internal, intern, interne, interno, embargo*, editorial, confidential, not for, no web, no online,
		print only, expired, nicht*, gesperrt, vertraulich, nur intern, nur print, abgelaufen, interdit*, réservé à, usage interne,
		prohibido*, no usar, uso interno, vietat*, riservato a, verboden, niet voor, alleen intern, zabronion*, tylko do, poufne`)
	allowing = wordsOf(`public domain, gemeinfrei, domaine public, dominio público, pubblico dominio, domena publiczna, royalty free,
		royalty-free, free to use, free use, free, cleared, released, licensed, approved, permitted, unrestricted, freigegeben, frei,
		lizenziert, lizenzfrei, libre, libre de droits, libre de derechos, autorisé*, autorizado*, libero, autorizzat*, vrij,
		vrijgegeven, toegestaan, dozwolon*, wolny, wolne`)
	// Beside these, what allows may be what is denied: "not yet cleared", "pas libre de droits".
	denying = wordsOf(`not, no, none, non, without, never, pending, unclear, kein*, ohne, pas, sans, sin, senza, niet, geen, zonder,
		nie, bez`)
	plainYes = wordsOf(`yes, ok, ja, oui, sí, si, tak`)
	plainNo  = wordsOf(`no, none, nein, non, nee, nie`)
)

// creativeCommons are the licences' names (Creative Commons, 4.0 and before): CC0, or BY
// with what else is asked.
var creativeCommons = regexp.MustCompile(`(?i)\bcc[ -]?(0|zero|by)((?:[ -](?:nc|nd|sa))*)\b`)

var (
	named = regexp.MustCompile(`(?i)(?:©|\(c\)|copyright|credits?\b|photo(?:graph(?:er)?)?\b|foto(?:graf\w*)?\b|courtesy of|crédit\w*)` +
		`[\s:]*(?:\d{4}(?:\s*[-–]\s*\d{4})?[\s,]+)?([^;,|/()\d][^;,|/()]*)`)
	untilISO  = regexp.MustCompile(`\b(\d{4})-(\d{1,2})-(\d{1,2})\b`)
	untilDots = regexp.MustCompile(`\b(\d{1,2})\.(\d{1,2})\.(\d{4})\b`)
	until     = regexp.MustCompile(`(?i)\b(?:until|till|to|expires?|valid|bis|gültig|jusqu\S*|hasta|fino|al|tot|do)\b[^;|]*\d`)
)

func wordsOf(list string) *regexp.Regexp {
	var parts []string
	for word := range strings.SplitSeq(list, ",") {
		word = regexp.QuoteMeta(strings.Join(strings.Fields(word), " "))
		parts = append(parts, strings.ReplaceAll(word, `\*`, `\pL*`))
	}
	return regexp.MustCompile(`(?i)(?:^|[^\pL])(?:` + strings.Join(parts, "|") + `)(?:$|[^\pL])`)
}

// Worded reads what a list says of a picture's rights in words: a licence, who is to be
// named, until when. The state is Unknown where its words say neither that it may be used
// nor that it may not, deny something that they may be about, or name an end that cannot be
// read; the text itself is the licence in each case.
func Worded(text string) Rights {
	text = strings.Join(strings.Fields(strings.ToValidUTF8(text, "")), " ")
	r := Rights{State: Unknown, Licence: cut(text)}
	if found := named.FindStringSubmatch(text); found != nil {
		r.Credit = cut(strings.TrimSpace(found[1]))
	}
	cc := creativeCommons.FindStringSubmatch(text)
	switch {
	case against.MatchString(text), alone(plainNo, text), cc != nil && strings.Contains(strings.ToLower(cc[2]), "nc"):
		r.State = Restricted
	case denying.MatchString(text):
	case cc != nil, allowing.MatchString(text), alone(plainYes, text):
		if r.Expires = dayAfter(text); r.Expires != nil || !until.MatchString(text) {
			r.State = Cleared
		}
	}
	return r
}

// alone tells whether a text is nothing but one of some short words.
func alone(words *regexp.Regexp, text string) bool {
	return len(text) <= len("nein.") && words.MatchString(text)
}

// dayAfter is the first day behind a text's "until".
func dayAfter(text string) *time.Time {
	if !until.MatchString(text) {
		return nil
	}
	year, month, day := 0, 0, 0
	if iso := untilISO.FindStringSubmatch(text); iso != nil {
		year, month, day = number(iso[1]), number(iso[2]), number(iso[3])
	} else if dots := untilDots.FindStringSubmatch(text); dots != nil {
		year, month, day = number(dots[3]), number(dots[2]), number(dots[1])
	}
	last := time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC)
	if year == 0 || last.Year() != year || int(last.Month()) != month || last.Day() != day {
		return nil
	}
	next := last.AddDate(0, 0, 1)
	return &next
}

func number(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil {
		return 0
	}
	return n
}

func cut(text string) string {
	if len(text) <= LongestWorded {
		return text
	}
	text = text[:LongestWorded]
	for !utf8.ValidString(text) {
		text = text[:len(text)-1]
	}
	return text
}
