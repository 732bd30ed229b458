package sheet

import (
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

func grid(text string) (rows [][]string) {
	for line := range strings.SplitSeq(strings.TrimSpace(text), "\n") {
		rows = append(rows, strings.Split(strings.TrimSpace(line), "|"))
	}
	return rows
}

// TestTheHeaderIsFound finds header rows behind titles and notes, above units, under
// merged cells.
func TestTheHeaderIsFound(t *testing.T) {
	for name, c := range map[string]struct {
		sheet string
		at    int
		first int
		names string
	}{
		"at once": {"sku|title\nA-1|Hive\nA-2|Frame", 0, 1, "sku|title"},
		"behind titles": {`Our spring list||
			Valid from March||
			Artikelnummer|Bezeichnung|EAN
			4711|Beute|4006381333931
			4712|Rähmchen|`, 2, 3, "Artikelnummer|Bezeichnung|EAN"},
		"above units": {`Item no.|Weight|Length|Picture
			(text)|kg|mm|max. 40 characters
			A-1|1.2|400|a.jpg
			A-2|1.4|420|b.jpg`, 0, 2, "Item no.|Weight|Length|Picture"},
		"under merged cells": {`Article||Pictures||
			Number|Name|1|2|3
			A-1|Hive|a.jpg|b.jpg|
			A-2|Frame|c.jpg||d.jpg`, 1, 2, "Number|Name|Pictures 1|Pictures 2|Pictures 3"},
		"with an empty header":   {"sku||title\nA-1|x|Hive\nA-2|y|Frame", 0, 1, "sku||title"},
		"with columns behind it": {"sku|title\nA-1|Hive|x\nA-2|Frame|y\nA-3|Jar|z", 0, 1, "sku|title|"},
		"the same five times":    {"sku|image|image|image|image|image\nA-1|a.jpg|b.jpg|||", 0, 1, "sku|image|image|image|image|image"},
	} {
		top := FindTop(grid(c.sheet))
		if top.At != c.at || top.First != c.first || strings.Join(top.Names, "|") != c.names {
			t.Errorf("%s: header %d, data from %d, %q", name, top.At, top.First, top.Names)
		}
	}
	deep := append(slices.Repeat([][]string{{"a note of many words"}}, 39), grid("sku|title\nA-1|Hive\nA-2|Frame")...)
	if top := FindTop(deep); top.At != 39 {
		t.Errorf("in row 40: found at %d", top.At)
	}
	if top := FindTop(nil); top.At != -1 {
		t.Errorf("of nothing: %+v", top)
	}
}

// TestStepsOfColumns does each step to a cell.
func TestStepsOfColumns(t *testing.T) {
	cells := []string{" a.jpg; b.jpg ;", "Tools", "", "Smokers", "ART-0045010-X"}
	for _, c := range []struct {
		column int
		steps  []CellStep
		want   string
	}{
		{0, []CellStep{{Do: Split, Arg: ";"}}, "a.jpg|b.jpg"},
		{0, []CellStep{{Do: Split, Arg: ";"}, {Do: Upper}}, "A.JPG|B.JPG"},
		{1, []CellStep{{Do: Join, Arg: " / ", Columns: []int{2, 3}}}, "Tools / Smokers"},
		{2, []CellStep{{Do: Default, Arg: "yes"}}, "yes"},
		{2, []CellStep{{Do: Constant, Arg: "cleared"}}, "cleared"},
		{4, []CellStep{{Do: Prefix, Arg: "ART-"}, {Do: Suffix, Arg: "-X"}}, "0045010"},
		{4, []CellStep{{Do: Replace, Arg: `^ART-(\d+)-\w$`, With: "$1"}}, "0045010"},
		{4, []CellStep{{Do: Lower}, {Do: Trim, Arg: "xart-"}}, "0045010"},
	} {
		ready, err := prepare(c.steps)
		if err != nil {
			t.Fatal(err)
		}
		if got, err := ready.of(cells, c.column); err != nil || strings.Join(got, "|") != c.want {
			t.Errorf("%+v: %q %v, expected %s", c.steps, got, err, c.want)
		}
	}
	for _, wrong := range [][]CellStep{{{Do: Split}}, {{Do: Replace, Arg: "("}}, {{Do: "guess"}}, slices.Repeat([]CellStep{{Do: Trim}}, 21)} {
		if _, err := prepare(wrong); err == nil {
			t.Errorf("%+v can be done", wrong)
		}
	}
	endless, err := prepare(slices.Repeat([]CellStep{{Do: Replace, Arg: ".", With: "$0$0$0$0"}}, 20))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := endless.of([]string{strings.Repeat("x", 100)}, 0); err == nil {
		t.Error("a cell grows without end")
	}
}

// TestAMappingIsUsedAgain fits a mapping to the same headers in another order, and says
// what no longer fits.
func TestAMappingIsUsedAgain(t *testing.T) {
	m := Mapping{Identity: []Field{SKU}, Columns: []Column{{Column: "Art.-Nr.", Field: SKU},
		{Column: "Kategorie", Index: 1, Field: Category, Steps: []CellStep{{Do: Join, Columns: []int{2}}}}, {Column: "Unterkategorie", Index: 2}}}
	got, whole := m.Fit([]string{"unterkategorie", "new", "ART NR", "Kategorie"})
	if !whole || got.Columns[2].Field != SKU || got.Columns[3].Field != Category ||
		got.Columns[3].Steps[0].Columns[0] != 0 || got.Columns[1].Field != "" {
		t.Errorf("fitted: %+v", got)
	}
	names := []string{"Kategorie", "Farbe"}
	if _, whole := m.Fit(names); whole {
		t.Error("a mapping without its identity is whole")
	}
	if problems := m.Problem(names); len(problems) != 2 {
		t.Errorf("%q", problems)
	}
}

// FuzzMapping maps any table: as many columns as headers, each of a known field, and
// what it proposes can be judged by.
func FuzzMapping(f *testing.F) {
	f.Add("Our list\nArtikelnummer|EAN|Bild\n4711|4006381333931|a.jpg;b.jpg")
	f.Add("sku|sku|\n\n|")
	f.Fuzz(func(t *testing.T, text string) {
		budget.Of(len(text)).Check(t, func() {
			var rows [][]string
			for line := range strings.SplitSeq(text, "\n") {
				rows = append(rows, strings.Split(line, "|"))
			}
			top := FindTop(rows)
			if top.At < 0 {
				return
			}
			m := Proposer{Known: shop().Hits, Names: shop().Names()}.Propose(top.Names, rows[top.First:])
			if len(m.Columns) != len(top.Names) {
				t.Fatalf("%d columns for %d headers", len(m.Columns), len(top.Names))
			}
			for i, c := range m.Columns {
				if c.Index != i || c.Field != "" && !c.Field.Known() || c.Evidence == "" {
					t.Errorf("column %d: %+v", i, c)
				}
			}
			if len(m.Identity) == 0 {
				return
			}
			if _, err := NewJudge(m, Choices{}); err != nil {
				t.Errorf("%q: %v", text, err)
			}
		})
	})
}
