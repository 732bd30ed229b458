package app

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"
)

// TestALotOfManyTwins lists and exports a lot whose every file has the same bytes:
// what once grew with the square of their number is bounded, however busy the machine.
func TestALotOfManyTwins(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})).ID
	_, err := l.Store.Pool.Exec(t.Context(), `insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, reason)
		select lot_id, upload_id, n, 'twin ' || n || '.jpg', bytes, sha256, 'loose', 'no key' from file, generate_series(1, 25000) n
		where lot_id = $1 and entry = 0`, lot)
	l.do(err)
	_, err = l.Store.Pool.Exec(t.Context(), `analyze file`)
	l.do(err)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	l.do(l.Store.MarkFiles(ctx, lot))
	for _, query := range []string{"limit=100", "limit=100&offset=24000", "mark=same+bytes&limit=100", "verdict=loose&sort=name&limit=100"} {
		var page struct{ Total int }
		l.do(l.Get(ctx, fmt.Sprintf("/api/v1/lots/%d/files?%s", lot, query), &page))
		if page.Total < 25_000 {
			t.Errorf("%s: %d files", query, page.Total)
		}
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, fmt.Sprintf("%s/media/lots/%d/list?format=csv", l.Address, lot), nil)
	l.do(err)
	response, err := http.DefaultClient.Do(request)
	l.do(err)
	text, err := io.ReadAll(response.Body)
	l.do(err)
	_ = response.Body.Close()
	if lines := strings.Count(string(text), "\r\n"); lines != 25_002 {
		t.Errorf("%d lines", lines)
	}
}

// TestAnExportEndsWithItsClient leaves in the middle of an export: nothing goes
// on in the database.
func TestAnExportEndsWithItsClient(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})).ID
	_, err := l.Store.Pool.Exec(t.Context(), `insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict)
		select lot_id, upload_id, n, repeat('twin ', 40) || n, bytes, sha256, 'loose' from file, generate_series(1, 60000) n where lot_id = $1
		and entry = 0`, lot)
	l.do(err)
	response, err := http.Get(fmt.Sprintf("%s/media/lots/%d/list?format=csv", l.Address, lot))
	l.do(err)
	_, err = io.ReadFull(response.Body, make([]byte, 1000))
	l.do(err)
	_ = response.Body.Close()
	l.until("the database to be idle", func() (idle bool) {
		l.do(
			l.Store.Pool.QueryRow(t.Context(), `select not exists (select from pg_stat_activity where datname = current_database()
				and state = 'active' and pid <> pg_backend_pid() and query like '%fetch%file%' or query like '%from (select id from file%'
				and state = 'active' and pid <> pg_backend_pid() and datname = current_database())`).
				Scan(&idle),
		)
		return idle
	})
	if strings.Contains(l.log.String(), "export broken off") {
		t.Errorf("a client that leaves is no error: %s", l.log)
	}
}
