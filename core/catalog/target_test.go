package catalog

import (
	"slices"
	"testing"
)

func TestTargets(t *testing.T) {
	if !(Target{}).None() || TargetOf(3, 0) != Product(3) || TargetOf(3, 5) != Variant(5) || !TargetOf(0, 0).None() {
		t.Error("what a product and variant name")
	}
	for _, bad := range []Target{{}, {Kind: "shelf", ID: 1}, {Kind: KindProduct}, {Kind: KindVariant, ID: -4}} {
		if bad.Valid() {
			t.Errorf("%+v is taken for a target", bad)
		}
	}
	list := []Target{Category(1), Variant(9), Product(2), Variant(4), Product(1)}
	slices.SortFunc(list, Target.Compare)
	want := []Target{Product(1), Product(2), Variant(4), Variant(9), Category(1)}
	if !slices.Equal(list, want) {
		t.Errorf("in order: %v", list)
	}
	if Variant(12).String() != "variant 12" {
		t.Error(Variant(12))
	}
}
