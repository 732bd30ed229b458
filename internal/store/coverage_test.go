package store_test

import (
	"sync"
	"testing"

	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestCoverageSumsStayRight counts, counts again, moves and deletes products while two fold the sums: what they come to is
// what the products come to.
func TestCoverageSumsStayRight(t *testing.T) {
	s, err := store.Open(t.Context(), testdb.Create(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	if _, err := testdb.Pool(s).Exec(t.Context(), `insert into product (code) select 'P-' || n from generate_series(1, 200) n`); err != nil {
		t.Fatal(err)
	}
	var group sync.WaitGroup
	for part := range 4 {
		group.Go(func() {
			for round := range 40 {
				if _, err := testdb.Pool(s).Exec(t.Context(), `insert into coverage (product_id, category_id, version,
					list_id, list_version, have, below,
						wanted, filled, low, missing, unknown_views)
					select id, (id + $2) % 3, $2, 1, 1, '{}', '{}', 5, (id + $2) % 6, $2 % 2, 5 - (id + $2) % 6, $2 % 3 from product where id % 4 = $1
					on conflict (product_id) do update set category_id = excluded.category_id, wanted = excluded.wanted,
						filled = excluded.filled, low = excluded.low, missing = excluded.missing,
						unknown_views = excluded.unknown_views`, part, round); err != nil {
					t.Error(err)
				}
				if err := s.Step(t.Context(), func(tx *door.Tx) error { return store.FoldCounts(t.Context(), tx) }); err != nil {
					t.Error(err)
				}
			}
		})
	}
	group.Wait()
	if _, err := testdb.Pool(s).Exec(t.Context(), `delete from product where id % 7 = 0`); err != nil {
		t.Fatal(err)
	}
	if err := s.Step(t.Context(), func(tx *door.Tx) error { return store.FoldCounts(t.Context(), tx) }); err != nil {
		t.Fatal(err)
	}
	var wrong, rows int
	err = testdb.Pool(s).QueryRow(t.Context(), `
		with kept as (select category_id, sum(products) as n, sum(lacking) as lacking, sum(lower) as lower, sum(wanted) as wanted,
				sum(filled) as filled, sum(low) as low, sum(missing) as missing, sum(asking) as asking,
				sum(unknown_views) as unknown from coverage_sum group by 1),
			"is" as (select category_id, count(*) as n, count(*) filter (where missing > 0) as lacking, count(*) filter (where low > 0)
				as lower,
				sum(wanted) as wanted, sum(filled) as filled, sum(low) as low, sum(missing) as missing,
				count(*) filter (where unknown_views > 0) as asking, sum(unknown_views) as unknown from coverage group by 1)
		select count(*) from kept full join "is" using (category_id)
			where (kept.n, kept.lacking, kept.lower, kept.wanted, kept.filled, kept.low, kept.missing, kept.asking, kept.unknown)
			is distinct from ("is".n, "is".lacking, "is".lower, "is".wanted, "is".filled, "is".low, "is".missing, "is".asking,
				"is".unknown)`).Scan(&wrong)
	if err != nil || wrong != 0 {
		t.Errorf("%d categories have other sums than their products (%v)", wrong, err)
	}
	const few = 4 * 32 // rows of each category stay unfolded
	if err := testdb.Pool(s).QueryRow(t.Context(), `select count(*) from coverage_sum`).Scan(&rows); err != nil || rows > few {
		t.Errorf("%d rows are left (%v)", rows, err)
	}
}
