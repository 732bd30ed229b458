package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/picturespec"
	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
)

// alikeCompared is how many pictures with the nearest fingerprints are compared with a file, and how many of their
// files are looked at: a lot of pictures that all look the same would otherwise take the square of their number.
const alikeCompared = 300

// nearPrints is the SQL of the fingerprints that differ from one in few bits, the nearest first, with their bits: each
// part of it is looked up with all that differ from it in one bit, in an index that has the fingerprints with it, so
// that those that share a part by chance cost no more than their place in it.
func nearPrints(print string) string {
	var parts []string
	for _, p := range upkeep.Parts() {
		part := fmt.Sprintf("(%s >> %d & %d)", print, p.Shift, 1<<p.Width-1)
		values := []string{part}
		for bit := range p.Width {
			values = append(values, fmt.Sprintf("%s # %d", part, 1<<bit))
		}
		parts = append(parts, fmt.Sprintf(`select fingerprint from blob where fingerprint is not null and (fingerprint >> %d & %d) in (%s)
			and bit_count((fingerprint # %s)::bit(64)) <= %d`, p.Shift, 1<<p.Width-1, strings.Join(values, ", "), print, upkeep.MostBits))
	}
	return fmt.Sprintf(`(select fingerprint, bit_count((fingerprint # %s)::bit(64))::int as bits from (%s) each group by fingerprint
		order by bits)`, print, strings.Join(parts, " union all "))
}

// MarkFiles gives a lot's files the marks of what was measured, finds those
// with the same bytes as an earlier file, and those that look like one.
func MarkFiles(ctx context.Context, tx *door.Tx, lot int64) error {
	batch := &pgx.Batch{}
	batch.Queue(`update file f set type = b.type, pixels = b.width::bigint * b.height, ratio = b.width::real / greatest(b.height, 1),
			marks = b.marks | case when exists (select from file o where o.sha256 = f.sha256 and o.id < f.id) then $2 else 0 end
		from blob b where f.lot_id = $1 and b.sha256 = f.sha256`, lot, int(picturespec.Same))
	batch.Queue(fmt.Sprintf(`update file f set like_id = found.id, like_bits = found.bits, marks = f.marks | $2
		from (select distinct on (f.id) f.id as file, o.id, l.bits
			from (select distinct sha256 from file where lot_id = $1) d
			join blob b on b.sha256 = d.sha256 and b.fingerprint is not null and b.problem = ''
			cross join lateral (select ob.sha256, ob.tint, near.bits from %s near join blob ob on ob.fingerprint = near.fingerprint
				where ob.problem = '' and ob.sha256 <> b.sha256
				order by near.bits, ob.stored_at limit %d) l
			join file f on f.lot_id = $1 and f.sha256 = b.sha256
			cross join lateral (select id from file where sha256 = l.sha256 and id < f.id order by id limit 1) o
			where same_tint(l.tint, b.tint, %d, %g)
			order by f.id, l.bits, o.id) found
		where f.id = found.file`, nearPrints("b.fingerprint"), alikeCompared, upkeep.MostTint, upkeep.MostGain),
		lot, int(picturespec.Alike))
	return tx.SendBatch(ctx, batch).Close()
}

// MarkCounts counts a lot's files by mark.
func (s *Store) MarkCounts(ctx context.Context, lot int64) (map[string]int64, error) {
	rows, err := s.pool.Query(ctx, `select marks, count(*) from file where lot_id = $1 and marks <> 0 group by marks`, lot)
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
	return picturespec.Facts{
		Width:         b.Width,
		Height:        b.Height,
		ContentWidth:  b.ContentWidth,
		ContentHeight: b.ContentHeight,
		Detail:        b.Detail,
		Frames:        b.Frames,
		Colour:        b.Colour,
		Alpha:         b.Alpha,
	}
}

// TypeCounts counts a lot's files by type.
func (s *Store) TypeCounts(ctx context.Context, lot int64) (map[string]int64, error) {
	rows, err := s.pool.Query(ctx, `select type, count(*) from file where lot_id = $1 and type <> '' group by type`, lot)
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
