package store

import (
	"context"
	"encoding/hex"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
)

// Holding is files that were held together, until a term.
type Holding struct {
	ID      int64     `json:"id"`
	At      time.Time `json:"at"`
	Until   time.Time `json:"until" doc:"From then on they may be purged"`
	Actor   string    `json:"actor"`
	Because string    `json:"because"`
	Files   int64     `json:"files" doc:"That were held by it"`
	Held    int64     `json:"held" doc:"That still are"`
	Bytes   int64     `json:"bytes" doc:"Of those that still are"`
	Frees   int64     `json:"frees" doc:"Bytes that its purge frees: no file outside this holding keeps them"`
}

const holdingQuery = `select o.id, o.at, o.until, actor_name(o.actor_id) as actor, o.because, o.files, coalesce(h.held, 0) as
	held, coalesce(h.bytes, 0) as bytes,
		coalesce(h.frees, 0) as frees
	from holding o left join (
		select h.holding_id, count(*) as held, sum(f.bytes)::bigint as bytes, coalesce(sum(f.bytes) filter (where not exists (
				select from file x where x.sha256 = f.sha256 and x.id <> f.id and (x.id < f.id or not exists (
					select from held y where y.file_id = x.id and y.holding_id = h.holding_id)))
				and not exists (select from sheet where sha256 = f.sha256)), 0)::bigint as frees
		from held h join file f on f.id = h.file_id group by h.holding_id) h on h.holding_id = o.id`

// Holdings returns those in which files are held, the first to end first.
func (s *Store) Holdings(ctx context.Context) ([]Holding, error) {
	return list[Holding](ctx, s.pool, holdingQuery+` where h.held > 0 order by o.until, o.id limit 500`)
}

// Holding returns one.
func (s *Store) Holding(ctx context.Context, id int64) (Holding, error) {
	return one[Holding](ctx, s.pool, holdingQuery+` where o.id = $1`, id)
}

// HeldFile is a file that is held.
type HeldFile struct {
	File    int64      `json:"file"`
	Holding int64      `json:"holding"`
	Reason  string     `json:"reason"`
	Since   *time.Time `json:"since"`
	Path    string     `json:"path"`
	Sum     string     `json:"sum"`
	Bytes   int64      `json:"bytes"`
	LotName string     `json:"lotName"`
	Problem string     `json:"problem"`
}

// HeldFiles returns some of the files of a holding.
func (s *Store) HeldFiles(ctx context.Context, holding int64, offset, limit int) ([]HeldFile, error) {
	return list[HeldFile](ctx, s.pool, `select h.file_id as file, h.holding_id as holding, h.reason, h.since, f.path,
			encode(f.sha256, 'hex') as sum, f.bytes, l.name as lot_name, f.problem
		from held h join file f on f.id = h.file_id join lot l on l.id = f.lot_id where h.holding_id = $1
		order by h.file_id offset $2 limit $3`, holding, offset, limit)
}

// HeldNow is what became of files that were to be held.
type HeldNow struct {
	Holding int64 `json:"holding"`
	Files   int64 `json:"files" doc:"That are held"`
	Needed  int64 `json:"needed" doc:"That are needed by now, or worked on, and stay"`
}

// Hold holds the files that a filter chooses among findings of orphans. Each is proved
// again: those that are needed by now stay, and are counted. The files' rows are locked,
// so that no need can come about in between; one that somebody works on just then stays. ErrNotFound means that nothing is held.
func Hold(ctx context.Context, tx *door.Tx, q FindingFilter, days int, because string) (h HeldNow, err error) {
	if err := lockFindings(ctx, tx); err != nil {
		return h, err
	}
	q.Kind = "orphans"
	where, args := q.where(1)
	chosen, err := numbers(ctx, tx, `select f.id from file f where f.id in (select g.file_id from finding g`+where+`)
		order by f.id for update skip locked`, args...)
	if err != nil {
		return h, err
	}
	if len(chosen) == 0 {
		return h, ErrNotFound
	}
	if h.Holding, err = number(ctx, tx, `insert into holding (until, actor_id, because)
		values (now() + make_interval(days => $1), $2, $3) returning id`, days, tx.Who().ID, because); err != nil {
		return h, err
	}
	tag, err := tx.Exec(ctx, `insert into held (file_id, holding_id, reason, since)
		select g.file_id, $2, g.reason, g.since from finding g where g.kind = 'orphans' and g.file_id = any($1)
			and not `+needed("g.file_id", "now()")+`
		on conflict (file_id) do nothing`, chosen, h.Holding)
	if err != nil {
		return h, err
	}
	h.Files = tag.RowsAffected()
	h.Needed = int64(len(chosen)) - h.Files
	if h.Files == 0 {
		return h, ErrNotFound
	}
	if _, err := tx.Exec(ctx, `update holding set files = $2 where id = $1`, h.Holding, h.Files); err != nil {
		return h, err
	}
	return h, tx.Announce(ctx, door.Event{Topic: "upkeep"})
}

// Unhold gives files back that are held: those of a holding, or those of a list among them.
func Unhold(ctx context.Context, tx *door.Tx, holding int64, files []int64) (int64, error) {
	if err := lockFindings(ctx, tx); err != nil {
		return 0, err
	}
	tag, err := tx.Exec(ctx, `delete from held where holding_id = $1 and ($2::bigint[] is null or file_id = any($2))`, holding, files)
	if err != nil {
		return 0, err
	}
	return tag.RowsAffected(), tx.Announce(ctx, door.Event{Topic: "upkeep"})
}

// Receipt is what a purge did.
type Receipt struct {
	ID      int64      `json:"id"`
	Actor   string     `json:"actor"`
	At      time.Time  `json:"at"`
	EndedAt *time.Time `json:"endedAt" doc:"Left out while it goes on"`
	Files   int64      `json:"files" doc:"That went"`
	Bytes   int64      `json:"bytes" doc:"Of them"`
	Freed   int64      `json:"freed" doc:"Bytes of them that no other file keeps"`
	Kept    int64      `json:"kept" doc:"That were needed again when their turn came, and stay"`
	ByHand  bool       `json:"byHand" doc:"A person had them go before their term"`
}

const receiptQuery = `select id, actor_name(actor_id) as actor, at, ended_at,
	files, bytes, freed, kept, holdings <> '{}' as by_hand from receipt`

// Receipts returns the newest first.
func (s *Store) Receipts(ctx context.Context, limit int) ([]Receipt, error) {
	return list[Receipt](ctx, s.pool, receiptQuery+` order by id desc limit $1`, limit)
}

// Receipt returns one.
func (s *Store) Receipt(ctx context.Context, id int64) (Receipt, error) {
	return one[Receipt](ctx, s.pool, receiptQuery+` where id = $1`, id)
}

// PurgedFile is a file that went.
type PurgedFile struct {
	File    int64     `json:"file"`
	Path    string    `json:"path"`
	Lot     string    `json:"lot"`
	Sum     string    `json:"sum" doc:"SHA-256 of its bytes"`
	Bytes   int64     `json:"bytes"`
	Freed   int64     `json:"freed"`
	Reason  string    `json:"reason"`
	HeldBy  string    `json:"heldBy"`
	HeldAt  time.Time `json:"heldAt"`
	Because string    `json:"because"`
}

// PurgedFiles returns some of a receipt's files behind one, by number; 0 from the first.
func (s *Store) PurgedFiles(ctx context.Context, receipt, behind int64, limit int) ([]PurgedFile, error) {
	return list[PurgedFile](ctx, s.pool, `select file_id as file, path, lot, encode(sha256, 'hex') as sum, bytes, freed, reason,
			held_by, held_at, because
		from receipt_file where receipt_id = $1 and file_id > $2 order by file_id limit $3`, receipt, behind, limit)
}

// NewReceipt records a purge that is to be done: of holdings, or, with none, of all that is
// past its term now.
func NewReceipt(ctx context.Context, tx *door.Tx, holdings []int64) (int64, error) {
	return number(ctx, tx, `insert into receipt (actor_id, holdings) values ($1, $2) returning id`, tx.Who().ID, holdings)
}

// purgeable is the condition that a file h is held and may go by a receipt c.
const purgeable = `(c.holdings <> '{}' and h.holding_id = any(c.holdings) or c.holdings = '{}' and o.until <= c.due)`

// Purgeable counts the files that holdings, or with none all that is past its term, would
// have go, and all files.
func Purgeable(ctx context.Context, db DB, holdings []int64) (files, all int64, err error) {
	err = db.QueryRow(ctx, `select (select count(*) from held h join holding o on o.id = h.holding_id
			cross join (select coalesce($1::bigint[], '{}') as holdings, now() as due) c where `+purgeable+`),
		(select count(*) from file where sha256 is not null)`, holdings).Scan(&files, &all)
	return files, all, err
}

// PurgeSome has some files of a receipt go, behind one by number: each is proved again, under
// the lock of its row. Their bytes are noted to be dropped where nothing else keeps them. It
// returns the last that was looked at, 0 when there are no more.
func PurgeSome(ctx context.Context, tx *door.Tx, receipt, behind int64, limit int) (last int64, err error) {
	if err := lockFindings(ctx, tx); err != nil {
		return last, err
	}
	files, err := numbers(ctx, tx, `select f.id from file f join held h on h.file_id = f.id join holding o on o.id = h.holding_id
			join receipt c on c.id = $1
		where f.id > $2 and `+purgeable+` order by f.id limit $3 for update of f, h skip locked`, receipt, behind, limit)
	if err != nil || len(files) == 0 {
		tx.Unchanged()
		return last, err
	}
	last = files[len(files)-1]
	if err := LockSums(ctx, tx, `select distinct sha256 from file where id = any($1)`, files); err != nil {
		return last, err
	}
	// The statement sees what was committed before the locks were had.
	if _, err := tx.Exec(ctx, `delete from reference r where r.file_id = any($1) and r.until <= now()
		and not `+needed("r.file_id", "now()"), files); err != nil {
		return last, err
	}
	gone, err := numbers(ctx, tx, `
		insert into receipt_file (receipt_id, file_id, path, lot, sha256, bytes, freed, reason, held_by, held_at, because)
		select $1, f.id, f.path, l.name, f.sha256, f.bytes, case when f.id = min(f.id) over (partition by f.sha256) and not exists (
				select from file x where x.sha256 = f.sha256 and x.id <> all(k.ids)) and not exists (select from sheet where sha256 = f.sha256)
			then f.bytes else 0 end, h.reason, actor_name(o.actor_id), o.at, o.because
		from file f join held h on h.file_id = f.id join holding o on o.id = h.holding_id join lot l on l.id = f.lot_id
		cross join (select array_agg(id) as ids from file f where id = any($2) and not exists (select from reference where file_id = f.id)) k
		where f.id = any(k.ids) returning file_id`, receipt, files)
	if err != nil {
		return last, err
	}
	tx.About(audit.All(identity.File, gone)...)
	alone, err := numbers(ctx, tx, `select o.id from finding o join (select distinct kind, grp from finding
			where kind in ('twice', 'alike') and file_id = any($1)) g on o.kind = g.kind and o.grp = g.grp
		where not exists (select from finding x where x.kind = o.kind and x.grp = o.grp and x.id <> o.id
			and x.file_id is not null and x.file_id <> all($1))`, gone)
	if err != nil {
		return last, err
	}
	if _, err := tx.Exec(ctx, `delete from file where id = any($1)`, gone); err != nil {
		return last, err
	}
	// One that is left of a group is there once.
	if _, err := tx.Exec(ctx, `delete from finding where id = any($1)`, alone); err != nil {
		return last, err
	}
	// What was not purged is needed: it is held no longer.
	if _, err := tx.Exec(ctx, `delete from held where file_id = any($1)`, files); err != nil {
		return last, err
	}
	if _, err := tx.Exec(ctx, `with sums as (select distinct sha256 from receipt_file where receipt_id = $1 and file_id = any($2)),
		bare as (select sha256 from sums s where not exists (select from file where sha256 = s.sha256)
			and not exists (select from blob_arriving where sha256 = s.sha256 and at > now() - interval '1 day')),
		dropped as (delete from blob where sha256 in (select sha256 from bare) returning sha256)
		insert into blob_leaving (sha256, receipt_id) select sha256, $1 from dropped
			where not exists (select from sheet where sha256 = dropped.sha256) on conflict (sha256) do nothing`, receipt, gone); err != nil {
		return last, err
	}
	_, err = tx.Exec(ctx, `update receipt set files = files + $2, kept = kept + $3,
		bytes = bytes + coalesce((select sum(bytes) from receipt_file where receipt_id = $1 and file_id = any($4)), 0),
		freed = freed + coalesce((select sum(freed) from receipt_file where receipt_id = $1 and file_id = any($4)), 0) where id = $1`,
		receipt, len(gone), len(files)-len(gone), gone)
	return last, err
}

// EndReceipt records that a purge is done.
func EndReceipt(ctx context.Context, tx *door.Tx, id int64) error {
	if _, err := tx.Exec(ctx, `update receipt set ended_at = now() where id = $1 and ended_at is null`, id); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "upkeep"})
}

// ForgetReceipt forgets one by which nothing went.
func ForgetReceipt(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := tx.Exec(ctx, `delete from receipt where id = $1 and files = 0`, id)
	return err
}

// LockSums keeps others from claiming bytes, or from dropping them, until the transaction
// ends. query gives their sums.
func LockSums(ctx context.Context, tx *door.Tx, query string, args ...any) error {
	_, err := tx.Exec(ctx, `select pg_advisory_xact_lock(k) from (select distinct hashtextextended(encode(s.sha256, 'hex'), 7) as k
		from (`+query+`) s order by k) x`, args...)
	return err
}

const sumsOf = `select unnest($1::bytea[]) as sha256`

// ClaimBytes says that bytes are arriving, for a lot or (0) for a sheet: their objects are
// not dropped until the claim ends, or is a day old. It is to be called before it is looked
// whether they are stored already.
func ClaimBytes(ctx context.Context, tx *door.Tx, lot int64, sum []byte) error {
	if err := LockSums(ctx, tx, sumsOf, [][]byte{sum}); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `insert into blob_arriving (sha256, lot_id) values ($1, $2) on conflict (sha256, lot_id) do update set at = now()`,
		sum, lot)
	return err
}

// EndClaims ends claims of a lot, or (0) of a sheet, in the transaction that writes what
// keeps the bytes from then on.
func EndClaims(ctx context.Context, tx *door.Tx, lot int64, sums [][]byte) error {
	_, err := tx.Exec(ctx, `delete from blob_arriving where lot_id = $1 and sha256 = any($2)`, lot, sums)
	return err
}

// ForgetStale forgets claims that are a day old, which nothing came of, and has rows of bytes
// leave that no file keeps: what was claimed when its last file went.
func ForgetStale(ctx context.Context, tx *door.Tx) error {
	if _, err := tx.Exec(ctx, `delete from blob_arriving where at < now() - interval '1 day'`); err != nil {
		return err
	}
	const bare = `select sha256 from blob b where not exists (select from file where sha256 = b.sha256)
		and not exists (select from blob_arriving where sha256 = b.sha256) and stored_at < now() - interval '1 day'`
	if err := LockSums(ctx, tx, bare+` order by sha256 limit 1000`); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `with receipt as (select max(id) as id from receipt),
		dropped as (delete from blob where sha256 in (`+bare+` order by sha256 limit 1000)
			and exists (select from receipt where id is not null) returning sha256)
		insert into blob_leaving (sha256, receipt_id) select d.sha256, r.id from dropped d, receipt r
			where not exists (select from sheet where sha256 = d.sha256) on conflict (sha256) do nothing`)
	return err
}

// LeavingBytes returns the sums of objects that are still to be dropped.
func (s *Store) LeavingBytes(ctx context.Context, limit int) ([][]byte, error) {
	return sums(ctx, s.pool, `select sha256 from blob_leaving order by sha256 limit $1`, limit)
}

// DropBytes has an object dropped that nothing keeps any more, under the lock of its sum:
// what has arrived meanwhile, or is arriving, stays.
func DropBytes(ctx context.Context, tx *door.Tx, sum []byte, drop func(hexadecimal string) error) error {
	kept, err := KeepsBytes(ctx, tx, hex.EncodeToString(sum))
	if err != nil {
		return err
	}
	if !kept {
		if err := drop(hex.EncodeToString(sum)); err != nil {
			return err
		}
	}
	_, err = tx.Exec(ctx, `delete from blob_leaving where sha256 = $1`, sum)
	return err
}
