package app

import (
	"fmt"
	"net/http"
	"slices"
	"sync"
	"testing"

	"ambrosa/internal/api"
	"ambrosa/internal/door"
	"ambrosa/internal/testdb"
)

// TestACrowdOnOneLot has many people give rights to the same files of a lot, and decide on others of its
// files, all at once: nobody is refused, and nobody waits until it takes too long.
func TestACrowdOnOneLot(t *testing.T) {
	t.Parallel()
	const files = 40
	l := start(t)
	l.products(4)
	var entries []entry
	for n := range files {
		entries = append(entries, entry{fmt.Sprintf("nobody knows %02d.jpg", n), jpg(t, n)})
	}
	lot := l.gathered("crowd.zip", zipped(t, entries...))
	var page struct{ Items []api.File }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?limit=100", lot.ID), &page))
	var crowd sync.WaitGroup
	errs := make(chan error, 200)
	for n := range 50 {
		crowd.Go(func() {
			rights := []string{"cleared", "restricted", "unknown"}[n%3]
			body := map[string]any{"rights": rights, "licence": "", "credit": "", "of": []string{"", "unknown", "cleared"}[n/3%3]}
			errs <- l.Put(t.Context(), fmt.Sprintf("/api/v1/lots/%d/rights", lot.ID), body, nil)
		})
	}
	for _, f := range page.Items {
		crowd.Go(func() {
			body := map[string]any{"verdict": "set aside", "reason": "no product", "version": f.Version}
			errs <- l.Post(t.Context(), fmt.Sprintf("/api/v1/files/%d/decision", f.ID), body, nil)
		})
	}
	crowd.Wait()
	close(errs)
	for err := range errs {
		if err != nil {
			t.Error(err)
		}
	}
	var aside int
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from file where lot_id = $1 and verdict =
		'set aside'`, lot.ID).Scan(&aside))
	if aside != files {
		t.Errorf("%d of %d files are set aside", aside, files)
	}
}

// TestDecisionsDoNotWaitForEachOther decides on a file while somebody else's decision on another file of
// the lot is not committed yet; a plan of the lot waits for both, and counts them.
func TestDecisionsDoNotWaitForEachOther(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("two.zip", zipped(t, entry{"one.jpg", jpg(t, 1)}, entry{"other.jpg", jpg(t, 2)}, entry{"AT-000-A.jpg", jpg(t, 3)}))
	plan := l.planned(lot.ID, "after")
	var page struct{ Items []api.File }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?limit=100", lot.ID), &page))
	err := l.Store.Step(t.Context(), func(tx *door.Tx) error {
		if _, err := tx.Exec(t.Context(), `select from lot where id = $1 for share`, lot.ID); err != nil {
			return err
		}
		f := page.Items[slices.IndexFunc(page.Items, func(f api.File) bool { return f.Path == "AT-000-A.jpg" })]
		body := map[string]any{"verdict": "set aside", "reason": "no product", "version": f.Version}
		return l.Post(t.Context(), fmt.Sprintf("/api/v1/files/%d/decision", f.ID), body, nil)
	})
	l.do(err)
	if p := l.plan(plan); !p.Outdated {
		t.Errorf("the plan does not tell that its lot was decided on: %+v", p)
	}
	l.refused(l.Apply(t.Context(), plan), http.StatusConflict)
}
