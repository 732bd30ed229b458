package naming

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
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

// TestAllRowsNameTheSameFile reads 200,000 rows that name one file, which 50,000 pictures are called: by itself, and
// with the SKU of each. It ends soon, and the last row of a picture counts.
func TestAllRowsNameTheSameFile(t *testing.T) {
	const n = 50_000
	pictures := make([]Picture, n)
	rows := make([]TextRow, 0, 4*n)
	for i := range pictures {
		pictures[i] = Picture{SKU: fmt.Sprint("S-", i), Place: 1, Name: fmt.Sprint("set ", i, "/front.jpg")}
		rows = append(rows, TextRow{SKU: pictures[i].SKU, File: "Front.jpg", Text: "its own"},
			TextRow{File: "front.jpg", Text: fmt.Sprint("of all, ", i)}, TextRow{File: "FRONT.JPG", Text: "of all"})
	}
	rows = append(rows, TextRow{SKU: "S-7", File: "front.jpg", Text: "its own, last"})
	targets := NewTextTargets(pictures)
	budget.Of(0).Times(8).Check(t, func() {
		to, whys := targets.Texts(rows)
		for i := range pictures {
			want := "of all"
			if i == 7 {
				want = "its own, last"
			}
			if to[i] != want {
				t.Fatalf("picture %d says %q, want %q", i, to[i], want)
			}
		}
		for n, why := range whys {
			if why != "" {
				t.Fatalf("row %d goes nowhere: %s", n, why)
			}
		}
	})
}

// FuzzTextSheet reads any cells as a sheet of texts: each row has a picture or says in few words why not.
func FuzzTextSheet(f *testing.F) {
	f.Add("sku|file|text\nHV-1|front.jpg|Front\nHV-2||Back\n|x|Y", "HV-1", "a/front.jpg")
	f.Add("place|alt|picture\n99999999999999999999|a|\xff", "", "/")
	f.Fuzz(func(t *testing.T, sheet, sku, name string) {
		budget.Of(len(sheet)+len(sku)+len(name)).Check(t, func() {
			lines := strings.Split(sheet, "\n")
			columns, missing := ReadTextTitles(strings.Split(lines[0], "|"))
			if missing != "" {
				return
			}
			var rows []TextRow
			for n, line := range lines[1:] {
				if r, is := columns.Read(strings.Split(line, "|"), n+2); is {
					rows = append(rows, r)
				}
			}
			to, whys := NewTextTargets([]Picture{{SKU: sku, Place: 1, Name: name}, {SKU: sku, Place: 2, Name: name}}).Texts(rows)
			for n, why := range whys {
				if len(why) > 1000 {
					t.Errorf("row %d says why in %d bytes", rows[n].Row, len(why))
				}
			}
			for i, text := range to {
				if text == "" || utf8.RuneCountInString(text) > LongestText {
					t.Errorf("picture %d gets %q", i, text)
				}
			}
		})
	})
}
