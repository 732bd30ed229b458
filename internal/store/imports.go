package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
)

// Import is an import of a sheet.
type Import struct {
	ID         int64     `json:"id"`
	SheetID    int64     `json:"sheet"`
	State      string    `json:"state" enum:"importing,imported,reverting,reverted"`
	Revision   int       `json:"revision" doc:"Of the sheet"`
	Cursor     int       `json:"-"`
	Made       int       `json:"made" doc:"Rows that made something"`
	Changed    int       `json:"changed" doc:"Rows that changed something"`
	Overtaken  int       `json:"overtaken" doc:"Rows that the catalog had overtaken: nothing was done for them"`
	Products   int       `json:"products" doc:"Products that it made or changed"`
	Standing   int       `json:"standing" doc:"Those of them that were not reverted"`
	Actor      string    `json:"actor"`
	RevertedBy string    `json:"revertedBy"`
	CreatedAt  time.Time `json:"createdAt"`
}

const importQuery = `select i.id, coalesce(i.sheet_id, 0) as sheet_id, i.state, i.revision, i.cursor, i.made, i.changed, i.overtaken,
	actor_name(i.actor_id) as actor, actor_name(i.reverted_by_id) as reverted_by,
	i.created_at,
	(select count(*) from sheet_change c where c.import_id = i.id)::int as products,
	(select count(*) from sheet_change c where c.import_id = i.id and c.state = 'imported')::int as standing
	from sheet_import i`

// Imports returns the imports of a sheet, the newest first.
func (s *Store) Imports(ctx context.Context, sheet int64) ([]Import, error) {
	return list[Import](ctx, s.pool, importQuery+` where i.sheet_id = $1 order by i.id desc limit 100`, sheet)
}

// Import returns one.
func (s *Store) Import(ctx context.Context, id int64) (Import, error) {
	return one[Import](ctx, s.pool, importQuery+` where i.id = $1`, id)
}

// LockImport locks one and returns it.
func LockImport(ctx context.Context, tx *door.Tx, id int64) (Import, error) {
	if _, err := number(ctx, tx, `select id from sheet_import where id = $1 for update`, id); err != nil {
		return Import{}, err
	}
	return one[Import](ctx, tx, importQuery+` where i.id = $1`, id)
}

// NewImport records an import that is to be done. ErrChanged means that one is under
// way.
func NewImport(ctx context.Context, tx *door.Tx, sheet int64, revision int) (int64, error) {
	id, err := number(ctx, tx, `insert into sheet_import (sheet_id, revision, actor_id, totals)
		select $1, $2, $3, (select totals from sheet where id = $1)
		where not exists (select from sheet_import where sheet_id = $1 and state in ('importing', 'reverting'))
		returning id`, sheet, revision, tx.Who().ID)
	if err == ErrNotFound {
		err = ErrChanged
	}
	return id, err
}

// NewByHand records a change by hand, which is done at once and taken back like an import.
func NewByHand(ctx context.Context, tx *door.Tx) (int64, error) {
	return number(ctx, tx, `insert into sheet_import (state, revision, actor_id) values ('imported', 0, $1) returning id`, tx.Who().ID)
}

// ProductImport is a change of the fields of a product or category, by a sheet or by hand.
type ProductImport struct {
	Import    int64             `json:"import"`
	Sheet     int64             `json:"sheet" doc:"0 for a change by hand"`
	SheetName string            `json:"sheetName"`
	Row       int               `json:"row"`
	At        time.Time         `json:"at"`
	By        string            `json:"by"`
	State     string            `json:"state" enum:"imported,reverted"`
	Note      string            `json:"note"`
	Standing  bool              `json:"standing" doc:"It can be taken back"`
	Before    *catalog.Snapshot `json:"-"` // of a product
	After     catalog.Snapshot  `json:"-"`
}

// FieldChanges returns what changed the fields of a product or category, the last first, as
// many as limit.
func (s *Store) FieldChanges(ctx context.Context, of catalog.Target, limit int) ([]ProductImport, error) {
	product, category := ownerColumns(of)
	found, err := list[ProductImport](ctx, s.pool, `select i.id as import, coalesce(i.sheet_id, 0) as sheet,
			coalesce(s.name, '') as sheet_name, c.row,
			i.created_at as at, actor_name(i.actor_id) as by, c.state, c.note, c.state = 'imported' and i.state = 'imported'
			as standing, c.before, c.after
		from sheet_change c join sheet_import i on i.id = c.import_id left join sheet s on s.id = i.sheet_id
		where c.product_id = $1 or c.category_id = $2 order by c.id desc limit $3`, product, category, limit)
	return orEmpty(found), err
}

// Analyze tells the database's planner anew what tables hold that have grown much: what it
// plans for empty ones reads them whole for every row.
func Analyze(ctx context.Context, tx *door.Tx, tables ...string) error {
	for _, table := range tables {
		if _, err := tx.Exec(ctx, `analyze `+pgx.Identifier{table}.Sanitize()); err != nil {
			return err
		}
	}
	return nil
}

// NextProducts returns the first rows of those products of a sheet behind one that a
// rehearsal would make or change, in order, as many as limit.
func NextProducts(ctx context.Context, db DB, sheet int64, behind, limit int) (firsts []int, err error) {
	rows, err := db.Query(ctx, `select first_row from sheet_verdict
		where `+shownRound+` and first_row > $2 and verdict in ('make', 'change')
		group by first_row order by first_row limit $3`, sheet, behind, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int])
}

// VerdictsOfProducts returns how all rows of products were judged, by the products'
// first rows, in order.
func VerdictsOfProducts(ctx context.Context, db DB, sheet int64, firsts []int) ([]SheetVerdict, error) {
	return list[SheetVerdict](ctx, db, verdictQuery+` where `+shownRound+` and first_row = any($2) order by row`, sheet, firsts)
}

// Advance records how far an import is, in the transaction of what it did.
func Advance(ctx context.Context, tx *door.Tx, id int64, cursor, made, changed, overtaken int) error {
	_, err := tx.Exec(ctx, `update sheet_import set cursor = $2, made = made + $3, changed = changed + $4, overtaken = overtaken + $5
		where id = $1`, id, cursor, made, changed, overtaken)
	return err
}

// SetImportState moves an import on; where it is taken back, the actor is who wanted it.
func SetImportState(ctx context.Context, tx *door.Tx, id int64, state string) error {
	var sheet int64
	if err := tx.QueryRow(ctx, `update sheet_import set state = $2,
			reverted_by_id = case when $2 in ('reverting', 'reverted') then $3 else reverted_by_id end
		where id = $1 returning coalesce(sheet_id, 0)`, id, state, tx.Who().ID).Scan(&sheet); err != nil {
		return orNotFound(err)
	}
	if sheet == 0 {
		return nil // by hand
	}
	return tx.Announce(ctx, door.Event{Topic: "sheet", ID: sheet})
}

// NewProducts counts the products that an import made.
func (s *Store) NewProducts(ctx context.Context, id int64) (int, error) {
	n, err := number(ctx, s.pool, `select count(*) from sheet_change where import_id = $1 and product_id is not null and before is null`, id)
	return int(n), err
}

// SheetChange is what an import did to a product.
type SheetChange struct {
	ID        int64
	ProductID int64
	Row       int
	Before    *catalog.Snapshot
	After     catalog.Snapshot
	State     string
	Note      string
}

// AddChanges records what an import did, in its transaction. Of a product that it
// changed before, what stood first stays.
func AddChanges(ctx context.Context, tx *door.Tx, id int64, changes []SheetChange) error {
	products, rows := make([]int64, len(changes)), make([]int, len(changes))
	befores, afters := make([]any, len(changes)), make([]any, len(changes))
	for i, c := range changes {
		products[i], rows[i], afters[i] = c.ProductID, c.Row, c.After
		if c.Before != nil {
			befores[i] = c.Before
		}
	}
	_, err := tx.Exec(ctx, `insert into sheet_change (import_id, product_id, row, before, after)
		select $1, g.product, g.row, g.before, g.after
		from unnest($2::bigint[], $3::int[], $4::jsonb[], $5::jsonb[]) with ordinality as g (product, row, before, after, at) order by g.at
		on conflict (import_id, product_id) do update set after = excluded.after`, id, products, rows, befores, afters)
	return err
}

const sheetChangeQuery = `select id, product_id, row, before, after, state, note from sheet_change`

// StandingChanges returns what of an import is not taken back, the last first, before a
// change, as many as limit; of one product alone where that is not 0.
func StandingChanges(ctx context.Context, db DB, id, product, before int64, limit int) ([]SheetChange, error) {
	return list[SheetChange](ctx, db, sheetChangeQuery+` where import_id = $1 and state = 'imported' and product_id is not null
		and ($2::bigint = 0 or product_id = $2)
		and ($3::bigint = 0 or id < $3) order by id desc limit $4`, id, product, before, limit)
}

// EndChange records that a change was taken back, and what of it was not, and why.
func EndChange(ctx context.Context, tx *door.Tx, id int64, note string) error {
	_, err := tx.Exec(ctx, `update sheet_change set state = 'reverted', note = $2 where id = $1`, id, note)
	return err
}

// ImportReport returns what became of an import of a sheet, when its run ended in a state.
func ImportReport(ctx context.Context, tx *door.Tx, id int64, reverted bool, ended, why string) (r sheet.Report, err error) {
	i, err := one[Import](ctx, tx, importQuery+` where i.id = $1`, id)
	if err != nil {
		return r, err
	}
	var name string
	var totals SheetTotals
	err = tx.QueryRow(ctx, `select s.name, i.totals from sheet_import i join sheet s on s.id = i.sheet_id where i.id = $1`, id).
		Scan(&name, &totals)
	if err != nil {
		return r, err
	}
	r = sheet.Report{Sheet: name, Reverted: reverted, Ended: ended, Why: why, Made: i.Made, Changed: i.Changed,
		Same: totals.Verdicts[string(sheet.Same)], Refused: totals.Verdicts[string(sheet.Refused)],
		Skipped: totals.Verdicts[string(sheet.Skipped)], Overtaken: i.Overtaken, Products: i.Products, Standing: i.Standing,
		Pictures: totals.Pictures}
	for _, q := range totals.Questions {
		switch q.Kind {
		case sheet.Missing:
			r.Missing += q.Cells
		case sheet.Contested:
			r.Contested += q.Cells
		}
	}
	return r, nil
}

// ImportedProduct is a product or category that an import made or changed.
type ImportedProduct struct {
	Product  int64  `json:"product,omitempty"`
	Category int64  `json:"category,omitempty"`
	Code     string `json:"code"`
	Title    string `json:"title"`
	Row      int    `json:"row"`
	Made     bool   `json:"made"`
	State    string `json:"state" enum:"imported,reverted"`
	Note     string `json:"note"`
	Pictures int    `json:"pictures"`
	Lead     string `json:"lead"`
	Gone     bool   `json:"gone" doc:"It is not in the catalog any more"`
}

// ImportedProducts returns a page of them: those without a picture first, then in the
// sheet's order.
func (s *Store) ImportedProducts(ctx context.Context, id int64, offset, limit int) (page []ImportedProduct, total int64, err error) {
	if total, err = number(ctx, s.pool, `select count(*) from sheet_change where import_id = $1`, id); err != nil {
		return nil, 0, err
	}
	page, err = list[ImportedProduct](ctx, s.pool, `
		select coalesce(c.product_id, 0) as product, coalesce(c.category_id, 0) as category,
			coalesce(p.code, g.path, c.after->>'code', c.after->>'path') as code,
			coalesce(p.title, g.name, c.after->>'title', '') as title, c.row,
			c.before is null as made, c.state, c.note, coalesce(p.pictures, g.pictures, 0) as pictures,
			coalesce(p.id, g.id) is null as gone,
			coalesce((select encode(f.sha256, 'hex') from placement pl join file f on f.id = pl.file_id
				left join variant v on v.id = pl.variant_id where pl.product_id = p.id or pl.category_id = g.id
				order by pl.variant_id is not null, v.position, pl.place limit 1), '') as lead
		from sheet_change c left join product p on p.id = c.product_id left join category g on g.id = c.category_id where c.import_id = $1
		order by coalesce(p.id, g.id) is null, coalesce(p.pictures, g.pictures, 0) > 0, c.row, c.id offset $2 limit $3`, id, offset, limit)
	return page, total, err
}

// ImportUnderWay tells whether a run is going on with an import, or going to.
func ImportUnderWay(ctx context.Context, db DB, id int64) (under bool, err error) {
	err = db.QueryRow(ctx, `select exists (select from run where import_id = $1 and state in ('queued', 'running', 'stopping'))`,
		id).Scan(&under)
	return under, err
}

// AddCategories records categories that an import made, in its transaction.
func AddCategories(ctx context.Context, tx *door.Tx, id int64, categories []int64) error {
	_, err := tx.Exec(ctx, `update sheet_import set categories = categories || $2::bigint[] where id = $1`, id, categories)
	return err
}

// CategoriesMade returns the categories that an import made and that are there, those below
// others first.
func CategoriesMade(ctx context.Context, tx *door.Tx, id int64) ([]int64, error) {
	return numbers(ctx, tx, `select c.id from category c join sheet_import i on c.id = any(i.categories) where i.id = $1
		order by length(c.path) desc, c.id desc`, id)
}
