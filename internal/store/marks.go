package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/picturespec"
)

// Look-alikes differ in at most so many of 64 bits of their fingerprints, and in
// at most so much of 255 in the mean colours of their quarters.
const (
	alikeBits = 4
	alikeTint = 9
	// So many are compared with each file: a lot of pictures that all look the
	// same would otherwise take the square of their number.
	alikeCompared = 400
)

// MarkFiles gives a lot's files the marks of what was measured, finds those
// with the same bytes as an earlier file, and those that look like one.
func (s *Store) MarkFiles(ctx context.Context, lot int64) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		batch := &pgx.Batch{}
		batch.Queue(`update file f set type = b.type, pixels = b.width::bigint * b.height, ratio = b.width::real / greatest(b.height, 1),
				marks = b.marks | case when exists (select from file o where o.sha256 = f.sha256 and o.id < f.id) then $2 else 0 end
			from blob b where f.lot_id = $1 and b.sha256 = f.sha256`, lot, int(picturespec.Same))
		batch.Queue(fmt.Sprintf(`update file f set like_id = found.id, like_bits = found.bits, marks = f.marks | $2
			from (select f.id as file, l.id, l.bits from file f join blob b on b.sha256 = f.sha256 and b.fingerprint is not null and b.problem = ''
				cross join lateral (
					select o.id, bit_count((ob.fingerprint # b.fingerprint)::bit(64))::int as bits
					from (select sha256, fingerprint, tint from blob ob where ob.fingerprint is not null and ob.problem = '' and ob.sha256 <> b.sha256 and (
						(ob.fingerprint & 65535) = (b.fingerprint & 65535) or ((ob.fingerprint >> 16) & 65535) = ((b.fingerprint >> 16) & 65535) or
						((ob.fingerprint >> 32) & 65535) = ((b.fingerprint >> 32) & 65535) or ((ob.fingerprint >> 48) & 65535) = ((b.fingerprint >> 48) & 65535))
						limit %d) ob
					cross join lateral (select id from file where sha256 = ob.sha256 and id < f.id order by id limit 1) o
					where bit_count((ob.fingerprint # b.fingerprint)::bit(64)) <= %d
					and (select max(abs(get_byte(ob.tint, i) - get_byte(b.tint, i))) from generate_series(0, 11) i) <= %d
					order by bits, o.id limit 1) l
				where f.lot_id = $1) found
			where f.id = found.file`, alikeCompared, alikeBits, alikeTint), lot, int(picturespec.Alike))
		return tx.SendBatch(ctx, batch).Close()
	})
}

// asItWas is a file's verdict as it is kept to be taken back to.
const asItWas = `jsonb_build_object('verdict', verdict, 'product', product_id, 'variant', variant_id, 'place', place, 'view', view, 'clue', clue, 'rung', rung,
	'score', score, 'reason', reason, 'why', why, 'by', decided_by, 'at', decided_at)`

// SetAside sets those of a lot's files aside that a filter chooses, for a
// reason, and returns what undoes it and how many there were. Unusable files,
// and those that are set aside, stay as they are.
func (s *Store) SetAside(ctx context.Context, lot int64, f FileFilter, reason string) (id, n int64, err error) {
	where, args := f.where(lot)
	args["reason"] = reason
	err = s.Within(ctx, func(tx pgx.Tx) error {
		if id, err = number(ctx, tx, `insert into aside (lot_id) values (@lot) returning id`, args); err != nil {
			return err
		}
		args["aside"] = id
		tag, err := tx.Exec(ctx, `with chosen as (
				select id, `+asItWas+` as before
				from file where `+where+` and verdict not in ('unusable', 'set aside') for update),
			changed as (
				update file f set verdict = 'set aside', product_id = null, variant_id = null, place = null, view = '', clue = '', rung = '', score = 0, why = '', reason = @reason,
					decided_by = 'person', decided_at = now(), version = version + 1
				from chosen c where f.id = c.id returning f.id, f.version, c.before)
			insert into aside_file (aside_id, file_id, version, before) select @aside, id, version, before from changed`, args)
		if err != nil {
			return err
		}
		n = tag.RowsAffected()
		return Notify(ctx, tx, Event{Topic: "files", ID: lot})
	})
	return id, n, err
}

// TakeBackAside brings files back as they were before they were set aside, or
// accepted, together; those that somebody decided on since stay. It returns how many.
func (s *Store) TakeBackAside(ctx context.Context, id int64) (n int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		lot, err := number(ctx, tx, `update aside set undone_at = now() where id = $1 and undone_at is null returning lot_id`, id)
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `update file f set verdict = a.before->>'verdict', product_id = (a.before->>'product')::bigint, variant_id = (a.before->>'variant')::bigint,
				place = (a.before->>'place')::int, view = a.before->>'view', clue = a.before->>'clue', rung = a.before->>'rung', score = (a.before->>'score')::real,
				reason = a.before->>'reason', why = coalesce(a.before->>'why', ''), decided_by = a.before->>'by', decided_at = (a.before->>'at')::timestamptz, version = f.version + 1
			from aside_file a where a.aside_id = $1 and f.id = a.file_id and f.version = a.version`, id)
		if err != nil {
			return err
		}
		n = tag.RowsAffected()
		return Notify(ctx, tx, Event{Topic: "files", ID: lot})
	})
	return n, err
}

// MarkCounts counts a lot's files by mark.
func (s *Store) MarkCounts(ctx context.Context, lot int64) (map[string]int64, error) {
	rows, err := s.Pool.Query(ctx, `select marks, count(*) from file where lot_id = $1 and marks <> 0 group by marks`, lot)
	if err != nil {
		return nil, err
	}
	counts := map[string]int64{}
	var marks, n int64
	_, err = pgx.ForEachRow(rows, []any{&marks, &n}, func() error {
		for _, name := range picturespec.Mark(marks).Names() {
			counts[name] += n
		}
		return nil
	})
	return counts, err
}

// Facts returns what is measured of a blob.
func (b *BlobRow) Facts() picturespec.Facts {
	return picturespec.Facts{Width: b.Width, Height: b.Height, ContentWidth: b.ContentWidth, ContentHeight: b.ContentHeight, Detail: b.Detail, Frames: b.Frames, Colour: b.Colour, Alpha: b.Alpha}
}

// TypeCounts counts a lot's files by type.
func (s *Store) TypeCounts(ctx context.Context, lot int64) (map[string]int64, error) {
	rows, err := s.Pool.Query(ctx, `select type, count(*) from file where lot_id = $1 and type <> '' group by type`, lot)
	if err != nil {
		return nil, err
	}
	counts := map[string]int64{}
	var name string
	var n int64
	_, err = pgx.ForEachRow(rows, []any{&name, &n}, func() error {
		counts[name] = n
		return nil
	})
	return counts, err
}
