package pairing

import (
	"strings"
	"testing"
)

// TestWhatTheSourceSays weighs it beside what names say. The numbers are made
// up with right GS1 check digits.
func TestWhatTheSourceSays(t *testing.T) {
	c := NewCatalog([]Item{
		{SKU: "HB-10-S", Product: "HB-10", Title: "Hive", GTIN: "2000000000121"},
		{SKU: "HB-10-L", Product: "HB-10", Title: "Hive", GTIN: "2000000000138"},
		{SKU: "JR/250", Product: "JR/250", Title: "Jar", GTIN: "2000000000145"},
		{SKU: "LD-1", Product: "LD-1", Title: "Lid", GTIN: "2000000000176"},
		{SKU: "LD-2", Product: "LD-2", Title: "Lid", GTIN: "2000000000176"},
	})
	name := func(target Target) string {
		switch {
		case target.Item >= 0:
			return []string{"HB-10-S", "HB-10-L", "JR/250", "LD-1", "LD-2"}[target.Item]
		case target.Product >= 0:
			return "product"
		}
		return ""
	}
	for title, x := range map[string]struct {
		path   string
		said   Said
		kind   VerdictKind
		target string
		says   string
	}{
		"a loose file, by SKU":                {"photo one.jpg", Said{SKU: "HB-10-S"}, Paired, "HB-10-S", "its source says HB-10-S"},
		"a loose file, by barcode":            {"photo one.jpg", Said{Barcode: "200-0000 000138"}, Paired, "HB-10-L", "says"},
		"the SKU with a slash":                {"photo one.jpg", Said{SKU: "jr/250"}, Paired, "JR/250", "says"},
		"the barcode before the SKU":          {"photo one.jpg", Said{SKU: "HB-10-S", Barcode: "2000000000145"}, Paired, "JR/250", "says"},
		"a wrong check digit says nothing":    {"photo one.jpg", Said{Barcode: "2000000000146"}, Loose, "", "no key found"},
		"an unknown SKU says nothing":         {"photo one.jpg", Said{SKU: "XX-9"}, Loose, "", "no key found"},
		"more than a SKU says nothing":        {"photo one.jpg", Said{SKU: "instead of HB-10-S take"}, Loose, "", "no key found"},
		"the same as the name":                {"HB-10-S.jpg", Said{SKU: "HB-10-S"}, Paired, "HB-10-S", "the whole name"},
		"the variant where the name has none": {"HB-10.jpg", Said{SKU: "HB-10-L"}, Paired, "HB-10-L", ""},
		"against the name": {"HB-10-S.jpg", Said{SKU: "JR/250"}, Contested, "", "its name holds HB-10-S, its source says " +
			"JR/250"},
		"settles who claims it":        {"HB-10-S 2000000000145.jpg", Said{SKU: "JR/250"}, Paired, "JR/250", "of those that claim it"},
		"looked up, whatever the name": {"HB-10-S.jpg", Said{Barcode: "2000000000145", Only: true}, Paired, "JR/250", "looked up"},
		"looked up, and two have it":   {"LD-1.jpg", Said{Barcode: "2000000000176", Only: true}, Contested, "", "which several products have"},
		"looked up for nobody":         {"HB-10-S.jpg", Said{Barcode: "2000000000169", Only: true}, Loose, "", "which no product has"},
		"looked up, a SKU does not count": {"HB-10-S.jpg", Said{SKU: "HB-10-S", Barcode: "nonsense", Only: true}, Loose, "",
			"which no product has"},
	} {
		verdicts, err := Lot(c, DefaultClues(), []string{x.path}, false)
		if err != nil {
			t.Fatal(err)
		}
		v := verdicts[0]
		NewListener(c).Heed(&v, x.said)
		if v.Kind != x.kind || name(v.Target) != x.target || !strings.Contains(v.Reason, x.says) {
			t.Errorf("%s: %s %q %q, expected %s %q %q", title, v.Kind, name(v.Target), v.Reason, x.kind, x.target, x.says)
		}
	}
}
