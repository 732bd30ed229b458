package naming

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/budget"
)

// TestJudgeTexts holds texts of the trade, and what is to be said of them.
func TestJudgeTexts(t *testing.T) {
	texts := []Text{
		{Text: "Red enamel mug on a wooden table"},
		{Text: "  "},
		{Text: "Picture of a red mug"},
		{Text: "Bild von einer Tasse"},
		{Text: "Imagery of the moors"}, // no beginning: another word
		{Text: "MUG-110-RED", SKU: "mug-110-red"},
		{Text: "DSC_0123"},
		{Text: "mug_front", Name: "lot/mug_front.jpg"},
		{Text: strings.Repeat("ä", 126)},
		{Text: strings.Repeat("ä", 125)},
		{Text: "A mug"}, {Text: "a mug "}, {Text: "A mug"},
	}
	want := [][]string{nil, {TextMissing}, {TextBegins}, {TextBegins}, nil, {TextCode}, {TextCode}, {TextCode}, {TextLong}, nil,
		{TextSame}, {TextSame}, {TextSame}}
	for i, got := range JudgeTexts(texts) {
		if !slices.Equal(got, want[i]) {
			t.Errorf("%q: %v, not %v", texts[i].Text, got, want[i])
		}
	}
}

// TestDraft: a text reads well where fields are empty.
func TestDraft(t *testing.T) {
	p := Picture{Title: "Dome smoker", Options: []catalog.Option{{Name: "Colour", Value: "amber"}}, View: "front"}
	bare := Picture{Title: "Dome smoker"}
	for template, want := range map[string][2]string{
		"[title], [option Colour], [view]":     {"Dome smoker, amber, front", "Dome smoker"},
		"[title] ([option Colour])":            {"Dome smoker (amber)", "Dome smoker"},
		"[view]: [title] – [options]":          {"front: Dome smoker – amber", "Dome smoker"},
		`[title] in [option Colour | "steel"]`: {"Dome smoker in amber", "Dome smoker in steel"},
	} {
		read, err := ParseText(template)
		if err != nil {
			t.Fatal(err)
		}
		if got := [2]string{read.Draft(p), read.Draft(bare)}; got != want {
			t.Errorf("%s: %q, not %q", template, got, want)
		}
	}
}

// FuzzDraft: whatever a template and a title say, a draft is found, and ends.
func FuzzDraft(f *testing.F) {
	f.Add("[title], [view]", "( ) ,,", ", ;")
	f.Fuzz(func(t *testing.T, template, title, view string) {
		budget.Of(len(template)+len(title)+len(view)).Check(t, func() {
			if read, err := ParseText(template); err == nil {
				_ = fmt.Sprint(read.Draft(Picture{Title: title, View: view}))
			}
		})
	})
}
