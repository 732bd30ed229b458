package app

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// asks sends a request with headers and returns the answer's status and headers.
func (l *line) asks(method, path string, headers map[string]string, body io.Reader) (int, http.Header, string) {
	l.t.Helper()
	request, err := http.NewRequestWithContext(l.t.Context(), method, l.Address+path, body)
	l.do(err)
	for name, value := range headers {
		request.Header.Set(name, value)
	}
	response, err := http.DefaultClient.Do(request)
	l.do(err)
	said, err := io.ReadAll(response.Body)
	l.do(err)
	_ = response.Body.Close()
	return response.StatusCode, response.Header, string(said)
}

// flood sends an endless body to an address and returns how the server answered,
// and how much of it the server took.
func (l *line) flood(head string, chunked bool) (answer string, taken int64) {
	l.t.Helper()
	conn, err := net.Dial("tcp", strings.TrimPrefix(l.Address, "http://"))
	l.do(err)
	defer conn.Close()
	if err := conn.SetDeadline(time.Now().Add(20 * time.Second)); err != nil {
		l.t.Fatal(err)
	}
	_, err = io.WriteString(conn, head+"\r\n")
	l.do(err)
	sent := make(chan int64, 1)
	go func() {
		piece := make([]byte, 1<<20)
		var n int64
		for n < 300<<20 {
			if chunked {
				if _, err := fmt.Fprintf(conn, "%x\r\n%s\r\n", len(piece), piece); err != nil {
					break
				}
			} else if _, err := conn.Write(piece); err != nil {
				break
			}
			n += int64(len(piece))
		}
		sent <- n
	}()
	line, err := bufio.NewReader(conn).ReadString('\n')
	if err != nil {
		line = err.Error()
	}
	_ = conn.Close()
	return strings.TrimSpace(line), <-sent
}

// TestBodiesAreNotReadFromStrangers floods every form of upload without a right
// to it: the server answers at once and does not take the body in.
func TestBodiesAreNotReadFromStrangers(t *testing.T) {
	l := start(t)
	host := strings.TrimPrefix(l.Address, "http://")
	heap := func() uint64 {
		var m runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&m)
		return m.HeapAlloc
	}
	before := heap()
	for _, door := range []string{"/uploads/", "/hand-in/uploads/"} {
		for name, head := range map[string]string{
			"POST":          "POST %s HTTP/1.1\r\nHost: %s\r\nContent-Length: 314572800\r\nTus-Resumable: 1.0.0\r\nUpload-Length: 314572800\r\n",
			"POST, chunked": "POST %s HTTP/1.1\r\nHost: %s\r\nTransfer-Encoding: chunked\r\nTus-Resumable: 1.0.0\r\n",
			"PATCH": "PATCH %snobody HTTP/1.1\r\nHost: %s\r\nContent-Length: 20000000\r\nTus-Resumable: 1.0.0\r\nUpload-Offset: " +
				"0\r\nContent-Type: application/offset+octet-stream\r\n",
			"PATCH, large": "PATCH %snobody HTTP/1.1\r\nHost: %s\r\nContent-Length: 314572800\r\nTus-Resumable: 1.0.0\r\nUpload-Offset: " +
				"0\r\nContent-Type: application/offset+octet-stream\r\n",
			"PATCH, chunked": "PATCH %snobody HTTP/1.1\r\nHost: %s\r\nTransfer-Encoding: chunked\r\nTus-Resumable: 1.0.0\r\nUpload-Offset: " +
				"0\r\nContent-Type: application/offset+octet-stream\r\n",
			"PUT":             "PUT %s HTTP/1.1\r\nHost: %s\r\nContent-Length: 314572800\r\n",
			"DELETE, chunked": "DELETE %snobody HTTP/1.1\r\nHost: %s\r\nTransfer-Encoding: chunked\r\nTus-Resumable: 1.0.0\r\n",
			"POST, overridden": "POST %snobody HTTP/1.1\r\nHost: %s\r\nX-HTTP-Method-Override: PATCH\r\nContent-Length: " +
				"314572800\r\nTus-Resumable: 1.0.0\r\nUpload-Offset: 0\r\n",
			"OPTIONS, with one": "OPTIONS %s HTTP/1.1\r\nHost: %s\r\nContent-Length: 314572800\r\n",
		} {
			answer, taken := l.flood(fmt.Sprintf(head, door, host), strings.Contains(head, "chunked"))
			if !strings.HasPrefix(answer, "HTTP/1.1 4") && !strings.Contains(answer, "reset") || taken > 16<<20 {
				t.Errorf("%s %s: %q after %d MB", door, name, answer, taken>>20)
			}
		}
	}
	if after := heap(); after > before+32<<20 {
		t.Errorf("the heap grew from %d to %d MB", before>>20, after>>20)
	}
}

// TestALinkThatEndsEndsItsUploads revokes a link in the middle of an upload.
func TestALinkThatEndsEndsItsUploads(t *testing.T) {
	t.Parallel()
	l := start(t)
	id, token := l.link(map[string]any{"maxFiles": 3})
	var made struct{ ID int64 }
	l.post("/api/v1/hand-in/"+token+"/lots", map[string]int{"uploads": 1}, &made)
	location, err := l.HandInBegin(t.Context(), token, made.ID, "a.jpg", 10)
	l.do(err)
	l.do(l.Append(t.Context(), location, 0, []byte("12345")))
	info, err := filepath.Glob(l.config.Data + "/uploads/*.info")
	l.do(err)
	if len(info) != 1 {
		t.Fatalf("info files: %v", info)
	}
	if text, err := os.ReadFile(info[0]); err != nil || strings.Contains(string(text), token) {
		t.Errorf("the link's token stands beside the upload: %s %v", text, err)
	}
	l.do(l.Call(t.Context(), http.MethodDelete, fmt.Sprintf("/api/v1/supplier-links/%d", id), "", nil, nil))
	if text := l.refused(l.Append(t.Context(), location, 5, []byte("67890")), http.StatusConflict); !strings.Contains(
		text,
		"closed by those who gave it",
	) {
		t.Error(text)
	}
	// By the other door it does not go on either.
	l.refused(
		l.Append(t.Context(), strings.Replace(location, "/hand-in/uploads/", "/uploads/", 1), 5, []byte("67890")),
		http.StatusNotFound,
	)
}

// TestALinkOpensNoMoreLotsThanFiles asks for lots again and again.
func TestALinkOpensNoMoreLotsThanFiles(t *testing.T) {
	t.Parallel()
	l := start(t)
	_, token := l.link(map[string]any{"maxFiles": 2})
	opened := 0
	for range 10 {
		if l.Post(t.Context(), "/api/v1/hand-in/"+token+"/lots", map[string]int{"uploads": 1}, nil) == nil {
			opened++
		}
	}
	if opened != 2 {
		t.Errorf("%d lots are open on a link of two files", opened)
	}
	// What was opened and not used makes room after a while.
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update lot set created_at = now() - interval '11 minutes'`)
	l.do(err)
	l.post("/api/v1/hand-in/"+token+"/lots", map[string]int{"uploads": 2}, nil)
}

// TestUploadsHaveATermAndABound begins more than there is room for, and leaves it.
func TestUploadsHaveATermAndABound(t *testing.T) {
	t.Parallel()
	l := start(t, func(c *Config) { c.Limits.Pending = 10 << 20 })
	l.products(1)
	var made struct{ ID int64 }
	l.post("/api/v1/lots", map[string]any{"name": "large", "uploads": 3}, &made)
	content := zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})
	l.do(l.Upload(t.Context(), made.ID, "here.zip", bytes.NewReader(content), int64(len(content))))
	location, err := l.Begin(t.Context(), made.ID, "one.zip", 6<<20)
	l.do(err)
	_, err = l.Begin(t.Context(), made.ID, "two.zip", 6<<20)
	l.refused(err, http.StatusInsufficientStorage)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update upload set begun_at = now() - interval '8 days' where finished_at is null`)
	l.do(err)
	l.do(l.Runner.Clean(t.Context()))
	l.refused(l.Append(t.Context(), location, 0, []byte("x")), http.StatusNotFound)
	var lot store.Lot
	l.until("the lot to go on without it", func() bool {
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), &lot))
		return lot.State == "ready"
	})
	if lot.Paired != 1 {
		t.Errorf("%+v", lot)
	}
	if left, err := os.ReadDir(l.config.Data + "/uploads"); err != nil || len(left) != 0 {
		t.Errorf("%v %v", left, err)
	}
	// A lot that nothing came for goes with its upload.
	l.post("/api/v1/lots", map[string]any{"name": "empty", "uploads": 1}, &made)
	_, err = l.Begin(t.Context(), made.ID, "never.zip", 100)
	l.do(err)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update upload set begun_at = now() - interval '8 days' where finished_at is null`)
	l.do(err)
	l.do(l.Runner.Clean(t.Context()))
	l.refused(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), nil), http.StatusNotFound)
	var limits struct {
		Items []struct{ Name, Value, Setting string }
	}
	l.do(l.Get(t.Context(), "/api/v1/limits", &limits))
	if len(limits.Items) < 8 {
		t.Errorf("limits shown: %+v", limits)
	}
}

// TestWhoAsksFromElsewhere loads things for a page from elsewhere, and asks for
// what is not shown to everyone.
func TestWhoAsksFromElsewhere(t *testing.T) {
	t.Parallel()
	l := start(t)
	for _, c := range []struct {
		path    string
		headers map[string]string
		want    int
	}{
		{"/media/peek?address=http%3A%2F%2F127.0.0.1%3A1%2Fa.jpg", map[string]string{"Sec-Fetch-Site": "cross-site",
			"Sec-Fetch-Mode": "no-cors"}, http.StatusForbidden},
		{"/media/peek?address=http%3A%2F%2F127.0.0.1%3A1%2Fa.jpg", map[string]string{"Sec-Fetch-Site": "cross-site",
			"Sec-Fetch-Mode": "navigate"}, http.StatusForbidden},
		{"/api/v1/origins", map[string]string{"Sec-Fetch-Site": "same-site", "Sec-Fetch-Mode": "cors"}, http.StatusForbidden},
		{"/lots/1", map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, http.StatusOK},
		{"/api/v1/origins", map[string]string{"Sec-Fetch-Site": "same-origin", "Sec-Fetch-Mode": "cors"}, http.StatusOK},
		{"/api/v1/origins", nil, http.StatusOK},
		{"/metrics", nil, http.StatusOK}, // the interface's page: without a token there are none
	} {
		status, _, said := l.asks(http.MethodGet, c.path, c.headers, nil)
		if status != c.want || strings.Contains(said, "ambrosa_request_seconds") {
			t.Errorf("%s with %v: %d %.200s", c.path, c.headers, status, said)
		}
	}
	if status, headers, _ := l.asks(http.MethodOptions, "/uploads/", map[string]string{"Origin": "http://evil.example",
		"Access-Control-Request-Method": "POST"}, nil); headers.Get("Access-Control-Allow-Origin") != "" {
		t.Errorf("uploads allow any origin: %d %v", status, headers)
	}
	measured := start(t, func(c *Config) { c.Metrics = "scrape-token" })
	if status, _, _ := measured.asks(http.MethodGet, "/metrics", nil, nil); status != http.StatusUnauthorized {
		t.Errorf("metrics without their token: %d", status)
	}
	if status, _, said := measured.asks(http.MethodGet, "/metrics", map[string]string{"Authorization": "Bearer scrape-token"},
		nil); status != http.StatusOK ||
		!strings.Contains(said, "ambrosa_request_seconds") {
		t.Errorf("metrics with it: %d", status)
	}
}

// TestTheDropFoldersBounds fills a person's folder, guesses passwords, has a name
// of many bytes, and looks at a page that was dropped.
func TestTheDropFoldersBounds(t *testing.T) {
	t.Parallel()
	l := open(
		t,
		Config{Database: testdb.Create(t), Data: t.TempDir(), Drop: "127.0.0.1:0", Quiet: time.Hour, Limits: Limits{DropQuota: 1 << 20}},
		true,
	)
	mara := l.person("Mara")
	long := l.person(strings.Repeat("\U0001f41d", 60))
	long.put("a.jpg", []byte("x"))
	var folder struct{ People []struct{ Name string } }
	l.do(l.Get(t.Context(), "/api/v1/drop-folder", &folder))
	if len(folder.People) != 2 {
		t.Errorf("people: %+v", folder)
	}
	ask := func(method, path, password string, body io.Reader, length int64) *http.Response {
		request, err := http.NewRequestWithContext(t.Context(), method, mara.address+path, body)
		l.do(err)
		request.ContentLength = length
		request.SetBasicAuth("Mara", password)
		response, err := http.DefaultClient.Do(request)
		l.do(err)
		_ = response.Body.Close()
		return response
	}
	mara.put("half.jpg", make([]byte, 600<<10))
	if r := ask(http.MethodPut, "more.jpg", mara.password, bytes.NewReader(make([]byte, 600<<10)),
		600<<10); r.StatusCode != http.StatusInsufficientStorage {
		t.Errorf("more than the quota: %s", r.Status)
	}
	// Without saying how much it is, as far as it fits.
	ask(http.MethodPut, "endless.jpg", mara.password, bytes.NewReader(make([]byte, 3<<20)), -1)
	if r := ask(http.MethodGet, "endless.jpg", mara.password, nil, 0); r.StatusCode != http.StatusNotFound {
		t.Errorf("what did not fit is there: %s", r.Status)
	}
	mara.put("small.jpg", make([]byte, 100<<10))
	mara.put("page.html", []byte("<!doctype html><script>alert(1)</script>"))
	if r := ask(http.MethodGet, "page.html", mara.password, nil, 0); r.Header.Get("Content-Disposition") != "attachment" ||
		!strings.Contains(r.Header.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("a page is served with %v", r.Header)
	}
	begun := time.Now()
	var wait sync.WaitGroup
	var mu sync.Mutex
	statuses := map[int]int{}
	for range 30 {
		wait.Go(func() {
			r := ask(http.MethodGet, "half.jpg", "wrong", nil, 0)
			mu.Lock()
			statuses[r.StatusCode]++
			mu.Unlock()
		})
	}
	wait.Wait()
	if statuses[http.StatusTooManyRequests] < 10 || statuses[http.StatusUnauthorized] == 0 || time.Since(begun) < time.Second {
		t.Errorf("thirty wrong passwords: %v in %v", statuses, time.Since(begun))
	}
	if r := ask(http.MethodGet, "half.jpg", mara.password, nil, 0); r.StatusCode != http.StatusOK {
		t.Errorf("the right one then: %s", r.Status)
	}
}
