package importing

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// ByHand is what a person changes of variants, as a sheet would: columns, among them the
// SKU, and a row for each; without a SKU the product code says which product as a whole.
// An empty cell clears.
type ByHand struct {
	Columns []sheet.OutColumn
	Rows    [][]string
	Was     [][]string // what the person saw in each cell; nothing where it does not matter
	New     bool       // a SKU that the catalog does not have is made; else it is refused
}

// NotTaken says why a change by hand was not made.
type NotTaken struct{ Why string }

func (e *NotTaken) Error() string { return e.Why }

// Write makes a change by hand, judged by what judges sheets, in one piece, with the way
// back of an import, whose number it returns: 0 where nothing changed. The error is
// a *NotTaken, or store.ErrChanged where somebody changed one of the cells since.
func (m *Importer) Write(ctx context.Context, who identity.Actor, hand ByHand) (id int64, err error) {
	judge, rows, err := hand.judge()
	if err != nil {
		return 0, err
	}
	err = m.Store.Do(ctx, door.By(who, identity.ProductChange), func(tx *door.Tx) error {
		version, err := store.HoldCatalog(ctx, tx)
		if err != nil {
			return err
		}
		all, err := judged(ctx, tx, 0, judge, rows)
		if err != nil {
			return err
		}
		if err := hand.check(all); err != nil {
			return err
		}
		made, changed := counted(all)
		if made+changed == 0 {
			tx.Unchanged()
			return nil
		}
		if id, err = store.NewByHand(ctx, tx); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Import, id))
		if err := writeRows(ctx, tx, version, id, all); err != nil {
			return err
		}
		return store.Advance(ctx, tx, id, len(all), made, changed, 0)
	})
	return id, err
}

// judge returns a judge of the columns that has noted the rows.
func (h ByHand) judge() (*sheet.Judge, []store.SheetRow, error) {
	m := sheet.Mapping{Identity: []sheet.Field{sheet.SKU}}
	if !slices.ContainsFunc(h.Columns, func(c sheet.OutColumn) bool { return c.Field == sheet.SKU }) {
		m.Identity = []sheet.Field{sheet.Product}
	}
	for i, c := range h.Columns {
		m.Columns = append(m.Columns, sheet.Column{Column: c.Header(), Index: i, Field: c.Field, Name: c.Name})
	}
	judge, err := sheet.NewJudge(m, sheet.Choices{New: sheet.DoMake, Known: sheet.DoChange, Empty: sheet.DoClear})
	if err != nil {
		return nil, nil, &NotTaken{"This cannot be written: " + err.Error() + "."}
	}
	rows := make([]store.SheetRow, len(h.Rows))
	for i, cells := range h.Rows {
		rows[i] = store.SheetRow{Row: i + 1, Cells: cells}
		judge.Note(i+1, cells, nil)
	}
	return judge, rows, nil
}

// check says why rows as judged are not written, in the words of the first that is in
// question.
func (h ByHand) check(all []sheet.Judged) error {
	for i, j := range all {
		if j.Verdict == sheet.Refused {
			var why []string
			for _, cell := range j.Cells {
				if cell.Refuses {
					why = append(why, cell.Reason)
				}
			}
			return &NotTaken{fmt.Sprintf("%s: %s", j.SKU, strings.Join(why, " "))}
		}
		if j.Verdict == sheet.Make && !h.New {
			return &NotTaken{fmt.Sprintf("%s: the catalog has no such SKU any more.", j.SKU)}
		}
		if j.Verdict != sheet.Make && h.New {
			return &NotTaken{fmt.Sprintf("%s: the catalog has this SKU already.", j.SKU)}
		}
		for _, c := range j.Changes {
			if at := h.column(c); i < len(h.Was) && at >= 0 && at < len(h.Was[i]) && h.Was[i][at] != c.Before {
				return store.ErrChanged
			}
		}
	}
	return nil
}

func (h ByHand) column(c sheet.FieldChange) int {
	for i, column := range h.Columns {
		if column.Field == c.Field && strings.EqualFold(column.Name, c.Name) {
			return i
		}
	}
	return -1
}

// WriteCategory changes the own ID and the text of a category by hand, with the way back of
// an import, whose number it returns: 0 where nothing changed. version is the category's as
// the person saw it: another one is store.ErrChanged. store.ErrTaken means that another
// category has the ID.
func (m *Importer) WriteCategory(ctx context.Context, who identity.Actor, id, version int64, ref,
	description string) (change int64, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.CategoryChange, audit.Of(identity.Category, id)), func(tx *door.Tx) error {
		if _, err := store.HoldCatalog(ctx, tx); err != nil {
			return err
		}
		now, err := store.LockOwner(ctx, tx, catalog.Category(id))
		if err != nil {
			return err
		}
		if now != version {
			return store.ErrChanged
		}
		was, err := store.LockBranch(ctx, tx, id)
		if err != nil {
			return err
		}
		is := catalog.CategorySnapshot{Path: was.Path, Ref: ref, Description: description}
		if is == was.CategorySnapshot {
			tx.Unchanged()
			return nil
		}
		if change, err = store.NewByHand(ctx, tx); err != nil {
			return err
		}
		if err := store.WriteBranch(ctx, tx, id, is); err != nil {
			return err
		}
		before := was.CategorySnapshot
		tx.About(audit.Of(identity.Import, change))
		tx.Changed(before, is)
		if err := store.Advance(ctx, tx, change, 1, 0, 1, 0); err != nil {
			return err
		}
		return store.AddBranchChanges(ctx, tx, change, []store.BranchChange{{CategoryID: id, Row: 1, Before: &before, After: is}})
	})
	return change, err
}
