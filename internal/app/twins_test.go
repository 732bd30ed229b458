package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestALotOfManyTwins lists and exports a lot whose every file has the same bytes:
// what once grew with the square of their number is bounded, however busy the machine. AMBROSA_TWINS says how many.
func TestALotOfManyTwins(t *testing.T) {
	t.Parallel()
	twins := 25_000
	if n, err := strconv.Atoi(os.Getenv("AMBROSA_TWINS")); err == nil {
		twins = n
	}
	l := start(t)
	l.products(1)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})).ID
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, reason)
		select lot_id, upload_id, n, 'twin ' || n || '.jpg', bytes, sha256, 'loose', 'no key' from file, generate_series(1, $2::int) n
		where lot_id = $1 and entry = 0`, lot, twins)
	l.do(err)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `analyze file`)
	l.do(err)
	ctx, cancel := context.WithTimeout(t.Context(), 4*time.Minute)
	defer cancel()
	l.do(l.Store.Step(ctx, func(tx *door.Tx) error { return store.MarkFiles(ctx, tx, lot) }))
	for _, query := range []string{"limit=100", "limit=100&offset=24000", "mark=same+bytes&limit=100", "verdict=loose&sort=name&limit=100"} {
		var page struct{ Total int }
		l.do(l.Get(ctx, fmt.Sprintf("/api/v1/lots/%d/files?%s", lot, query), &page))
		if page.Total < twins {
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
	if lines := strings.Count(string(text), "\r\n"); lines != twins+2 {
		t.Errorf("%d lines", lines)
	}
}

// TestTheNearestOfManyIsTheLookalike gives a picture one that looks like it, behind 2,000 that share a part of its fingerprint and
// differ elsewhere: it is found.
func TestTheNearestOfManyIsTheLookalike(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	first := l.gathered("first.zip", zipped(t, entry{"first.jpg", jpg(t, 1)})).ID
	second := l.gathered("second.zip", zipped(t, entry{"second.jpg", jpg(t, 2)})).ID
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `with others as (select n, sha256(n::text::bytea) as sum from generate_series(1, 2001) n),
			b as (insert into blob (sha256, bytes, type, fingerprint, tint)
				select sum, 1, 'image/jpeg', case when n = 2001 then 4660 + 4096 else 4660 + (n + 100)::bigint * 4294967296 + 16773120 end,
					decode(repeat('80', 48), 'hex') from others)
		insert into file (lot_id, upload_id, entry, path, bytes, sha256) select u.lot_id, u.id, n, n || '.jpg', 1, sum from others,
			upload u where u.lot_id = $1`, first)
	l.do(err)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update blob b set fingerprint = 4660, tint = decode(repeat('80', 48), 'hex') from file f
		where f.lot_id = $1 and b.sha256 = f.sha256`, second)
	l.do(err)
	// Files of the second lot came later, so that they are the ones that look like others.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `insert into file (lot_id, upload_id, entry, path, bytes, sha256)
		select lot_id, upload_id, 1, 'again.jpg', bytes, sha256 from file where lot_id = $1`, second)
	l.do(err)
	l.do(l.Store.Step(t.Context(), func(tx *door.Tx) error { return store.MarkFiles(t.Context(), tx, second) }))
	like := l.text(`select coalesce((select o.path from file f join file o on o.id = f.like_id where f.path = 'again.jpg'), '')`)
	if strings.TrimSpace(like) != "2001.jpg" {
		t.Errorf("it looks like %q", like)
	}
}

// TestAnExportEndsWithItsClient leaves in the middle of an export: nothing goes
// on in the database.
func TestAnExportEndsWithItsClient(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})).ID
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict)
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
			testdb.Pool(l.Store).QueryRow(t.Context(), `select not exists (select from pg_stat_activity where datname = current_database()
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

// TestOutdatedFingerprintsAreRefreshed computes fingerprints of an earlier version of Ambrosa again from the thumbnails, as
// they would be today. A picture whose thumbnail is missing has none; where the store is another one, nothing is changed.
func TestOutdatedFingerprintsAreRefreshed(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	l.gathered("shots.zip", zipped(t, entry{"one.jpg", jpg(t, 1)}, entry{"two.jpg", jpg(t, 2)}, entry{"three.jpg", jpg(t, 3)}))
	looks := func() string {
		return l.text(`select string_agg(coalesce(fingerprint::text, 'none') || ' ' || coalesce(encode(tint, 'hex'), ''), ' '
			order by sha256) from blob`)
	}
	before := looks()
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update blob set fingerprint = 77, tint = '\x000102030405060708090a0b'`)
	l.do(err)
	l.do(l.Runner.Gatherer.RefreshFingerprints(t.Context()))
	if after := looks(); after != before {
		t.Errorf("compared by\n%s\nexpected\n%s", after, before)
	}
	// In another folder than the store's no thumbnail is there: that is told, and nothing is changed.
	originals := filepath.Join(l.config.Data, "blobs")
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update blob set fingerprint = 77, tint = null`)
	l.do(err)
	before = looks()
	l.do(os.Rename(originals, originals+" away"))
	l.do(os.Mkdir(originals, 0o755))
	if err := l.Runner.Gatherer.RefreshFingerprints(t.Context()); !errors.Is(err, blob.ErrElsewhere) || looks() != before {
		t.Errorf("in another folder: %v, compared by %s", err, looks())
	}
	l.do(os.Remove(originals))
	l.do(os.Rename(originals+" away", originals))
	sum, err := blob.ParseSum(strings.TrimSpace(l.text(`select min(encode(sha256, 'hex')) from blob`)))
	l.do(err)
	l.do(l.Runner.Gatherer.Blobs.Drop(t.Context(), sum))
	l.do(l.Runner.Gatherer.RefreshFingerprints(t.Context()))
	if after := looks(); strings.Count(after, "none") != 1 || strings.Contains(after, "77 ") {
		t.Errorf("with a thumbnail missing, compared by %s", after)
	}
}
