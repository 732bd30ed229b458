package importing

import (
	"context"
	"slices"

	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/store"
)

// MostGone bounds how many variants are listed and retired at once.
const MostGone = 5000

// lookedBack is how many sheets are looked through for earlier ones like a sheet.
const lookedBack = 500

// Gone returns variants of the catalog that a sheet does not name, as its choices say:
// none, those that an earlier sheet with such a header named, or all. As long as a refused
// row may be about any of them, it says so and lists none.
func (m *Importer) Gone(ctx context.Context, id int64, limit int) (g store.Gone, err error) {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil || found.State != "open" || found.Rehearsed != found.Revision {
		return g, err // what it names is not known yet
	}
	var earlier []int64
	switch found.Choices.Gone {
	case sheet.DoAll:
	case sheet.DoList:
		if earlier, err = m.earlier(ctx, found); err != nil || len(earlier) == 0 {
			return g, err
		}
	default:
		return g, nil
	}
	if g.Unknown, err = m.Store.UnknownRows(ctx, id); err != nil || g.Unknown > 0 {
		return g, err
	}
	return m.Store.GoneVariants(ctx, id, earlier, limit)
}

// earlier returns the sheets with such a header that came before a sheet.
func (m *Importer) earlier(ctx context.Context, of store.Sheet) (ids []int64, err error) {
	all, err := m.Store.Sheets(ctx, lookedBack)
	for _, s := range all {
		if s.ID < of.ID && s.State == "open" && s.Mapping.Likeness(of.Names) >= alike {
			ids = append(ids, s.ID)
		}
	}
	return ids, err
}

// RetireGone retires variants that a sheet does not name, as a change by hand with the way
// back of an import, whose number it returns. store.ErrChanged means that one of them was
// retired, is gone, or is named by the sheet by now.
func (m *Importer) RetireGone(ctx context.Context, who identity.Actor, id int64, chosen []int64) (done int64, err error) {
	all, err := m.Gone(ctx, id, MostGone)
	if err != nil {
		return 0, err
	}
	hand := ByHand{Columns: []sheet.OutColumn{{Field: sheet.SKU}, {Field: sheet.Retire}}}
	for _, v := range all.Items {
		if slices.Contains(chosen, v.Variant) {
			hand.Rows = append(hand.Rows, []string{v.SKU, "yes"})
		}
	}
	if len(hand.Rows) != len(chosen) {
		return 0, store.ErrChanged
	}
	return m.Write(ctx, who, hand)
}
