package importing

import (
	"context"
	"errors"
	"path"
	"slices"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/core/pairing"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// longestName bounds a sheet's name, bytes.
const longestName = 200

// Adopt makes a spreadsheet among a lot's files a sheet: the one that has its bytes, where
// there is one, else a new one, which is still to be read.
func (m *Importer) Adopt(ctx context.Context, who identity.Actor, file store.SheetFile) (id int64, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.SheetBring), func(tx *door.Tx) error {
		id, err = store.SheetOfBytes(ctx, tx, file.Sum)
		if errors.Is(err, store.ErrNotFound) {
			name := legible.Short(legible.Name(path.Base(file.Path)), longestName)
			id, err = store.NewSheet(ctx, tx, name, file.Sum, file.Bytes)
		}
		if err != nil {
			return err
		}
		if err := store.IsSheet(ctx, tx, file.ID, id); err != nil {
			return err
		}
		return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
	})
	return id, err
}

// FilesNamed returns the pictures that a sheet names by their files' names, in the order
// of its rows, each with what its row is about as the catalog is now. Rows that are left
// out name none, and neither does a sheet that cannot be judged; one that was given up does,
// since that puts it out of the way and takes nothing back.
func (m *Importer) FilesNamed(ctx context.Context, id int64) (named []store.LotRow, err error) {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil || found.State != "open" && found.State != "given up" ||
		!slices.ContainsFunc(found.Mapping.Columns, func(c sheet.Column) bool { return c.Field == sheet.Picture }) {
		return nil, err
	}
	judge, err := m.judgeOf(ctx, found)
	if wrong := (*MappingError)(nil); errors.As(err, &wrong) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	err = m.eachRow(ctx, found, judgeAtOnce, func(rows []store.SheetRow) error {
		all, err := judged(ctx, m.Store.Reader(), id, judge, rows)
		for _, row := range all {
			if row.Verdict != sheet.Skipped {
				named = append(named, filesOf(row)...)
			}
		}
		return err
	})
	return named, err
}

func filesOf(row sheet.Judged) (named []store.LotRow) {
	target := row.Wanted.Target()
	if target.None() && row.SKU == "" {
		return nil
	}
	for _, picture := range row.Wanted.Pictures {
		if sheet.IsAddress(picture.Name) {
			continue
		}
		one := store.LotRow{Name: len(named), Row: pairing.Row{Line: row.Row, File: picture.Name, SKU: row.SKU, Place: picture.Place,
			View: viewOf(picture.View), Alt: cut(picture.Alt, longestAlt), Lead: picture.Lead}}
		switch item := row.Wanted.Item; {
		case target.Kind == catalog.KindCategory:
			one.Category = target.ID
		case item != nil:
			one.Product, one.Variant = item.Product, item.Variant
		}
		named = append(named, one)
	}
	return named
}

// Unnamed returns the files of the lots that a sheet came with, or that were fetched for it,
// which no row names, in the order of their lots: the newest first.
func (m *Importer) Unnamed(ctx context.Context, id int64) (unnamed []store.LotFile, err error) {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil {
		return nil, err
	}
	files, err := m.Store.FilesOfSheetsLots(ctx, id)
	if err != nil || len(files) == 0 {
		return nil, err
	}
	judge, err := sheet.NewJudge(found.Mapping, found.Choices)
	if err != nil {
		return nil, nil // no row names anything by such a mapping, which is said where it is
	}
	var rows []pairing.Row
	addresses, nothing := map[string]bool{}, sheet.NewItems(nil)
	err = m.eachRow(ctx, found, noteAtOnce, func(page []store.SheetRow) error {
		for _, r := range page {
			for _, picture := range judge.Row(r.Row, r.Cells, r.Edits, nothing).Wanted.Pictures {
				if sheet.IsAddress(picture.Name) {
					addresses[picture.Name] = true
				} else {
					rows = append(rows, pairing.Row{File: picture.Name})
				}
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	index := pairing.NewRows(rows)
	return slices.DeleteFunc(files, func(f store.LotFile) bool {
		return addresses[f.Address] || len(index.Of(f.Path)) > 0
	}), nil
}
