package bench

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/client"
	"ambrosa/internal/standin"
	"ambrosa/tests/browser"
)

// BenchmarkTabs fetches 5,000 files from a drive twice: while nobody watches, and while ten tabs of a browser show Today.
// It reports how often each tab asks the server in a second, and how much of a core the database takes for them: what it
// takes with the tabs, less what it takes without them, by the time.
func BenchmarkTabs(b *testing.B) {
	const files, size, tabs = 5_000, 20_000, 10
	folder := b.TempDir()
	source := rand.NewChaCha8([32]byte{6})
	content := make([]byte, size)
	for i := range files {
		_, _ = source.Read(content)
		copy(content, "BM") // of a kind that is kept and not decoded
		name := filepath.Join(folder, fmt.Sprintf("folder %02d", i/100), fmt.Sprintf("picture %04d.bin", i))
		must(b, os.MkdirAll(filepath.Dir(name), 0o755))
		must(b, os.WriteFile(name, content, 0o600))
	}
	address, err := standin.WebDAV(b.Context(), "127.0.0.1:0", folder)
	must(b, err)
	for b.Loop() {
		_, _, alone := fetchWatched(b, address.String(), 0)
		asked, took, watched := fetchWatched(b, address.String(), tabs)
		b.ReportMetric(float64(asked)/took.Seconds()/tabs, "requests/s-each(max2)")
		b.ReportMetric(100*(watched-alone).Seconds()/took.Seconds(), "%-core-database(max20)")
	}
}

// fetchWatched fetches from a drive while tabs show Today. It returns how often they asked, how long it took, and how much
// processor time the database took.
func fetchWatched(b *testing.B, address string, tabs int) (asked int, took, used time.Duration) {
	b.Helper()
	p := start(b, "AMBROSA_METRICS_TOKEN=bench")
	c, ctx := client.Client{Address: p.address}, context.Background()
	var origin, fetch struct{ ID int64 }
	must(b, c.Post(ctx, "/api/v1/origins", map[string]any{"kind": "webdav", "name": "drive", "folder": "", "selection": map[string]any{},
		"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
		"settings": map[string]string{"address": "http://" + address, "user": standin.User, "password": standin.Password}}, &origin))
	if tabs > 0 {
		first, err := browser.Open(ctx, browser.Options{})
		must(b, err)
		defer first.Close()
		pages := []*browser.Page{first}
		for len(pages) < tabs {
			tab, err := first.Tab()
			must(b, err)
			pages = append(pages, tab)
		}
		for i, page := range pages {
			must(b, page.Go(p.address+"/"))
			must(b, page.Until(`document.querySelector('h1')`))
			if hidden, err := browser.Eval[bool](page, `document.hidden`); err != nil || hidden {
				b.Logf("tab %d is hidden: %v %v", i, hidden, err)
			}
		}
		time.Sleep(3 * time.Second)
	}
	before, usedBefore, begin := p.requests(), p.databaseTime(), time.Now()
	must(b, c.Post(ctx, fmt.Sprintf("/api/v1/origins/%d/fetch", origin.ID), nil, &fetch))
	p.until("the fetch", func() bool {
		state := ""
		p.query(fmt.Sprintf(`select state from run where id = %d`, fetch.ID), &state)
		return state == "done" || state == "failed"
	})
	took = time.Since(begin)
	return p.requests() - before, took, p.databaseTime() - usedBefore
}

var counted = regexp.MustCompile(`(?m)^ambrosa_request_seconds_count\{operation="GET /api/v1/[^"]*",.*\} (\d+)$`)

// requests is how often operations that read were asked for so far.
func (p *program) requests() (n int) {
	request, _ := http.NewRequest(http.MethodGet, p.address+"/metrics", nil)
	request.Header.Set("Authorization", "Bearer bench")
	response, err := http.DefaultClient.Do(request)
	must(p.b, err)
	text, err := io.ReadAll(response.Body)
	must(p.b, err)
	_ = response.Body.Close()
	for _, found := range counted.FindAllStringSubmatch(string(text), -1) {
		times, _ := strconv.Atoi(found[1])
		n += times
	}
	return n
}

// databaseTime is how much processor time the database took so far: its sessions, those that ended, and what it does beside them.
func (p *program) databaseTime() (used time.Duration) {
	var session string
	p.query(`select pg_backend_pid()::text`, &session)
	parent := ""
	if _, fields := statOf("/proc/" + session + "/stat"); len(fields) > 1 {
		parent = fields[1]
	}
	all, err := filepath.Glob("/proc/[0-9]*/stat")
	must(p.b, err)
	for _, path := range all {
		pid, fields := statOf(path)
		switch {
		case len(fields) < 15:
		case pid == parent: // what its children took that ended
			used += ticks(fields[13:15])
		case fields[1] == parent:
			used += ticks(fields[11:13])
		}
	}
	return used
}

// statOf returns the ID of a process, and the fields behind its name (proc(5)): its state, its parent, …, of 0-based 11 utime, stime,
// cutime and cstime.
func statOf(path string) (pid string, fields []string) {
	text, err := os.ReadFile(path)
	if err != nil {
		return "", nil // it ended
	}
	pid, _, _ = strings.Cut(string(text), " ")
	return pid, strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:]))
}

// ticks adds up times in hundredths of a second.
func ticks(fields []string) (sum time.Duration) {
	for _, field := range fields {
		n, _ := strconv.Atoi(field)
		sum += time.Duration(n) * 10 * time.Millisecond
	}
	return sum
}
