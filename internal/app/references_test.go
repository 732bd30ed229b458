package app

import (
	"context"
	"errors"
	"fmt"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// references compares the table of references with what it stands for, reckoned
// anew from everything that needs a file.
func (l *line) references(when string) {
	l.t.Helper()
	var missing, left int
	l.do(testdb.Pool(l.Store).QueryRow(l.t.Context(), `
		with needed as (
			select file_id, 'placement ' || id as by from placement
			union select (p->>'file')::bigint, 'change ' || c.id
				from plan_change c join plan x on x.id = c.plan_id and x.state <> 'reverted', jsonb_array_elements(c.before || c.after) t,
				jsonb_array_elements(t->'pictures') p where c.state <> 'reverted'
			union select file_id, 'pin ' || id from pin union select file_id, 'shelf ' || id from shelved union select id, 'sheet ' || sheet_id
				from file where verdict = 'sheet' and sheet_id is not null
			union select f.id, 'dispatch ' || max(p.dispatch_id) from dispatch_picture p join file f on f.id = p.file_id
				where p.held = '' and not p.removed group by f.id
			union select (p->>'file')::bigint, 'order ' || o.id from lot_order o, jsonb_array_elements(o.pictures) p
			union select f.id, 'lot ' || l.id from lot l join file f on f.lot_id = l.id where l.state in ('receiving', 'examining', 'ready')),
		kept as (
			select file_id, case when placement_id is not null then 'placement ' || placement_id when plan_change_id is not null
				then 'change ' || plan_change_id when lot_order_id is not null then 'order ' || lot_order_id
				when pin_id is not null then 'pin ' || pin_id when shelved_id is not null then 'shelf ' || shelved_id
				when dispatch_id is not null then 'dispatch ' || dispatch_id
				when sheet_id is not null then 'sheet ' || sheet_id else 'lot ' || lot_id end as by
			from reference)
		select (select count(*) from (select * from needed except select * from kept) m), (select count(*) from kept) - (select count(*)
		from needed)`).
		Scan(&missing, &left))
	if missing != 0 || left != 0 {
		l.t.Fatalf("%s: %d needs are not written, %d more are written than there are", when, missing, left)
	}
}

// TestWhatNeedsAFile walks a file from its open lot to a product and back, and asks
// at each step who needs it; what is needed cannot be deleted, in the database
// itself.
func TestWhatNeedsAFile(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A_1.jpg", jpg(t, 2)})).ID
	file := l.file(lot, "AT-000-A_1.jpg").ID
	needs := func(when, want string) {
		t.Helper()
		var page struct{ Items []store.Reference }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d/references", file), &page))
		got := ""
		for _, r := range page.Items {
			got += fmt.Sprintf("%s %s %s;", r.By, r.Code, r.State)
		}
		if got != want {
			t.Errorf("%s: %q, expected %q", when, got, want)
		}
		l.references(when)
	}
	needs("in its open lot", "lot one.zip ;")
	id := l.planned(lot, "after")
	needs("planned", "lot one.zip ;plan AT-000 draft;")
	l.applied(id)
	needs("applied", "plan AT-000 applied;placement AT-000 ;")
	for _, attempt := range []string{`delete from file where id = $1`, `delete from lot where id = (select lot_id from file where id = $1)`} {
		_, err := testdb.Pool(l.Store).Exec(t.Context(), attempt, file)
		var refused *pgconn.PgError
		if !errors.As(err, &refused) || refused.Code != "23503" {
			t.Errorf("%s: %v", attempt, err)
		}
	}
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", id), nil, nil)
	l.until("reverted", func() bool { return l.plan(id).State == "reverted" })
	needs("reverted", "lot one.zip ;")
	l.post(fmt.Sprintf("/api/v1/lots/%d/give-up", lot), nil, nil)
	needs("given up", "")
	l.post(fmt.Sprintf("/api/v1/lots/%d/restore", lot), nil, nil)
	needs("restored", "lot one.zip ;")
}

// TestALotThatNothingNeedsGoesWithItsFiles deletes a lot that is open and was
// never planned: its own need does not hold it.
func TestALotThatNothingNeedsGoesWithItsFiles(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)})).ID
	if _, err := testdb.Pool(l.Store).Exec(context.Background(), `delete from lot where id = $1`, lot); err != nil {
		t.Fatal(err)
	}
	l.references("without its lot")
}
