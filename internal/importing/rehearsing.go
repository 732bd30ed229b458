package importing

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// ready is a judge that has noted all rows of a sheet's revision.
type ready struct {
	sheet    int64
	revision int
	judge    *sheet.Judge
}

// keptJudges is how many sheets' judges are kept ready.
const keptJudges = 4

// noteAtOnce and judgeAtOnce are how many rows are read and judged together.
const (
	noteAtOnce  = 5000
	judgeAtOnce = 2000
)

// kept returns the judge that is ready for a sheet, of any revision since its mapping
// was last changed; nil for none.
func (m *Importer) kept(id int64) *ready {
	m.mu.Lock()
	defer m.mu.Unlock()
	at := slices.IndexFunc(m.judges, func(r ready) bool { return r.sheet == id })
	if at < 0 {
		return nil
	}
	found := m.judges[at]
	return &found
}

func (m *Importer) keep(r ready) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.judges = slices.DeleteFunc(m.judges, func(o ready) bool { return o.sheet == r.sheet })
	m.judges = slices.Insert(m.judges, 0, r)
	m.judges = m.judges[:min(len(m.judges), keptJudges)]
}

// judgeOf returns a judge that has noted all rows of a sheet, but for cells that were
// changed since.
func (m *Importer) judgeOf(ctx context.Context, found store.Sheet) (*sheet.Judge, error) {
	if r := m.kept(found.ID); r != nil && r.revision == found.Revision {
		return r.judge, nil
	}
	return m.newJudge(ctx, found)
}

// newJudge returns a judge that has noted all rows of a sheet as it is, and keeps it
// ready.
func (m *Importer) newJudge(ctx context.Context, found store.Sheet) (*sheet.Judge, error) {
	judge, err := sheet.NewJudge(found.Mapping, found.Choices)
	if err != nil {
		return nil, &MappingError{"This mapping cannot be used: " + err.Error() + "."}
	}
	err = m.eachRow(ctx, found, noteAtOnce, func(rows []store.SheetRow) error {
		for _, r := range rows {
			judge.Note(r.Row, r.Cells, r.Edits)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	m.keep(ready{found.ID, found.Revision, judge})
	return judge, nil
}

// eachRow goes through the rows of data of a sheet, some at a time.
func (m *Importer) eachRow(ctx context.Context, found store.Sheet, atOnce int, each func([]store.SheetRow) error) error {
	for last := found.FirstRow - 1; ; {
		rows, err := store.RowsBehind(ctx, m.Store.Reader(), found.ID, last, atOnce)
		if err != nil || len(rows) == 0 {
			return err
		}
		last = rows[len(rows)-1].Row
		if err := each(rows); err != nil {
			return err
		}
	}
}

// judged judges rows of a sheet, 0 for none, against the catalog as it is.
func judged(ctx context.Context, db store.DB, of int64, judge *sheet.Judge, rows []store.SheetRow) ([]sheet.Judged, error) {
	asked, opened := sheet.NewAsked(), make([]sheet.Opened, len(rows))
	for i, r := range rows {
		opened[i] = judge.Open(r.Row, r.Cells, r.Edits)
		opened[i].Ask(asked)
	}
	known, err := store.Items(ctx, db, of, asked)
	if err != nil {
		return nil, err
	}
	all := make([]sheet.Judged, len(rows))
	for i := range opened {
		all[i] = opened[i].Judge(known)
	}
	return all, nil
}

// errOvertaken means that an import of the sheet began while it was judged: when that ends,
// it is judged again.
var errOvertaken = errors.New("an import of the sheet began")

// DoRehearse judges every row of a sheet, and tells step how many are done. It changes
// nothing but what is known of the sheet. It is done again when the sheet was
// changed meanwhile.
func (m *Importer) DoRehearse(ctx context.Context, id int64, step func(done, total int64)) (store.SheetTotals, error) {
	return m.rehearseAll(ctx, id, step, func(sheet.Judged) {}, func() {})
}

// rehearseAll does it, and gives each row as it was judged to seen; again comes before all are judged anew.
func (m *Importer) rehearseAll(ctx context.Context, id int64, step func(done, total int64), seen func(sheet.Judged),
	again func()) (store.SheetTotals, error) {
	one := m.oneByOne(id)
	one.Lock()
	defer one.Unlock()
	for {
		again()
		totals, current, err := m.rehearse(ctx, id, step, seen)
		if err != nil || current {
			return totals, err
		}
	}
}

// oneByOne keeps rehearsals of one sheet from running side by side.
func (m *Importer) oneByOne(id int64) *sync.Mutex {
	one, _ := m.rehearsing.LoadOrStore(id, &sync.Mutex{})
	return one.(*sync.Mutex)
}

func (m *Importer) rehearse(ctx context.Context, id int64, step func(done, total int64),
	seen func(sheet.Judged)) (totals store.SheetTotals, current bool, err error) {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil || found.State != "open" || found.Importing {
		return totals, true, err // of an import that ends, the sheet is judged again
	}
	version, err := m.Store.CatalogVersion(ctx)
	if err != nil {
		return totals, false, err
	}
	judge, err := m.newJudge(ctx, found)
	if wrong := (*MappingError)(nil); errors.As(err, &wrong) {
		return totals, true, m.Store.Step(ctx, func(tx *door.Tx) error {
			return store.SheetProblem(ctx, tx, id, found.Revision, wrong.Why)
		})
	}
	if err != nil {
		return totals, false, err
	}
	count := newCounter()
	round, err := door.Get(ctx, m.Store.Door, door.Step(ctx), func(tx *door.Tx) (int64, error) {
		return store.NewRound(ctx, tx)
	})
	if err != nil {
		return totals, false, err
	}
	done := int64(0)
	err = m.eachRow(ctx, found, judgeAtOnce, func(rows []store.SheetRow) error {
		if importing, err := m.Store.SheetImporting(ctx, id); err != nil || importing {
			return cmp.Or(err, errOvertaken)
		}
		all, err := judged(ctx, m.Store.Reader(), id, judge, rows)
		if err != nil {
			return err
		}
		verdicts := make([]store.SheetVerdict, len(all))
		for i, j := range all {
			seen(j)
			count.add(j)
			verdicts[i] = count.verdict(j)
		}
		done += int64(len(rows))
		step(done, int64(found.Rows))
		return m.Store.Step(ctx, func(tx *door.Tx) error { return store.AddVerdicts(ctx, tx, id, round, verdicts) })
	})
	if errors.Is(err, errOvertaken) {
		return totals, true, m.Store.Step(ctx, func(tx *door.Tx) error { return store.DropRound(ctx, tx, id, round) })
	}
	if err != nil {
		return totals, false, err
	}
	totals = count.totals()
	shown, err := door.Get(ctx, m.Store.Door, door.Step(ctx), func(tx *door.Tx) (bool, error) {
		return store.EndRehearsal(ctx, tx, id, round, found.Revision, version, totals)
	})
	if err != nil || shown {
		return totals, shown, err
	}
	return totals, false, m.Store.Step(ctx, func(tx *door.Tx) error { return store.DropRound(ctx, tx, id, round) })
}

// counter counts what a rehearsal finds, and tells the rows of each product.
type counter struct {
	verdicts  map[string]int
	questions map[asking]*store.Question
	firsts    map[string]int // owner to its first row
	pictures  int
}

type asking struct {
	column int
	kind   sheet.Matter
}

func newCounter() *counter {
	return &counter{verdicts: map[string]int{}, questions: map[asking]*store.Question{}, firsts: map[string]int{}}
}

func (c *counter) add(j sheet.Judged) {
	c.verdicts[string(j.Verdict)]++
	c.pictures += len(j.Wanted.Pictures)
	for _, cell := range j.Cells {
		key := asking{cell.Column, cell.Kind}
		q := c.questions[key]
		if q == nil {
			q = &store.Question{Column: cell.Column, Kind: cell.Kind, Refuses: cell.Refuses, Words: cell.Reason, Deeds: []sheet.Deed{}}
			c.questions[key] = q
		}
		q.Cells++
		for _, remedy := range cell.Remedies {
			if cell.Settles(remedy.Do) && !slices.Contains(q.Deeds, remedy.Do) {
				q.Deeds = append(q.Deeds, remedy.Do)
			}
		}
	}
}

func (c *counter) verdict(j sheet.Judged) store.SheetVerdict {
	owner := j.Owner()
	first, known := c.firsts[owner]
	if !known || owner == "" {
		first = j.Row
		c.firsts[owner] = first
	}
	return verdictOf(j, first)
}

// verdictOf is how a row was judged, as it is kept; first is the first row of all that are
// about the same product.
func verdictOf(j sheet.Judged, first int) store.SheetVerdict {
	v := store.SheetVerdict{Row: j.Row, Verdict: j.Verdict, SKU: j.SKU, FirstRow: first, Questions: j.Cells, Changes: j.Changes}
	if item := j.Wanted.Item; item != nil {
		v.Product, v.Variant = item.Product, item.Variant
	}
	return v
}

func (c *counter) totals() store.SheetTotals {
	t := store.SheetTotals{Verdicts: c.verdicts, Questions: []store.Question{}, Pictures: c.pictures}
	for _, q := range c.questions {
		t.Questions = append(t.Questions, *q)
	}
	slices.SortFunc(t.Questions, func(a, b store.Question) int {
		return cmp.Or(compareBool(b.Refuses, a.Refuses), cmp.Compare(b.Cells, a.Cells), cmp.Compare(a.Column, b.Column),
			cmp.Compare(a.Kind, b.Kind))
	})
	return t
}

func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// JudgedRow is a row of a sheet as a person sees it.
type JudgedRow struct {
	sheet.Judged
	Values []string         `json:"values" nullable:"false" doc:"As they came"`
	Edits  []sheet.CellEdit `json:"edits" nullable:"false"`
	// Pictures are those that it names and that are here.
	Pictures []RowPicture `json:"pictures" nullable:"false"`
}

// RowPicture is a picture that a cell names.
type RowPicture struct {
	Column int    `json:"column"`
	Sum    string `json:"sum" doc:"SHA-256; of several files of the name the newest"`
}

// Rows returns a page of a sheet's rows, judged; what no rehearsal has judged yet is
// judged now.
func (m *Importer) Rows(ctx context.Context, id int64, f store.RowFilter) (page []JudgedRow, total int64, err error) {
	numbers, total, err := m.Store.ChosenRows(ctx, id, f)
	if err != nil || len(numbers) == 0 {
		return nil, total, err
	}
	rows, err := store.RowsOf(ctx, m.Store.Reader(), id, numbers)
	if err != nil {
		return nil, 0, err
	}
	verdicts, err := store.VerdictsOf(ctx, m.Store.Reader(), id, numbers)
	if err != nil {
		return nil, 0, err
	}
	if len(verdicts) < len(rows) {
		if page, err = m.judgedNow(ctx, id, rows); err != nil {
			return nil, 0, err
		}
		return page, total, m.showPictures(ctx, id, page)
	}
	for i, r := range rows {
		page = append(page, rowOf(r, verdicts[i]))
	}
	return page, total, m.showPictures(ctx, id, page)
}

func rowOf(r store.SheetRow, v store.SheetVerdict) JudgedRow {
	return JudgedRow{Judged: sheet.Judged{Row: r.Row, Verdict: v.Verdict, SKU: v.SKU, Cells: v.Questions, Changes: v.Changes},
		Values: r.Cells, Edits: r.Edits, Pictures: []RowPicture{}}
}

// judgedNow judges rows before a rehearsal does; what stands twice is seen among them
// alone.
func (m *Importer) judgedNow(ctx context.Context, id int64, rows []store.SheetRow) (page []JudgedRow, err error) {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil {
		return nil, err
	}
	judge, err := sheet.NewJudge(found.Mapping, found.Choices)
	if err != nil {
		for _, r := range rows {
			nothing := sheet.Judged{Row: r.Row, Verdict: sheet.Refused, Cells: []sheet.Judgement{}, Changes: []sheet.FieldChange{}}
			page = append(page, JudgedRow{Judged: nothing,
				Values: r.Cells, Edits: r.Edits, Pictures: []RowPicture{}})
		}
		return page, nil
	}
	for _, r := range rows {
		judge.Note(r.Row, r.Cells, r.Edits)
	}
	all, err := judged(ctx, m.Store.Reader(), id, judge, rows)
	for i, j := range all {
		page = append(page, JudgedRow{Judged: j, Values: rows[i].Cells, Edits: rows[i].Edits, Pictures: []RowPicture{}})
	}
	return page, err
}

// Edit changes what a person did to a row, and judges it again. Other rows that say the
// same as it are judged again by a run. was is what had been done to it as the person
// saw it: store.ErrChanged means that somebody did something else to it since.
func (m *Importer) Edit(ctx context.Context, who identity.Actor, id int64, row int, was, edits []sheet.CellEdit) (JudgedRow, error) {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil {
		return JudgedRow{}, err
	}
	judge, err := m.judgeOf(ctx, found)
	if err != nil {
		return JudgedRow{}, err
	}
	var out JudgedRow
	err = m.Store.Do(ctx, door.By(who, identity.SheetEdit, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		locked, err := openSheet(ctx, tx, id)
		if err != nil {
			return err
		}
		rows, err := store.RowsOf(ctx, tx, id, []int{row})
		if err != nil || len(rows) == 0 {
			return cmp.Or(err, store.ErrNotFound)
		}
		if !slices.EqualFunc(rows[0].Edits, was, sheet.CellEdit.Same) {
			return store.ErrChanged
		}
		if err := store.EditRow(ctx, tx, id, row, edits); err != nil {
			return err
		}
		rows[0].Edits = edits
		all, err := judged(ctx, tx, id, judge, rows)
		if err != nil {
			return err
		}
		out = JudgedRow{Judged: all[0], Values: rows[0].Cells, Edits: rows[0].Edits, Pictures: []RowPicture{}}
		if err := store.PutVerdicts(ctx, tx, id, []store.SheetVerdict{verdictOf(all[0], row)}); err != nil {
			return err
		}
		revision, err := store.CountEdits(ctx, tx, id)
		if err != nil {
			return err
		}
		m.keep(ready{id, int(revision), judge})
		return m.rehearseSoon(ctx, tx, who, locked)
	})
	if err != nil {
		return JudgedRow{}, err
	}
	page := []JudgedRow{out}
	err = m.showPictures(ctx, id, page)
	return page[0], err
}

// rehearseSoon has a sheet judged again that was changed in this transaction, unless it is
// going to be already: by a run that waits, or by one that has not shown the revision before
// and so goes on to this one. was is the sheet as it was locked.
func (m *Importer) rehearseSoon(ctx context.Context, tx *door.Tx, who identity.Actor, was store.Sheet) error {
	waits, works, err := store.RunWaits(ctx, tx, RehearseRun, was.ID)
	if err != nil || waits || works && was.Rehearsed < was.Revision {
		return err
	}
	_, err = m.Runs.Queue(ctx, tx, who, RehearseRun, store.About{Sheet: was.ID})
	return err
}

// openSheet locks a sheet that is to be worked on.
func openSheet(ctx context.Context, tx *door.Tx, id int64) (store.Sheet, error) {
	found, err := store.LockSheet(ctx, tx, id)
	switch {
	case err != nil:
		return found, err
	case found.State != "open":
		return found, store.ErrChanged
	case found.Importing:
		return found, ErrImporting
	}
	return found, nil
}
