package reading

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestLooksAreFoundBothWays finds pictures near some fingerprints by the database and by an index of all: the same, in the same
// order, however near each other the pictures are.
func TestLooksAreFoundBothWays(t *testing.T) {
	s, err := store.Open(t.Context(), testdb.Create(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	random := rand.New(rand.NewPCG(3, 5))
	few := func(value int64, most int) int64 { // flips up to most bits
		for range random.IntN(most + 1) {
			value ^= 1 << random.IntN(64)
		}
		return value
	}
	clusters := []int64{0, -1, 0x0f0f0f0f0f0f0f0f, int64(random.Uint64())}
	var placed []int64
	for n := range 600 {
		value := int64(random.Uint64())
		if n%2 == 0 {
			value = few(clusters[n/2%len(clusters)], 6)
		}
		placed = append(placed, value)
	}
	if _, err := testdb.Pool(s).Exec(t.Context(), `insert into product (code) values ('A'), ('B')`); err != nil {
		t.Fatal(err)
	}
	if _, err := testdb.Pool(s).Exec(t.Context(), `with l as (insert into lot (name, state, origin) values ('x', 'ready',
		'upload') returning id),
			u as (insert into upload (id, lot_id, path, bytes) select 'u', id, 'x.zip', 1 from l returning id),
			b as (insert into blob (sha256, bytes, type, fingerprint)
				select sha256(n::text::bytea), 1, 'image/jpeg', v from unnest($1::bigint[]) with ordinality p (v, n)),
			f as (insert into file (lot_id, upload_id, entry, path, bytes, sha256) select l.id, u.id, n, n || '.jpg', 1, sha256(n::text::bytea)
				from l, u, unnest($1::bigint[]) with ordinality p (v, n) returning id, entry)
		insert into placement (product_id, file_id, place) select 1 + f.entry % 2, f.id, f.entry from f order by f.entry`, placed); err != nil {
		t.Fatal(err)
	}
	var wanted []store.PlacedPicture
	for n := range 300 {
		value := int64(random.Uint64())
		if n%2 == 0 {
			value = few(placed[random.IntN(len(placed))], 5)
		}
		wanted = append(wanted, store.PlacedPicture{Fingerprint: value})
	}
	asked, read := &looks{store: s}, &looks{store: s}
	byDatabase, err := asked.near(t.Context(), wanted)
	if err != nil || asked.index != nil {
		t.Fatal(err, asked.index)
	}
	many := make([]store.PlacedPicture, fewLooks+1)
	for i := range many {
		many[i].Fingerprint = int64(i) << 20
	}
	byIndex, err := read.near(t.Context(), append(many, wanted...))
	if err != nil || read.index == nil {
		t.Fatal(err, read.index)
	}
	found := 0
	for _, w := range wanted {
		got, want := fmt.Sprintf("%+v", byDatabase[w.Fingerprint]), fmt.Sprintf("%+v", byIndex[w.Fingerprint])
		if got != want {
			t.Errorf("near %x: %s, want %s", w.Fingerprint, got, want)
		}
		found += len(byIndex[w.Fingerprint])
	}
	if found < 1000 {
		t.Errorf("only %d were found in all", found)
	}
}
