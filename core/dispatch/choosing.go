package dispatch

import (
	"slices"
	"strings"

	"ambrosa/core/catalog"
	"ambrosa/core/naming"
)

// Numbered is an item that is chosen, with its number among those of its product, from 1. The item
// is that of the list which it was chosen of.
type Numbered struct {
	*Item
	Number int
	Nth    int // among those of the same SKU, from 1
}

// picture is what its name is made of.
func (n Numbered) picture() naming.Picture {
	p := n.Picture
	p.Number, p.Nth = n.Number, n.Nth
	return p
}

// Whole is the item with its number.
func (n Numbered) Whole() Item {
	i := *n.Item
	i.Number, i.Nth = n.Number, n.Nth
	return i
}

// Chosen returns those of the items that an outlet wants, each with its number among those of
// its product. Numbers do not depend on what is held back, so that names stay when rights change.
func (s Settings) Chosen(items []Item) []Numbered {
	chosen := make([]Numbered, 0, len(items))
	most := map[string]int{Lead: 1, First: s.First}[s.Pictures]
	number, ofTarget := 0, 0
	nth := map[string]int{}
	for i := range items {
		item := &items[i]
		if i == 0 || items[i-1].Product != item.Product || items[i-1].Of != item.Of {
			number = 0
			clear(nth)
		}
		if i == 0 || items[i-1].target() != item.target() {
			ofTarget = 0
		}
		if s.Pictures == Views && !s.ofViews(item.View) {
			continue
		}
		if ofTarget++; most > 0 && ofTarget > most {
			continue
		}
		number++
		nth[item.SKU]++
		chosen = append(chosen, Numbered{item, number, nth[item.SKU]})
	}
	return chosen
}

func (s Settings) ofViews(view string) bool {
	return slices.ContainsFunc(s.Views, func(v string) bool { return strings.EqualFold(strings.TrimSpace(v), view) })
}

// Variant is what names of a variant are made of, where its product's pictures go with it.
type Variant struct {
	ID      int64
	SKU     string
	Title   string
	Options []catalog.Option
	GTIN    string
}

// WithShared has each variant go with its product's pictures behind its own, numbered on; a
// product as a whole goes only where it has no variant. variants are by product, in their order.
func WithShared(items []Item, variants map[int64][]Variant) (all []Item) {
	for len(items) > 0 {
		product := items[0].Product
		n := slices.IndexFunc(items, func(i Item) bool { return i.Product != product })
		if n < 0 {
			n = len(items)
		}
		of := variants[product]
		if product == 0 || len(of) == 0 {
			all = append(all, items[:n]...)
		} else {
			all = append(all, shared(items[:n], of)...)
		}
		items = items[n:]
	}
	return all
}

// shared are the pictures of one product as its variants go with them.
func shared(items []Item, variants []Variant) (all []Item) {
	for _, v := range variants {
		last := 0
		for _, i := range items {
			if i.Variant == v.ID {
				all = append(all, i)
				last = i.Place
			}
		}
		for _, i := range items {
			if i.Variant != 0 {
				continue
			}
			i.Variant, i.Shared = v.ID, true
			i.SKU, i.Title, i.Options, i.GTIN = v.SKU, v.Title, v.Options, v.GTIN
			i.Place += last
			all = append(all, i)
		}
	}
	return all
}
