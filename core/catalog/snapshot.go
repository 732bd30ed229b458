package catalog

import (
	"fmt"
	"reflect"
	"slices"
)

// Snapshot is all that a sheet, or a person by hand, can change of a product and its
// variants.
type Snapshot struct {
	Code     string            `json:"code"`
	Ref      string            `json:"ref,omitempty"` // its ID in another system
	Title    string            `json:"title"`
	Category string            `json:"category,omitempty"` // path
	Variants []VariantSnapshot `json:"variants"`
}

// VariantSnapshot is that of one variant.
type VariantSnapshot struct {
	ID          int64    `json:"id"` // 0 for one that is to be made
	SKU         string   `json:"sku"`
	Title       string   `json:"title,omitempty"`
	Description string   `json:"description,omitempty"`
	GTIN        string   `json:"gtin,omitempty"`
	Codes       []string `json:"codes,omitempty"`
	Options     []Option `json:"options,omitempty"`
	Attributes  []Option `json:"attributes,omitempty"`
	Retired     bool     `json:"retired,omitempty"`
	Position    int      `json:"position"`
	From        int64    `json:"from,omitempty"` // the product that it was moved from
	// Was is what it was there.
	Was *VariantSnapshot `json:"was,omitempty"`
}

// Clone returns a copy that can be changed by itself.
func (s Snapshot) Clone() Snapshot {
	s.Variants = slices.Clone(s.Variants)
	for i := range s.Variants {
		v := &s.Variants[i]
		v.Codes, v.Options, v.Attributes = slices.Clone(v.Codes), slices.Clone(v.Options), slices.Clone(v.Attributes)
	}
	return s
}

// Variant returns the variant with a number; nil for none.
func (s *Snapshot) Variant(id int64) *VariantSnapshot {
	for i := range s.Variants {
		if s.Variants[i].ID == id {
			return &s.Variants[i]
		}
	}
	return nil
}

// Restored is what taking a change back comes to.
type Restored struct {
	Wanted Snapshot // what the product shall be
	Gone   bool     // the product was made by the change, and shall not be
	Kept   []string // what somebody changed since, which stays, in words
}

// Reverse takes a change of a product back: before is nil where the change made it,
// now is what it is today. What is not any more as the change left it was changed
// since, and stays.
func Reverse(before *Snapshot, after, now Snapshot) Restored {
	r := Restored{Wanted: now.Clone()}
	if before == nil {
		r.Gone = same(after, now)
		if !r.Gone {
			r.Kept = append(r.Kept, fmt.Sprintf("the product %s was changed since", now.Code))
		}
		return r
	}
	w := &r.Wanted
	back := func(to *string, before, after, now, what string) {
		if before == after {
			return
		}
		if now != after {
			r.Kept = append(r.Kept, what)
			return
		}
		*to = before
	}
	back(&w.Code, before.Code, after.Code, now.Code, "the product's code")
	back(&w.Ref, before.Ref, after.Ref, now.Ref, "the product's ID")
	back(&w.Title, before.Title, after.Title, now.Title, "the product's title")
	back(&w.Category, before.Category, after.Category, now.Category, "the category")
	for _, is := range after.Variants {
		r.reverseVariant(before.Variant(is.ID), is)
	}
	return r
}

// reverseVariant takes the change of a variant back; was is nil where it is new to the
// product. That it goes back where it came from is for who has both products.
func (r *Restored) reverseVariant(was *VariantSnapshot, is VariantSnapshot) {
	now := r.Wanted.Variant(is.ID)
	if was == nil {
		was = is.Was
	}
	switch {
	case was != nil && reflect.DeepEqual(plainly(*was), plainly(is)):
		return
	case now == nil:
		r.Kept = append(r.Kept, "the variant "+is.SKU+", which is not there any more")
		return
	case was == nil && !reflect.DeepEqual(plainly(*now), plainly(is)):
		r.Kept = append(r.Kept, "the variant "+is.SKU)
		return
	case was == nil:
		r.Wanted.Variants = slices.DeleteFunc(r.Wanted.Variants, func(v VariantSnapshot) bool { return v.ID == is.ID })
		return
	}
	for _, f := range variantFields {
		if reflect.DeepEqual(f.of(was), f.of(&is)) {
			continue
		}
		if !reflect.DeepEqual(f.of(now), f.of(&is)) {
			r.Kept = append(r.Kept, "the "+f.name+" of "+is.SKU)
			continue
		}
		f.set(now, was)
	}
}

// variantField is a field of a variant that is taken back by itself.
type variantField struct {
	name string
	of   func(*VariantSnapshot) any
	set  func(to, from *VariantSnapshot)
}

var variantFields = []variantField{
	{"SKU", func(v *VariantSnapshot) any { return v.SKU }, func(to, from *VariantSnapshot) { to.SKU = from.SKU }},
	{"title", func(v *VariantSnapshot) any { return v.Title }, func(to, from *VariantSnapshot) { to.Title = from.Title }},
	{"description", func(v *VariantSnapshot) any { return v.Description },
		func(to, from *VariantSnapshot) { to.Description = from.Description }},
	{"GTIN", func(v *VariantSnapshot) any { return v.GTIN }, func(to, from *VariantSnapshot) { to.GTIN = from.GTIN }},
	{"codes", func(v *VariantSnapshot) any { return orNil(v.Codes) }, func(to, from *VariantSnapshot) { to.Codes = from.Codes }},
	{"options", func(v *VariantSnapshot) any { return orNil(v.Options) }, func(to, from *VariantSnapshot) { to.Options = from.Options }},
	{"attributes", func(v *VariantSnapshot) any { return orNil(v.Attributes) },
		func(to, from *VariantSnapshot) { to.Attributes = from.Attributes }},
	{"being retired", func(v *VariantSnapshot) any { return v.Retired }, func(to, from *VariantSnapshot) { to.Retired = from.Retired }},
}

// plainly is a variant as it is compared: nothing is nothing, however it is
// written, and where it came from does not count.
func plainly(v VariantSnapshot) VariantSnapshot {
	v.Codes, v.Options, v.Attributes = orNil(v.Codes), orNil(v.Options), orNil(v.Attributes)
	v.From, v.Was, v.Position = 0, nil, 0
	return v
}

func orNil[T any](list []T) []T {
	if len(list) == 0 {
		return nil
	}
	return list
}

func same(a, b Snapshot) bool {
	if a.Code != b.Code || a.Ref != b.Ref || a.Title != b.Title || a.Category != b.Category || len(a.Variants) != len(b.Variants) {
		return false
	}
	for _, v := range a.Variants {
		other := b.Variant(v.ID)
		if other == nil || !reflect.DeepEqual(plainly(v), plainly(*other)) {
			return false
		}
	}
	return true
}

// Same tells whether two snapshots say the same.
func (s Snapshot) Same(o Snapshot) bool { return same(s, o) }

// SameVariant tells whether two snapshots of a variant say the same.
func SameVariant(a, b VariantSnapshot) bool { return reflect.DeepEqual(plainly(a), plainly(b)) }
