package sheet

import (
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/budget"
)

func TestHeaders(t *testing.T) {
	for _, c := range []struct {
		header []string
		wrong  string // part of the error; "" when the header can be used
	}{
		{[]string{"sku"}, ""},
		{[]string{"\ufeffSKU", "Title"}, ""},
		{[]string{"Item_Number", "EAN-13", "Category Path"}, ""},
		{[]string{"title", "gtin"}, `no column "sku"`},
		{[]string{"sku", "Article number"}, `"sku" and "Article number" both mean sku`},
		{[]string{"sku;title;gtin"}, `no column "sku" among "sku;title;gtin"`},
		{nil, `no column "sku"`},
	} {
		_, err := ByHeader(c.header, 1)
		switch {
		case err == nil && c.wrong != "":
			t.Errorf("%q: taken, expected %s", c.header, c.wrong)
		case err != nil && (c.wrong == "" || !strings.Contains(err.Error(), c.wrong)):
			t.Errorf("%q: %v, expected %q", c.header, err, c.wrong)
		}
	}
}

func TestAHeaderOfManyColumnsIsCutInTheMessage(t *testing.T) {
	_, err := ByHeader(slices.Repeat([]string{strings.Repeat("wide ", 100)}, 5000), 1)
	if err == nil || len(err.Error()) > 3000 {
		t.Errorf("the message has %d bytes", len(err.Error()))
	}
}

// sent judges a row that a program sends below a header, with a catalog that has nothing.
func sent(t *testing.T, header []string, cells ...string) (Judged, []RowProblem) {
	t.Helper()
	m, err := ByHeader(header, 1)
	if err != nil {
		t.Fatal(err)
	}
	judge, err := NewJudge(m, Usual)
	if err != nil {
		t.Fatal(err)
	}
	judge.Note(7, cells, nil)
	j := judge.Row(7, cells, nil, &Items{})
	return j, m.ProblemsOf(j)
}

func TestWhatAProgramSends(t *testing.T) {
	j, problems := sent(t, []string{"sku", "product", "title", "gtin", "category", "codes", "Size", "", "Colour"},
		" HB-10-S ", "HB-10", "Hive body", "4006381333931", "Hives > Bodies /  Deep", "A1| B2 |A1|", "8 frame", "no name", " ")
	if len(problems) != 0 || j.Verdict != Make {
		t.Fatalf("%s: %+v", j.Verdict, problems)
	}
	// 4006381333931 is the worked example of an EAN-13 in general use; 14 digits by the GS1 General Specifications.
	w := j.Wanted
	if w.SKU != "HB-10-S" || w.Product != "HB-10" || w.Title != "Hive body" || w.GTIN != "04006381333931" ||
		w.Category != "Hives / Bodies / Deep" || !slices.Equal(w.Codes, []string{"A1", "B2"}) ||
		!slices.Equal(w.Options, []catalog.Option{{Name: "Size", Value: "8 frame"}}) {
		t.Errorf("%+v", w)
	}
}

func TestWhatAProgramSendsWithTrouble(t *testing.T) {
	for _, c := range []struct {
		name           string
		cells          []string
		column, reason string
		kept           bool
	}{
		{"no SKU", []string{" ", "Smoker"}, "sku", "empty", false},
		{"no cell at all", nil, "sku", "empty", false},
		{"a bad check digit", []string{"A1", "", "4006381333932"}, "gtin", "check digit", false},
		{"letters in a GTIN", []string{"A1", "", "40063813339AB"}, "gtin", "digits", false},
		{"a spreadsheet's number format", []string{"A1", "", "4.00638E+12"}, "gtin", "figures are lost", false},
		{"too many cells", []string{"A1", "Smoker, large", "", "x"}, "", "4 cells, the header 3", false},
		{"a cell without end", []string{"A1", strings.Repeat("x", MaxCell+1)}, "title", "10001 characters", false},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, problems := sent(t, []string{"sku", "title", "gtin"}, c.cells...)
			if len(problems) != 1 {
				t.Fatalf("%d problems: %+v", len(problems), problems)
			}
			p := problems[0]
			if p.Row != 7 || p.Column != c.column || p.Kept != c.kept || !strings.Contains(p.Reason, c.reason) || p.Reason == "" {
				t.Errorf("%+v", p)
			}
			if len(p.Value) > 300 {
				t.Errorf("the value is shown with %d bytes", len(p.Value))
			}
		})
	}
}

// FuzzSent expects that any row is judged without trouble, and that a row that is taken has a SKU.
func FuzzSent(f *testing.F) {
	f.Add("sku,gtin,x", "A1,4006381333931,b")
	f.Add("\ufeffSKU,,", "\xff\xfe,,,")
	f.Fuzz(func(t *testing.T, head, body string) {
		budget.Of(len(head)+len(body)).Check(t, func() {
			if _, err := ByHeader(strings.Split(head, ","), 1); err != nil {
				return
			}
			if j, problems := sent(t, strings.Split(head, ","), strings.Split(body, ",")...); j.Verdict == Make && j.SKU == "" {
				t.Errorf("taken: %+v, %+v", j, problems)
			}
		})
	})
}
