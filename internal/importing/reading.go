package importing

import (
	"context"
	"errors"
	"io"
	"slices"

	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// Bounds of a sheet.
const (
	maxRows = 1_100_000
	sampled = 1000 // rows that a mapping is proposed from

	// Rows are written in batches of at most so many rows, and about so many bytes.
	keptOnce  = 2000
	keptBytes = 8 << 20
)

// keeping writes the rows of a sheet as they are read.
type keeping struct {
	m     *Importer
	sheet int64
	total int // rows so far

	batch []store.SheetRow
	bytes int
}

// add keeps a row. The error is a *sheetfile.Refused for one row more than can be taken.
func (k *keeping) add(ctx context.Context, row store.SheetRow) error {
	if k.total++; k.total > maxRows {
		return &sheetfile.Refused{Kind: sheetfile.TooMany, Reason: "It has more rows than can be taken."}
	}
	k.batch = append(k.batch, row)
	for _, cell := range row.Cells {
		k.bytes += len(cell)
	}
	if len(k.batch) < keptOnce && k.bytes < keptBytes {
		return nil
	}
	return k.write(ctx)
}

// write writes what is not written yet.
func (k *keeping) write(ctx context.Context) error {
	err := k.m.Store.Step(ctx, func(tx *door.Tx) error { return store.AddSheetRows(ctx, tx, k.sheet, k.batch) })
	k.batch, k.bytes = k.batch[:0], 0
	return err
}

// keepRows stores the rows of a sheet that are not blank, and returns how many there are. next returns the cells of the next row,
// valid until the one after, and its number; io.EOF after the last. seen gets each row and the number of rows so far.
func (m *Importer) keepRows(ctx context.Context, id int64, next func() (cells []string, row int, err error),
	seen func(row store.SheetRow, total int)) (total int, err error) {
	kept := keeping{m: m, sheet: id}
	for {
		cells, row, err := next()
		if errors.Is(err, io.EOF) {
			return kept.total, kept.write(ctx)
		}
		if err != nil {
			return kept.total, err
		}
		if sheet.Blank(cells) {
			continue
		}
		one := store.SheetRow{Row: row, Cells: slices.Clone(cells)}
		if err := kept.add(ctx, one); err != nil {
			return kept.total, err
		}
		seen(one, kept.total)
	}
}

// DoRead reads a sheet whose bytes lie at path, by a process of the program, keeps its
// rows and proposes a mapping. A *sheetfile.Refused says why it cannot be read; what can
// be judged of it is judged by a run.
func (m *Importer) DoRead(ctx context.Context, who identity.Actor, program contained.Program, path string, found store.Sheet,
	step func(rows int64)) (err error) {
	if err := m.Store.Step(ctx, func(tx *door.Tx) error { return store.ClearRows(ctx, tx, found.ID) }); err != nil {
		return err
	}
	child, err := sheetfile.Read(ctx, program, path, found.Worksheet)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, child.Close()) }()
	var head []store.SheetRow
	if _, err := m.keepRows(ctx, found.ID, child.Next, func(row store.SheetRow, total int) {
		if len(head) < sampled {
			head = append(head, row)
		}
		step(int64(total))
	}); err != nil {
		return err
	}
	read, err := m.understand(ctx, found, head)
	if err != nil {
		return err
	}
	read.Worksheet, read.Worksheets, read.Macros = child.Worksheet, child.Worksheets, child.Macros
	return m.Store.Step(ctx, func(tx *door.Tx) error { return m.endReading(ctx, tx, who, found.ID, read) })
}

// takeHeader takes another row of a sheet for its header.
func (m *Importer) takeHeader(ctx context.Context, tx *door.Tx, who identity.Actor, found store.Sheet, header int) error {
	head, err := store.RowsBehind(ctx, tx, found.ID, 0, sampled)
	if err != nil {
		return err
	}
	found.Header = header
	read, err := m.understand(ctx, found, head)
	if err != nil {
		return err
	}
	read.Worksheet, read.Worksheets, read.Macros = found.Worksheet, found.Worksheets, found.Macros
	return m.endReading(ctx, tx, who, found.ID, read)
}

// endReading records what was found in a sheet, and has it judged.
func (m *Importer) endReading(ctx context.Context, tx *door.Tx, who identity.Actor, id int64, read store.SheetRead) error {
	rows, err := store.RowsFrom(ctx, tx, id, read.FirstRow)
	if err != nil {
		return err
	}
	read.Rows = int(rows)
	if err := store.EndReading(ctx, tx, id, read); err != nil {
		return err
	}
	_, err = m.Runs.Queue(ctx, tx, who, RehearseRun, store.About{Sheet: id})
	return err
}

// understand finds the header among the first rows, and proposes a mapping, over which
// goes the one that was kept for such a header.
func (m *Importer) understand(ctx context.Context, found store.Sheet, head []store.SheetRow) (r store.SheetRead, err error) {
	cells := make([][]string, len(head))
	for i, row := range head {
		cells[i] = row.Cells
	}
	top := sheet.FindTop(cells)
	if at := slices.IndexFunc(head, func(row store.SheetRow) bool { return row.Row == found.Header }); at >= 0 {
		top = sheet.TopAt(cells, at)
	}
	if len(cells) == 0 {
		return r, &sheetfile.Refused{Kind: sheetfile.Empty, Reason: "It is empty: no row holds anything."}
	}
	if top.At < 0 {
		top = sheet.TopAt(cells, 0) // a person can say which it is
	}
	r.Header, r.Names, r.FirstRow = head[top.At].Row, top.Names, head[top.At].Row+1
	if top.First < len(head) {
		r.FirstRow = head[top.First].Row
	}
	r.Choices = found.Choices
	if r.Mapping, err = m.propose(ctx, top, cells); err != nil {
		return r, err
	}
	r.Mapping.Header = r.Header
	kept, err := m.Store.KeptMappings(ctx)
	if err != nil {
		return r, err
	}
	origin, err := store.OriginOfSheet(ctx, m.Store.Reader(), found.ID)
	if err != nil {
		return r, err
	}
	if k := likest(kept, top.Names, origin); k != nil {
		r.Mapping = r.Mapping.Over(k.Mapping)
		r.MappedAs, r.Misfits, r.Choices = k.Name, k.Mapping.Problem(top.Names), k.Choices
	}
	return r, nil
}

// What share of a kept mapping's columns, and of a sheet's, has to be the same for it to be
// used by itself: of any, and of one that was kept for a sheet from the same origin.
const (
	alike     = 0.75
	alikeFrom = 0.4
)

// likest returns the kept mapping that a sheet with these headers from an origin is mapped by:
// the likest of that origin, else the likest of all; nil for none. Of two as like the first.
func likest(kept []store.KeptMapping, names []string, origin int64) *store.KeptMapping {
	best, most := -1, 0.0
	for i, k := range kept {
		likeness := k.Mapping.Likeness(names)
		switch from := origin != 0 && k.Origin == origin; {
		case from && likeness >= alikeFrom:
			likeness++ // before all of others
		case likeness < alike:
			continue
		}
		if likeness > most {
			best, most = i, likeness
		}
	}
	if best < 0 {
		return nil
	}
	return &kept[best]
}

func (m *Importer) propose(ctx context.Context, top sheet.Top, cells [][]string) (sheet.Mapping, error) {
	chosen, err := m.Store.Remembered(ctx, top.Names)
	if err != nil {
		return sheet.Mapping{}, err
	}
	names, err := m.Store.OptionNames(ctx)
	if err != nil {
		return sheet.Mapping{}, err
	}
	var failed error
	proposer := sheet.Proposer{
		Names: names,
		Known: func(values []string) sheet.Hits {
			hits, err := m.Store.CatalogHits(ctx, values)
			failed = errors.Join(failed, err)
			return hits
		},
		Chosen: func(header string) (sheet.Column, bool) {
			column, ok := chosen[sheet.HeaderKey(header)]
			return column, ok
		},
	}
	mapping := proposer.Propose(top.Names, cells[top.First:])
	return mapping, failed
}
