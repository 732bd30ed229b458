package sheet

import (
	"slices"
	"strings"

	"ambrosa/core/catalog"
)

// Standing are products as they stand, by the Key of their code, each with its number;
// 0 for one that is to be made.
type Standing map[string]*StandingProduct

// StandingProduct is one of them.
type StandingProduct struct {
	ID  int64
	Was *catalog.Snapshot // nil for one that is to be made
	Is  catalog.Snapshot  // what it becomes
}

// product returns the code of the product that a row is about: the one that it names,
// the one that its variant has, or its own SKU's.
func (w Wanted) product() string {
	switch {
	case w.Branch != nil:
		return "category\n" + w.Branch.Is.Path
	case w.Product != "":
		return w.Product
	case w.Item != nil:
		return w.Item.Code
	}
	return w.SKU
}

// Owner is the Key of the product that a row is about; "" for none.
func (j Judged) Owner() string { return Key(j.Wanted.product()) }

// Owners returns the codes of all products that a row concerns: where it moves a
// variant, both.
func (j Judged) Owners() []string {
	owners := []string{j.Wanted.product()}
	if item := j.Wanted.Item; item != nil && Key(item.Code) != Key(owners[0]) {
		owners = append(owners, item.Code)
	}
	return owners
}

// Apply makes of products what rows that were judged say, in order. Rows that make
// or change nothing are passed over.
func Apply(rows []Judged, standing Standing) {
	for i := range rows {
		if row := &rows[i]; row.Wanted.Branch == nil && (row.Verdict == Make || row.Verdict == Change) {
			standing.apply(row)
		}
	}
}

func (s Standing) apply(row *Judged) {
	w := &row.Wanted
	code := w.product()
	p := s[Key(code)]
	if p == nil {
		p = &StandingProduct{Is: catalog.Snapshot{Code: code, Title: w.Title, Ref: w.ProductID, Category: w.Category}}
		s[Key(code)] = p
	}
	if w.Item == nil {
		p.fill(w)
		p.add(w)
		p.change(row)
		return
	}
	for i := range p.Is.Variants {
		if w.Item.Variant == 0 || p.Is.Variants[i].ID == w.Item.Variant {
			change(&p.Is.Variants[i], row)
		}
	}
	if w.Item.Variant != 0 && p.Is.Variant(w.Item.Variant) == nil {
		s.move(row, p)
	}
	p.change(row)
}

// fill takes for a product what it has not yet from a row of a new variant.
func (p *StandingProduct) fill(w *Wanted) {
	for _, f := range []struct {
		to   *string
		from string
	}{{&p.Is.Title, w.Title}, {&p.Is.Ref, w.ProductID}, {&p.Is.Category, w.Category}} {
		if *f.to == "" {
			*f.to = f.from
		}
	}
}

// add adds a new variant, or what another row says of the same one.
func (p *StandingProduct) add(w *Wanted) {
	sku := w.SKU
	if sku == "" {
		sku = w.product()
	}
	for i := range p.Is.Variants {
		if v := &p.Is.Variants[i]; v.ID == 0 && Key(v.SKU) == Key(sku) {
			fillVariant(v, w)
			return
		}
	}
	v := catalog.VariantSnapshot{SKU: sku, Position: len(p.Is.Variants)}
	fillVariant(&v, w)
	p.Is.Variants = append(p.Is.Variants, v)
}

// fillVariant takes for a new variant what it has not yet.
func fillVariant(v *catalog.VariantSnapshot, w *Wanted) {
	for _, f := range []struct {
		to   *string
		from string
	}{{&v.Title, w.Title}, {&v.Description, w.Descr}, {&v.GTIN, w.GTIN}} {
		if *f.to == "" {
			*f.to = f.from
		}
	}
	if len(v.Codes) == 0 {
		v.Codes = w.Codes
	}
	if len(v.Options) == 0 {
		v.Options = w.Options
	}
	if len(v.Attributes) == 0 {
		v.Attributes = w.Attributes
	}
	if w.Retire != nil {
		v.Retired = *w.Retire
	}
}

// move takes a variant from the product that it stands with.
func (s Standing) move(row *Judged, to *StandingProduct) {
	from := s[Key(row.Wanted.Item.Code)]
	if from == nil {
		return
	}
	at := slices.IndexFunc(from.Is.Variants, func(v catalog.VariantSnapshot) bool { return v.ID == row.Wanted.Item.Variant })
	if at < 0 {
		return
	}
	v := from.Is.Variants[at]
	was := v
	from.Is.Variants = slices.Delete(slices.Clone(from.Is.Variants), at, at+1)
	v.From, v.Was, v.Position = from.ID, &was, len(to.Is.Variants)
	change(&v, row)
	to.Is.Variants = append(to.Is.Variants, v)
	to.fill(&row.Wanted)
}

// change makes of a variant what a row changes of it.
func change(v *catalog.VariantSnapshot, row *Judged) {
	for _, c := range row.Changes {
		switch c.Field {
		case Title:
			if row.Wanted.Item.Variant != 0 {
				v.Title = c.After
			}
		case Description:
			v.Description = c.After
		case GTIN:
			v.GTIN = c.After
		case Code:
			v.Codes = row.Wanted.Codes
		case Retire:
			v.Retired = *row.Wanted.Retire
		}
	}
	v.Options = Merged(v.Options, row.Changes, Option)
	v.Attributes = Merged(v.Attributes, row.Changes, Attribute)
}

// change makes of a product what a row changes of it. Its title follows that of the
// variant that it is called like, and of the only one that it has.
func (p *StandingProduct) change(row *Judged) {
	item := row.Wanted.Item
	for _, c := range row.Changes {
		switch c.Field {
		case ProductID:
			p.Is.Ref = c.After
		case Category:
			p.Is.Category = c.After
		case Title:
			if item == nil || item.Variant == 0 || len(p.Is.Variants) == 1 || strings.EqualFold(p.Is.Title, c.Before) {
				p.Is.Title = c.After
			}
		}
	}
}
