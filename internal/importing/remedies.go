package importing

import (
	"context"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Remedy does for all cells of a column with which the same is the matter what their own
// remedies say, and has the sheet judged again. It returns how many rows that are.
// revision is the sheet as the person saw it judged.
func (m *Importer) Remedy(ctx context.Context, who identity.Actor, id int64, revision, column int, kind sheet.Matter,
	deed sheet.Deed) (rows int, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.SheetEdit, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		found, err := openSheet(ctx, tx, id)
		if err != nil {
			return err
		}
		if found.Revision != revision || found.Rehearsed != revision {
			return store.ErrChanged
		}
		if rows, err = remedyKind(ctx, tx, id, column, kind, deed); err != nil {
			return err
		}
		if _, err := store.CountEdits(ctx, tx, id); err != nil {
			return err
		}
		return m.rehearseSoon(ctx, tx, who, found)
	})
	return rows, err
}

// remedyKind does it for all cells of a column with which the same is the matter, and returns how many rows that are.
func remedyKind(ctx context.Context, tx *door.Tx, id int64, column int, kind sheet.Matter, deed sheet.Deed) (rows int, err error) {
	for last := 0; ; {
		asked, err := store.QuestionsBehind(ctx, tx, id, column, kind, last, judgeAtOnce)
		if err != nil || len(asked) == 0 {
			return rows, err
		}
		n, err := remedyAll(ctx, tx, id, asked, column, kind, deed)
		if err != nil {
			return rows, err
		}
		rows += n
		last = asked[len(asked)-1].Row
	}
}

func remedyAll(ctx context.Context, tx *door.Tx, id int64, asked []store.SheetVerdict, column int, kind sheet.Matter,
	deed sheet.Deed) (rows int, err error) {
	numbers := make([]int, len(asked))
	for i, v := range asked {
		numbers[i] = v.Row
	}
	standing, err := store.RowsOf(ctx, tx, id, numbers)
	if err != nil {
		return 0, err
	}
	for i, r := range standing {
		for _, cell := range asked[i].Questions {
			if cell.Column != column || cell.Kind != kind {
				continue
			}
			edits, ok := sheet.Mend(r.Edits, cell, deed)
			if !ok {
				continue
			}
			if err := store.EditRow(ctx, tx, id, r.Row, edits); err != nil {
				return rows, err
			}
			rows++
			break
		}
	}
	return rows, nil
}
