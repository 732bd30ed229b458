package store_test

import (
	"math/bits"
	"math/rand/v2"
	"strconv"
	"testing"

	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestTheDatabaseComparesAsTheRuleDoes asks the database which of many pictures look like one, and expects what the
// rule says of each pair. A tint is drawn around that of the first, so that many are at the limit.
func TestTheDatabaseComparesAsTheRuleDoes(t *testing.T) {
	s, err := store.Open(t.Context(), testdb.Create(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	r := rand.New(rand.NewPCG(4, 4))
	tint := make([]byte, upkeep.TintBytes)
	for i := range tint {
		tint[i] = byte(r.IntN(256))
	}
	stock(t, s, "")
	lot := int64(1)
	looks := make([]upkeep.Look, 300)
	for n := range looks {
		print, changed, gain := uint64(0x1234_5678_9abc_def0), make([]byte, len(tint)), 0.86+0.28*r.Float64()
		for range r.IntN(10) {
			print ^= 1 << r.IntN(64)
		}
		for i := range changed {
			changed[i] = byte(min(255, max(0, gain*float64(tint[i])+float64(r.IntN(13)-6))))
		}
		looks[n] = upkeep.Look{Fingerprint: print, Tint: string(changed)}
		if _, err := testdb.Pool(s).Exec(t.Context(), `with b as (insert into blob (sha256, bytes, type, fingerprint, tint)
				values (sha256($1::text::bytea), 1, 'image/jpeg', $2, $3) returning sha256)
			insert into file (lot_id, upload_id, entry, path, bytes, sha256) select $4, 'u', $5, $1::text, 1, sha256 from b`,
			strconv.Itoa(n), int64(print), changed, lot, n); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Step(t.Context(), func(tx *door.Tx) error { return store.MarkFiles(t.Context(), tx, lot) }); err != nil {
		t.Fatal(err)
	}
	rows, err := testdb.Pool(s).Query(t.Context(), `select f.path::int, o.path::int, f.like_bits from file f left join file o
		on o.id = f.like_id
		order by f.id`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	found := 0
	for rows.Next() {
		var at int
		var like *int
		var apart int
		if err := rows.Scan(&at, &like, &apart); err != nil {
			t.Fatal(err)
		}
		nearest := 65 // of those before it that the rule says it looks like
		for _, o := range looks[:at] {
			if looks[at].Like(o) {
				nearest = min(nearest, bits.OnesCount64(o.Fingerprint^looks[at].Fingerprint))
			}
		}
		switch {
		case like == nil && nearest <= 64:
			t.Errorf("%d looks like another by %d bits, and the database finds none", at, nearest)
		case like != nil && (!looks[at].Like(looks[*like]) || apart != nearest):
			t.Errorf("the database finds that %d looks like %d by %d bits; the nearest is %d bits apart", at, *like, apart, nearest)
		case like != nil:
			found++
		}
	}
	if found < 30 || found > 290 {
		t.Errorf("%d of 300 look like another: the test says little", found)
	}
}
