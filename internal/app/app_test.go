package app

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/api"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
	"ambrosa/internal/testprogram"
)

// decode is the program that reads foreign formats.
var decode string

// TestMain builds that program, unless make test has built it.
func TestMain(m *testing.M) {
	folder, temporary := testprogram.Folder(testprogram.Decode)
	decode = filepath.Join(folder, testprogram.Decode)
	testdb.MainThen(m, operationsThatLeftNoRecord, temporary...)
}

// TestALotWithEverythingWrong gathers an archive with most of what suppliers
// send by mistake: each file says what is wrong with it, and the good ones are
// paired.
func TestALotWithEverythingWrong(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	var asPNG bytes.Buffer
	l.do(png.Encode(&asPNG, image.NewGray(image.Rect(0, 0, 9, 9))))
	third := zipped(t, entry{"AT-003-A.jpg", jpg(t, 9)})
	lot := l.gathered("supplier.zip", zipped(t,
		entry{"AT-000-A.jpg", jpg(t, 0)},
		entry{"again/AT-000-A_2.jpg", jpg(t, 0)}, // the same bytes under another name
		entry{"AT-001-B.jpg", asPNG.Bytes()},     // a PNG by another name is a picture
		entry{"AT-001-B.jpg", jpg(t, 1)},         // a second entry of one name
		entry{"inner.zip", zipped(t, entry{"AT-002-A.jpg", jpg(t, 2)}, entry{"third.zip", third})},
		entry{"../AT-002-B.jpg", jpg(t, 3)},
		entry{"broken AT-002-B.jpg", jpg(t, 4)[:200]},
		entry{"empty AT-002-B.jpg", nil},
		entry{"drawing.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`)},
		entry{"403.jpg", []byte("<!doctype html><title>Forbidden</title>")},
		entry{"list.txt", []byte("sku,title\n")},
		entry{"__MACOSX/._AT-000-A.jpg", []byte("resource fork")},
	))
	var page struct{ Items []api.File }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?limit=100", lot.ID), &page))
	var got []string
	for _, f := range page.Items {
		got = append(got, fmt.Sprintf("%s | %s | %s", f.Path, f.Verdict, f.Code+f.Problem))
	}
	slices.Sort(got)
	want := []string{
		"403.jpg | unusable | a web page, not a picture",
		"AT-000-A.jpg | paired | AT-000-A",
		"AT-001-B.jpg | paired | AT-001-B",
		"AT-001-B.jpg | paired | AT-001-B",
		"AT-002-B.jpg | unusable | its path leads out of the archive",
		"again/AT-000-A_2.jpg | paired | AT-000-A",
		"broken AT-002-B.jpg | unusable | the picture is broken: ",
		"drawing.svg | unusable | an SVG drawing, not a picture: export it as PNG",
		"empty AT-002-B.jpg | unusable | the file is empty",
		"inner.zip/AT-002-A.jpg | paired | AT-002-A",
		"inner.zip/third.zip | unusable | an archive within an archive within an archive is not opened",
		"list.txt | unusable | a text file, not a picture",
	}
	if len(got) != len(want) {
		t.Fatalf("%d files:\n%s", len(got), strings.Join(got, "\n"))
	}
	for i := range want {
		if !strings.HasPrefix(got[i], want[i]) {
			t.Errorf("%s\nexpected %s", got[i], want[i])
		}
	}
	// What could not be stored stays in the upload, so that nothing is lost.
	if left, err := os.ReadDir(l.config.Data + "/uploads"); err != nil || len(left) == 0 {
		t.Errorf("the archive with a refused entry is gone: %v %v", left, err)
	}
}

func TestArchivesThatCannotBeRead(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	good := zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)})
	for _, c := range []struct {
		name, says string
		content    []byte
		files      int
	}{
		{"text.zip", "not an archive, whatever its name says", []byte("no archive at all"), 0},
		{"cut.zip", "incomplete or damaged", good[:len(good)-30], 0},
		{"empty.zip", "not an archive", []byte("PK"), 0},
	} {
		lot := l.gathered(c.name, c.content)
		if len(lot.Problems) != 1 || !strings.Contains(lot.Problems[0], c.says) || lot.Files != c.files {
			t.Errorf("%s: %q, %d files", c.name, lot.Problems, lot.Files)
		}
	}
}

func (l *line) busy() bool {
	l.t.Helper()
	var waiting store.Waiting
	l.do(l.Get(l.t.Context(), "/api/v1/waiting", &waiting))
	return waiting.Runs > 0
}

// swapFirstTwo changes the order of a product's pictures by hand and returns
// the plan that this is.
func (l *line) swapFirstTwo(code string) (plan int64) {
	l.t.Helper()
	ctx := l.t.Context()
	var id, version int64
	l.do(testdb.Pool(l.Store).QueryRow(ctx, `select id, version from product where code = $1`, code).Scan(&id, &version))
	shown, err := l.Store.Shown(ctx, catalog.Product(id))
	l.do(err)
	shown[0], shown[1] = shown[1], shown[0]
	pictures := []map[string]any{}
	for _, s := range shown {
		pictures = append(pictures, map[string]any{"id": s.ID, "target": s.Target, "view": s.View})
	}
	path := fmt.Sprintf("/api/v1/products/%d/pictures", id)
	l.do(l.Put(ctx, path, map[string]any{"version": version, "pictures": pictures}, nil))
	// The same change once more is refused: the product is not what it was.
	l.refused(l.Put(ctx, path, map[string]any{"version": version, "pictures": pictures}, nil), http.StatusConflict)
	l.do(testdb.Pool(l.Store).QueryRow(ctx, `select max(id) from plan where kind = 'hand'`).Scan(&plan))
	return plan
}

// TestWaysOfSingleProducts gives one product its own way and leaves another
// out.
func TestWaysOfSingleProducts(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	lot := l.gathered("standing.zip", zipped(t,
		entry{"AT-000-A_front.jpg", jpg(t, 1)}, entry{"AT-000-A_back.jpg", jpg(t, 2)},
		entry{"AT-001-A_1.jpg", jpg(t, 3)}, entry{"AT-002-A_1.jpg", jpg(t, 4)}, entry{"AT-003-A_1.jpg", jpg(t, 5)}))
	l.applied(l.planned(lot.ID, "after"))
	before := l.standing()
	lot = l.gathered("better.zip", zipped(t,
		entry{"AT-000-A_back.jpg", jpg(t, 12)}, entry{"AT-000-A_top.jpg", jpg(t, 13)},
		entry{"AT-001-A_1.jpg", jpg(t, 14)}, entry{"AT-002-A_1.jpg", jpg(t, 15)}, entry{"AT-003-A_1.jpg", jpg(t, 16)}))
	plan := l.planned(lot.ID, "before")
	set := func(code string, body map[string]any) {
		var id int64
		l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select id from product where code = $1`, code).Scan(&id))
		l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/plans/%d/changes/product/%d", plan, id), body, nil))
	}
	set("AT-000", map[string]any{"way": "like for like", "leftOut": false})
	set("AT-001", map[string]any{"way": "instead", "leftOut": false})
	set("AT-003", map[string]any{"way": "", "leftOut": true})
	if p := l.plan(plan); p.LeftOut != 1 || p.Products != 3 || p.Warned == 0 {
		t.Errorf("%+v", p)
	}
	// Planned once more, single products keep their ways.
	if again := l.planned(lot.ID, "before"); again != plan {
		t.Errorf("a second plan, %d beside %d", again, plan)
	}
	if p := l.applied(plan); p.Applied != 3 {
		t.Errorf("%+v", p)
	}
	for code, want := range map[string]string{
		"AT-000": "AT-000-A_front.jpg AT-000-A_back.jpg", // the top has nothing like it there
		"AT-001": "AT-001-A_1.jpg",
		"AT-002": "AT-002-A_1.jpg AT-002-A_1.jpg",
		"AT-003": "AT-003-A_1.jpg",
	} {
		if got := l.shows(code); got != want {
			t.Errorf("%s shows %s, expected %s", code, got, want)
		}
	}
	changed := 0
	for _, text := range l.standing() {
		if !slices.Contains(before, text) {
			changed++
		}
	}
	if changed != 4 { // the back, the one instead, and two that moved on
		t.Errorf("%d placements are not as before:\n%s", changed, strings.Join(l.standing(), "\n"))
	}
	l.refused(l.Apply(t.Context(), plan), http.StatusConflict)
	l.reverted(plan)
	if after := l.standing(); !slices.Equal(after, before) {
		t.Errorf("before:\n%s\nafter:\n%s", strings.Join(before, "\n"), strings.Join(after, "\n"))
	}
}

// TestStoppedApplying stops applying in the middle: whole products are done,
// the rest goes on; stopped once more, it is taken back.
func TestStoppedApplying(t *testing.T) {
	t.Parallel()
	const n = 200
	l := start(t)
	l.products(n)
	var entries []entry
	for i := range n {
		entries = append(
			entries,
			entry{fmt.Sprintf("AT-%03d-A_1.jpg", i), jpg(t, i)},
			entry{fmt.Sprintf("AT-%03d-B_1.jpg", i), jpg(t, i+n)},
		)
	}
	lot := l.gathered("many.zip", zipped(t, entries...))
	plan := l.planned(lot.ID, "after")
	stopInBetween := func() (run int64) {
		l.t.Helper()
		l.until("some products", func() bool { return l.plan(plan).Applied >= 10 })
		l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select max(id) from run where plan_id = $1`, plan).Scan(&run))
		l.post(fmt.Sprintf("/api/v1/runs/%d/stop", run), nil, nil)
		l.until("the run to stop", func() bool { return !l.busy() })
		if p := l.plan(plan); p.Applied == 0 || p.Applied >= n || p.State != "applying" {
			t.Fatalf("stopped: %+v", p)
		}
		half := 0
		l.do(
			testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from (select product_id from placement
				group by product_id having count(*) <> 2) odd`).
				Scan(&half),
		)
		if half != 0 {
			t.Errorf("%d products are half applied", half)
		}
		return run
	}
	l.do(l.Apply(l.t.Context(), plan))
	run := stopInBetween()
	l.post(fmt.Sprintf("/api/v1/runs/%d/resume", run), nil, nil)
	l.until("the rest", func() bool { return l.plan(plan).State == "applied" && !l.busy() })
	if p := l.plan(plan); p.Applied != n || len(l.standing()) != 2*n {
		t.Errorf("gone on: %+v, %d placements", p, len(l.standing()))
	}
	l.reverted(plan)
	if left := l.standing(); len(left) != 0 {
		t.Errorf("%d placements are left", len(left))
	}

	l.until("the run to end", func() bool { return !l.busy() })
	plan = l.planned(lot.ID, "after")
	l.do(l.Apply(l.t.Context(), plan))
	stopInBetween()
	l.reverted(plan)
	if left := l.standing(); len(left) != 0 {
		t.Errorf("%d placements are left of the stopped plan", len(left))
	}
}

// TestTwoProcessesDoEachPieceOnce has a second process do work beside the one
// that serves.
func TestTwoProcessesDoEachPieceOnce(t *testing.T) {
	t.Parallel()
	l := start(t)
	open(t, Config{Database: l.config.Database, Data: l.config.Data}, false)
	l.products(40)
	const lots = 6
	for n := range lots {
		var entries []entry
		for i := range 40 {
			entries = append(entries, entry{fmt.Sprintf("AT-%03d-A_%d.jpg", i, n+1), jpg(t, 1000*n+i)})
		}
		content := zipped(t, entries...)
		_, err := l.Gather(t.Context(), fmt.Sprintf("lot %d.zip", n), bytes.NewReader(content), int64(len(content)))
		l.do(err)
	}
	l.until("all lots", func() bool {
		ready := 0
		l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from lot where state = 'ready'`).Scan(&ready))
		return ready == lots
	})
	rows, err := testdb.Pool(l.Store).Query(
		t.Context(),
		`select r.kind || ' ' || count(*) || ' ' || string_agg(distinct j.attempt::text, ',')
			from river_job j join run r on r.id = (j.args->>'run')::bigint group by r.kind order by r.kind`,
	)
	l.do(err)
	jobs, err := pgx.CollectRows(rows, pgx.RowTo[string])
	l.do(err)
	if !slices.Equal(jobs, []string{"examine 6 1", "pair 6 1"}) {
		t.Errorf("jobs and their attempts: %q", jobs)
	}
	files, workers := 0, 0
	l.do(
		testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*), (select count(distinct attempted_by[1]) from river_job) from file
			where verdict = 'paired'`).
			Scan(&files, &workers),
	)
	if files != lots*40 || workers == 0 {
		t.Errorf("%d files are paired by %d processes", files, workers)
	}
	t.Logf("%d processes took part", workers)
}

// TestDecisionsMeetChanges decides on a file that another person decided on.
func TestDecisionsMeetChanges(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("two keys.zip", zipped(t, entry{"AT-000-A AT-001-A.jpg", jpg(t, 1)}, entry{"nothing.jpg", jpg(t, 2)}))
	if lot.Contested != 1 || lot.Loose != 1 {
		t.Fatalf("%+v", lot)
	}
	var page struct{ Items []api.File }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?verdict=loose", lot.ID), &page))
	f := page.Items[0]
	path := fmt.Sprintf("/api/v1/files/%d/decision", f.ID)
	l.post(path, map[string]any{"verdict": "set aside", "reason": "not ours", "version": f.Version}, &f)
	said := l.refused(
		l.Post(t.Context(), path, map[string]any{"verdict": "paired", "target": catalog.Product(1), "version": f.Version - 1}, nil),
		http.StatusConflict,
	)
	if !strings.Contains(said, "detail") {
		t.Errorf("says %s", said)
	}
	l.refused(
		l.Post(t.Context(), path, map[string]any{"verdict": "paired", "target": catalog.Product(4711), "version": f.Version}, nil),
		http.StatusNotFound,
	)
	if now, err := l.Store.File(t.Context(), f.ID); err != nil || now.Verdict != "set aside" || now.Reason != "not ours" {
		t.Errorf("%+v %v", now, err)
	}
	// The lot can be paired again: what a person decided stays.
	l.post(fmt.Sprintf("/api/v1/lots/%d/pair", lot.ID), nil, nil)
	l.until("the run to end", func() bool { return !l.busy() })
	if now, err := l.Store.File(t.Context(), f.ID); err != nil || now.Verdict != "set aside" {
		t.Errorf("paired again: %+v %v", now, err)
	}
}

func TestAddressesThatAreNotOurs(t *testing.T) {
	t.Parallel()
	l := start(t)
	other, err := Open(t.Context(), l.config, fstest.MapFS{"index.html": {}}, slog.New(slog.DiscardHandler))
	l.do(err)
	defer func() { l.do(other.Close(context.Background())) }()
	for address, says := range map[string]string{
		"0.0.0.0:0":                              "loopback addresses only",
		"no address":                             "listen at",
		strings.TrimPrefix(l.Address, "http://"): "is taken by another program",
	} {
		if err := other.Serve(t.Context(), address); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", address, err)
		}
	}
	if _, err := Open(t.Context(), Config{Database: "postgres://127.0.0.1:1/none?connect_timeout=2", Data: t.TempDir()}, nil,
		slog.New(slog.NewTextHandler(io.Discard, nil))); err == nil ||
		!strings.Contains(err.Error(), "connect to the database") {
		t.Errorf("a database that is not there: %v", err)
	}
}

// TestRightsOfFiles changes rights singly, by filter and with an end, and
// expects that pairing goes on as before.
func TestRightsOfFiles(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("x.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}, entry{"loose.jpg", jpg(t, 3)}))
	path := fmt.Sprintf("/api/v1/lots/%d/rights", lot.ID)
	set := func(body map[string]any) (done struct{ Files int }) {
		body["licence"], body["credit"] = "spring terms", "Studio"
		l.do(l.Put(t.Context(), path, body, &done))
		return done
	}
	if done := set(map[string]any{"rights": "restricted", "verdict": "paired"}); done.Files != 2 {
		t.Errorf("by filter: %+v", done)
	}
	loose := l.file(lot.ID, "loose.jpg")
	if loose.Rights != "cleared" || loose.HeldBack != "" {
		t.Errorf("beside the filter: %+v", loose)
	}
	if done := set(map[string]any{"rights": "cleared", "file": loose.ID, "expires": "2020-01-01T00:00:00Z"}); done.Files != 1 {
		t.Errorf("one file: %+v", done)
	}
	for _, f := range l.files(lot.ID).Items {
		want := "its use is restricted: spring terms"
		if f.ID == loose.ID {
			want = "its rights ended on 1 January 2020"
		}
		if f.HeldBack != want || f.Credit != "Studio" {
			t.Errorf("%s: %+v", f.Path, f)
		}
	}
	var page struct{ Total int }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?rights=restricted", lot.ID), &page))
	if page.Total != 2 {
		t.Errorf("%d files are listed as restricted", page.Total)
	}
	if p := l.applied(l.planned(lot.ID, "after")); p.Applied != 2 {
		t.Errorf("restricted files can be placed: %+v", p)
	}
	l.refused(l.Put(t.Context(), path, map[string]any{"rights": "free", "licence": "", "credit": ""}, nil), http.StatusUnprocessableEntity)
	l.refused(
		l.Put(t.Context(), "/api/v1/lots/999/rights", map[string]any{"rights": "cleared", "licence": "", "credit": ""}, nil),
		http.StatusNotFound,
	)
}
