package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/picturespec"
	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
)

// Lookalike is a file that looks like another, or that another looks like.
type Lookalike struct {
	upkeep.Lookalike
	Lot     int64
	Name    string // of its lot
	Path    string
	Sum     string
	Arrived time.Time
}

// Lookalikes returns the files that look like others, in the order of their numbers. Files
// that are held do not count.
func (s *Store) Lookalikes(ctx context.Context) (found []Lookalike, err error) {
	rows, err := s.pool.Query(ctx, `
		with pairs as materialized (select id, like_id from file where like_id is not null),
			each as (select id from pairs union select like_id from pairs)
		select f.id, coalesce(f.like_id, 0), f.lot_id, l.name, f.path, encode(f.sha256, 'hex'), f.bytes,
			coalesce(b.width::bigint * b.height, 0), coalesce(b.fingerprint, 0), coalesce(b.tint, ''),
			coalesce(case when f.verdict = 'paired' then case when f.variant_id is not null then 'variant ' || f.variant_id
				when f.product_id is not null then 'product ' || f.product_id when f.category_id is not null then 'category ' || f.category_id end
				end, ''), coalesce(b.marks, 0) & $1 <> 0, exists (select from placement where file_id = f.id), f.arrived_at
		from each e join file f on f.id = e.id join lot l on l.id = f.lot_id left join blob b on b.sha256 = f.sha256
		where f.sha256 is not null and not exists (select from held where file_id = f.id) order by f.id`,
		picturespec.Enlarged|picturespec.Padded)
	if err != nil {
		return nil, err
	}
	var f Lookalike
	var fingerprint int64
	var tint []byte
	_, err = pgx.ForEachRow(rows, []any{&f.File, &f.Like, &f.Lot, &f.Name, &f.Path, &f.Sum, &f.Bytes, &f.Pixels, &fingerprint, &tint, &f.Of,
		&f.Small, &f.Stands, &f.Arrived},
		func() error {
			f.Look = upkeep.Look{Fingerprint: uint64(fingerprint), Tint: string(tint)}
			found = append(found, f)
			return nil
		})
	return found, err
}

// OutdatedFingerprints returns the sums of some pictures after one, by sum, whose fingerprints are of an earlier version.
func (s *Store) OutdatedFingerprints(ctx context.Context, behind []byte, limit int) ([][]byte, error) {
	// The length is part of the text because the index blob_old_look is used only then.
	rows, err := s.pool.Query(ctx, fmt.Sprintf(`select sha256 from blob where fingerprint is not null
		and coalesce(octet_length(tint), 0) <> %d and sha256 > $1 order by sha256 limit $2`, upkeep.TintBytes), orEmpty(behind), limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[[]byte])
}

// Fingerprinted is a picture's fingerprint and tint.
type Fingerprinted struct {
	Sum         []byte
	Fingerprint int64
	Tint        []byte // nil if it has none
}

// SetFingerprints writes the fingerprints and tints of pictures.
func SetFingerprints(ctx context.Context, tx *door.Tx, looks []Fingerprinted) error {
	batch := &pgx.Batch{}
	for _, l := range looks {
		batch.Queue(`update blob set fingerprint = case when $3::bytea is null then null else $2::bigint end, tint = $3 where sha256 = $1`, l.Sum,
			l.Fingerprint, l.Tint)
	}
	return tx.SendBatch(ctx, batch).Close()
}

// Stored is bytes that are stored.
type Stored struct {
	Sum    string
	Bytes  int64
	Damage string // that was found when they were read last
}

// NextToCheck returns the sums of some bytes that were not read since a time, those that were
// read the longest ago first.
func (s *Store) NextToCheck(ctx context.Context, since time.Time, limit int) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select encode(sha256, 'hex') from blob
		where checked_at is null or checked_at < $1 order by checked_at nulls first, sha256 limit $2`, since, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// OthersRun tells whether a run goes on that is not of a kind.
func (s *Store) OthersRun(ctx context.Context, kind string) (others bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from run where state in ('queued', 'running') and kind <> $1)`, kind).Scan(&others)
	return others, err
}

// Blobs counts the bytes that are stored, as objects.
func (s *Store) Blobs(ctx context.Context) (int64, error) {
	return number(ctx, s.pool, `select count(*) from blob`)
}

// Checked records that bytes were read, and what is wrong with each, "" for nothing.
func Checked(ctx context.Context, tx *door.Tx, sums, damage []string) error {
	_, err := tx.Exec(ctx, `update blob b set checked_at = now(), damage = u.damage
		from unnest($1::text[], $2::text[]) u (sum, damage) where b.sha256 = decode(u.sum, 'hex')`, sums, damage)
	return err
}

// FoundAgain has bytes read again in their turn that were missing before a sweep, and not by it.
func FoundAgain(ctx context.Context, tx *door.Tx, sweep int64) error {
	_, err := tx.Exec(ctx, `update blob set damage = '', checked_at = null
		where damage = 'missing' and checked_at < (select at from sweep where id = $1)`, sweep)
	return err
}

// EachStored calls for all bytes that are stored, in the order of their sums.
func (s *Store) EachStored(ctx context.Context, each func(Stored) error) error {
	rows, err := s.pool.Query(ctx, `select encode(sha256, 'hex'), bytes, damage from blob order by sha256`)
	if err != nil {
		return err
	}
	var b Stored
	_, err = pgx.ForEachRow(rows, []any{&b.Sum, &b.Bytes, &b.Damage}, func() error { return each(b) })
	return err
}

// BrokenFile is a file whose bytes are missing, or are not what they were.
type BrokenFile struct {
	ID      int64
	Lot     int64
	Name    string // of its lot
	Path    string
	Sum     string
	Bytes   int64
	Group   int64 // the first file with these bytes
	Damage  string
	Shown   int64 // products and categories that show it
	Checked time.Time
}

const brokenQuery = `select f.id, f.lot_id as lot, l.name, f.path, encode(f.sha256, 'hex') as sum, f.bytes,
		min(f.id) over (partition by f.sha256) as "group", b.damage, (select count(distinct coalesce(product_id, -category_id))
			from placement where file_id = f.id) as shown, coalesce(b.checked_at, now()) as checked
	from blob b join file f on f.sha256 = b.sha256 join lot l on l.id = f.lot_id`

// Broken returns the files whose bytes were found missing or damaged.
func (s *Store) Broken(ctx context.Context) ([]BrokenFile, error) {
	return list[BrokenFile](ctx, s.pool, brokenQuery+` where b.damage <> '' order by f.id`)
}

// FilesOf returns the files with some bytes, as broken ones.
func (s *Store) FilesOf(ctx context.Context, sum string) ([]BrokenFile, error) {
	return list[BrokenFile](ctx, s.pool, brokenQuery+` where b.sha256 = decode($1, 'hex') order by f.id`, sum)
}
