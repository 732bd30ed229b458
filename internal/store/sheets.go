package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/sheet"
	"ambrosa/internal/door"
)

// Sheet is a spreadsheet that came, with its mapping.
type Sheet struct {
	ID             int64             `json:"id"`
	Name           string            `json:"name"`
	Sum            string            `json:"-"`
	Bytes          int64             `json:"bytes"`
	Worksheet      string            `json:"worksheet" doc:"That is read; empty for a CSV"`
	Worksheets     []sheet.Worksheet `json:"worksheets" nullable:"false"`
	Macros         bool              `json:"macros" doc:"The workbook has macros, which are not run"`
	State          string            `json:"state" enum:"reading,open,unreadable,given up"`
	Problem        string            `json:"problem" doc:"Why it cannot be read, or judged"`
	Header         int               `json:"header" doc:"Row of its header"`
	FirstRow       int               `json:"firstRow" doc:"First row of data"`
	Names          []string          `json:"names" nullable:"false" doc:"Headers of its columns"`
	Rows           int               `json:"rows" doc:"Rows of data"`
	Mapping        sheet.Mapping     `json:"mapping"`
	MappedAs       string            `json:"mappedAs" doc:"The kept mapping that it came to"`
	Misfits        []string          `json:"misfits" nullable:"false" doc:"What of that no longer fits"`
	Choices        sheet.Choices     `json:"choices"`
	Revision       int               `json:"revision" doc:"Counts what people change of it"`
	Rehearsed      int               `json:"rehearsed" doc:"The revision that the verdicts are of"`
	CatalogVersion int64             `json:"-"`
	Paired         int               `json:"paired" doc:"Pictures that it paired and that can be taken back"`
	Importing      bool              `json:"importing" doc:"An import of it is under way, stopped, or being taken back"`
	Stale          bool              `json:"stale" doc:"The catalog changed after the rehearsal"`
	Totals         SheetTotals       `json:"totals"`
	Actor          string            `json:"actor" doc:"Who brought it"`
	CreatedAt      time.Time         `json:"createdAt"`
}

// SheetTotals counts what a rehearsal found.
type SheetTotals struct {
	Verdicts  map[string]int `json:"verdicts" nullable:"false" doc:"Rows by verdict"`
	Questions []Question     `json:"questions" nullable:"false" doc:"Cells by what is the matter with them, the most first"`
	Pictures  int            `json:"pictures" doc:"Names of pictures"`
}

// Question counts cells of a column with which the same is the matter.
type Question struct {
	Column  int          `json:"column" doc:"From 0; -1 for rows as a whole"`
	Kind    sheet.Matter `json:"judgement"`
	Refuses bool         `json:"refuses"`
	Cells   int          `json:"cells"`
	Deeds   []sheet.Deed `json:"deeds" nullable:"false" doc:"What can be done for all alike"`
	Words   string       `json:"words" doc:"The reason of the first"`
}

const sheetQuery = `select s.id, s.name, encode(s.sha256, 'hex') as sum, s.bytes, s.worksheet, s.worksheets, s.macros, s.state, s.problem,
	s.header, s.first_row, s.names, s.rows, s.mapping, s.mapped_as, s.misfits, s.choices, s.revision, s.rehearsed, s.catalog_version,
	(select count(*) from sheet_pairing p where p.sheet_id = s.id)::int as paired,
	exists (select from sheet_import i where i.sheet_id = s.id and i.state in ('importing', 'reverting')) as importing,
	s.rehearsed > 0 and s.catalog_version <> v.version as stale, s.totals, actor_name(s.actor_id) as actor, s.created_at
	from sheet s cross join catalog_version v`

// Sheets returns those that were not given up, the newest first.
func (s *Store) Sheets(ctx context.Context, limit int) ([]Sheet, error) {
	found, err := list[Sheet](ctx, s.pool, sheetQuery+` where s.state <> 'given up' order by s.id desc limit $1`, limit)
	for i := range found {
		found[i].fill()
	}
	return found, err
}

// Sheet returns one.
func (s *Store) Sheet(ctx context.Context, id int64) (Sheet, error) { return SheetOf(ctx, s.pool, id) }

// SheetOf returns one, as a transaction sees it.
func SheetOf(ctx context.Context, db DB, id int64) (Sheet, error) {
	found, err := one[Sheet](ctx, db, sheetQuery+` where s.id = $1`, id)
	found.fill()
	return found, err
}

// fill makes lists of what is nothing yet.
func (s *Sheet) fill() {
	s.Worksheets, s.Names, s.Misfits = orEmpty(s.Worksheets), orEmpty(s.Names), orEmpty(s.Misfits)
	s.Mapping.Columns, s.Mapping.Identity = orEmpty(s.Mapping.Columns), orEmpty(s.Mapping.Identity)
	s.Totals.Questions = orEmpty(s.Totals.Questions)
	s.Choices = s.Choices.Or(sheet.Usual)
	if s.Totals.Verdicts == nil {
		s.Totals.Verdicts = map[string]int{}
	}
}

// NewSheet records a sheet whose bytes are kept; it is still to be read.
func NewSheet(ctx context.Context, tx *door.Tx, name string, sum []byte, bytes int64) (int64, error) {
	if err := EndClaims(ctx, tx, 0, [][]byte{sum}); err != nil {
		return 0, err
	}
	return number(ctx, tx, `insert into sheet (name, sha256, bytes, actor_id) values ($1, $2, $3, $4) returning
		id`, name, sum, bytes, tx.Who().ID)
}

// LockSheet locks a sheet that is to be changed.
func LockSheet(ctx context.Context, tx *door.Tx, id int64) (Sheet, error) {
	if _, err := number(ctx, tx, `select id from sheet where id = $1 for update`, id); err != nil {
		return Sheet{}, err
	}
	return SheetOf(ctx, tx, id)
}

// SheetRead is what was found when a sheet was read.
type SheetRead struct {
	Worksheet  string
	Worksheets []sheet.Worksheet
	Macros     bool
	Header     int
	FirstRow   int
	Names      []string
	Rows       int
	Mapping    sheet.Mapping
	MappedAs   string
	Misfits    []string
	Choices    sheet.Choices
	Problem    string
}

// EndReading records what was found in a sheet, which is open from then on.
func EndReading(ctx context.Context, tx *door.Tx, id int64, r SheetRead) error {
	_, err := tx.Exec(ctx, `update sheet set state = case when state = 'given up' then state else 'open' end, worksheet = $2, worksheets = $3,
		macros = $4, header = $5, first_row = $6, names = $7, rows = $8, mapping = $9, mapped_as = $10, misfits = $11, choices = $12,
		problem = $13, revision = revision + 1, rehearsed = 0, totals = '{}' where id = $1`,
		id, r.Worksheet, orEmpty(r.Worksheets), r.Macros, r.Header, r.FirstRow, orEmpty(r.Names), r.Rows, r.Mapping, r.MappedAs,
		orEmpty(r.Misfits), r.Choices, r.Problem)
	if err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// SheetUnreadable records why a sheet cannot be read.
func SheetUnreadable(ctx context.Context, tx *door.Tx, id int64, problem string) error {
	if _, err := tx.Exec(ctx, `update sheet set state = 'unreadable', problem = $2 where id = $1`, id, problem); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// ReadAgain has a sheet read from another worksheet.
func ReadAgain(ctx context.Context, tx *door.Tx, id int64, worksheet string) error {
	if _, err := tx.Exec(ctx, `update sheet set state = 'reading', worksheet = $2, header = 0, problem = '', rehearsed = 0, totals = '{}',
		revision = revision + 1 where id = $1`, id, worksheet); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// GiveUpSheet hides a sheet.
func GiveUpSheet(ctx context.Context, tx *door.Tx, id int64) error {
	return setSheetState(ctx, tx, `update sheet set state = 'given up' where id = $1 returning id`, id)
}

// RestoreSheet brings a sheet back that was given up.
func RestoreSheet(ctx context.Context, tx *door.Tx, id int64) error {
	return setSheetState(ctx, tx, `update sheet set state = case when rows = 0 and problem <> '' then 'unreadable' else 'open' end
		where id = $1 and state = 'given up' returning id`, id)
}

func setSheetState(ctx context.Context, tx *door.Tx, query string, id int64) error {
	if _, err := number(ctx, tx, query, id); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// MapSheet gives a sheet a mapping and choices; what was judged by the old ones no
// longer counts.
func MapSheet(ctx context.Context, tx *door.Tx, id int64, m sheet.Mapping, c sheet.Choices) error {
	if _, err := tx.Exec(ctx, `update sheet set mapping = $2, choices = $3, revision = revision + 1, problem = '' where id = $1`,
		id, m, c); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// SheetRow is a row of a sheet as it came, with what a person did to it.
type SheetRow struct {
	Row   int              `json:"row"`
	Cells []string         `json:"cells" nullable:"false"`
	Edits []sheet.CellEdit `json:"edits" nullable:"false"`
}

// ClearRows forgets the rows of a sheet, to read it anew.
func ClearRows(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := tx.Exec(ctx, `with gone as (delete from sheet_verdict where sheet_id = $1) delete from sheet_row where sheet_id = $1`, id)
	return err
}

// AddSheetRows keeps rows of a sheet.
func AddSheetRows(ctx context.Context, tx *door.Tx, id int64, rows []SheetRow) error {
	return copyInto(ctx, tx, "sheet_row", []string{"sheet_id", "row", "cells"},
		pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) { return []any{id, rows[i].Row, rows[i].Cells}, nil }))
}

const rowQuery = `select row, cells, coalesce(edits, '[]') as edits from sheet_row`

// RowsBehind returns the rows of a sheet behind one, as many as limit, in order.
func RowsBehind(ctx context.Context, db DB, id int64, behind, limit int) ([]SheetRow, error) {
	return list[SheetRow](ctx, db, rowQuery+` where sheet_id = $1 and row > $2 order by row limit $3`, id, behind, limit)
}

// RowsOf returns rows of a sheet by their numbers, in order.
func RowsOf(ctx context.Context, db DB, id int64, rows []int) ([]SheetRow, error) {
	return list[SheetRow](ctx, db, rowQuery+` where sheet_id = $1 and row = any($2) order by row`, id, rows)
}

// EditRow keeps what a person did to a row, which is ErrNotFound where there is none.
func EditRow(ctx context.Context, tx *door.Tx, id int64, row int, edits []sheet.CellEdit) error {
	var kept any
	if len(edits) > 0 {
		kept = edits
	}
	_, err := number(ctx, tx, `update sheet_row set edits = $3 where sheet_id = $1 and row = $2 returning row`, id, row, kept)
	return err
}

// RowsFrom counts the rows of a sheet from one on.
func RowsFrom(ctx context.Context, db DB, id int64, row int) (n int64, err error) {
	return number(ctx, db, `select count(*) from sheet_row where sheet_id = $1 and row >= $2`, id, row)
}

// CountEdits counts a sheet's revision up, since cells were changed.
func CountEdits(ctx context.Context, tx *door.Tx, id int64) (revision int64, err error) {
	revision, err = number(ctx, tx, `update sheet set revision = revision + 1 where id = $1 returning revision`, id)
	if err != nil {
		return 0, err
	}
	return revision, tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// SheetVerdict is how a row was judged.
type SheetVerdict struct {
	Row       int
	Verdict   sheet.Verdict
	SKU       string
	FirstRow  int
	Product   int64 // that it is about; 0 for none, or a new one
	Variant   int64
	Questions []sheet.Judgement
	Changes   []sheet.FieldChange
}

// NewRound begins a round of judging a sheet's rows.
func NewRound(ctx context.Context, tx *door.Tx) (int64, error) {
	return number(ctx, tx, `select nextval('sheet_round')`)
}

// SheetImporting tells whether an import of a sheet is under way, stopped, or being taken
// back.
func (s *Store) SheetImporting(ctx context.Context, id int64) (importing bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from sheet_import where sheet_id = $1 and state in ('importing', 'reverting'))`,
		id).Scan(&importing)
	return importing, err
}

// DropRound forgets a round that is not going to be shown.
func DropRound(ctx context.Context, tx *door.Tx, id, round int64) error {
	_, err := tx.Exec(ctx, `delete from sheet_verdict where sheet_id = $1 and round = $2`, id, round)
	return err
}

func jsonOrNothing[T any](items []T) (any, error) {
	if len(items) == 0 {
		return nil, nil
	}
	return json.Marshal(items)
}

// AddVerdicts keeps how rows were judged in a round.
func AddVerdicts(ctx context.Context, tx *door.Tx, id, round int64, verdicts []SheetVerdict) error {
	return copyInto(ctx, tx, "sheet_verdict",
		[]string{"sheet_id", "round", "row", "verdict", "sku", "first_row", "questions", "changes", "product_id", "variant_id"},
		pgx.CopyFromSlice(len(verdicts), func(i int) ([]any, error) {
			v := verdicts[i]
			questions, err := jsonOrNothing(v.Questions)
			if err != nil {
				return nil, err
			}
			changes, err := jsonOrNothing(v.Changes)
			return []any{id, round, v.Row, string(v.Verdict), v.SKU, v.FirstRow, questions, changes, v.Product, v.Variant}, err
		}))
}

// PutVerdicts keeps how single rows were judged, instead of what the round that is shown
// says of them.
func PutVerdicts(ctx context.Context, tx *door.Tx, id int64, verdicts []SheetVerdict) error {
	batch := &pgx.Batch{}
	for _, v := range verdicts {
		questions, err := jsonOrNothing(v.Questions)
		if err != nil {
			return err
		}
		changes, err := jsonOrNothing(v.Changes)
		if err != nil {
			return err
		}
		batch.Queue(`insert into sheet_verdict (sheet_id, round, row, verdict, sku, first_row, questions, changes, product_id, variant_id)
			select id, round, $2, $3, $4, $5, $6, $7, $8, $9 from sheet where id = $1
			on conflict (sheet_id, round, row) do update set verdict = excluded.verdict, sku = excluded.sku, questions = excluded.questions,
				changes = excluded.changes, product_id = excluded.product_id, variant_id = excluded.variant_id`,
			id, v.Row, v.Verdict, v.SKU, v.FirstRow, questions, changes, v.Product, v.Variant)
	}
	return tx.SendBatch(ctx, batch).Close()
}

// shownRound is the SQL that verdicts are those of the sheet $1 that are shown: of its
// last whole round. As a condition of its own it is looked up once.
const shownRound = `sheet_id = $1 and round = (select round from sheet where id = $1)`

const verdictQuery = `select row, verdict, sku, first_row, product_id as product, variant_id as variant,
	coalesce(questions, '[]') as questions, coalesce(changes, '[]') as changes from sheet_verdict`

// VerdictsOf returns how rows were judged, by their numbers; some may not be yet.
func VerdictsOf(ctx context.Context, db DB, id int64, rows []int) ([]SheetVerdict, error) {
	return list[SheetVerdict](ctx, db, verdictQuery+` where `+shownRound+` and row = any($2) order by row`, id, rows)
}

// RowFilter chooses rows of a sheet.
type RowFilter struct {
	Verdict string
	Column  *int         // with a cell of it in question
	Kind    sheet.Matter // with which this is the matter
	Query   string       // part of a cell
	Offset  int
	Limit   int
}

func (f RowFilter) where() (string, pgx.NamedArgs) {
	args := pgx.NamedArgs{"offset": f.Offset, "limit": f.Limit}
	where := ""
	if f.Verdict != "" {
		where += ` and v.verdict = @verdict`
		args["verdict"] = f.Verdict
	}
	if f.Column != nil || f.Kind != "" {
		asked := map[string]any{}
		if f.Column != nil {
			asked["column"] = *f.Column
		}
		if f.Kind != "" {
			asked["judgement"] = f.Kind
		}
		where += ` and v.questions @> @asked`
		args["asked"] = []any{asked}
	}
	if f.Query != "" {
		where += ` and lower(array_to_string(r.cells, ' ')) like @like`
		args["like"] = Like(f.Query)
	}
	return where, args
}

// ChosenRows returns the numbers of a sheet's rows that a filter chooses, a page of
// them, and how many there are in all.
func (s *Store) ChosenRows(ctx context.Context, id int64, f RowFilter) (rows []int, total int64, err error) {
	where, args := f.where()
	args["sheet"] = id
	from := ` from sheet_row r`
	if where != "" {
		from += ` left join sheet_verdict v on v.sheet_id = r.sheet_id and v.row = r.row
			and v.round = (select round from sheet where id = @sheet)`
	}
	from += ` where r.sheet_id = @sheet and r.row >= (select first_row from sheet where id = @sheet)` + where
	if where == "" {
		total, err = number(ctx, s.pool, `select rows from sheet where id = $1`, id)
	} else {
		total, err = number(ctx, s.pool, `select count(*)`+from, args)
	}
	if err != nil {
		return nil, 0, err
	}
	found, err := s.pool.Query(ctx, `select r.row`+from+` order by r.row offset @offset limit @limit`, args)
	if err != nil {
		return nil, 0, err
	}
	rows, err = pgx.CollectRows(found, pgx.RowTo[int])
	return rows, total, err
}

// EndRehearsal shows a round of verdicts, which are of a revision of the sheet, and what
// they come to. It does nothing, and returns false, when the sheet is another by now, or
// an import of it is under way.
func EndRehearsal(ctx context.Context, tx *door.Tx, id, round int64, revision int, version int64, totals SheetTotals) (shown bool,
	err error) {
	found, err := LockSheet(ctx, tx, id)
	if err != nil || found.Revision != revision || found.Importing {
		return shown, err
	}
	if _, err := tx.Exec(ctx, `update sheet set round = $2, rehearsed = $3, catalog_version = $4, totals = $5, problem = '' where id = $1`,
		id, round, revision, version, totals); err != nil {
		return shown, err
	}
	if _, err := tx.Exec(ctx, `delete from sheet_verdict where sheet_id = $1 and round < $2`, id, round); err != nil {
		return shown, err
	}
	shown = true
	return shown, tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// SheetProblem records why a sheet cannot be judged.
func SheetProblem(ctx context.Context, tx *door.Tx, id int64, revision int, problem string) error {
	if _, err := tx.Exec(ctx, `update sheet set problem = $3, rehearsed = 0, totals = '{}' where id = $1 and revision = $2`,
		id, revision, problem); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: id})
}

// QuestionsBehind returns rows behind one in which the same is the matter with a cell of
// a column, in order, as many as limit.
func QuestionsBehind(ctx context.Context, db DB, id int64, column int, kind sheet.Matter, behind, limit int) ([]SheetVerdict, error) {
	asked := []any{map[string]any{"column": column, "judgement": kind}}
	return list[SheetVerdict](ctx, db, verdictQuery+` where `+shownRound+` and row > $2 and questions @> $3 order by row limit $4`,
		id, behind, asked, limit)
}

// RunWaits tells whether a run of a kind on a sheet is going to begin, and whether one is
// under way.
func RunWaits(ctx context.Context, db DB, kind string, id int64) (waits, works bool, err error) {
	err = db.QueryRow(ctx, `select coalesce(bool_or(state = 'queued'), false), coalesce(bool_or(state = 'running'), false) from run
		where kind = $1 and sheet_id = $2 and state in ('queued', 'running')`, kind, id).Scan(&waits, &works)
	return waits, works, err
}
