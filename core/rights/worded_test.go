package rights

import (
	"testing"
	"time"
	"unicode/utf8"

	"ambrosa/internal/budget"
)

// TestRightsInWords reads cells as suppliers write them (common practice), and the names of
// Creative Commons' licences.
func TestRightsInWords(t *testing.T) {
	for text, want := range map[string]string{
		"":                                   "unknown",
		"CC BY 4.0":                          "cleared",
		"CC-BY-SA 3.0, Photo: Mira Holt":     "cleared by Mira Holt",
		"CC0":                                "cleared",
		"cc by-nc-nd 4.0":                    "restricted",
		"CC BY-ND 2.0":                       "cleared",
		"yes":                                "cleared",
		"Ja":                                 "cleared",
		"© 2024 Lindmoor Bildarchiv":         "unknown by Lindmoor Bildarchiv",
		"© 2021-2024 Holt & Sons; free":      "cleared by Holt & Sons",
		"royalty-free until 2027-03-31":      "cleared until 2027-04-01",
		"frei bis 28.02.2027":                "cleared until 2027-03-01",
		"libre de droits jusqu'au 1.1.2030":  "cleared until 2030-01-02",
		"Freigegeben, Foto: A. Berg":         "cleared by A. Berg",
		"free until 2027-02-30":              "unknown", // an end that cannot be read is no licence for ever
		"free until 31/12/2026":              "unknown",
		"royalty free, valid to end of 2027": "unknown",
		"free to use":                        "cleared",
		"not cleared":                        "unknown",
		"Rights not yet cleared":             "unknown",
		"pas libre de droits":                "unknown",
		"niet vrijgegeven":                   "unknown",
		"kein CC BY":                         "unknown",
		"clearance pending, free later":      "unknown",
		"no":                                 "restricted",
		"Nein":                               "restricted",
		"Embargo until 2027-03-31":           "restricted",
		"nur intern":                         "restricted",
		"Nicht für Onlineshops":              "restricted",
		"vietata la riproduzione":            "restricted",
		"All rights reserved":                "unknown",
		"internet":                           "unknown",
		"freezer aisle":                      "unknown",
		"yes we can talk about that":         "unknown",
	} {
		r := Worded(text)
		got := string(r.State)
		if r.Credit != "" {
			got += " by " + r.Credit
		}
		if r.Expires != nil {
			got += " until " + r.Expires.Format(time.DateOnly)
		}
		if got != want || r.Licence != text {
			t.Errorf("%q: %s (%q), not %s", text, got, r.Licence, want)
		}
	}
}

// FuzzWorded reads any text: what is kept of it is text of a bounded length.
func FuzzWorded(f *testing.F) {
	f.Add("© \xff 2024 a; free until 99.99.9999")
	f.Add("(c)(c)(c) Foto: /|")
	f.Fuzz(func(t *testing.T, text string) {
		budget.Of(len(text)).Check(t, func() {
			r := Worded(text)
			if len(r.Licence) > LongestWorded || len(r.Credit) > LongestWorded || !utf8.ValidString(r.Licence+r.Credit) {
				t.Errorf("%q: %+v", text, r)
			}
			if r.Expires != nil && r.State != Cleared {
				t.Errorf("%q ends and is %s", text, r.State)
			}
		})
	})
}
