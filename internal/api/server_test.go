package api

import (
	"encoding/json"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/blob"
	"ambrosa/internal/client"
	"ambrosa/internal/deciding"
	"ambrosa/internal/importing"
	"ambrosa/internal/planning"
	"ambrosa/internal/reading"
	"ambrosa/internal/receiving"
	"ambrosa/internal/run"
	"ambrosa/internal/sourcing"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

func listen(t *testing.T) net.Listener {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	return listener
}

func testServer(t *testing.T) *fiber.App {
	t.Helper()
	s := testdb.Open(t)
	folder := t.TempDir()
	blobs, err := blob.Open(t.Context(), folder+"/blobs", folder+"/spool")
	if err != nil {
		t.Fatal(err)
	}
	index := reading.NewIndex(s)
	runner := &run.Runner{Store: s, Log: slog.New(slog.DiscardHandler)}
	if err := runner.Open(); err != nil {
		t.Fatal(err)
	}
	server := &Server{
		Store:    s,
		Blobs:    blobs,
		Index:    index,
		Runner:   runner,
		Uploads:  folder + "/uploads",
		Log:      slog.New(slog.DiscardHandler),
		Receiver: &receiving.Receiver{Store: s, Runs: runner, Pending: 1 << 40},
		Planner:  &planning.Planner{Store: s, Runs: runner},
		Importer: &importing.Importer{Store: s, Runs: runner},
		Sourcer:  &sourcing.Sourcer{Store: s},
		Decider:  &deciding.Decider{Store: s, Engine: index},
		Metrics:  "token",
		Pages: fstest.MapFS{
			"index.html":  {Data: []byte("<!doctype html><title>Ambrosa</title>")},
			"api.html":    {Data: []byte("<title>api</title>")},
			"assets/a.js": {Data: []byte("1")},
		},
	}
	app, _, err := server.Handler()
	if err != nil {
		t.Fatal(err)
	}
	return app
}

func ask(t *testing.T, app *fiber.App, method, path, body string, headers ...string) (int, string, http.Header) {
	t.Helper()
	request := httptest.NewRequest(method, path, strings.NewReader(body))
	request.Host = "127.0.0.1:8080"
	for i := 0; i+1 < len(headers); i += 2 {
		if headers[i] == "Host" {
			request.Host = headers[i+1]
		}
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := app.Test(request, fiber.TestConfig{Timeout: 20 * time.Second})
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	text, err := io.ReadAll(response.Body)
	if err != nil {
		t.Fatal(err)
	}
	return response.StatusCode, string(text), response.Header
}

func TestPagesAndHealth(t *testing.T) {
	app := testServer(t)
	for path, want := range map[string]string{"/": "Ambrosa", "/products/7": "Ambrosa", "/api": "api", "/assets/a.js": "1",
		"/healthz": "ok", "/readyz": "ready",
		"/metrics": "go_goroutines", "/api/openapi.json": `"openapi":"3.1`} {
		status, text, headers := ask(t, app, "GET", path, "", "Authorization", "Bearer token")
		if status != 200 || !strings.Contains(text, want) || headers.Get("X-Content-Type-Options") != "nosniff" {
			t.Errorf("%s: %d %.80s", path, status, text)
		}
	}
	for _, path := range []string{"/api/v1/nothing", "/assets/b.js", "/media/xyz/thumb", "/media/" + strings.Repeat("0", 64) + "/original"} {
		status, text, headers := ask(t, app, "GET", path, "")
		if status != 404 || !strings.Contains(text, `"detail"`) || headers.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s: %d %s", path, status, text)
		}
	}
}

func TestStrangersAreNotAdmitted(t *testing.T) {
	app := testServer(t)
	for _, headers := range [][]string{{"Host", "evil.example"}, {"Origin", "http://evil.example"}} {
		if status, text, _ := ask(t, app, "POST", "/api/v1/lots", `{"name":"x","uploads":1}`,
			append(headers, "Content-Type", "application/json")...); status != 403 {
			t.Errorf("%v: %d %s", headers, status, text)
		}
	}
	if status, text, _ := ask(t, app, "POST", "/api/v1/lots", `{"name":"x","uploads":1}`, "Origin", "http://127.0.0.1:8080",
		"Content-Type", "application/json"); status != 201 {
		t.Errorf("our own page: %d %s", status, text)
	}
}

func importCSV(t *testing.T, app *fiber.App, text string) (int, importing.Taken, string) {
	t.Helper()
	status, answer, _ := ask(t, app, "POST", "/api/v1/products/import", text, "Content-Type", "text/csv")
	var report importing.Taken
	_ = json.Unmarshal([]byte(answer), &report)
	return status, report, answer
}

func TestImportCreatesUpdatesAndReports(t *testing.T) {
	app := testServer(t)
	status, report, text := importCSV(t, app, "sku;product;title;ean;category;Colour\r\n"+
		"HB-1-A;HB-1;\"Smoker; dome\";2000000000107;Tools / Smokers;amber\r\n"+
		"HB-1-B;HB-1;;2000000000108;Tools / Smokers;blue\r\n"+ // wrong check digit
		";HB-2;No SKU;;;\r\n"+
		"hb-1-a;HB-1;again;;;\r\n"+
		"HB-3;;Alone;;;;;;one cell too many\r\n"+
		"HB-4;;"+strings.Repeat("x", 1_000_000)+";;;\r\n"+
		"HB-5;;Last;;Tools;\r\n")
	if status != 200 || report.Created != 2 || report.Products != 2 || report.Refused != 5 ||
		len(report.Problems) != 6 || report.Sheet == 0 || report.Import == 0 {
		t.Fatalf("%d %s", status, text)
	}
	says := map[int]string{
		2: "stands in row 5 as well", 3: "check digit", 4: "empty", 5: "stands in row 2 as well", 6: "the header 6", 7: "10001 characters",
	}
	for _, p := range report.Problems {
		if p.Kept != (p.Row == 3) || says[p.Row] == "" || !strings.Contains(p.Reason, says[p.Row]) {
			t.Errorf("row %d: %+v", p.Row, p)
		}
	}
	_, report, text = importCSV(t, app, "sku,product,title\nHB-1-A,HB-1,\"Smoker; dome\"\nHB-1-B,HB-1,\"Smoker; dome\"\n")
	_, list, _ := ask(t, app, "GET", "/api/v1/products?q=smoker", "")
	if report.Created != 1 || report.Updated != 1 ||
		!strings.Contains(list, `"title":"Smoker; dome"`) || !strings.Contains(list, `"variants":2`) {
		t.Errorf("%s; the list says %s", text, list)
	}
	_, report, text = importCSV(t, app, "SKU,Title\nHB-5,New title\nHB-1-A,\n")
	if report.Updated != 1 || report.Unchanged != 1 || report.Created != 0 {
		t.Errorf("again: %s", text)
	}
}

func TestSheetsThatCannotBeRead(t *testing.T) {
	app := testServer(t)
	for name, c := range map[string]struct{ text, want string }{
		"empty":          {"", "header row"},
		"no SKU":         {"title,ean\nx,1\n", `no column \"sku\"`},
		"two SKUs":       {"sku,item number\n1,2\n", "both mean sku"},
		"endless quoted": {"sku,title\n1,\"" + strings.Repeat("x", 10<<20), "longer than"},
	} {
		status, _, text := importCSV(t, app, c.text)
		if status != 422 || !strings.Contains(text, c.want) {
			t.Errorf("%s: %d %.300s", name, status, text)
		}
	}
	status, report, text := importCSV(t, app, "\xff\xfes\x00k\x00u\x00\n\x00\xdc\x00-\x001\x00\n\x00")
	if status != 200 || report.Created != 1 {
		t.Errorf("UTF-16: %d %s", status, text)
	}
	status, report, text = importCSV(t, app, "sku\ttitle\nW-1\tR\xe4ucher\n")
	if _, list, _ := ask(t, app, "GET", "/api/v1/products?q=r%C3%A4ucher", ""); status != 200 || report.Created != 1 ||
		!strings.Contains(list, "Räucher") {
		t.Errorf("Windows-1252: %d %s: %s", status, text, list)
	}
}

func TestUploadsThatBelongNowhereAreRefused(t *testing.T) {
	app := testServer(t)
	for metadata, want := range map[string]string{"": "which lot", "lot MQ==": "no name", "lot OTk5,path YS56aXA=": "does not wait"} {
		status, text, _ := ask(
			t, app, "POST", "/uploads/", "", "Tus-Resumable", "1.0.0", "Upload-Length", "10", "Upload-Metadata", metadata,
		)
		if status < 400 || !strings.Contains(text, want) {
			t.Errorf("%q: %d %s", metadata, status, text)
		}
	}
}

// TestTheDescriptionIsCurrent fails when the committed description, from which
// the interface's client is generated, is older than the operations.
// TestUploadsLeaveNothingBehind uploads over a real connection and expects that
// nothing goes on after the answers, and that the server can end right then.
func TestUploadsLeaveNothingBehind(t *testing.T) {
	app := testServer(t)
	listener := listen(t)
	go func() { _ = app.Listener(listener, fiber.ListenConfig{DisableStartupMessage: true}) }()
	c := client.Client{Address: "http://" + listener.Addr().String()}
	var lot struct{ ID int64 }
	if err := c.Post(t.Context(), "/api/v1/lots", map[string]any{"name": "x", "uploads": 100}, &lot); err != nil {
		t.Fatal(err)
	}
	upload := func() {
		if err := c.Upload(t.Context(), lot.ID, "x.jpg", strings.NewReader("0123456789"), 10); err != nil {
			t.Fatal(err)
		}
	}
	upload()
	before := watching()
	for range 20 {
		upload()
	}
	if after := watching(); after > before+4 {
		t.Errorf("%d goroutines watch requests that are answered, %d before", after, before)
	}
	if err := app.Shutdown(); err != nil {
		t.Fatal(err)
	}
	time.Sleep(50 * time.Millisecond) // a watcher that is left would panic
}

// watching counts the goroutines that wait for the context of a request to end.
func watching() int {
	http.DefaultClient.CloseIdleConnections()
	stacks := make([]byte, 4<<20)
	return strings.Count(string(stacks[:runtime.Stack(stacks, true)]), "propagateCancel")
}

func TestTheDescriptionIsCurrent(t *testing.T) {
	committed, err := os.ReadFile("../../ui/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	now, err := json.MarshalIndent(Operations().OpenAPI(), "", "  ")
	if err != nil {
		t.Fatal(err)
	}
	var a, b any
	if err := json.Unmarshal(committed, &a); err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(now, &b); err != nil {
		t.Fatal(err)
	}
	x, _ := json.Marshal(a)
	y, _ := json.Marshal(b)
	if string(x) != string(y) {
		t.Error("ui/openapi.json is older than the operations: run make client")
	}
}
