package app

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/api"
	"ambrosa/internal/standin"
	"ambrosa/internal/store"
)

// TestADriveWhoseAnswerMakesItsLibraryFail meets a challenge that is none; it
// costs one fetch.
func TestADriveWhoseAnswerMakesItsLibraryFail(t *testing.T) {
	t.Parallel()
	l := start(t)
	for _, challenge := range []string{"Digest realm, nonce", "Digest", "Basic", "Digest ,", "Digest realm=\"",
		strings.Repeat("Digest a=b,", 500)} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header()["Www-Authenticate"] = []string{challenge}
			w.WriteHeader(http.StatusUnauthorized)
		}))
		err := l.Post(
			t.Context(),
			"/api/v1/origins",
			map[string]any{
				"kind":         "webdav",
				"name":         "x",
				"settings":     map[string]string{"address": server.URL, "user": "u", "password": "p"},
				"folder":       "",
				"selection":    map[string]any{},
				"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
			},
			nil,
		)
		server.Close()
		if err == nil || strings.Contains(err.Error(), "panic") || strings.Contains(err.Error(), "goroutine") {
			t.Errorf("%.40q: %v", challenge, err)
		}
	}
	if status, _, _ := l.asks(http.MethodGet, "/healthz", nil, nil); status != http.StatusOK {
		t.Errorf("the server answers with %d", status)
	}
}

// listing is a WebDAV server with files whose names, sizes and bytes are said
// apart from each other (RFC 4918, section 9.1).
func listing(t *testing.T, files map[string]struct {
	says  int
	sends []byte
}) *httptest.Server {
	t.Helper()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != "PROPFIND" {
			_, _ = w.Write(files[strings.TrimPrefix(r.URL.Path, "/")].sends)
			return
		}
		w.WriteHeader(http.StatusMultiStatus)
		fmt.Fprint(
			w,
			`<D:multistatus xmlns:D="DAV:"><D:response><D:href>/</D:href><D:propstat><D:prop><D:resourcetype><D:collection/></D:resourcetype>`+
				`</D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>`,
		)
		for name, f := range files {
			fmt.Fprintf(
				w,
				`<D:response><D:href>/%s</D:href><D:propstat><D:prop><D:displayname>%s</D:displayname>`+
					`<D:getcontentlength>%d</D:getcontentlength><D:resourcetype/></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>`,
				strings.ReplaceAll(name, "\xff", "%FF"),
				"x",
				f.says,
			)
		}
		fmt.Fprint(w, `</D:multistatus>`)
	}))
	t.Cleanup(server.Close)
	return server
}

// TestADriveThatSaysLessThanItSends is believed in what it says.
func TestADriveThatSaysLessThanItSends(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	picture := jpg(t, 1)
	server := listing(t, map[string]struct {
		says  int
		sends []byte
	}{"AT-000-A.jpg": {10, append(picture, make([]byte, 4<<20)...)}, "AT-001-A.jpg": {len(picture), picture}})
	o := l.origin(map[string]any{"kind": "webdav", "settings": map[string]string{"address": server.URL}})
	run := l.fetched(o.ID)
	if f := l.file(run.LotID, "AT-000-A.jpg"); f.Verdict != "unusable" || !strings.Contains(f.Problem, "larger than the 10 bytes") ||
		f.Sum != "" {
		t.Errorf("%+v", f)
	}
	if f := l.file(run.LotID, "AT-001-A.jpg"); f.Verdict != "paired" {
		t.Errorf("%+v", f)
	}
}

// TestTextThatIsNoText brings NUL and bytes that are no UTF-8 in by every way
// that text comes: nothing fails, and what it was can be read.
func TestTextThatIsNoText(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.do(
		l.Call(
			t.Context(),
			http.MethodPost,
			"/api/v1/products/import",
			"text/csv",
			strings.NewReader("sku,title,Colour\nAT-000-A,Th\x00ing,am\x00ber\nAT-001-A,Gl\xfcck,blue\n"),
			nil,
		),
	)
	if found := l.product("AT-000-A"); !strings.Contains(found.Title, `Th\x00ing`) {
		t.Errorf("the title is %q", found.Title)
	}
	lot := l.gathered(
		"bad names \xff.zip",
		zipped(
			t,
			entry{"AT-000-A_\x00_1.jpg", jpg(t, 1)},
			entry{"AT-001-A \xfe.jpg", jpg(t, 2)},
			entry{"list.csv", []byte("file,sku,alt\nAT-001-A.jpg,AT-001-A,a\x00b\n")},
			entry{
				"rows.xlsx",
				workbookWith(
					t,
					`<row r="2"><c r="A2" t="inlineStr"><is><t>x_x0000_.jpg</t></is></c><c r="B2" t="inlineStr"><is><t>AT-001-A</t></is></c></row>`,
				),
			},
		),
	)
	var page struct{ Items []api.File }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?limit=50", lot.ID), &page))
	if len(page.Items) != 4 || lot.Paired != 2 {
		t.Errorf("%d files, %d paired", len(page.Items), lot.Paired)
	}
	if l.file(lot.ID, `AT-000-A_\x00_1.jpg`).Verdict != "paired" {
		t.Error("the name with NUL is not as it can be read")
	}
	// Of what is going on when the lot is ready, the last run ends a moment later.
	l.until("no run to be under way", func() bool {
		return !slices.ContainsFunc(l.runs(), func(r store.Run) bool { return r.State == "queued" || r.State == "running" })
	})
	for _, run := range l.runs() {
		if run.State != "done" {
			t.Errorf("%s %s: %s", run.Kind, run.State, run.Message)
		}
	}
	// Through the API such a text is refused in words.
	said := l.refused(
		l.Post(t.Context(), "/api/v1/lots", map[string]any{"name": "a\x00b", "uploads": 1}, nil),
		http.StatusUnprocessableEntity,
	)
	if !strings.Contains(said, "NUL") {
		t.Error(said)
	}
}

func (l *line) runs() []store.Run {
	l.t.Helper()
	var runs struct{ Items []store.Run }
	l.do(l.Get(l.t.Context(), "/api/v1/runs", &runs))
	return runs.Items
}

// product returns the product of a variant's SKU.
func (l *line) product(sku string) (p store.Product) {
	l.t.Helper()
	id, _ := l.target(sku)
	p, err := l.Store.Product(l.t.Context(), id)
	l.do(err)
	return p
}

// TestACodeWithNUL reads a picture whose QR code holds NUL; it is drawn by zint.
func TestACodeWithNUL(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	picture := filepath.Join(t.TempDir(), "code.png")
	data := filepath.Join(t.TempDir(), "data")
	l.do(os.WriteFile(data, []byte("a\x00b\xff"), 0o600))
	if out, err := exec.Command("zint", "-b", "QRCODE", "--binary", "-i", data, "-o", picture, "--scale=6",
		"--quietzones").CombinedOutput(); err != nil {
		t.Fatalf("zint: %v: %s", err, out)
	}
	content, err := os.ReadFile(picture)
	l.do(err)
	lot := l.gathered("codes.zip", zipped(t, entry{"IMG_1.png", content}))
	l.readAgain(lot.ID)
	for _, run := range l.runs() {
		if run.State != "done" {
			t.Errorf("%s %s: %s", run.Kind, run.State, run.Message)
		}
	}
	if f := l.file(lot.ID, "IMG_1.png"); len(f.Codes) != 1 || !strings.HasPrefix(f.Codes[0].Text, `a\x00b`) {
		t.Errorf("%+v", f.Codes)
	}
}

// TestASecretStaysWithItsHost changes where an origin leads to without entering
// its password again.
func TestASecretStaysWithItsHost(t *testing.T) {
	t.Parallel()
	l := start(t)
	folder := drive(t)
	first, err := standin.WebDAV(t.Context(), "127.0.0.1:0", folder)
	l.do(err)
	stolen := ""
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { stolen += r.Header.Get("Authorization") }))
	defer other.Close()
	settings := map[string]string{"address": "http://" + first.String() + "/", "user": standin.User, "password": standin.Password}
	o := l.origin(map[string]any{"kind": "webdav", "settings": settings})
	change := func(address, password string) error {
		return l.Put(
			t.Context(),
			fmt.Sprintf("/api/v1/origins/%d", o.ID),
			map[string]any{
				"kind":         "webdav",
				"name":         "Sample drive",
				"settings":     map[string]string{"address": address, "user": standin.User, "password": password},
				"folder":       "",
				"selection":    map[string]any{},
				"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
				"version": l.originNow(o.ID).Version,
			},
			nil,
		)
	}
	said := l.refused(change(other.URL, ""), http.StatusUnprocessableEntity)
	if !strings.Contains(said, "another host") || stolen != "" {
		t.Errorf("%s; the other host saw %q", said, stolen)
	}
	l.do(change("http://"+first.String()+"/", "")) // the same host, as it was
	if b := l.fetched(o.ID); b.State != "done" {
		t.Errorf("%+v", b)
	}
}
