package pairing

import (
	"fmt"
	"slices"
	"testing"

	"ambrosa/core/gtin"
)

// TestSlipsInBarcodesAreSuggested makes the slips that people make with numbers
// in the GTIN of the worked example of the GS1 General Specifications' check
// digit calculation (6291041500213), and in shorter ones: each time the product
// is suggested, and never paired.
func TestSlipsInBarcodesAreSuggested(t *testing.T) {
	items := []Item{
		{SKU: "JR-1", GTIN: "6291041500213"},
		{SKU: "JR-2", GTIN: "4006381333931"},
		{SKU: "JR-8", GTIN: "96385074"},
		{SKU: "JR-12", GTIN: "036000291452"},
	}
	c := NewCatalog(items)
	for _, s := range []struct {
		name, sku string
		distance  int
	}{
		{"ean/6291041500210.jpg", "JR-1", 1},         // the check digit
		{"ean/6291041500113.jpg", "JR-1", 1},         // one figure
		{"ean/6291041500123.jpg", "JR-1", 2},         // neighbours changed places
		{"ean/629104150213.jpg", "JR-1", 1},          // one is missing
		{"ean/62910415000213.jpg", "JR-1", 1},        // one too many
		{"ean/6291041500210_2 front.jpg", "JR-1", 1}, // with a place and a view
		{"ean/96385073.jpg", "JR-8", 1},              // eight figures
		{"ean/0036000291453.jpg", "JR-12", 1},        // twelve, written with thirteen
		{"ean/4006381333930 (1).jpg", "JR-2", 1},
	} {
		verdicts, err := Lot(c, DefaultClues(), []string{s.name}, true)
		if err != nil || verdicts[0].Kind == Paired {
			t.Errorf("%s is paired (%v)", s.name, err)
		}
		near := c.Nearest(s.name, 3)
		if len(near) == 0 || c.SKU(near[0].Target.Item) != s.sku || near[0].Distance != s.distance {
			t.Errorf("%s: %+v, expected %s at %d", s.name, near, s.sku, s.distance)
			continue
		}
		off := 0
		for _, e := range near[0].Edits {
			if !e.Same() {
				off++
			}
		}
		if off != s.distance {
			t.Errorf("%s: %d characters are marked, %d differ", s.name, off, s.distance)
		}
	}
	if near := c.Nearest("ean/5901234123457.jpg", 3); len(near) != 0 {
		t.Errorf("another barcode altogether: %+v", near)
	}
}

// TestNearBarcodesAgainstAPlainSearch compares with comparing every GTIN of a
// larger catalog.
func TestNearBarcodesAgainstAPlainSearch(t *testing.T) {
	var items []Item
	for n := range 1000 {
		digits := fmt.Sprintf("20%010d", n*7919%100_000)
		items = append(items, Item{SKU: fmt.Sprintf("S-%d", n), GTIN: digits + string(gtin.CheckDigit(digits))})
	}
	c := NewCatalog(items)
	found := 0
	for n := range 140 {
		read := []byte(items[n*7].GTIN)
		read[n%13] = '0' + (read[n%13]-'0'+byte(1+n%9))%10
		var want, got []string
		for _, item := range items {
			if plainSlips(item.GTIN, string(read)) <= slip {
				want = append(want, item.SKU)
			}
		}
		for _, s := range c.nearBarcodes(token{string(read), string(read), 1}) {
			if s.Fit >= 1-1.0/13 {
				got = append(got, c.SKU(s.Target.Item))
			}
		}
		slices.Sort(want)
		slices.Sort(got)
		if !slices.Equal(got, want) {
			t.Fatalf("%s: %v, comparing with all gives %v", read, got, want)
		}
		found += len(got)
	}
	if found < 140 {
		t.Errorf("only %d were found: the test says little", found)
	}
}
