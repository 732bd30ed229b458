package catalog

import (
	"reflect"
	"strings"
	"testing"
)

func vest(id int64, sku, title string) VariantSnapshot {
	return VariantSnapshot{ID: id, SKU: sku, Title: title, Options: []Option{{Name: "Size", Value: "M"}}}
}

// TestTakingAChangeBack takes changes of a product back: field by field, new variants
// gone, what somebody changed since left.
func TestTakingAChangeBack(t *testing.T) {
	before := Snapshot{Code: "V", Title: "Vest", Category: "Old", Variants: []VariantSnapshot{vest(1, "V-1", "one"), vest(2, "V-2", "two")}}
	after := before.Clone()
	after.Title, after.Category = "New vest", "New"
	after.Variants[0].Title, after.Variants[0].Options[0].Value = "first", "L"
	after.Variants = append(after.Variants, vest(3, "V-3", "three"))
	if before.Variants[0].Options[0].Value != "M" {
		t.Fatal("a clone shares its options")
	}
	if got := Reverse(&before, after, after); !got.Wanted.Same(before) || len(got.Kept) > 0 {
		t.Errorf("%+v", got)
	}
	now := after.Clone()
	now.Title, now.Variants[0].Title, now.Variants[2].GTIN = "By hand", "by hand", "04006381333931"
	got := Reverse(&before, after, now)
	if got.Wanted.Title != "By hand" || got.Wanted.Category != "Old" || got.Wanted.Variants[0].Title != "by hand" ||
		got.Wanted.Variants[0].Options[0].Value != "M" || len(got.Wanted.Variants) != 3 {
		t.Errorf("%+v", got.Wanted)
	}
	if said := strings.Join(got.Kept, ", "); said != "the product's title, the title of V-1, the variant V-3" {
		t.Error(said)
	}
	if got := Reverse(nil, after, after); !got.Gone {
		t.Error("a product that was made stays")
	}
	if got := Reverse(nil, after, now); got.Gone || len(got.Kept) != 1 {
		t.Errorf("a product that was changed since: %+v", got)
	}
	moved := vest(9, "X-9", "there")
	was := vest(9, "X-9", "here")
	moved.From, moved.Was = 7, &was
	with := before.Clone()
	with.Variants = append(with.Variants, moved)
	if got := Reverse(&before, with, with); got.Wanted.Variant(9).Title != "here" {
		t.Errorf("a variant that was moved: %+v", got.Wanted.Variant(9))
	}
	if !reflect.DeepEqual(with.Variant(10), (*VariantSnapshot)(nil)) || with.Variant(9) == nil {
		t.Error("variants are found by their numbers")
	}
}
