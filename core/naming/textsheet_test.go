package naming

import (
	"fmt"
	"strings"
	"testing"
)

// TestTextsFindTheirPictures reads rows as people write them: each finds the pictures that it is
// of, or says why not.
func TestTextsFindTheirPictures(t *testing.T) {
	targets := NewTextTargets([]Picture{
		{SKU: "HV-1", Place: 1, Name: "a/front.jpg"}, {SKU: "HV-1", Place: 2, Name: "a/back.jpg"},
		{SKU: "HV-2", Place: 1, Name: "b/front.jpg"}, {SKU: "HV-3", Place: 1, Name: "chart.png"}, {SKU: "HV-2", Place: 2, Name: "chart.png"},
	})
	sheet, missing := ReadTextTitles([]string{"Notes", " sku ", "POS", "File name", "Alt text"})
	if missing != "" {
		t.Fatal("missing:", missing)
	}
	for row, want := range map[string]string{
		"|HV-1|2||Back":               "[1]",
		"|hv-3|||A chart":             "[3]",
		"|||chart.png|A chart":        "[3 4]",
		"|HV-2||Chart.png|A chart":    "[4]",
		"|||b/front.jpg|Front":        "[2]",
		"|HV-2|1|front.jpg|Front":     "[2]",
		"|HV-1|||Which?":              "[] 2 pictures have that SKU: say the place or the file",
		"|HV-9|||Nobody":              `[] nothing that shows a picture has the SKU "HV-9"`,
		"||1||Nothing":                "[] it does not say what its text is of",
		"|HV-1|x||Text":               `[] its place "x" is no number`,
		"|HV-3|2||Text":               "[] there is no such picture: the SKU, the place and the file do not go together",
		"|HV-3|||" + long(501):        "[] its text has more than 500 characters",
		"|HV-3|1.0|chart.png| A  b ":  "[3]",
		"only this":                   "none",
		"|HV-3|1|chart.png|  ":        "none",
		"|HV-3|1|other.png|Something": `[] no product shows a file called "other.png"`,
	} {
		r, is := sheet.Read(strings.Split(row, "|"), 2)
		got := "none"
		if is {
			found, why := targets.Of(r)
			got = strings.TrimSpace(fmt.Sprint(found, " ", why))
		}
		if got != want {
			t.Errorf("%q: %s, expected %s", row, got, want)
		}
	}
	for titles, want := range map[string]string{
		"SKU|Place":        "a column called Alternative text",
		"Text|Place":       "a column called SKU or File, which says what each text is of",
		"Picture|Alt":      "",
		"Article|ALT TEXT": "",
	} {
		if _, missing := ReadTextTitles(strings.Split(titles, "|")); missing != want {
			t.Errorf("%s misses %q", titles, missing)
		}
	}
}

func long(n int) string { return strings.Repeat("ä", n) }
