package store

import (
	"context"
	"encoding/hex"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/door"
)

// Stray is an object that no row names.
type Stray struct {
	Key     string    `json:"key" doc:"Where it lies in the store"`
	Sum     string    `json:"sum" doc:"As its name has it; empty where that is none"`
	Bytes   int64     `json:"bytes"`
	Written time.Time `json:"written"`
	FoundAt time.Time `json:"foundAt"`
}

// StoreCheck is how far what is stored was read.
type StoreCheck struct {
	Objects int64      `json:"objects" doc:"Rows of bytes"`
	Bytes   int64      `json:"bytes"`
	Read    int64      `json:"read" doc:"That were read whole within the days that all is to be read in"`
	Oldest  *time.Time `json:"oldest" doc:"When the one was read that was read the longest ago; left out while one never was"`
	Missing int64      `json:"missing"`
	Damaged int64      `json:"damaged"`
}

// StoreCheck counts what is stored, and what of it was read.
func (s *Store) StoreCheck(ctx context.Context) (StoreCheck, error) {
	return one[StoreCheck](ctx, s.pool, `select count(*) as objects, coalesce(sum(bytes), 0)::bigint as bytes,
			count(*) filter (where checked_at > now() - make_interval(days => s.check_days)) as read,
			case when count(*) = count(checked_at) then min(checked_at) end as oldest,
			count(*) filter (where damage = 'missing') as missing, count(*) filter (where damage = 'damaged') as damaged
		from blob cross join upkeep_setting s`)
}

const strayQuery = `select key, coalesce(encode(sha256, 'hex'), '') as sum, bytes, written, found_at from stray`

// Strays returns some, in the order of their keys, with how many there are and their bytes.
func (s *Store) Strays(ctx context.Context, limit int) (found []Stray, all, bytes int64, err error) {
	if found, err = list[Stray](ctx, s.pool, strayQuery+` order by key limit $1`, limit); err != nil {
		return nil, 0, 0, err
	}
	err = s.pool.QueryRow(ctx, `select count(*), coalesce(sum(bytes), 0)::bigint from stray`).Scan(&all, &bytes)
	return found, all, bytes, err
}

// SumsBetween returns the sums of the rows of bytes whose first byte is one of some.
func (s *Store) SumsBetween(ctx context.Context, first byte, bytes int) (rows [][]byte, err error) {
	var behind []byte // nil for no bound
	if last := int(first) + bytes; last <= 255 {
		behind = []byte{byte(last)}
	}
	return sums(ctx, s.pool, `select sha256 from blob where sha256 >= $1 and ($2::bytea is null or sha256 < $2) order by sha256`,
		[]byte{first}, behind)
}

// Unkept returns those of some sums that nothing names: no row of bytes, no sheet, nothing
// that is arriving or leaving.
func (s *Store) Unkept(ctx context.Context, of [][]byte) ([][]byte, error) {
	return sums(ctx, s.pool, `select s.sha256 from unnest($1::bytea[]) s (sha256) where not exists (select from blob where sha256 = s.sha256)
		and not exists (select from sheet where sha256 = s.sha256) and not exists (select from blob_arriving where sha256 = s.sha256)
		and not exists (select from blob_leaving where sha256 = s.sha256)`, of)
}

func sums(ctx context.Context, db DB, query string, args ...any) ([][]byte, error) {
	rows, err := db.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[[]byte])
}

// PutStrays records objects that no row names, as a sweep found them.
func PutStrays(ctx context.Context, tx *door.Tx, sweep int64, found []Stray) error {
	if len(found) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `insert into stray (key, sha256, bytes, written, sweep_id)
		select key, decode(nullif(sum, ''), 'hex'), bytes, written, $2 from jsonb_to_recordset($1)
			u (key text, sum text, bytes bigint, written timestamptz)
		on conflict (key) do update set bytes = excluded.bytes, written = excluded.written, sweep_id = excluded.sweep_id`, found, sweep)
	return err
}

// EndStrays forgets the objects that a sweep did not find again.
func EndStrays(ctx context.Context, tx *door.Tx, sweep int64) error {
	_, err := tx.Exec(ctx, `delete from stray where sweep_id < $1`, sweep)
	return err
}

// StraysOf returns those of some that are named as blobs are, in the order of their keys.
func (s *Store) StraysOf(ctx context.Context, keys []string) ([]Stray, error) {
	return list[Stray](ctx, s.pool, strayQuery+` where key = any($1) and sha256 is not null order by key`, keys)
}

// ForgetStrays forgets some, which have rows by now.
func ForgetStrays(ctx context.Context, tx *door.Tx, keys []string) error {
	_, err := tx.Exec(ctx, `delete from stray where key = any($1) and sha256 is not null`, keys)
	return err
}

// TakeStray gives up one that is to be dropped; ErrNotFound means that it is not known.
func TakeStray(ctx context.Context, tx *door.Tx, name string) (Stray, error) {
	return one[Stray](ctx, tx, `delete from stray where key = $1 returning key, coalesce(encode(sha256, 'hex'), '') as sum, bytes, written,
		found_at`, name)
}

// KeepsBytes locks a sum until the transaction ends, and tells whether anything keeps its
// bytes, or they are arriving.
func KeepsBytes(ctx context.Context, tx *door.Tx, hexadecimal string) (kept bool, err error) {
	sum, err := hex.DecodeString(hexadecimal)
	if err != nil {
		return false, err
	}
	if err := LockSums(ctx, tx, sumsOf, [][]byte{sum}); err != nil {
		return false, err
	}
	err = tx.QueryRow(ctx, `select exists (select from blob where sha256 = $1) or exists (select from sheet where sha256 = $1)
		or exists (select from blob_arriving where sha256 = $1 and at > now() - interval '1 day')`, sum).Scan(&kept)
	return kept, err
}

// ReceiveStray writes into a receipt that an object went. It has a number of its own among
// those of files.
func ReceiveStray(ctx context.Context, tx *door.Tx, receipt int64, s Stray) error {
	_, err := tx.Exec(ctx, `with gone as (insert into receipt_file (receipt_id, file_id, path, lot, sha256, bytes, freed, reason, held_by,
				held_at)
			values ($1, nextval(pg_get_serial_sequence('file', 'id')), $2, '', decode($3, 'hex'), $4, $4, 'stray object', $5, $6))
		update receipt set files = files + 1, bytes = bytes + $4, freed = freed + $4 where id = $1`,
		receipt, s.Key, s.Sum, s.Bytes, tx.Who().Name, s.FoundAt)
	return err
}
