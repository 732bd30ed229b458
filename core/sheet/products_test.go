package sheet

import (
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/budget"
)

func header(t *testing.T, names ...string) ProductColumns {
	t.Helper()
	columns, err := ReadHeader(names)
	if err != nil {
		t.Fatal(err)
	}
	return columns
}

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
		_, err := ReadHeader(c.header)
		switch {
		case err == nil && c.wrong != "":
			t.Errorf("%q: taken, expected %s", c.header, c.wrong)
		case err != nil && (c.wrong == "" || !strings.Contains(err.Error(), c.wrong)):
			t.Errorf("%q: %v, expected %q", c.header, err, c.wrong)
		}
	}
}

func TestAHeaderOfManyColumnsIsCutInTheMessage(t *testing.T) {
	_, err := ReadHeader(slices.Repeat([]string{strings.Repeat("wide ", 100)}, 5000))
	if err == nil || len(err.Error()) > 3000 {
		t.Errorf("the message has %d bytes", len(err.Error()))
	}
}

func TestRowsAreJudged(t *testing.T) {
	columns := header(t, "sku", "product", "title", "gtin", "category", "codes", "Size", "", "Colour")
	row, problems := columns.Judge(
		[]string{" HB-10-S ", "HB-10", "Hive body", "4006381333931", "Hives > Bodies /  Deep", "A1| B2 |A1|", "8 frame", "no name", " "},
		2,
	)
	if len(problems) != 0 {
		t.Fatalf("problems: %+v", problems)
	}
	// 4006381333931 is the worked example of an EAN-13 in general use; 14 digits by the GS1 General Specifications.
	if row.SKU != "HB-10-S" || row.GTIN != "04006381333931" || row.Category != "Hives / Bodies / Deep" {
		t.Errorf("row: %+v", row)
	}
	if !slices.Equal(row.Codes, []string{"A1", "B2"}) {
		t.Errorf("codes: %q", row.Codes)
	}
	if !slices.Equal(row.Options, []catalog.Option{{Name: "Size", Value: "8 frame"}}) {
		t.Errorf("options: %+v", row.Options)
	}
}

func TestRowsWithTrouble(t *testing.T) {
	columns := header(t, "sku", "title", "gtin")
	for _, c := range []struct {
		name           string
		cells          []string
		column, reason string
		kept           bool
	}{
		{"no SKU", []string{" ", "Smoker"}, "sku", "the SKU is empty", false},
		{"no cell at all", nil, "sku", "the SKU is empty", false},
		{"a bad check digit costs the cell only", []string{"A1", "", "4006381333932"}, "gtin", "check digit", true},
		{"letters in a GTIN", []string{"A1", "", "40063813339AB"}, "gtin", "", true},
		{"a spreadsheet's number format", []string{"A1", "", "4.00638E+12"}, "gtin", "", true},
		{"too many cells", []string{"A1", "Smoker, large", "", "x"}, "", "4 cells, the header 3", false},
		{"a cell without end", []string{"A1", strings.Repeat("x", 1_000_000)}, "title", "1000000 characters", false},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, problems := columns.Judge(c.cells, 7)
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

// FuzzJudge expects that any row is judged without trouble, and that a row
// that is taken has a SKU and a GTIN of 14 digits or none.
func FuzzJudge(f *testing.F) {
	f.Add("sku,gtin,x", "A1,4006381333931,b")
	f.Add("\ufeffSKU,,", "\xff\xfe,,,")
	f.Fuzz(func(t *testing.T, head, body string) {
		budget.Of(len(head)+len(body)).Check(t, func() {
			columns, err := ReadHeader(strings.Split(head, ","))
			if err != nil {
				return
			}
			row, problems := columns.Judge(strings.Split(body, ","), 2)
			for _, p := range problems {
				if !p.Kept {
					return
				}
			}
			if row.SKU == "" || (row.GTIN != "" && len(row.GTIN) != 14) {
				t.Errorf("taken: %+v", row)
			}
		})
	})
}
