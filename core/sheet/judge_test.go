package sheet

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/budget"
)

// shop is a small catalog with what catalogs have: zeros in front, codes like months,
// variants of one product.
func shop() *Items {
	return NewItems([]Item{
		{Product: 1, Variant: 11, SKU: "0045010", Code: "HB", Title: "Hive body", GTIN: "04006381333931", Category: "Hives / Bodies",
			Options: []catalog.Option{{Name: "Colour", Value: "natural"}}},
		{Product: 1, Variant: 12, SKU: "0045011", Code: "HB", Title: "Hive body", Codes: []string{"A-1"}, Category: "Hives / Bodies"},
		{Product: 2, Variant: 21, SKU: "MAR15", Code: "MAR15", Title: "March jar", Category: "Jars", Description: "A jar."},
		{Product: 3, Variant: 31, SKU: "SM-10", Code: "SM-10", ProductID: "900", Title: "Smoker", GTIN: "00012345678905", Category: "Tools"},
	})
}

// judgeOf maps a header by field names ("sku", "option Colour") and notes the rows.
func judgeOf(t testing.TB, choices Choices, header string, rows ...string) (*Judge, [][]string) {
	t.Helper()
	m := Mapping{}
	for i, name := range strings.Split(header, "|") {
		field, named, _ := strings.Cut(name, " ")
		m.Columns = append(m.Columns, Column{Column: name, Index: i, Field: Field(field), Name: named})
	}
	m.Identity = m.Surest()
	j, err := NewJudge(m, choices)
	if err != nil {
		t.Fatal(err)
	}
	cells := make([][]string, len(rows))
	for i, row := range rows {
		cells[i] = strings.Split(row, "|")
		j.Note(i+2, cells[i], nil)
	}
	return j, cells
}

// said is a row's judgement as text: its verdict, cells in question, changes.
func judgedAs(j Judged) string {
	text := string(j.Verdict)
	for _, c := range j.Cells {
		text += fmt.Sprintf(" [%d %s", c.Column, c.Kind)
		if len(c.Remedies) > 0 && c.Remedies[0].Do == Take {
			text += " > " + c.Remedies[0].Value
		}
		text += "]"
	}
	for _, c := range j.Changes {
		text += fmt.Sprintf(" %s%s: %s > %s", c.Field, c.Name, c.Before, c.After)
	}
	return text
}

// TestRowsAreJudgedAgainstTheCatalog holds what happens to rows as spreadsheets bring
// them (GTINs: GS1's example 4006381333931; what programs do to codes is common
// practice).
func TestRowsAreJudgedAgainstTheCatalog(t *testing.T) {
	for _, c := range []struct{ name, header, row, want string }{
		{"the same", "sku|title", "sm-10|Smoker", "same"},
		{"another Unicode form", "sku|title", "ＳＭ-10|Smoker", "same"},
		{"a change", "sku|title|category", "SM-10|Tall smoker|tools", "change title: Smoker > Tall smoker"},
		{"an option", "sku|option Colour", "0045010|amber", "change optionColour: natural > amber"},
		{"a new one", "sku|title", "SM-11|x", "make"},
		{"no identity", "sku|title", "|x", "refused [0 no identity]"},
		{"lost zeros", "sku|title", "45010|Hive body", "refused [0 spelt otherwise > 0045010]"},
		{"other separators", "sku", "SM 10", "refused [0 spelt otherwise > SM-10]"},
		{"a code made a date", "sku", "15-Mar", "refused [0 made a date > MAR15]"},
		{"a date in the code", "sku", "2026-03-15", "refused [0 made a date > MAR15]"},
		{"a power of ten", "sku", "4.00638E+12", "refused [0 lost figures]"},
		{"decimals", "sku", "0045010.0", "refused [0 lost figures > 0045010]"},
		{"hard blanks", "sku|title", "\u00a0SM-10\u200b|Smoker", "same"},
		{"curly quotes", "sku|title", "“SM-10”|Smoker", "same [0 cleaned]"},
		{"a formula's error", "sku|title", "SM-10|#N/A", "refused [1 formula error]"},
		{"the same in German", "sku|title", "SM-10|#WERT!", "refused [1 formula error]"},
		{"a wrong check digit", "sku|gtin", "SM-11|4006381333932", "refused [1 no gtin]"},
		{"a wrong one of a known", "sku|gtin", "SM-10|012345678906", "refused [1 no gtin > 00012345678905]"},
		{"another's", "sku|gtin", "SM-11|4006381333931", "refused [1 another's gtin]"},
		{"its own without zeros", "sku|gtin", "SM-10|12345678905", "refused [1 lost figures > 012345678905]"},
		{"a variant that would move", "sku|product", "SM-10|HB", "refused [1 would move > SM-10] product: SM-10 > HB"},
		{"a new variant", "sku|product", "HB-9|hb", "make"},
		{"a new variant of another category", "sku|product|category", "HB-9|HB|Tools", "make category: Hives / Bodies > Tools"},
		{"a new category", "sku|category", "SM-11|Tools > New", "make [1 new category]"},
		{"an unknown category", "sku|category-id", "SM-11|77", "refused [1 no such category]"},
		{"neither yes nor no", "sku|retire", "SM-10|perhaps", "refused [1 not yes or no]"},
		{"retired", "sku|retire", "SM-10|ja", "change retire: no > yes"},
		{"no place", "sku|picture|place", "SM-10|a.jpg|first", "refused [2 no place]"},
		{"a document", "sku|picture", "SM-10|list.pdf", "same [1 no picture]"},
		{"a private address", "sku|picture", "SM-10|http://192.168.1.4/a.jpg", "same [1 private address]"},
		{"loopback", "sku|picture", "SM-10|http://[::1]/a.jpg", "same [1 private address]"},
		{"by the GTIN", "gtin|title", "4006381333931|Hive", "change title: Hive body > Hive"},
		{"by the product's ID", "product-id|title", "900|Smoker", "same"},
		{"by a further code", "code|title", "a-1|Hive body", "same"},
		{"by the title", "title|category", "smoker|Tools", "same"},
		{"by a title of several", "title|category", "hive body|Tools", "refused [0 several]"},
		{"a new GTIN without a SKU", "gtin|title", "96385074|New", "refused [0 no sku]"},
		{"a new title without a SKU", "title|category", "New|Tools", "refused [0 no sku]"},
		{"a new product by its code", "product|title", "N|New", "make"},
		{"a product called like another's variant", "product|title", "0045010|New", "refused [0 another's sku]"},
		{"the ID of another product", "sku|product-id", "N-1|900", "refused [1 another's id]"},
		{"its own ID", "sku|product-id", "SM-10|900", "same"},
		{"a product as a whole", "product|category", "HB|Hives", "change [1 new category] category: Hives / Bodies > Hives"},
		{"too many cells", "sku|title", "SM-10|Smoker|x", "refused [-1 out of place]"},
		{"empty cells more", "sku|title", "SM-10|Smoker| |", "same"},
		{"a cell of a book", "sku|title", "SM-10|" + strings.Repeat("x", MaxCell+1), "refused [1 too long]"},
	} {
		j, rows := judgeOf(t, Choices{}, c.header, c.row)
		if got := judgedAs(j.Row(2, rows[0], nil, shop())); got != c.want {
			t.Errorf("%s: %.200s\nexpected %s", c.name, got, c.want)
		}
	}
}

// TestRowsThatSayTheSame judges rows that stand twice: they are one where the sheet
// lists pictures and they agree.
func TestRowsThatSayTheSame(t *testing.T) {
	for _, c := range []struct {
		header string
		rows   []string
		want   []string
	}{
		{"sku|title|picture", []string{"N-1|New|a.jpg", "N-1||b.jpg"}, []string{"make", "make"}},
		{"sku|title|picture", []string{"N-1|New|a.jpg", "n-1|Other|b.jpg"}, []string{"refused [0 twice]", "refused [0 twice]"}},
		{"sku|title", []string{"N-1|New", "N-1|New"}, []string{"make", "refused [0 twice]"}},
		{"sku|gtin", []string{"N-1|96385074", "N-2|96385074"}, []string{"refused [1 another's gtin]", "refused [1 another's gtin]"}},
		{"sku|picture", []string{"N-1|a.jpg", "N-2|A.JPG"}, []string{"make [1 named for another]", "make [1 named for another]"}},
		{"sku|product-id", []string{"N-1|7", "N-2|7"}, []string{"refused [1 another's id]", "refused [1 another's id]"}},
		{"sku|product|product-id", []string{"N-1|N|7", "N-2|N|7"}, []string{"make", "make"}},
		{"sku|product|category", []string{"N-1|N|Jars", "N-2|N|Tools"}, []string{"make", "refused [2 twice]"}},
	} {
		j, rows := judgeOf(t, Choices{}, c.header, c.rows...)
		for i := range rows {
			if got := judgedAs(j.Row(i+2, rows[i], nil, shop())); got != c.want[i] {
				t.Errorf("%s, row %d of %q: %s, expected %s", c.header, i+2, c.rows, got, c.want[i])
			}
		}
	}
}

// TestPicturesAreLookedFor finds the pictures that rows name: in any case, with or without
// ending, in any folder; two of one name are told, and one that did not come.
func TestPicturesAreLookedFor(t *testing.T) {
	known := shop()
	known.AddFiles(LibraryFile{Path: "sm_10.jpg", Sum: "a", Lot: "first"}, LibraryFile{Path: "sm_10.jpg", Sum: "a", Lot: "second"},
		LibraryFile{Path: "sm_11.png", Sum: "b", Lot: "first"}, LibraryFile{Path: "sm_12.jpg", Sum: "c", Lot: "first"},
		LibraryFile{Path: "sm_12.jpg", Sum: "d", Lot: "second"}, LibraryFile{Path: "sm_13.tif", Sum: "e", Lot: "first"},
		LibraryFile{Path: "sm_13.jpg", Sum: "f", Lot: "first"})
	for name, want := range map[string]string{
		"SM_10.JPG": "same", `C:\pictures\sm_10.jpg`: "same", "images/sm_10": "same", "sm_11.jpg": "same", "sm_13.tif": "same",
		"sm_13": "same [1 contested > first/sm_13.tif]", "sm_12.jpg": "same [1 contested > first/sm_12.jpg]", "sm_99.jpg": "same [1 missing]",
		"second/sm_12.jpg": "same", `FIRST\SM_12`: "same", "third/sm_12.jpg": "same [1 contested > first/sm_12.jpg]",
	} {
		j, rows := judgeOf(t, Choices{}, "sku|picture", "SM-10|"+name)
		if got := judgedAs(j.Row(2, rows[0], nil, known)); got != want {
			t.Errorf("%s: %s, expected %s", name, got, want)
		}
	}
}

// TestContestedNamesAreChosen offers each file that a cell may mean, and takes the one that
// is chosen, in a cell of several names, too; not for all alike, since none is the surest.
func TestContestedNamesAreChosen(t *testing.T) {
	known := shop()
	known.AddFiles(LibraryFile{Path: "raw/sm_10.jpg", Sum: "a", Lot: "May"}, LibraryFile{Path: "cut/SM_10.jpg", Sum: "b", Lot: "May"},
		LibraryFile{Path: "sm_10.jpg", Sum: "c", Lot: "Reshoot; June"}, LibraryFile{Path: "sm_11.jpg", Sum: "d", Lot: "May"},
		LibraryFile{Path: "sm_11.jpg", Sum: "e", Lot: "May"})
	j, rows := judgeOf(t, Choices{}, "sku|picture", "SM-10|sm_10.jpg; sm_11")
	j.columns[1].steps.list = []CellStep{{Do: Split, Arg: ";"}}
	judged := j.Row(2, rows[0], nil, known)
	var offered []string
	for _, remedy := range judged.Cells[0].Remedies {
		offered = append(offered, remedy.Value)
	}
	want := []string{"May/raw/sm_10.jpg; sm_11", "May/cut/SM_10.jpg; sm_11"} // the other lot's name would be split
	if !slices.Equal(offered, want) {
		t.Fatalf("offered %q, expected %q", offered, want)
	}
	if both := judged.Cells[1]; both.Kind != Contested || len(both.Remedies) > 0 {
		t.Errorf("two files of one path in one lot cannot be told apart by name, offered %+v", both)
	}
	if edits, done := Mend(nil, judged.Cells[0], Take); done {
		t.Errorf("one of several was taken unseen: %+v", edits)
	}
	judged = j.Row(2, rows[0], []CellEdit{{Column: 1, Value: &want[1]}}, known)
	if got := judgedAs(judged); got != "same [1 contested]" || judged.Wanted.Pictures[0].Name != "May/cut/SM_10.jpg" {
		t.Errorf("%s with %+v, expected the first name settled", got, judged.Wanted.Pictures)
	}
}

// TestChoicesAndEdits skips, clears, and takes what a person did to a row.
func TestChoicesAndEdits(t *testing.T) {
	text := func(s string) *string { return &s }
	for _, c := range []struct {
		choices Choices
		row     string
		edits   []CellEdit
		want    string
	}{
		{Choices{New: DoSkip}, "N-1|New|", nil, "skipped"},
		{Choices{Known: DoSkip}, "SM-10|New|", nil, "skipped title: Smoker > New"},
		{Choices{}, "MAR15|March jar|", nil, "same"},
		{Choices{Empty: DoClear}, "MAR15||", nil, "change description: A jar. > "},
		{Choices{}, "45010|Hive body|", []CellEdit{{Column: 0, Value: text("0045010")}}, "same"},
		{Choices{}, "45010|Other|", []CellEdit{{Column: 0, Kept: Spelling}}, "make"},
		{Choices{}, "45010|Other|", []CellEdit{{Column: -1, Left: true}}, "skipped [0 spelt otherwise > 0045010]"},
		{Choices{}, "SM-10", []CellEdit{{Column: 2, Value: text("Warm")}}, "change description:  > Warm"},
	} {
		j, rows := judgeOf(t, c.choices, "sku|title|description", c.row)
		if got := judgedAs(j.Row(2, rows[0], c.edits, shop())); got != c.want {
			t.Errorf("%q with %+v, %+v: %s, expected %s", c.row, c.choices, c.edits, got, c.want)
		}
	}
}

// TestEachRemedyMends takes the first remedy of every cell in question until nothing is
// refused.
func TestEachRemedyMends(t *testing.T) {
	for _, row := range []string{"45010|HB|Hive body|12345678905|", "15-Mar|MAR15|x|4006381333931|perhaps", "SM-10|HB|#REF!|1|ja"} {
		j, rows := judgeOf(t, Choices{}, "sku|product|title|gtin|retire", row)
		var edits []CellEdit
		for range 10 {
			judged := j.Row(2, rows[0], edits, shop())
			at := slices.IndexFunc(judged.Cells, func(c Judgement) bool { return c.Refuses })
			if at < 0 {
				break
			}
			edits, _ = Mend(edits, judged.Cells[at], judged.Cells[at].Remedies[0].Do)
		}
		if got := j.Row(2, rows[0], edits, shop()); got.Verdict == Refused {
			t.Errorf("%s: %s after %+v", row, judgedAs(got), edits)
		}
	}
}

// TestTheOrderOfColumnsDoesNotMatter judges random rows by columns in any order: the
// same verdict, changes and reasons.
func TestTheOrderOfColumnsDoesNotMatter(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 11))
	fields := []string{"sku", "product", "title", "gtin", "category", "option Colour", "retire"}
	values := [][]string{{"SM-10", "45010", "N-1", ""}, {"HB", "SM-10", ""}, {"Smoker", "x", "#N/A"}, {"4006381333931", "1", ""},
		{"Tools", "New", ""}, {"natural", "red", ""}, {"ja", "nein", "?"}}
	for range 300 {
		row := make([]string, len(fields))
		for i := range fields {
			row[i] = values[i][r.IntN(len(values[i]))]
		}
		order := r.Perm(len(fields))
		var header, moved []string
		for _, i := range order {
			header, moved = append(header, fields[i]), append(moved, row[i])
		}
		one, rows := judgeOf(t, Choices{}, strings.Join(fields, "|"), strings.Join(row, "|"))
		other, movedRows := judgeOf(t, Choices{}, strings.Join(header, "|"), strings.Join(moved, "|"))
		a, b := one.Row(2, rows[0], nil, shop()), other.Row(2, movedRows[0], nil, shop())
		if a.Verdict != b.Verdict || !reflect.DeepEqual(a.Changes, b.Changes) || len(a.Cells) != len(b.Cells) {
			t.Fatalf("%q: %s, by other columns %s", row, judgedAs(a), judgedAs(b))
		}
	}
}

// TestWhatAnImportWrites applies judged rows to products as they stand: new products
// and variants, changes, a variant that moves.
func TestWhatAnImportWrites(t *testing.T) {
	j, rows := judgeOf(t, Choices{}, "sku|product|title|gtin|option Colour", "N-1|N|New|96385074|red", "N-2|N|New||blue",
		"0045010|HB|Hive body||amber", "SM-10|HB|Smoker||")
	standing := Standing{"hb": {ID: 1, Was: &catalog.Snapshot{Code: "HB"}, Is: catalog.Snapshot{Code: "HB", Title: "Hive body",
		Variants: []catalog.VariantSnapshot{{ID: 11, SKU: "0045010", Options: []catalog.Option{{Name: "Colour", Value: "natural"}}}}}},
		"sm-10": {ID: 3, Was: &catalog.Snapshot{Code: "SM-10"}, Is: catalog.Snapshot{Code: "SM-10", Title: "Smoker",
			Variants: []catalog.VariantSnapshot{{ID: 31, SKU: "SM-10"}}}}}
	var judged []Judged
	for i := range rows {
		edits := []CellEdit{{Column: 1, Kept: Moves}}
		judged = append(judged, j.Row(i+2, rows[i], edits, shop()))
	}
	Apply(judged, standing)
	made := standing["n"].Is
	if made.Title != "New" || len(made.Variants) != 2 || made.Variants[0].GTIN != "00000096385074" || made.Variants[1].SKU != "N-2" {
		t.Errorf("made: %+v", made)
	}
	hb := standing["hb"].Is
	if len(hb.Variants) != 2 || hb.Variants[0].Options[0].Value != "amber" || hb.Variants[1].From != 3 ||
		len(standing["sm-10"].Is.Variants) != 0 {
		t.Errorf("hb: %+v, sm-10: %+v", hb, standing["sm-10"].Is)
	}
}

// FuzzRow judges any row by any steps: every cell in question is one of the sheet's,
// and judging ends.
func FuzzRow(f *testing.F) {
	f.Add("SM-10|HB|Smoker|4006381333931|a.jpg;b.jpg|http://[::1|ja", ";", "(a)|b")
	f.Add("45010\x00|\xff|15-Mar|1E+5|\u200b|#N/A", "|", "*")
	f.Fuzz(func(t *testing.T, row, separator, pattern string) {
		budget.Of(len(row)+len(separator)+len(pattern)).Check(t, func() {
			m := Mapping{Identity: []Field{SKU}}
			for i, field := range []Field{SKU, Product, Title, GTIN, Picture, Category, Retire} {
				c := Column{Column: string(field), Index: i, Field: field}
				if field == Picture {
					c.Steps = []CellStep{{Do: Split, Arg: separator}, {Do: Replace, Arg: pattern, With: "$0$0"}, {Do: Join, Columns: []int{-1, 0, 99}}}
				}
				m.Columns = append(m.Columns, c)
			}
			j, err := NewJudge(m, Choices{Empty: DoClear})
			if err != nil {
				return
			}
			cells := strings.Split(row, "|")
			j.Note(1, cells, nil)
			j.Open(1, cells, nil).Ask(NewAsked())
			judged := j.Row(1, cells, nil, shop())
			for _, c := range judged.Cells {
				if c.Column < -1 || c.Column >= len(m.Columns) || c.Reason == "" {
					t.Errorf("%q: %+v", row, c)
				}
			}
		})
	})
}

// TestSeveralIdentitiesInOrder tells rows apart by their SKU, and where that is empty by their
// GTIN, then by their title.
func TestSeveralIdentitiesInOrder(t *testing.T) {
	m := Mapping{Identity: []Field{SKU, GTIN, Title}, Columns: []Column{{Column: "SKU", Field: SKU}, {Column: "EAN", Index: 1, Field: GTIN},
		{Column: "Title", Index: 2, Field: Title}, {Column: "Picture", Index: 3, Field: Picture}}}
	j, err := NewJudge(m, Usual)
	if err != nil {
		t.Fatal(err)
	}
	known := NewItems([]Item{
		{Product: 1, Variant: 10, SKU: "HB-1", Code: "HB", Title: "Hive", GTIN: "04006381333931"},
		{Product: 2, Variant: 20, SKU: "SM-2", Code: "SM", Title: "Smoker", GTIN: "00036000291452"},
		{Product: 3, Variant: 30, SKU: "JR-3", Code: "JR", Title: "Jar"},
	})
	for i, c := range []struct {
		cells   []string
		variant int64
	}{
		{[]string{"HB-1", "", "", "a.jpg"}, 10},
		{[]string{"", "036000291452", "", "b.jpg"}, 20},
		{[]string{"", "", "jar", "c.jpg"}, 30},
		{[]string{"HB-1", "036000291452", "", "d.jpg"}, 10}, // the first that holds something
		{[]string{"", "", "", "e.jpg"}, 0},
	} {
		row := j.Row(i+2, c.cells, nil, known)
		variant := int64(0)
		if row.Wanted.Item != nil {
			variant = row.Wanted.Item.Variant
		}
		if variant != c.variant || (c.variant == 0) != (row.Verdict == Refused && row.Cells[0].Kind == NoIdentity) {
			t.Errorf("%q is about %d: %s %+v", c.cells, variant, row.Verdict, row.Cells)
		}
	}
}
