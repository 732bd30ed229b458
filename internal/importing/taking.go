package importing

import (
	"context"
	"errors"
	"io"
	"slices"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// mostProblems is how many problems a program is told.
const mostProblems = 1000

// Taken is what came of products that a program sent.
type Taken struct {
	Sheet     int64              `json:"sheet" doc:"That it is now, with its rows and what was the matter with each"`
	Import    int64              `json:"import" doc:"That takes it back (revert-import); 0 where nothing was to be changed"`
	Rows      int                `json:"rows" doc:"Rows read, the header left out"`
	Created   int                `json:"created" doc:"Rows whose variant is new"`
	Updated   int                `json:"updated" doc:"Rows that changed something"`
	Unchanged int                `json:"unchanged" doc:"Rows that changed nothing"`
	Products  int                `json:"products" doc:"Products that are new"`
	Refused   int                `json:"refused" doc:"Rows that could not be taken"`
	Overtaken int                `json:"overtaken" doc:"Rows left out because the catalog changed in the same moment"`
	Problems  []sheet.RowProblem `json:"problems" nullable:"false" doc:"The first 1,000"`
	More      int                `json:"more" doc:"Problems that are not listed"`
}

// Take imports products that a program sends, whose bytes are kept, as a sheet: rows are read to their end, judged by the
// mapping of their header as the rows of any sheet are, and imported at once. Of a CSV that breaks off, or cannot be read,
// nothing is imported; the error is then a *sheetfile.Refused. What stops in between, because the program goes
// away or this process ends, is an import that ended there, and can be taken back.
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
	if err := m.keepRows(ctx, t.Sheet, rows); err != nil {
		var refused *sheetfile.Refused
		if errors.As(err, &refused) {
			err = errors.Join(err, m.Store.Step(ctx, func(tx *door.Tx) error {
				return store.SheetUnreadable(ctx, tx, t.Sheet, refused.Reason)
			}))
		}
		return t, err
	}
	judged := t
	totals, err := m.rehearseAll(ctx, t.Sheet, func(int64, int64) {}, func(j sheet.Judged) { t.add(rows.Mapping, j) }, func() { t = judged })
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
	_, err = m.DoRehearse(ctx, t.Sheet, func(int64, int64) {}) // what was imported is the same from now on, and shows so
	return t, err
}

// keepRows keeps the rows of what a program sent, the header among them, and its mapping.
func (m *Importer) keepRows(ctx context.Context, id int64, rows *sheetfile.CSV) error {
	kept := keeping{m: m, sheet: id}
	header := rows.Mapping.Header
	if err := kept.add(ctx, store.SheetRow{Row: header, Cells: rows.Names}); err != nil {
		return err
	}
	for {
		cells, row, err := rows.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if sheet.Blank(cells) {
			continue
		}
		if err := kept.add(ctx, store.SheetRow{Row: row, Cells: slices.Clone(cells)}); err != nil {
			return err
		}
	}
	if err := kept.write(ctx); err != nil {
		return err
	}
	return m.Store.Step(ctx, func(tx *door.Tx) error {
		return store.EndReading(ctx, tx, id, store.SheetRead{Header: header, FirstRow: header + 1, Names: rows.Names, Rows: kept.total - 1,
			Mapping: rows.Mapping, Choices: sheet.Usual})
	})
}

// add counts a row as it was judged.
func (t *Taken) add(m sheet.Mapping, j sheet.Judged) {
	t.Rows++
	switch j.Verdict {
	case sheet.Same:
		t.Unchanged++
	case sheet.Refused:
		t.Refused++
	}
	for _, p := range m.ProblemsOf(j) {
		if len(t.Problems) < mostProblems {
			t.Problems = append(t.Problems, p)
		} else {
			t.More++
		}
	}
}

// begin records the import of a sheet that was just judged.
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

// endHere ends an import that does not go on, as far as it came.
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
