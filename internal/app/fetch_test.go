package app

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"golang.org/x/net/webdav"

	"ambrosa/internal/api"
	"ambrosa/internal/standin"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// drive is a folder that stands for a supplier's.
func drive(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	put(t, folder, "spring/AT-000-A_1.jpg", jpg(t, 1))
	put(t, folder, "spring/AT-001/detail.jpg", jpg(t, 2))
	put(t, folder, "Thumbs.db", []byte("x"))
	put(t, folder, "notes & 100%.txt", []byte("text"))
	put(t, folder, "packed.zip", zipped(t, entry{"AT-002-A.jpg", jpg(t, 3)}, entry{"AT-002-B.jpg", jpg(t, 4)}))
	return folder
}

func put(t *testing.T, folder, name string, content []byte) {
	t.Helper()
	file := filepath.Join(folder, filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, content, 0o644); err != nil {
		t.Fatal(err)
	}
}

func (l *line) origin(body map[string]any) (o store.Origin) {
	l.t.Helper()
	for name, value := range map[string]any{"name": "Sample drive", "folder": "", "selection": map[string]any{}, "everyMinutes": 0,
		"rights": "unknown", "licence": "", "credit": ""} {
		if _, given := body[name]; !given {
			body[name] = value
		}
	}
	l.post("/api/v1/origins", body, &o)
	return o
}

// fetched fetches from an origin and returns the run when it has ended, and all
// that follows from it.
func (l *line) fetched(id int64) (run store.Run) {
	l.t.Helper()
	var made struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/origins/%d/fetch", id), nil, &made)
	l.until("the fetch", func() bool {
		l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/runs/%d", made.ID), &run))
		return run.State != "queued" && run.State != "running" && !l.busy()
	})
	return run
}

func (l *line) files(lot int64) (page struct{ Items []api.File }) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?limit=500", lot), &page))
	return page
}

// file returns the one file of a lot with the path: files are examined side by
// side, so that their order says nothing.
func (l *line) file(lot int64, path string) api.File {
	l.t.Helper()
	for _, f := range l.files(lot).Items {
		if f.Path == path {
			return f
		}
	}
	l.t.Fatalf("lot %d has no %s", lot, path)
	return api.File{}
}

// TestEachKindOfDrive fetches the same folder over each protocol, and then only
// what is new.
func TestEachKindOfDrive(t *testing.T) {
	t.Parallel()
	for _, kind := range []string{"webdav", "sftp", "s3"} {
		t.Run(kind, func(t *testing.T) {
			l := start(t)
			l.products(4)
			folder := drive(t)
			settings := map[string]string{}
			var address net.Addr
			var err error
			ctx, end := context.WithCancel(t.Context())
			defer end()
			switch kind {
			case "webdav":
				address, err = standin.WebDAV(ctx, "127.0.0.1:0", folder)
				l.do(err)
				settings = map[string]string{"address": "http://" + address.String(), "user": standin.User, "password": standin.Password}
			case "sftp":
				address, err = standin.SFTP(ctx, "127.0.0.1:0", folder, filepath.Join(t.TempDir(), "key"))
				l.do(err)
				settings = map[string]string{"host": address.String(), "user": standin.User, "password": standin.Password, "folder": "/"}
			case "s3":
				address, err = standin.S3(ctx, "127.0.0.1:0", folder)
				l.do(err)
				settings = map[string]string{
					"address": "http://" + address.String(),
					"bucket":  standin.Bucket,
					"access":  "demo",
					"secret":  "demo",
				}
			}
			o := l.origin(
				map[string]any{
					"kind":      kind,
					"settings":  settings,
					"rights":    "restricted",
					"licence":   "until autumn",
					"selection": map[string]any{"exclude": []string{"*.txt"}},
				},
			)
			if (o.Pinned != "") != (kind == "sftp") {
				t.Errorf("pinned: %q", o.Pinned)
			}
			var view struct {
				Folders []struct {
					Path  string
					Files int
				}
				Files []struct {
					Name  string
					Taken bool
				}
			}
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/origins/%d/folders", o.ID), &view))
			if len(view.Folders) != 1 || view.Folders[0].Path != "spring" || view.Folders[0].Files != 1 || len(view.Files) != 3 {
				t.Errorf("browsed: %+v", view)
			}
			peek, err := http.Get(fmt.Sprintf("%s/media/origins/%d/peek?path=spring/AT-000-A_1.jpg", l.Address, o.ID))
			l.do(err)
			_ = peek.Body.Close()
			if peek.StatusCode != http.StatusOK || peek.Header.Get("Content-Type") != "image/webp" {
				t.Errorf("peek: %s", peek.Status)
			}

			run := l.fetched(o.ID)
			if run.State != "done" || run.Message != "3 files are new or changed" {
				t.Fatalf("%+v", run)
			}
			var lot store.Lot
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", run.LotID), &lot))
			if lot.Files != 4 || lot.Paired != 4 || lot.State != "ready" {
				t.Errorf("%+v", lot)
			}
			paths := []string{}
			for _, f := range l.files(lot.ID).Items {
				paths = append(paths, f.Path+" "+f.Code)
			}
			for _, want := range []string{"spring/AT-000-A_1.jpg AT-000-A", "spring/AT-001/detail.jpg AT-001", "AT-002-A.jpg AT-002-A"} {
				if !strings.Contains(strings.Join(paths, "|"), want) {
					t.Errorf("no %q in %q", want, paths)
				}
			}
			rights := ""
			l.do(
				testdb.Pool(l.Store).QueryRow(t.Context(), `select string_agg(distinct rights || ' ' || licence, ',') from
					file where lot_id = $1`, lot.ID).
					Scan(&rights),
			)
			if rights != "restricted until autumn" {
				t.Errorf("rights: %s", rights)
			}

			if run := l.fetched(o.ID); run.State != "done" || run.Message != "Nothing is new or changed" || run.LotID != 0 {
				t.Errorf("again: %+v", run)
			}
			if kind == "s3" {
				return // the bucket of the stand-in was filled at its start
			}
			put(t, folder, "spring/AT-003-A.jpg", jpg(t, 7))
			put(t, folder, "spring/AT-000-A_1.jpg", append(jpg(t, 8), "longer"...))
			l.do(os.Remove(filepath.Join(folder, "spring/AT-001/detail.jpg")))
			run = l.fetched(o.ID)
			if run.Message != "2 files are new or changed" {
				t.Errorf("changed: %+v", run)
			}
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/origins/%d", o.ID), &o))
			if o.Gone != 1 || o.Files != 3 || o.Lots != 2 || o.State != "ready" {
				t.Errorf("%+v", o)
			}
			// What the selection leaves out from now on is not gone.
			l.do(
				l.Put(
					t.Context(),
					fmt.Sprintf("/api/v1/origins/%d", o.ID),
					map[string]any{"kind": kind, "name": "x", "settings": settings, "folder": "", "everyMinutes": 0,
						"selection": map[string]any{"include": []string{"*.png"}}, "rights": "unknown", "licence": "", "credit": "",
						"version": o.Version},
					nil,
				),
			)
			if run := l.fetched(o.ID); run.Message != "Nothing is new or changed" {
				t.Errorf("left out: %+v", run)
			}
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/origins/%d", o.ID), &o))
			if o.Gone != 1 || o.Files != 3 {
				t.Errorf("left out, and taken for gone: %+v", o)
			}
		})
	}
}

// TestOriginsThatCannotBeUsed expects each fault in words, and that nothing is
// kept, least of all a password.
func TestOriginsThatCannotBeUsed(t *testing.T) {
	t.Parallel()
	l := start(t)
	address, err := standin.WebDAV(t.Context(), "127.0.0.1:0", drive(t))
	l.do(err)
	plain := httptest.NewServer(http.NotFoundHandler())
	defer plain.Close()
	secure := httptest.NewTLSServer(http.NotFoundHandler())
	defer secure.Close()
	away := httptest.NewServer(http.RedirectHandler("http://10.1.2.3/", http.StatusTemporaryRedirect))
	defer away.Close()
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	l.do(err)
	l.do(closed.Close())
	good := map[string]string{"address": "http://" + address.String(), "user": standin.User, "password": standin.Password}
	with := func(changes ...string) map[string]string {
		settings := map[string]string{}
		for name, value := range good {
			settings[name] = value
		}
		for i := 0; i < len(changes); i += 2 {
			settings[changes[i]] = changes[i+1]
		}
		return settings
	}
	for _, c := range []struct {
		name, says, kind, folder string
		settings                 map[string]string
	}{
		{"wrong password", "The user name or the password is wrong.", "webdav", "", with("password", "guessed-secret")},
		{"no folder", "There is no /autumn at", "webdav", "autumn", good},
		{"nobody listens", "refuses the connection", "webdav", "", with("address", "http://"+closed.Addr().String())},
		{"no WebDAV", "There is no / at", "webdav", "", with("address", plain.URL)},
		{"a certificate nobody signed", "is signed by nobody this machine trusts", "webdav", "", with("address", secure.URL)},
		{"a redirect inside the network", "private address", "webdav", "", with("address", away.URL)},
		{"a host inside the network", "private address", "webdav", "", with("address", "http://192.168.3.4:445/")},
		{"a host inside the network", "private address", "sftp", "", map[string]string{"host": "10.0.0.1:22", "user": "x",
			"password": "guessed-secret"}},
		{"where clouds keep secrets", "private address", "s3", "", map[string]string{"address": "http://169.254.169.254", "bucket": "latest"}},
		{"no such name", "is not found", "webdav", "", with("address", "http://nowhere.invalid/")},
		{"no address", "is not an address", "webdav", "", with("address", "nas")},
		{"nothing entered", "Address is missing.", "webdav", "", map[string]string{}},
		{"a kind there is not", "There is no kind of origin", "fax", "", map[string]string{}},
		{"no SSH", "does not speak SSH", "sftp", "", map[string]string{"host": address.String(), "user": "x", "password": "guessed-secret"}},
	} {
		err := l.Post(
			t.Context(),
			"/api/v1/origins",
			map[string]any{"kind": c.kind, "name": "x", "settings": c.settings, "folder": c.folder, "selection": map[string]any{},
				"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": ""},
			nil,
		)
		said := l.refused(err, http.StatusUnprocessableEntity)
		if !strings.Contains(said, c.says) || strings.Contains(said, "guessed-secret") {
			t.Errorf("%s: %s", c.name, said)
		}
	}
	kept := 0
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from origin`).Scan(&kept))
	if kept != 0 {
		t.Errorf("%d origins are kept", kept)
	}
	o := l.origin(map[string]any{"kind": "webdav", "settings": good})
	stored := ""
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select o::text from origin o where id = $1`, o.ID).Scan(&stored))
	if strings.Contains(stored, standin.Password) || o.Settings["password"] != "" {
		t.Errorf("the password can be read: %s, %v", stored, o.Settings)
	}
}

// TestADriveThatVanishesHalfway breaks off, and goes on where it was; a file
// that cannot be read is reported, and comes with the next fetch.
func TestADriveThatVanishesHalfway(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(40)
	folder := t.TempDir()
	for i := range 40 {
		put(t, folder, fmt.Sprintf("AT-%03d-A.jpg", i), jpg(t, i))
	}
	var gone, locked atomic.Bool
	var asked atomic.Int64
	locked.Store(true)
	handler := &webdav.Handler{FileSystem: webdav.Dir(folder), LockSystem: webdav.NewMemLS()}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case gone.Load():
			http.Error(w, "down", http.StatusServiceUnavailable)
		case locked.Load() && strings.Contains(r.URL.Path, "AT-007"):
			http.Error(w, "locked", http.StatusForbidden)
		case r.Method == http.MethodGet && asked.Add(1) == 15:
			gone.Store(true)
			w.Header().Set("Content-Length", "5000")
			_, _ = w.Write([]byte("half a pic"))
		default:
			handler.ServeHTTP(w, r)
		}
	}))
	defer server.Close()
	o := l.origin(map[string]any{"kind": "webdav", "settings": map[string]string{"address": server.URL}})
	run := l.fetched(o.ID)
	if run.State != "failed" || !strings.Contains(run.Message, "cannot answer now") || !strings.Contains(run.Message, "can go on") {
		t.Fatalf("%+v", run)
	}
	before := len(l.files(run.LotID).Items)
	if before == 0 || before >= 40 {
		t.Errorf("%d files came before it vanished", before)
	}
	gone.Store(false)
	asked.Store(100)
	l.post(fmt.Sprintf("/api/v1/runs/%d/resume", run.ID), nil, nil)
	l.until("the rest", func() bool { return !l.busy() })
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/runs/%d", run.ID), &run))
	if run.State != "done" || !strings.Contains(run.Message, "1 could not be fetched") {
		t.Errorf("%+v", run)
	}
	const onTheirWay = 12 // fetched or examined, and not written when it broke off
	if again := asked.Load() - 100; again > int64(40-before+onTheirWay) {
		t.Errorf("%d files were fetched for the %d that were missing", again, 40-before)
	}
	unusable := 0
	for _, f := range l.files(run.LotID).Items {
		if f.Verdict == "unusable" {
			unusable++
			if f.Path != "AT-007-A.jpg" || !strings.Contains(f.Problem, "may not read") {
				t.Errorf("%+v", f)
			}
		}
	}
	if n := len(l.files(run.LotID).Items); n != 40 || unusable != 1 {
		t.Errorf("%d files, %d unusable", n, unusable)
	}
	locked.Store(false)
	if run := l.fetched(o.ID); run.Message != "1 files are new or changed" {
		t.Errorf("the locked file: %+v", run)
	}
}

// TestAHostThatChangesItsKey is refused.
func TestAHostThatChangesItsKey(t *testing.T) {
	t.Parallel()
	l := start(t)
	folder := drive(t)
	ctx, end := context.WithCancel(t.Context())
	address, err := standin.SFTP(ctx, "127.0.0.1:0", folder, filepath.Join(t.TempDir(), "key"))
	l.do(err)
	o := l.origin(
		map[string]any{
			"kind":     "sftp",
			"settings": map[string]string{"host": address.String(), "user": standin.User, "password": standin.Password, "folder": "/"},
		},
	)
	end()
	l.until("the port to be free", func() bool {
		_, err := standin.SFTP(t.Context(), address.String(), folder, filepath.Join(t.TempDir(), "other"))
		return err == nil
	})
	if run := l.fetched(o.ID); run.State != "failed" || !strings.Contains(run.Message, "shows another key") {
		t.Errorf("%+v", run)
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/origins/%d", o.ID), &o))
	if o.State != "failing" || !strings.Contains(o.Message, "another key") {
		t.Errorf("%+v", o)
	}
}

// TestTimetables has an origin fetched by itself.
func TestTimetables(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	address, err := standin.WebDAV(t.Context(), "127.0.0.1:0", drive(t))
	l.do(err)
	u := url.URL{Scheme: "http", Host: address.String()}
	o := l.origin(
		map[string]any{
			"kind":         "webdav",
			"everyMinutes": 60,
			"settings":     map[string]string{"address": u.String(), "user": standin.User, "password": standin.Password},
		},
	)
	l.until("a fetch by itself", func() bool {
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/origins/%d", o.ID), &o))
		return o.FetchedAt != nil && o.Files == 4
	})
	if o.NextAt == nil || time.Until(*o.NextAt) < 50*time.Minute {
		t.Errorf("next at %v", o.NextAt)
	}
}

// originNow returns an origin as it is.
func (l *line) originNow(id int64) (o store.Origin) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/origins/%d", id), &o))
	return o
}
