package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/lot"
	"ambrosa/core/rights"
	"ambrosa/internal/door"
)

// Lot is the files that came together.
type Lot struct {
	ID        int64     `json:"id"`
	Name      string    `json:"name"`
	Origin    string    `json:"origin" doc:"Kind of place it came from"`
	OriginID  int64     `json:"originId" doc:"0 for files that a person handed in"`
	State     lot.State `json:"state" enum:"receiving,examining,ready,applied,given up"`
	Expected  int       `json:"expected" doc:"Uploads it is made of"`
	Arrived   int       `json:"arrived" doc:"Uploads that are complete"`
	CreatedAt time.Time `json:"createdAt"`
	Files     int       `json:"files"`
	Bytes     int64     `json:"bytes"`
	Unread    int       `json:"unread"`
	Paired    int       `json:"paired"`
	Contested int       `json:"contested"`
	Loose     int       `json:"loose"`
	SetAside  int       `json:"setAside"`
	Unusable  int       `json:"unusable"`
	Sheets    int       `json:"sheets" doc:"Spreadsheets, which are sheets as well"`
	Problems  []string  `json:"problems" nullable:"false" doc:"What was wrong with its archives"`
	Plan      int64     `json:"plan" doc:"Its newest plan, 0 when there is none"`
	PlanState string    `json:"planState"`
	Placed    int       `json:"placed" doc:"Of an open lot: files that a plan of it has placed already"`
	Unplanned bool      `json:"unplanned" doc:"An open lot has decisions that no plan has applied yet"`
}

var lotQuery = `
	select l.id, l.name, l.origin, coalesce(l.origin_id, 0) as origin_id, l.state, l.expected, l.created_at,
	coalesce(u.arrived, 0)::int as arrived,
		coalesce(f.files, 0)::int as files, coalesce(u.bytes, 0)::bigint as bytes, coalesce(f.unread, 0)::int as unread,
		coalesce(f.paired, 0)::int as paired, coalesce(f.contested, 0)::int as contested, coalesce(f.loose, 0)::int as loose,
		coalesce(f.set_aside, 0)::int as set_aside, coalesce(f.unusable, 0)::int as unusable, coalesce(f.sheets, 0)::int as sheets,
		coalesce(u.problems, '{}') as problems, coalesce(p.id, 0) as plan, coalesce(p.state, '') as plan_state,
		case when a.decisions is not null then (select count(*) from (select distinct file_id from settled
			where lot_id = l.id and ended_by is null) placed) else 0 end::int as placed,
		l.state = 'ready' and case when a.decisions is null then coalesce(f.paired, 0) > 0
			else a.decisions <> ` + decisionsOf("l") + ` end as unplanned
	from lot l
	left join lateral (
		select sum(files) as files, sum(files) filter (where verdict = 'unread') as unread,
			sum(files) filter (where verdict = 'paired') as paired,
			sum(files) filter (where verdict = 'contested') as contested, sum(files) filter (where verdict = 'loose') as loose,
			sum(files) filter (where verdict = 'set aside') as set_aside, sum(files) filter (where verdict = 'unusable') as unusable,
			sum(files) filter (where verdict = 'sheet') as sheets
		from file_count where lot_id = l.id) f on true
	left join lateral (
		select count(finished_at) as arrived, sum(bytes) as bytes, array_agg(path || ': ' || problem) filter (where problem <> '') as problems
		from upload where lot_id = l.id) u on true
	left join lateral (select p.id, p.state from plan p join plan_lot pl on pl.plan_id = p.id where pl.lot_id = l.id order by p.id desc
	limit 1) p on true
	left join lateral (select pl.decisions from plan p join plan_lot pl on pl.plan_id = p.id
		where l.state = 'ready' and pl.lot_id = l.id and p.state = 'applied' order by p.id desc limit 1) a on true`

// Lots returns lots that came before one, by number (0 for the newest), the newest first, and how many there
// are in all.
func (s *Store) Lots(ctx context.Context, before int64, limit int) (page []Lot, total int64, err error) {
	if total, err = number(ctx, s.pool, `select count(*) from lot where state <> 'given up'`); err != nil {
		return nil, 0, err
	}
	page, err = list[Lot](ctx, s.pool, lotQuery+` where l.state <> 'given up' and ($1::bigint = 0 or l.id < $1)
		order by l.id desc limit $2`, before, limit)
	return page, total, err
}

// undecidedIn is the SQL of how many files of a lot wait for a decision.
const undecidedIn = `(select coalesce(sum(files), 0) from file_count where lot_id = l.id and verdict in ('contested', 'loose'))`

// OpenLots returns lots that are not applied yet: those with undecided files first, the newest of each first.
func (s *Store) OpenLots(ctx context.Context, limit int) ([]Lot, error) {
	return list[Lot](ctx, s.pool, lotQuery+` join (select l.id, `+undecidedIn+` > 0 as waits from lot l
			where l.state in ('receiving', 'examining', 'ready') order by waits desc, l.id desc limit $1) first on first.id = l.id
		order by first.waits desc, l.id desc`, limit)
}

// AppliedLots returns the newest lots that are applied.
func (s *Store) AppliedLots(ctx context.Context, limit int) ([]Lot, error) {
	return list[Lot](ctx, s.pool, lotQuery+` where l.state = 'applied' order by l.id desc limit $1`, limit)
}

// Lot returns one lot.
func (s *Store) Lot(ctx context.Context, id int64) (Lot, error) {
	return one[Lot](ctx, s.pool, lotQuery+` where l.id = $1`, id)
}

// NewLot is a lot that is to be opened.
type NewLot struct {
	Name    string
	Origin  string         // kind of place it comes from
	Barcode string         // that its pictures were taken of; each of its files says it from the moment it is written
	Uploads int            // that it waits for
	Target  catalog.Target // that its pictures are put on as soon as they are examined; none for no such
	Shelf   *string        // folder of the shelf that they are put into then; nil for no such
}

// CreateLot opens a lot that waits for uploads. ErrNotFound means that its target
// is not there.
func CreateLot(ctx context.Context, tx *door.Tx, l NewLot) (id int64, err error) {
	var on targetColumns
	if !l.Target.None() {
		if on, err = columnsOf(ctx, tx, l.Target); err != nil {
			return id, err
		}
	}
	if id, err = number(ctx, tx, `insert into lot (name, origin, barcode, expected, product_id, variant_id, category_id, shelf, actor_id)
		values ($1, $2, $3, $4, nullif($5::bigint, 0), nullif($6::bigint, 0), nullif($7::bigint, 0), $8, $9) returning id`,
		l.Name, l.Origin, l.Barcode, l.Uploads, on.Product, on.Variant, on.Category, l.Shelf, tx.Who().ID); err != nil {
		return id, err
	}
	return id, tx.Announce(ctx, door.Event{Topic: "lot", ID: id})
}

// LotTarget returns the target that a lot's pictures were dropped on, or none.
func (s *Store) LotTarget(ctx context.Context, lot int64) (catalog.Target, error) {
	on, err := one[targetColumns](ctx, s.pool, `select coalesce(product_id, 0) as product, coalesce(variant_id, 0) as variant,
		coalesce(category_id, 0) as category from lot where id = $1`, lot)
	if on == (targetColumns{}) {
		return catalog.Target{}, err
	}
	return on.target(), err
}

// SetLotState moves a lot on.
func SetLotState(ctx context.Context, tx *door.Tx, id int64, state lot.State) error {
	if _, err := tx.Exec(ctx, `update lot set state = $2 where id = $1`, id, state); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "lot", ID: id})
}

// Upload is a file that a person handed in, as it came: an archive or a
// picture.
type Upload struct {
	ID    string
	LotID int64
	Path  string
	Bytes int64
}

// BeginUpload records that an upload to a lot has begun. ErrNotFound means that
// the lot does not wait for files.
func BeginUpload(ctx context.Context, tx *door.Tx, u Upload) error {
	tag, err := tx.Exec(ctx, `insert into upload (id, lot_id, path, bytes)
		select $1, id, $3, $4 from lot where id = $2 and state = 'receiving' on conflict do nothing`, u.ID, u.LotID, u.Path, u.Bytes)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// OnTheirWay returns how many bytes uploads that are not complete will have, and
// keeps others from being begun until the transaction ends.
func OnTheirWay(ctx context.Context, tx *door.Tx) (bytes int64, err error) {
	if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtext('uploads on their way'))`); err != nil {
		return 0, err
	}
	return number(ctx, tx, `select coalesce(sum(bytes), 0)::bigint from upload where finished_at is null`)
}

// UploadOpen tells with ErrNotFound that an upload does not go on.
func (s *Store) UploadOpen(ctx context.Context, id string) error {
	_, err := number(
		ctx, s.pool,
		`select u.lot_id from upload u join lot l on l.id = u.lot_id where u.id = $1 and u.finished_at is null and l.link_id is null`,
		id,
	)
	return err
}

// FinishUpload records that all of an upload is here, and returns its lot.
func FinishUpload(ctx context.Context, tx *door.Tx, id string) (lot int64, err error) {
	return number(ctx, tx, `update upload set finished_at = coalesce(finished_at, now()) where id = $1 returning lot_id`, id)
}

// CompleteLot has a lot that waits be examined when all that it waits for is
// here, or asItIs, with what is here; it tells whether that is so.
func CompleteLot(ctx context.Context, tx *door.Tx, lot int64, asItIs bool) (complete bool, err error) {
	err = tx.QueryRow(ctx, `with waits as (
			select id from lot l where id = $1 and state = 'receiving'
				and (($2 and exists (select from upload u where u.lot_id = l.id and u.finished_at is not null))
					or (select count(finished_at) from upload u where u.lot_id = l.id) >= expected) for update),
		moved as (update lot set state = 'examining' where id in (select id from waits) returning id)
		select exists (select from moved)`, lot, asItIs).Scan(&complete)
	if err != nil {
		return false, err
	}
	return complete, tx.Announce(ctx, door.Event{Topic: "lot", ID: lot})
}

// ForgetUploads forgets those uploads of a lot that are not here.
func ForgetUploads(ctx context.Context, tx *door.Tx, lot int64) error {
	_, err := tx.Exec(ctx, `delete from upload where lot_id = $1 and finished_at is null`, lot)
	return err
}

// OpenUploads returns a lot's complete uploads that are not examined yet, in
// order of path.
func (s *Store) OpenUploads(ctx context.Context, lot int64) ([]Upload, error) {
	return list[Upload](ctx, s.pool, `select id, lot_id, path, bytes from upload
		where lot_id = $1 and finished_at is not null and examined_at is null order by path, id`, lot)
}

// TryUpload records that an upload is going to be read, and returns how often
// that was begun since it last gave a file and not come back from, this time
// included.
func TryUpload(ctx context.Context, tx *door.Tx, id string) (attempt int64, err error) {
	return number(ctx, tx, `update upload u set attempts = case when f.n > attempted_at then 1 else attempts + 1 end, attempted_at = f.n
		from (select count(*) as n from file where upload_id = $1) f where u.id = $1 returning attempts`, id)
}

// SurvivedUpload records that reading an upload came back.
func SurvivedUpload(ctx context.Context, tx *door.Tx, id string) error {
	_, err := tx.Exec(ctx, `update upload set attempts = 0 where id = $1`, id)
	return err
}

// UploadsExamined records that every entry of uploads has been seen, and what
// was wrong with each as a whole ("" for nothing).
func UploadsExamined(ctx context.Context, tx *door.Tx, ids, problems []string) error {
	_, err := tx.Exec(ctx, `update upload u set examined_at = now(), problem = g.problem
		from unnest($1::text[], $2::text[]) as g (id, problem) where u.id = g.id`, ids, problems)
	return err
}

// Examined is a file as the examination found it.
type Examined struct {
	Upload  string
	Entry   int
	Path    string
	Bytes   int64
	Sum     []byte // nil when nothing was stored
	Problem string
	Missed  bool     // it could not be fetched, and comes again
	Blob    *BlobRow // what is known of its bytes
}

// BlobRow is what was measured of a blob.
type BlobRow struct {
	Sum         []byte
	Bytes       int64
	Type        string
	Width       int
	Height      int
	Frames      int
	Colour      string
	Bits        int
	Alpha       bool
	Profile     bool
	Orientation int
	Fingerprint *int64
	Thumbnail   bool
	Problem     string

	ContentWidth  int // of the box around what is not border; 0 for none
	ContentHeight int
	Detail        float64       // the part of its size that its detail needs; 0 where it was not looked at
	Stated        rights.Stated // what it says of its rights
	Marks         int           // what its facts give
	Tint          []byte        // mean colours of its quarters
	Damage        string        // found when it was read last; "" for none
}

// KnownBlob returns what was measured of a blob before.
func (s *Store) KnownBlob(ctx context.Context, sum []byte) (BlobRow, error) {
	return one[BlobRow](ctx, s.pool, `select sha256 as sum, bytes, type, width, height, frames, colour, bits, alpha, profile, orientation,
		fingerprint, thumbnail, problem, content_width, content_height, detail, stated, marks, tint, damage from blob where sha256 = $1`, sum)
}

// AddFiles writes examined files of a lot. A file that is there already is
// left alone, so that an examination can go on where it was broken off.
func AddFiles(ctx context.Context, tx *door.Tx, lot int64, files []Examined) error {
	batch := &pgx.Batch{}
	for _, f := range files {
		if b := f.Blob; b != nil {
			batch.Queue(
				`insert into blob (sha256, bytes, type, width, height, frames, colour, bits, alpha, profile, orientation, fingerprint, thumbnail,
					problem, content_width, content_height, detail, stated, marks, tint)
				values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20) on conflict (sha256) do nothing`,
				b.Sum, b.Bytes, b.Type, b.Width, b.Height, b.Frames, b.Colour, b.Bits, b.Alpha, b.Profile, b.Orientation,
				b.Fingerprint, b.Thumbnail, b.Problem, b.ContentWidth, b.ContentHeight,
				float32(b.Detail),
				b.Stated,
				b.Marks,
				b.Tint,
			)
		}
		verdict := "unread"
		if f.Problem != "" {
			verdict = "unusable"
		}
		batch.Queue(`with written as (
				insert into file (lot_id, upload_id, entry, path, bytes, sha256, problem, verdict, fetched, said)
				select $1, $2, $3, $4, $5, $6, $7, $8, $9, case when barcode <> '' then jsonb_build_object('barcode', barcode) end
				from lot where id = $1 on conflict (upload_id, entry) do nothing returning id, lot_id)
			insert into reference (file_id, lot_id)
			select w.id, w.lot_id from written w join lot l on l.id = w.lot_id where l.state <> 'given up'`,
			lot, f.Upload, f.Entry, f.Path, f.Bytes, f.Sum, f.Problem, verdict, !f.Missed)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return err
	}
	return EndClaims(ctx, tx, lot, sumsOfFiles(files))
}

func sumsOfFiles(files []Examined) (sums [][]byte) {
	for _, f := range files {
		if f.Sum != nil {
			sums = append(sums, f.Sum)
		}
	}
	return sums
}

// SeenEntries returns which entries of a lot's open uploads are written
// already.
func (s *Store) SeenEntries(ctx context.Context, lot int64) (map[string]map[int]bool, error) {
	rows, err := s.pool.Query(ctx, `select f.upload_id, f.entry from file f join upload u on u.id = f.upload_id
		where f.lot_id = $1 and u.examined_at is null`, lot)
	if err != nil {
		return nil, err
	}
	seen := map[string]map[int]bool{}
	var upload string
	var entry int
	_, err = pgx.ForEachRow(rows, []any{&upload, &entry}, func() error {
		if seen[upload] == nil {
			seen[upload] = map[int]bool{}
		}
		seen[upload][entry] = true
		return nil
	})
	return seen, err
}

// LateUploads returns the uploads that were begun longer ago than term and are
// not complete.
func (s *Store) LateUploads(ctx context.Context, term time.Duration) ([]Upload, error) {
	return list[Upload](
		ctx,
		s.pool,
		`select id, lot_id, path, bytes from upload where finished_at is null and begun_at < now() - make_interval(secs => $1) limit 1000`,
		term.Seconds(),
	)
}

// ForgetUpload forgets an upload that is not complete, and returns its lot and
// how many others that waits for. ErrNotFound means that there is no such upload.
func ForgetUpload(ctx context.Context, tx *door.Tx, id string) (lot, waits int64, err error) {
	if lot, err = number(ctx, tx, `delete from upload where id = $1 and finished_at is null returning lot_id`, id); err != nil {
		return 0, 0, err
	}
	waits, err = number(ctx, tx, `select count(*) from upload where lot_id = $1 and finished_at is null`, lot)
	return lot, waits, err
}

// ForgetEmptyLot forgets a lot that waits and that nothing came for.
func ForgetEmptyLot(ctx context.Context, tx *door.Tx, lot int64) error {
	if _, err := tx.Exec(ctx, `delete from lot where id = $1 and state = 'receiving' and not exists (select from upload where lot_id = $1)`,
		lot); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "lot", ID: lot})
}

// UploadNeeded tells whether an upload's bytes are still to be read.
func (s *Store) UploadNeeded(ctx context.Context, id string) (needed bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from upload where id = $1 and examined_at is null)`, id).Scan(&needed)
	return needed, err
}

// UnfinishedUploads returns the uploads that are not complete yet.
func (s *Store) UnfinishedUploads(ctx context.Context) ([]Upload, error) {
	return list[Upload](ctx, s.pool, `select id, lot_id, path, bytes from upload where finished_at is null`)
}
