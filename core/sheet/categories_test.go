package sheet

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// TestAListOfCategories maps and judges lists of categories as shops keep them (common
// practice: an ID, a path with the names from the top, a text, a banner).
func TestAListOfCategories(t *testing.T) {
	known := NewItems([]Item{{SKU: "A-1", Code: "A", Category: "Hives / Floors"}})
	for i, c := range []CategoryItem{{Path: "Hives", Ref: "10"}, {Path: "Hives / Floors", Description: "Old"}, {Path: "Candles / Floors"},
		{Path: "Candles", Ref: "20"}, {Path: "Clothing / Veils"}} {
		c.ID = int64(i + 1)
		known.AddCategory(c)
	}
	names := []string{"Category ID", "Category path", "Description", "Banner image"}
	rows := [][]string{
		{"10", "Hives", "For bees", "hives.jpg"},
		{"11", "hives > floors", "Old", "floors.jpg"},
		{"12", "Floors", "", ""},
		{"20", "Hives", "", ""},
		{"", "Veils", "Over the face", "veils.jpg"},
		{"99", "", "", "x.jpg"},
		{"30", "Feed / Syrup", "Sweet", "syrup.jpg"},
		{"30", "Feed / Fondant", "Firm", "fondant.jpg"},
		{"20", "", "", "candles.jpg"},
		{"", "", "Of nothing", ""},
		{"41", "Labels", "", ""},
		{"42", "labels", "", ""},
	}
	m := Proposer{Known: known.Hits}.Propose(names, rows)
	var fields []string
	for _, c := range m.Columns {
		fields = append(fields, string(c.Field))
	}
	if got := fmt.Sprint(fields, m.Identity); got != "[category-id category description picture] [category-id category]" {
		t.Fatalf("mapped %s", got)
	}
	j, err := NewJudge(m, Choices{})
	if err != nil {
		t.Fatal(err)
	}
	asked := NewAsked()
	for i, r := range rows {
		j.Note(i+2, r, nil)
		j.Open(i+2, r, nil).Ask(asked)
	}
	for _, key := range []string{"hives", "veils", "hives / floors"} {
		if !asked.Keys[Category][key] || !asked.Names[key] {
			t.Errorf("%q is not asked for", key)
		}
	}
	want := []string{
		"refused Hives [category twice]: description >For bees",
		"change Hives / Floors: category-id >11",
		"refused Floors [category several]",
		"refused Candles [category another's id]",
		"change Clothing / Veils: description >Over the face",
		"refused  [category-id no such category]",
		"refused Feed / Syrup [category-id twice]",
		"refused Feed / Fondant [category-id twice]",
		"same Candles",
		"refused  [category-id no identity]",
		"refused Labels [category twice]",
		"refused labels [category twice]",
	}
	for i, r := range rows {
		got := j.Row(i+2, r, nil, known)
		line := string(got.Verdict) + " " + got.SKU
		for _, c := range got.Cells {
			line += fmt.Sprintf(" [%s %s]", c.Field, c.Kind)
		}
		for _, c := range got.Changes {
			line += fmt.Sprintf(": %s %s>%s", c.Field, c.Before, c.After)
		}
		if line != want[i] {
			t.Errorf("row %d: %s\nexpected %s", i+2, line, want[i])
		}
		if got.Owner() == "" && got.SKU != "" {
			t.Errorf("row %d is nobody's", i+2)
		}
	}
}

// TestAListOfProductsIsNoListOfCategories tells products by title with their categories
// from categories.
func TestAListOfProductsIsNoListOfCategories(t *testing.T) {
	names := []string{"Product title", "Category", "Price"}
	var rows [][]string
	for i := range 12 {
		rows = append(rows, []string{fmt.Sprintf("Fine thing no. %d", i), []string{"Hives / Floors", "Candles"}[i%2], "9.90"})
	}
	m := Proposer{}.Propose(names, rows)
	if !slices.Equal(m.Identity, []Field{Title}) {
		t.Errorf("rows are told apart by %v", m.Identity)
	}
	short := Proposer{}.Propose([]string{"Category ID", "Category path", "Description"}, [][]string{{"C1", "Hives > Floors", "Below"},
		{"C2", "Candles", "Wax"}, {"C2", "Jars", ""}, {"", "Jars", ""}})
	if !slices.Equal(short.Identity, []Field{CategoryID, Category}) || short.Columns[2].Field != Description {
		t.Errorf("a short list of categories is told apart by %v: %+v", short.Identity, short.Columns)
	}
	// Few rows, each in another category, are products still.
	few := Proposer{}.Propose(names, [][]string{{"Smoker", "Tools", "1"}, {"Veil", "Clothing", "2"}, {"Jar", "Packing", "3"}})
	if !slices.Equal(few.Identity, []Field{Title}) {
		t.Errorf("three products are told apart by %v", few.Identity)
	}
	if _, err := NewJudge(Mapping{Columns: []Column{{Column: "Text", Field: Description}}}, Choices{}); err == nil ||
		!strings.Contains(err.Error(), "no column says which product") {
		t.Errorf("a sheet of texts alone: %v", err)
	}
}
