package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/pairing"
	"ambrosa/internal/door"
)

// SheetFile is a spreadsheet among a lot's files.
type SheetFile struct {
	ID    int64
	Lot   string // its name
	Path  string
	Sum   []byte
	Bytes int64
	Sheet int64 // that it is; 0 where it is not read yet
}

// LotSheets returns the spreadsheets among a lot's files: those that are sheets, and
// those that were not looked at yet.
func (s *Store) LotSheets(ctx context.Context, lot int64) ([]SheetFile, error) {
	return list[SheetFile](ctx, s.pool, `select f.id, l.name as lot, f.path, f.sha256 as sum, f.bytes, coalesce(f.sheet_id, 0) as sheet
		from file f join lot l on l.id = f.lot_id
		where f.lot_id = $1 and f.sha256 is not null and (f.verdict = 'sheet' or f.verdict = 'unusable' and f.why = '')
			and lower(f.path) ~ '[.](csv|tsv|xlsx|xlsm)$' order by f.id`, lot)
}

// SheetOfBytes returns the newest sheet with the bytes of a file that is read; ErrNotFound
// means that there is none.
func SheetOfBytes(ctx context.Context, tx *door.Tx, sum []byte) (int64, error) {
	return number(ctx, tx, `select id from sheet where sha256 = $1 and state = 'open' order by id desc limit 1`, sum)
}

// IsSheet records which sheet a file of a lot is.
func IsSheet(ctx context.Context, tx *door.Tx, file, sheet int64) error {
	if _, err := tx.Exec(ctx, `update file set verdict = 'sheet', problem = '', sheet_id = $2 where id = $1`, file, sheet); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `with before as (delete from reference where file_id = $1 and sheet_id <> $2)
		insert into reference (file_id, sheet_id) select $1, $2 where not exists (select from reference where file_id = $1 and sheet_id = $2)`,
		file, sheet)
	return err
}

// SheetUnderWay tells whether a sheet is read by a run of its own.
func (s *Store) SheetUnderWay(ctx context.Context, sheet int64, kind string) (busy bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from run where sheet_id = $1 and kind = $2
		and state in ('queued', 'running', 'stopping'))`, sheet, kind).Scan(&busy)
	return busy, err
}

// LotRow is a picture that a row of a lot's sheet names.
type LotRow struct {
	File int64 // the sheet among the lot's files
	Name int   // which of the row's, from 0
	pairing.Row
	Product, Variant, Category int64 // what the row is about; each 0 where that is not known
}

// LotRows returns what a lot's sheets say of its files.
func (s *Store) LotRows(ctx context.Context, lot int64) (rows []LotRow, err error) {
	found, err := s.pool.Query(ctx, `select file_id, name, line, file, sku, place, view, alt, lead, product_id, variant_id, category_id
		from lot_row where lot_id = $1 order by file_id, line, name`, lot)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(found, func(row pgx.CollectableRow) (r LotRow, err error) {
		err = row.Scan(&r.File, &r.Name, &r.Line, &r.Row.File, &r.SKU, &r.Place, &r.View, &r.Alt, &r.Lead, &r.Product, &r.Variant, &r.Category)
		return r, err
	})
}

// PutLotRows writes what a lot's sheets say of its files, instead of what they said.
func PutLotRows(ctx context.Context, tx *door.Tx, lot int64, rows []LotRow) error {
	if _, err := tx.Exec(ctx, `delete from lot_row where lot_id = $1`, lot); err != nil {
		return err
	}
	columns := []string{"lot_id", "file_id", "name", "line", "file", "sku", "place", "view", "alt", "lead",
		"product_id", "variant_id", "category_id"}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"lot_row"}, columns, pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
		r := rows[i]
		return []any{lot, r.File, r.Name, r.Line, r.Row.File, r.SKU, r.Place, r.View, r.Alt, r.Lead, r.Product, r.Variant, r.Category}, nil
	}))
	return err
}

// SheetOfLot is a sheet that came with a lot.
type SheetOfLot struct {
	ID      int64  `json:"id"`
	Name    string `json:"name"`
	State   string `json:"state" enum:"reading,open,unreadable,given up"`
	Problem string `json:"problem" doc:"Why it cannot be read, or judged"`
	Rows    int    `json:"rows"`
}

// SheetsOfLot returns the sheets that came with a lot.
func (s *Store) SheetsOfLot(ctx context.Context, lot int64) ([]SheetOfLot, error) {
	return list[SheetOfLot](ctx, s.pool, `select id, name, state, problem, rows from sheet
		where id in (select sheet_id from file where lot_id = $1) order by id`, lot)
}

// SheetLot is a lot that a sheet came with, or that was fetched for it.
type SheetLot struct {
	ID    int64  `json:"id"`
	Name  string `json:"name"`
	State string `json:"state"`
	Files int    `json:"files" doc:"Pictures in it that can be used"`
	Own   bool   `json:"own" doc:"The sheet came among its files; else its pictures were fetched for the sheet"`
	From  string `json:"from" doc:"The origin that it came from, empty for none"`
}

// SheetLots returns the lots that a sheet came with and those that were fetched for it, the
// newest first.
func (s *Store) SheetLots(ctx context.Context, sheet int64) ([]SheetLot, error) {
	return list[SheetLot](ctx, s.pool, `select l.id, l.name, l.state, l.sheet_id is distinct from $1 as own,
			coalesce((select name from origin where id = l.origin_id), '') as "from",
			(select count(*) from file where lot_id = l.id and verdict not in ('unusable', 'sheet'))::int as files
		from lot l where l.state <> 'given up' and (l.sheet_id = $1 or l.id in (select lot_id from file where sheet_id = $1))
		order by l.id desc`, sheet)
}

// LotsOfSheet returns the lots that a sheet came with, and that are open.
func (s *Store) LotsOfSheet(ctx context.Context, sheet int64) ([]int64, error) {
	return numbers(ctx, s.pool, `select distinct l.id from file f join lot l on l.id = f.lot_id
		where f.sheet_id = $1 and l.state = 'ready' order by l.id`, sheet)
}

// LotsToPlan returns the open lots in which a sheet has pictures paired: by its rows, or as a
// clue of the lot that it came with; at most 200, the newest first.
func (s *Store) LotsToPlan(ctx context.Context, sheet int64) ([]int64, error) {
	found, err := numbers(ctx, s.pool, `select l.id from lot l where l.state = 'ready' and l.id in (
			select f.lot_id from sheet_pairing p join decision_file d on d.decision_id = p.decision_id join file f on f.id = d.file_id
				where p.sheet_id = $1 and f.verdict = 'paired'
			union select lot_id from file where sheet_id = $1)
			and exists (select from file where lot_id = l.id and verdict = 'paired')
		order by l.id desc limit 200`, sheet)
	return orEmpty(found), err
}

// LotNamesOfSheet returns the names of the lots that a sheet came with.
func (s *Store) LotNamesOfSheet(ctx context.Context, sheet int64) ([]string, error) {
	return texts(ctx, s.pool, `select distinct l.name from file f join lot l on l.id = f.lot_id where f.sheet_id = $1`, sheet)
}

// OriginOfSheet returns the origin that a sheet came from last, 0 where it came from none.
func OriginOfSheet(ctx context.Context, db DB, sheet int64) (int64, error) {
	return number(ctx, db, `select coalesce(max(o.id), 0) from (select l.origin_id as id from file f join lot l on l.id = f.lot_id
		where f.sheet_id = $1 and l.origin_id is not null order by l.id desc limit 1) o`, sheet)
}

// UsablePaths returns the paths of a lot's files that can be paired.
func (s *Store) UsablePaths(ctx context.Context, lot int64) ([]string, error) {
	return texts(ctx, s.pool, `select path from file where lot_id = $1 and verdict not in ('unusable', 'sheet') order by id`, lot)
}

// DecidedOnProducts returns the paths of a lot's files that a person paired with products.
func (s *Store) DecidedOnProducts(ctx context.Context, lot int64) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select path from file where lot_id = $1 and decided_by = 'person' and verdict = 'paired'
		and product_id is not null order by id`, lot)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// CategoryKeys returns what categories may be called by.
func (s *Store) CategoryKeys(ctx context.Context) ([]pairing.Branch, error) {
	return list[pairing.Branch](ctx, s.pool, `select id, ref, name, path from category order by id`)
}

// LotFile is a file of a lot, as lists show it.
type LotFile struct {
	ID      int64  `json:"id"`
	Lot     int64  `json:"lot"`
	Path    string `json:"path"`
	Sum     string `json:"sum"`
	Verdict string `json:"verdict" enum:"unread,paired,contested,loose,set aside"`
	Code    string `json:"code" doc:"Of what it is paired with, empty for nothing"`
	Address string `json:"-"`
}

// FilesOfSheetsLots returns the files that can be used of the lots that a sheet came with,
// and of those that were fetched for it, the newest lot first.
func (s *Store) FilesOfSheetsLots(ctx context.Context, sheet int64) ([]LotFile, error) {
	return list[LotFile](ctx, s.pool, `select f.id, f.lot_id as lot, f.path, encode(f.sha256, 'hex') as sum, f.verdict,
			coalesce(v.sku, p.code, c.path, '') as code, f.address
		from file f join lot l on l.id = f.lot_id left join variant v on v.id = f.variant_id left join product p on p.id = f.product_id
			left join category c on c.id = f.category_id
		where l.state <> 'given up' and f.verdict not in ('unusable', 'sheet') and f.sha256 is not null
			and (l.sheet_id = $1 or l.id in (select lot_id from file where sheet_id = $1))
		order by l.id desc, f.id`, sheet)
}
