// Package catalog holds what a catalog is made of: products, variants and
// categories, and what pictures can stand on.
package catalog

import (
	"cmp"
	"fmt"
)

// Kind is a kind of thing that pictures stand on.
type Kind string

// The kinds of targets.
const (
	KindProduct  Kind = "product"
	KindVariant  Kind = "variant"
	KindCategory Kind = "category"
)

// Target is what a picture can stand on: a product as a whole, one of its
// variants, or a category. The zero Target is none.
type Target struct {
	Kind Kind  `json:"kind" enum:"product,variant,category"`
	ID   int64 `json:"id" minimum:"1"`
}

// Product is the product as a whole.
func Product(id int64) Target { return Target{KindProduct, id} }

// Variant is one variant of a product.
func Variant(id int64) Target { return Target{KindVariant, id} }

// Category is a category.
func Category(id int64) Target { return Target{KindCategory, id} }

// TargetOf is a product, or the variant of it when variant is not 0; none when
// both are 0.
func TargetOf(product, variant int64) Target {
	switch {
	case variant != 0:
		return Variant(variant)
	case product != 0:
		return Product(product)
	}
	return Target{}
}

// None tells whether t is no target.
func (t Target) None() bool { return t == Target{} }

// Valid tells whether t is of a known kind and has a number.
func (t Target) Valid() bool {
	return t.ID > 0 && (t.Kind == KindProduct || t.Kind == KindVariant || t.Kind == KindCategory)
}

// String names t for messages and logs, as "variant 12".
func (t Target) String() string { return fmt.Sprintf("%s %d", t.Kind, t.ID) }

// Compare orders targets: a product before its variants, categories by
// themselves; each kind by number.
func (t Target) Compare(o Target) int {
	return cmp.Or(cmp.Compare(t.rank(), o.rank()), cmp.Compare(t.ID, o.ID))
}

func (t Target) rank() int {
	switch t.Kind {
	case KindProduct:
		return 0
	case KindVariant:
		return 1
	default:
		return 2
	}
}
