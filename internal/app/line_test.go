package app

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"
	"testing/fstest"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/gtin"
	"ambrosa/internal/client"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// line is an Ambrosa that a test talks to.
type line struct {
	t *testing.T
	*App
	client.Client
	config Config
	log    *logged
}

// logged is what was logged so far.
type logged struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *logged) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *logged) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

func open(t *testing.T, config Config, serves bool) *line {
	t.Helper()
	config.Decoder, config.Decoders, config.Timeout = []string{decode}, 2, time.Minute
	if config.Allow == nil { // sample drives and sites
		config.Allow = []string{"127.0.0.1:*"}
	}
	log, requests := &logged{}, &sync.Map{}
	listening := slog.New(heard{slog.NewTextHandler(log, nil), requests})
	a, err := Open(t.Context(), config, fstest.MapFS{"index.html": {}, "api.html": {}}, listening)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		noteRecords(a.Store, requests)
		if err := a.Close(context.Background()); err != nil {
			t.Error(err)
		}
	})
	if err := a.Work(t.Context()); err != nil {
		t.Fatal(err)
	}
	if serves {
		if err := a.ServeDrop(t.Context(), config); err != nil {
			t.Fatal(err)
		}
		if err := a.Serve(t.Context(), "127.0.0.1:0"); err != nil {
			t.Fatal(err)
		}
	}
	return &line{t, a, client.Client{Address: a.URL}, config, log}
}

func start(t *testing.T, change ...func(*Config)) *line {
	t.Helper()
	config := Config{Database: testdb.Create(t), Data: t.TempDir()}
	for _, c := range change {
		c(&config)
	}
	return open(t, config, true)
}

// startOn is start on a database that is there already.
func startOn(t *testing.T, address string) *line {
	t.Helper()
	return start(t, func(c *Config) { c.Database = address })
}

func (l *line) do(err error) {
	l.t.Helper()
	if err != nil {
		l.t.Fatal(err)
	}
}

func (l *line) post(path string, body, into any) {
	l.t.Helper()
	l.do(l.Post(l.t.Context(), path, body, into))
}

// refused expects an answer that is no success and returns what it says.
func (l *line) refused(err error, code int) string {
	l.t.Helper()
	var status *client.Status
	if !errors.As(err, &status) || status.Code != code {
		l.t.Fatalf("%v, expected an answer with %d", err, code)
	}
	return status.Text
}

func (l *line) until(what string, reached func() bool) {
	l.t.Helper()
	ctx, cancel := context.WithTimeout(l.t.Context(), 3*time.Minute)
	defer cancel()
	if client.Until(ctx, func() (bool, error) { return reached(), nil }) != nil {
		l.t.Fatalf("waited in vain for %s", what)
	}
}

// barcode returns a GTIN-13 of the range for companies' own use.
func barcode(n int) string {
	digits := fmt.Sprintf("20%010d", n)
	return digits + string(gtin.CheckDigit(digits))
}

func (l *line) products(n int) {
	l.t.Helper()
	sheet := "sku,product,title,Colour,gtin\n"
	for i := range n {
		sheet += fmt.Sprintf("AT-%03d-A,AT-%03d,Thing %d,amber,%s\nAT-%03d-B,AT-%03d,Thing %d,blue,\n", i, i, i, barcode(i), i, i, i)
	}
	l.do(l.Call(l.t.Context(), http.MethodPost, "/api/v1/products/import", "text/csv", strings.NewReader(sheet), nil))
}

// gathered uploads a file and waits until its lot is read.
func (l *line) gathered(name string, content []byte) store.Lot {
	l.t.Helper()
	id, err := l.Gather(l.t.Context(), name, bytes.NewReader(content), int64(len(content)))
	l.do(err)
	var lot store.Lot
	l.until(name+" to be read", func() bool {
		l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/lots/%d", id), &lot))
		return lot.State == "ready"
	})
	return lot
}

// planned plans a lot and returns the plan's id.
func (l *line) planned(lot int64, way string) int64 {
	l.t.Helper()
	var made struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/lots/%d/plan", lot), map[string]string{"way": way}, &made)
	return made.ID
}

func (l *line) plan(id int64) (p store.Plan) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/plans/%d", id), &p))
	return p
}

func (l *line) applied(id int64) store.Plan {
	l.t.Helper()
	l.do(l.Apply(l.t.Context(), id))
	l.until("the plan to be applied", func() bool { return l.plan(id).State == "applied" && l.idle(id) })
	return l.plan(id)
}

// idle tells whether no run of a plan is under way: a plan is applied with its
// last product, and its run ends a moment later.
func (l *line) idle(plan int64) (idle bool) {
	l.t.Helper()
	l.do(
		testdb.Pool(l.Store).QueryRow(l.t.Context(), `select not exists (select from run where plan_id = $1 and state in ('queued', 'running',
			'stopping'))`, plan).
			Scan(&idle),
	)
	return idle
}

func (l *line) reverted(id int64) {
	l.t.Helper()
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", id), nil, nil)
	l.until("the plan to be reverted", func() bool { return l.plan(id).State == "reverted" && l.idle(id) })
}

// standing returns what products show, with everything that reverting has to
// bring back.
func (l *line) standing() []string {
	l.t.Helper()
	rows, err := testdb.Pool(l.Store).Query(
		l.t.Context(),
		`select p.code || ' ' || coalesce(v.sku,
			'') || ' ' || pl.place || ' ' || f.path || ' ' || pl.view || ' ' || pl.alt || ' ' || pl.alt_by || ' ' || pl.id
		from placement pl join product p on p.id = pl.product_id left join variant v on v.id = pl.variant_id join file f on f.id = pl.file_id
		order by p.code, v.sku nulls first, pl.place`,
	)
	l.do(err)
	lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
	l.do(err)
	return lines
}

// shows returns the paths that a product shows, in order of target and place.
func (l *line) shows(code string) string {
	l.t.Helper()
	var paths []string
	for _, text := range l.standing() {
		if fields := strings.Fields(text); fields[0] == code {
			paths = append(paths, fields[3])
		}
	}
	return strings.Join(paths, " ")
}

func jpg(t *testing.T, n int) []byte {
	t.Helper()
	return jpgOf(t, 48, 32, n)
}

func jpgOf(t *testing.T, width, height, n int) []byte {
	t.Helper()
	scene := image.NewRGBA(image.Rect(0, 0, width, height))
	for i := range scene.Pix {
		scene.Pix[i] = uint8(i*(n%97+3)/11 + n)
	}
	scene.Set(n%48, n/48%32, color.White)
	var out bytes.Buffer
	if err := jpeg.Encode(&out, scene, nil); err != nil {
		t.Fatal(err)
	}
	return append(out.Bytes(), fmt.Sprint(n)...)
}

type entry struct {
	name    string
	content []byte
}

func zipped(t *testing.T, entries ...entry) []byte {
	t.Helper()
	var out bytes.Buffer
	archive := zip.NewWriter(&out)
	for _, e := range entries {
		w, err := archive.Create(e.name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write(e.content); err != nil {
			t.Fatal(err)
		}
	}
	if err := archive.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}
