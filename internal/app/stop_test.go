package app

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"ambrosa/internal/testdb"
)

// stopTerm is how long a run may go on after it was told to stop.
const stopTerm = 2 * time.Second

// stops has a run of a kind stopped while it works and returns how long that took.
func (l *line) stops(kind string) time.Duration {
	l.t.Helper()
	var run int64
	l.until("a run of "+kind, func() bool {
		l.do(testdb.Pool(l.Store).QueryRow(l.t.Context(), `select coalesce(max(id) filter (where state = 'running'), 0) from
			run where kind = $1`, kind).
			Scan(&run))
		return run != 0
	})
	told := time.Now()
	l.post(fmt.Sprintf("/api/v1/runs/%d/stop", run), nil, nil)
	l.until(kind+" to stop", func() bool {
		var state string
		l.do(testdb.Pool(l.Store).QueryRow(l.t.Context(), `select state from run where id = $1`, run).Scan(&state))
		return state != "running" && state != "stopping"
	})
	return time.Since(told)
}

// held keeps a row from being changed until the test lets it go.
func (l *line) held(table string, id int64) (release func()) {
	l.t.Helper()
	tx, err := testdb.Pool(l.Store).Begin(l.t.Context())
	l.do(err)
	_, err = tx.Exec(l.t.Context(), `select from `+table+` where id = $1 for no key update`, id)
	l.do(err)
	release = sync.OnceFunc(func() { l.do(tx.Rollback(context.WithoutCancel(l.t.Context()))) })
	l.t.Cleanup(release) // a test that fails in between does not wait for it
	return release
}

// emptyDrive is what a WebDAV drive without files answers (RFC 4918, section 9.1).
const emptyDrive = `<D:multistatus xmlns:D="DAV:"><D:response><D:href>/</D:href><D:propstat><D:prop>
	<D:resourcetype><D:collection/></D:resourcetype></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response></D:multistatus>`

// TestRunsStopAtOnce tells runs to stop while they wait for what does not come: for
// a drive that does not answer, and for rows that somebody holds. What they did
// stays whole, and they go on afterwards.
func TestRunsStopAtOnce(t *testing.T) {
	t.Parallel()
	var quiet atomic.Bool
	end := make(chan struct{})
	silent := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		if quiet.Load() {
			<-end
			return
		}
		w.WriteHeader(http.StatusMultiStatus)
		_, _ = w.Write([]byte(emptyDrive))
	}))
	t.Cleanup(func() {
		close(end)
		silent.Close()
	})
	l := start(t, func(c *Config) { c.Allow = []string{silent.Listener.Addr().String()} })
	l.products(3)
	took := map[string]time.Duration{}
	lot := l.gathered("three.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A_1.jpg", jpg(t, 2)},
		entry{"AT-002-A_1.jpg", jpg(t, 3)})).ID
	second, _ := l.target("AT-001-A")

	l.until("the run that read it to end", func() bool { return !l.busy() })
	release := l.held("lot", lot)
	l.post(fmt.Sprintf("/api/v1/lots/%d/pair", lot), nil, nil)
	took["pair"] = l.stops("pair")
	release()

	plan := l.planned(lot, "after")
	release = l.held("product", second)
	l.post(fmt.Sprintf("/api/v1/plans/%d/apply", plan), map[string]int{"revision": l.plan(plan).Revision}, nil)
	took["apply"] = l.stops("apply")
	release()
	if p := l.plan(plan); p.Applied > 1 || p.Applied+p.Planned != 3 {
		t.Errorf("stopped in between: %+v", p)
	}
	release = l.held("product", second)
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", plan), nil, nil)
	l.until("reverted", func() bool { return l.plan(plan).State == "reverted" }) // the second was never applied
	release()

	l.applied(l.planned(lot, "after"))
	release = l.held("product", second)
	var last int64
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select max(id) from plan`).Scan(&last))
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", last), nil, nil)
	took["revert"] = l.stops("revert")
	release()

	drive := l.origin(map[string]any{"kind": "webdav", "name": "silent", "settings": map[string]string{"address": silent.URL + "/"}})
	quiet.Store(true)
	l.post(fmt.Sprintf("/api/v1/origins/%d/fetch", drive.ID), nil, nil)
	took["fetch"] = l.stops("fetch")

	if len(took) != 4 {
		t.Errorf("only %d kinds were stopped", len(took))
	}
	for kind, d := range took {
		t.Logf("%s stopped after %s", kind, d.Round(time.Millisecond))
		if d > stopTerm {
			t.Errorf("%s went on for %s after it was told to stop", kind, d)
		}
	}
}
