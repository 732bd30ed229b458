package app

import (
	"fmt"
	"strings"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestAPlanPastItsUndoPeriod replaces a picture, lets the undo period end and the picture be purged: the plan
// says so with the receipt, and reverting says what did not come back.
func TestAPlanPastItsUndoPeriod(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	first := l.gathered("first.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A_1.jpg", jpg(t, 2)}))
	l.applied(l.planned(first.ID, "after"))
	better := l.gathered("better.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 3)}, entry{"AT-001-A_1.jpg", jpg(t, 4)}))
	plan := l.planned(better.ID, "instead")
	l.applied(plan)
	undo := func() (u store.Undo) {
		t.Helper()
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/plans/%d/undo", plan), &u))
		return u
	}
	if u := undo(); u.Until == nil || u.Past || u.Purged != 0 {
		t.Errorf("inside the undo period: %+v", u)
	}
	exec := func(text string, args ...any) {
		t.Helper()
		_, err := testdb.Pool(l.Store).Exec(t.Context(), text, args...)
		l.do(err)
	}
	exec(`update plan set applied_at = now() - interval '4000 days'`)
	exec(`update reference set until = now() - interval '1 day' where plan_change_id is not null`)
	if u := undo(); !u.Past || u.Purged != 0 || len(u.Receipts) != 0 {
		t.Errorf("past the undo period, with nothing purged: %+v", u)
	}
	// One of the replaced pictures is purged, as a purge does it.
	var replaced int64
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select f.id from file f join lot l on l.id = f.lot_id where l.name = 'first.zip'
		and f.path = 'AT-000-A_1.jpg'`).Scan(&replaced))
	var receipt int64
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `insert into receipt (actor_id, holdings, ended_at) values (1, '{}', now()) returning id`).
		Scan(&receipt))
	exec(`insert into receipt_file (receipt_id, file_id, path, lot, sha256, bytes, freed, reason, held_by, held_at)
		select $1, id, path, 'first', sha256, bytes, bytes, 'replaced', 'specialist', now() from file where id = $2`, receipt, replaced)
	exec(`delete from reference where file_id = $1`, replaced)
	exec(`delete from file where id = $1`, replaced)
	if u := undo(); u.Purged != 1 || len(u.Receipts) != 1 || u.Receipts[0] != receipt {
		t.Errorf("with one purged: %+v", u)
	}
	l.reverted(plan)
	var said string
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select message from run where plan_id = $1 and kind = 'revert'`, plan).Scan(&said))
	if !strings.Contains(said, "of which 1 do not show all that they did") {
		t.Errorf("reverting says %q", said)
	}
	if u := undo(); u.Until != nil {
		t.Errorf("of a plan that is reverted: %+v", u)
	}
}
