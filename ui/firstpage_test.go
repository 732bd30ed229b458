package ui

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"path"
	"regexp"
	"strings"
	"testing"
)

// mostScript is how much script the first page may need, compressed, bytes: a
// view's own script is fetched when the view is opened.
const mostScript = 250_000

var (
	entries = regexp.MustCompile(`assets/([\w.-]+\.js)`)
	needs   = regexp.MustCompile(`(?:from|import)\s*"\./([\w.-]+\.js)"`)
)

// TestTheFirstPageIsLight adds up the scripts that the first page needs: those of
// the page itself and of the application's frame, with all that they import.
func TestTheFirstPageIsLight(t *testing.T) {
	pages, err := Pages()
	if err != nil {
		t.Fatal(err)
	}
	index, err := fs.ReadFile(pages, "index.html")
	if err != nil {
		t.Skip("the interface is not built")
	}
	first := []string{}
	for _, m := range entries.FindAllStringSubmatch(string(index), -1) {
		first = append(first, m[1])
	}
	frame, err := fs.Glob(pages, "assets/App-*.js")
	if err != nil || len(frame) != 1 {
		t.Fatalf("the application's frame is %v, %v", frame, err)
	}
	first = append(first, path.Base(frame[0]))
	seen, sum := map[string]bool{}, 0
	for len(first) > 0 {
		name := first[0]
		first = first[1:]
		if seen[name] {
			continue
		}
		seen[name] = true
		script, err := fs.ReadFile(pages, "assets/"+name)
		if err != nil {
			t.Fatal(err)
		}
		var packed bytes.Buffer
		out := gzip.NewWriter(&packed)
		if _, err := out.Write(script); err != nil {
			t.Fatal(err)
		}
		if err := out.Close(); err != nil {
			t.Fatal(err)
		}
		sum += packed.Len()
		for _, m := range needs.FindAllStringSubmatch(string(script), -1) {
			first = append(first, m[1])
		}
		if strings.HasPrefix(name, "Bench-") || strings.HasPrefix(name, "Workshop-") {
			t.Errorf("the first page needs %s", name)
		}
	}
	if sum > mostScript || len(seen) < 3 {
		t.Errorf("the first page needs %d bytes of script in %d files", sum, len(seen))
	}
	t.Logf("%d bytes of script in %d files", sum, len(seen))
}
