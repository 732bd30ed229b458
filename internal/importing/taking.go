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

// judgeTaken judges what a program sent. A GTIN that is none, or is another's, costs the cell and not the row: it is left out, as a person
// would do it with a press.
func (m *Importer) judgeTaken(ctx context.Context, t *Taken, of sheet.Mapping) (store.SheetTotals, error) {
	judge := func(seen func(sheet.Judged), again func()) (store.SheetTotals, error) {
		return m.rehearseAll(ctx, t.Sheet, func(int64, int64) {}, seen, again)
	}
	first, without := *t, Taken{}
	totals, err := judge(func(j sheet.Judged) { t.add(of, j); without.addGTINs(of, j) }, func() { *t, without = first, Taken{} })
	if err != nil || len(without.Problems) == 0 {
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
	refused := map[int]bool{}
	totals, err = judge(func(j sheet.Judged) {
		t.add(of, j)
		if j.Verdict == sheet.Refused {
			refused[j.Row] = true
		}
	}, func() { *t = first; clear(refused) })
	for i := range without.Problems {
		without.Problems[i].Kept = !refused[without.Problems[i].Row]
	}
	kept := min(len(without.Problems), mostProblems-len(t.Problems))
	t.More += without.More + len(without.Problems) - kept
	t.Problems = append(t.Problems, without.Problems[:kept]...)
	slices.SortStableFunc(t.Problems, func(a, b sheet.RowProblem) int { return a.Row - b.Row })
	return totals, err
}

// addGTINs lists what refuses a row because of its GTIN.
func (t *Taken) addGTINs(m sheet.Mapping, j sheet.Judged) {
	j.Cells = slices.DeleteFunc(slices.Clone(j.Cells), func(c sheet.Judgement) bool { return c.Field != sheet.GTIN })
	for _, p := range m.ProblemsOf(j) {
		if len(t.Problems) < mostProblems {
			t.Problems = append(t.Problems, p)
		} else {
			t.More++
		}
	}
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
