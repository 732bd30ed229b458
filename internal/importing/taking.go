package importing

import (
	"context"
	"errors"
	"slices"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// mostProblems is how many problems a program gets.
const mostProblems = 1000

// Taken is the result of an import by a program.
type Taken struct {
	Sheet     int64 `json:"sheet" doc:"The sheet with all rows and their problems"`
	Import    int64 `json:"import" doc:"The import, which revert-import reverts; 0 if nothing changed"`
	Rows      int   `json:"rows" doc:"Rows read, without the header"`
	Created   int   `json:"created" doc:"Rows that added a variant"`
	Updated   int   `json:"updated" doc:"Rows that changed something"`
	Unchanged int   `json:"unchanged" doc:"Rows that changed nothing"`
	Products  int   `json:"products" doc:"Products added"`
	Refused   int   `json:"refused" doc:"Rows with errors, which were not imported"`
	Overtaken int   `json:"overtaken" doc:"Rows not imported because the catalog changed at the same moment"`
	ProblemList
}

// ProblemList is the first problems of an import, and the number of the others.
type ProblemList struct {
	Problems []sheet.RowProblem `json:"problems" nullable:"false" doc:"The first 1,000"`
	More     int                `json:"more" doc:"Number of further problems"`
}

// add appends problems as long as there is room, and counts the others.
func (l *ProblemList) add(problems ...sheet.RowProblem) {
	room := min(len(problems), mostProblems-len(l.Problems))
	l.Problems = append(l.Problems, problems[:room]...)
	l.More += len(problems) - room
}

// Take imports products that a program sends. Their bytes are already stored. The rows become a sheet: they are read to the end, checked
// with the mapping of their header like the rows of any sheet, and imported at once. If the CSV cannot be read to its end, nothing is
// imported and the error is a *sheetfile.Refused. If the request or this process ends during the import, the rows imported so far stay,
// and the import can be reverted.
func (m *Importer) Take(ctx context.Context, who identity.Actor, name string, sum []byte, bytes int64,
	rows *sheetfile.CSV) (t Taken, err error) {
	t.Problems = []sheet.RowProblem{}
	if err := m.Store.Allowed(who, identity.CatalogImport); err != nil {
		return t, err
	}
	err = m.Store.Do(ctx, door.By(who, identity.SheetBring), func(tx *door.Tx) error {
		t.Sheet, err = store.NewSheet(ctx, tx, name, sum, bytes)
		tx.About(audit.Of(identity.Sheet, t.Sheet))
		return err
	})
	if err != nil {
		return t, err
	}
	if err := m.keepSent(ctx, t.Sheet, rows); err != nil {
		var refused *sheetfile.Refused
		if errors.As(err, &refused) {
			err = errors.Join(err, m.Store.Step(ctx, func(tx *door.Tx) error {
				return store.SheetUnreadable(ctx, tx, t.Sheet, refused.Reason)
			}))
		}
		return t, err
	}
	totals, err := m.judgeTaken(ctx, &t, rows.Mapping)
	if err != nil {
		return t, err
	}
	if totals.Verdicts[string(sheet.Make)]+totals.Verdicts[string(sheet.Change)] == 0 {
		return t, nil
	}
	if err := m.begin(ctx, who, &t); err != nil {
		return t, err
	}
	done, err := m.DoImport(ctx, who, t.Import, func(int64, int64) {})
	if err != nil {
		return t, errors.Join(err, m.endHere(context.WithoutCancel(ctx), who, t.Import))
	}
	t.Created, t.Updated, t.Overtaken = done.Made, done.Changed, done.Overtaken
	if t.Products, err = m.Store.NewProducts(ctx, t.Import); err != nil {
		return t, err
	}
	_, err = m.DoRehearse(ctx, t.Sheet, func(int64, int64) {}) // the imported rows are unchanged rows from now on
	return t, err
}

// keepSent stores the rows that a program sent, including the header, and their mapping.
func (m *Importer) keepSent(ctx context.Context, id int64, rows *sheetfile.CSV) error {
	begun := false
	total, err := m.keepRows(ctx, id, func() ([]string, int, error) {
		if !begun {
			begun = true
			return rows.Names, rows.Mapping.Header, nil
		}
		return rows.Next()
	}, func(store.SheetRow, int) {})
	if err != nil {
		return err
	}
	return m.Store.Step(ctx, func(tx *door.Tx) error {
		return store.EndReading(ctx, tx, id, store.SheetRead{Header: rows.Mapping.Header, FirstRow: rows.Mapping.Header + 1, Names: rows.Names,
			Rows: total - 1, Mapping: rows.Mapping, Choices: sheet.Usual})
	})
}

// judgeTaken checks the rows that a program sent. An invalid GTIN, or one of another variant, does not stop its row: the cell is left
// empty, which a person would do with one click.
func (m *Importer) judgeTaken(ctx context.Context, t *Taken, of sheet.Mapping) (store.SheetTotals, error) {
	totals, gtins, _, err := m.checkTaken(ctx, t, of)
	if err != nil || len(gtins.Problems) == 0 {
		return totals, err
	}
	if err := m.Store.Step(ctx, func(tx *door.Tx) error {
		for _, q := range totals.Questions {
			if !q.Refuses || q.Column < 0 || of.Columns[q.Column].Field != sheet.GTIN || !slices.Contains(q.Deeds, sheet.Empty) {
				continue
			}
			if _, err := remedyKind(ctx, tx, t.Sheet, q.Column, q.Kind, sheet.Empty); err != nil {
				return err
			}
		}
		_, err := store.CountEdits(ctx, tx, t.Sheet)
		return err
	}); err != nil {
		return totals, err
	}
	totals, _, wrong, err := m.checkTaken(ctx, t, of)
	for i, p := range gtins.Problems {
		gtins.Problems[i].Kept = !wrong[p.Row]
	}
	t.add(gtins.Problems...)
	t.More += gtins.More
	slices.SortStableFunc(t.Problems, func(a, b sheet.RowProblem) int { return a.Row - b.Row })
	return totals, err
}

// checkTaken checks all rows and counts them in t. It returns the problems of rows with a GTIN, and the numbers of all rows with errors.
func (m *Importer) checkTaken(ctx context.Context, t *Taken, of sheet.Mapping) (totals store.SheetTotals, gtins ProblemList,
	wrong map[int]bool, err error) {
	unread := Taken{Sheet: t.Sheet, ProblemList: ProblemList{Problems: []sheet.RowProblem{}}}
	wrong = map[int]bool{}
	totals, err = m.rehearseAll(ctx, t.Sheet, func(int64, int64) {}, func(j sheet.Judged) {
		t.Rows++
		switch j.Verdict {
		case sheet.Same:
			t.Unchanged++
		case sheet.Refused:
			t.Refused++
			wrong[j.Row] = true
		}
		t.add(of.ProblemsOf(j)...)
		gtins.add(of.ProblemsOf(j, sheet.GTIN)...)
	}, func() { *t, gtins = unread, ProblemList{}; clear(wrong) })
	return totals, gtins, wrong, err
}

// begin records the import of a sheet that was just checked.
func (m *Importer) begin(ctx context.Context, who identity.Actor, t *Taken) error {
	return m.Store.Do(ctx, door.By(who, identity.CatalogImport, audit.Of(identity.Sheet, t.Sheet)), func(tx *door.Tx) error {
		found, err := openSheet(ctx, tx, t.Sheet)
		if err != nil {
			return err
		}
		if t.Import, err = store.NewImport(ctx, tx, t.Sheet, found.Revision); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Import, t.Import))
		tx.Changed(nil, map[string]int{"rows": t.Rows, "refused": t.Refused})
		return nil
	})
}

// endHere ends an import that failed: the rows imported so far stay, and can be reverted.
func (m *Importer) endHere(ctx context.Context, who identity.Actor, id int64) error {
	return m.Store.Do(ctx, door.By(who, identity.ProductImport, audit.Of(identity.Import, id)), func(tx *door.Tx) error {
		tx.Unchanged()
		found, err := store.LockImport(ctx, tx, id)
		if err != nil || found.State != "importing" {
			return err
		}
		return store.SetImportState(ctx, tx, id, "imported")
	})
}
