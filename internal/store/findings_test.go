package store_test

import (
	"slices"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestFindingsAreListedToTheLast lists many findings in each order, from the front, far down and at the end, and expects the
// pages of one list; going on behind the last one read gives each once.
func TestFindingsAreListedToTheLast(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	stock(t, s, "")
	const all = 45_000
	for _, text := range []string{
		`insert into blob (sha256, bytes) values (sha256('x'), 1)`,
		`insert into file (lot_id, upload_id, entry, path, bytes, sha256) select 1, 'u', n, (n * 7919) % 1000 || '.JPG', (n * 31) % 500,
			sha256('x') from generate_series(1, 45010) n`,
		`insert into sweep (actor_id, kinds, ended_at) values (1, '{orphans}', now())`,
		`insert into finding (kind, reason, file_id, lot_id, path, sha256, bytes, frees, grp, since, first_sweep, last_sweep)
			select 'orphans', 'r' || id % 3, id, 1, path, sha256, bytes, 0, id % 700, now() - (id % 90) * interval '1 day', 1, 1 from file`,
		`with o as (insert into holding (until, actor_id) values (now(), 1) returning id)
			insert into held (file_id, holding_id, reason) select f.id, o.id, 'r' from file f, o where f.id % 4501 = 0`,
	} {
		if _, err := testdb.Pool(s).Exec(t.Context(), text); err != nil {
			t.Fatal(err)
		}
	}
	q := store.FindingFilter{Kind: "orphans"}
	if n, bytes, err := s.CountFindings(t.Context(), q); err != nil || n != all || bytes == 0 {
		t.Fatalf("%d findings of %d bytes: %v", n, bytes, err)
	}
	ids := func(found []store.SweepFinding, err error) (ids []int64) {
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range found {
			ids = append(ids, f.ID)
		}
		return ids
	}
	for _, by := range []string{"", "bytes", "since", "path", "reason"} {
		whole := ids(s.Findings(t.Context(), q, by, 0, all+100))
		if len(whole) != all {
			t.Fatalf("by %q %d are listed", by, len(whole))
		}
		for _, at := range []int{0, 19_950, 22_000, 30_000, all - 100, all - 30, all, all + 500} {
			if page := ids(s.Findings(t.Context(), q, by, at, 100)); !slices.Equal(page, whole[min(at, all):min(at+100, all)]) {
				t.Errorf("by %q from %d on: %d, which are others than in the whole list", by, at, len(page))
			}
		}
	}
	var gone []int64
	for last := (store.SweepFinding{Group: -1}); ; {
		page, err := s.FindingsBehind(t.Context(), q, last, 9_000)
		if err != nil {
			t.Fatal(err)
		}
		if len(page) == 0 {
			break
		}
		last = page[len(page)-1]
		gone = append(gone, ids(page, nil)...)
	}
	if !slices.Equal(gone, ids(s.Findings(t.Context(), q, "", 0, all))) {
		t.Errorf("%d are gone through behind each other", len(gone))
	}
	if groups, err := s.FindingGroups(t.Context()); err != nil || len(groups) != 3 || groups[0].Files != all/3 || groups[0].Fresh != all/3 {
		t.Errorf("groups: %+v, %v", groups, err)
	}
}
