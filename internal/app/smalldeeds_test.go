package app

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/coverage"
	"ambrosa/core/pairing"
	"ambrosa/internal/testdb"
)

// TestSmallDeeds does what is done with one press each, and undone with another: each is there afterwards, and in the
// record by its name.
func TestSmallDeeds(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	ctx := t.Context()
	remove := func(path string) {
		t.Helper()
		l.do(l.Call(ctx, http.MethodDelete, "/api/v1"+path, "", nil, nil))
	}
	last := func(action string) {
		t.Helper()
		if got := strings.TrimSpace(l.text(`select action from record order by id desc limit 1`)); got != action {
			t.Errorf("the record says %s, not %s", got, action)
		}
	}
	var made struct{ ID int64 }

	l.do(l.Put(ctx, "/api/v1/shot-lists", map[string]any{"path": "", "version": 0,
		"shots": []coverage.Wanted{{View: "front", Count: 1}}}, nil))
	l.post("/api/v1/requests", map[string]any{"name": "Studio", "category": "", "again": false}, &made)
	l.post(fmt.Sprintf("/api/v1/requests/%d/close", made.ID), map[string]any{"open": false}, nil)
	last("request.close")

	l.post("/api/v1/clue-lists", map[string]any{"name": "By SKU", "list": pairing.DefaultClues(), "version": 0}, &made)
	remove(fmt.Sprintf("/clue-lists/%d", made.ID))
	last("clue-list.remove")

	l.post("/api/v1/drop-folder/people", map[string]any{"name": "mara"}, nil)
	remove("/drop-folder/people/mara")
	last("drop-person.remove")

	_, err := testdb.Pool(l.Store).Exec(ctx, `with o as (insert into origin (kind, name) values ('lookup', 'Service') returning id),
		c as (insert into lookup_code (origin_id, code, state) select id, '4006381333931', 'found' from o returning id)
		insert into lookup_candidate (code_id, address) select id, 'https://example.com/1.jpg' from c`)
	l.do(err)
	l.post("/api/v1/origins/1/lookup/codes/1/decline", map[string]any{"decline": true}, nil)
	last("origin.decline-answers")
	remove("/origins/1")
	last("origin.remove")

	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}))
	l.post("/api/v1/pins", map[string]any{"files": []int64{1}, "because": "the client wants it"}, nil)
	l.post("/api/v1/pins/remove", map[string]any{"files": []int64{1}}, nil)
	last("file.unpin")

	l.post(fmt.Sprintf("/api/v1/lots/%d/plan", lot.ID), map[string]any{"way": "after"}, &made)
	l.post(fmt.Sprintf("/api/v1/plans/%d/set-aside", made.ID), map[string]any{"files": []int64{1}, "reason": "too dark"}, nil)
	last("plan.set-aside")
	var plan struct{ Revision, Products int }
	path := fmt.Sprintf("/api/v1/plans/%d", made.ID)
	l.do(l.Get(ctx, path, &plan))
	l.post(path+"/refresh", map[string]any{"revision": plan.Revision}, nil)
	last("plan.set-aside") // nothing was to be made again
	// Applying what decisions have overtaken makes it again instead, and that is what the record says.
	var aside struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/lots/%d/set-aside", lot.ID), map[string]any{"reason": "all of it"}, &aside)
	l.refused(l.Post(ctx, path+"/apply", map[string]any{"revision": plan.Revision}, nil), http.StatusConflict)
	last("plan.remake")
	l.post(fmt.Sprintf("/api/v1/decisions/%d/take-back", aside.ID), nil, nil)
	l.do(l.Get(ctx, path, &plan))
	l.post(path+"/refresh", map[string]any{"revision": plan.Revision}, nil)
	last("plan.remake")
}
