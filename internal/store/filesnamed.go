package store

import (
	"context"
	"slices"

	"ambrosa/core/catalog"
	sheets "ambrosa/core/sheet"
	"ambrosa/internal/door"
)

// fileStem is the SQL of what a file is called: without folders, ending and letter case.
const fileStem = `lower(regexp_replace(regexp_replace(path, '^.*[/\\]', ''), '\.[A-Za-z0-9]{2,5}$', ''))`

// mostNamesakes bounds how many files of one name are looked at.
const mostNamesakes = 50

// NamedFile is a file of the library that a sheet may name.
type NamedFile struct {
	ID       int64
	Version  int
	Path     string
	Sum      string
	Lot      int64
	LotName  string
	Ready    bool // its lot is open for decisions
	Address  string
	Problem  string
	Paired   bool
	Product  int64
	Variant  int64
	Category int64
	Place    int
	Own      bool // it came with the sheet that was asked for, or was fetched for it
}

// Stem is what it is called, as sheets name files.
func (f NamedFile) Stem() string { return sheets.FileStem(sheets.FileKey(f.Path)) }

// InLot is its path with its lot in front.
func (f NamedFile) InLot() string { return f.LotName + "/" + f.Path }

// Target is what it is paired with; none where it is not.
func (f NamedFile) Target() catalog.Target {
	return targetColumns{f.Product, f.Variant, f.Category}.target()
}

// FilesNamed returns the files that stems name, the newest of each first, each stem's
// bounded: those that came with a sheet, where some did, and else all; only in the lots that
// the sheet's choices name, where they name some. sheet is 0 for none.
func FilesNamed(ctx context.Context, db DB, stems []string, sheet int64) ([]NamedFile, error) {
	if len(stems) == 0 {
		return nil, nil
	}
	within, err := numbers(ctx, db, `select jsonb_array_elements_text(choices->'lots')::bigint from sheet
		where id = $1 and jsonb_typeof(choices->'lots') = 'array'`, sheet)
	if err != nil {
		return nil, err
	}
	found, err := list[NamedFile](ctx, db, `select f.*, l.name as lot_name, l.state = 'ready' as ready,
			$3 > 0 and (coalesce(l.sheet_id, 0) = $3 or exists (select from file o where o.sheet_id = $3 and o.lot_id = l.id)) as own
		from unnest($1::text[]) s (stem), lateral (
			select id, version, path, address, problem, encode(sha256, 'hex') as sum, lot_id as lot, verdict = 'paired' as paired,
				coalesce(product_id, 0) as product, coalesce(variant_id, 0) as variant,
				coalesce(category_id, 0) as category, coalesce(place, 0) as place
			from file where `+fileStem+` = s.stem and sha256 is not null and verdict not in ('unusable', 'sheet')
				and (cardinality($4::bigint[]) = 0 or lot_id = any($4))
				and exists (select from lot where id = file.lot_id and state <> 'given up') order by id desc limit $2) f
		join lot l on l.id = f.lot`, spelt(setOf(stems)), mostNamesakes, sheet, within)
	own := map[string]bool{}
	for _, f := range found {
		own[f.Stem()] = own[f.Stem()] || f.Own
	}
	return slices.DeleteFunc(found, func(f NamedFile) bool { return own[f.Stem()] && !f.Own }), err
}

// FilesAt returns the file that came from each of some addresses: the newest that can be
// used, else the newest.
func FilesAt(ctx context.Context, db DB, addresses []string) ([]NamedFile, error) {
	if len(addresses) == 0 {
		return nil, nil
	}
	return list[NamedFile](ctx, db, `select f.*, l.name as lot_name, l.state = 'ready' as ready, false as own
		from unnest($1::text[]) a (address), lateral (
			select id, version, path, file.address, problem, coalesce(encode(sha256, 'hex'), '') as sum, lot_id as lot,
				verdict = 'paired' as paired, coalesce(product_id, 0) as product, coalesce(variant_id, 0) as variant,
				coalesce(category_id, 0) as category, coalesce(place, 0) as place
			from file where file.address <> '' and md5(file.address) = md5(a.address) and file.address = a.address
				and exists (select from lot where id = file.lot_id and state <> 'given up')
			order by problem <> '' or sha256 is null, id desc limit 1) f
		join lot l on l.id = f.lot`, addresses)
}

// TakenForSheet records that a lot was fetched for a sheet.
func TakenForSheet(ctx context.Context, tx *door.Tx, lot, sheet int64) error {
	_, err := tx.Exec(ctx, `update lot set sheet_id = $2 where id = $1`, lot, sheet)
	return err
}

// SheetFetching tells whether pictures of a sheet are being fetched, and keeps others from
// beginning to until the transaction ends.
func SheetFetching(ctx context.Context, tx *door.Tx, sheet int64) (busy bool, err error) {
	if _, err := number(ctx, tx, `select id from sheet where id = $1 for update`, sheet); err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, `select exists (select from run r join lot l on l.id = r.lot_id where l.sheet_id = $1 and r.kind = 'fetch'
		and r.state in ('queued', 'running', 'stopping'))`, sheet).Scan(&busy)
	return busy, err
}

// SheetOfLot returns the sheet that a lot was fetched for, 0 for none.
func (s *Store) SheetOfLot(ctx context.Context, lot int64) (int64, error) {
	return number(ctx, s.pool, `select coalesce(sheet_id, 0) from lot where id = $1`, lot)
}

// AddPairing records a decision that a sheet made.
func AddPairing(ctx context.Context, tx *door.Tx, sheet, decision int64) error {
	_, err := tx.Exec(ctx, `insert into sheet_pairing (sheet_id, decision_id) values ($1, $2) on conflict do nothing`, sheet, decision)
	return err
}

// Pairings returns the decisions that a sheet made and that were not taken back by it, the
// last first.
func (s *Store) Pairings(ctx context.Context, sheet int64) ([]int64, error) {
	return numbers(ctx, s.pool, `select decision_id from sheet_pairing where sheet_id = $1 order by decision_id desc`, sheet)
}

// EndPairing forgets a decision of a sheet.
func EndPairing(ctx context.Context, tx *door.Tx, decision int64) error {
	_, err := tx.Exec(ctx, `delete from sheet_pairing where decision_id = $1`, decision)
	return err
}
