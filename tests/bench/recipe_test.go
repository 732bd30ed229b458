package bench

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"time"

	"ambrosa/core/harvest"
	"ambrosa/internal/client"
)

// BenchmarkRecipePages crawls a site of 40 pages and one of 400, and compares
// how far the resident memory grows: it must not grow with the pages.
func BenchmarkRecipePages(b *testing.B) {
	var picture bytes.Buffer
	must(b, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 60, 60)), nil))
	pages := 0
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if name, found := strings.CutPrefix(r.URL.Path, "/pic/"); found {
			w.Header().Set("Content-Type", "image/jpeg")
			_, _ = w.Write(append(bytes.Clone(picture.Bytes()), name...))
			return
		}
		n, err := strconv.Atoi(strings.TrimPrefix(r.URL.Path, "/page/"))
		if err != nil {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprintf(
			w, `<html><body><h1>Thing %d</h1><img src="/pic/%d.jpg">%s`, n, n,
			strings.Repeat("<p>Words of no use to anybody.</p>", 300),
		)
		if n < pages {
			fmt.Fprintf(w, `<a class="on" href="/page/%d">on</a>`, n+1)
		}
		fmt.Fprint(w, `</body></html>`)
	}))
	defer site.Close()
	grown := func(n int) float64 {
		pages = n
		p := start(b, "AMBROSA_ALLOW="+strings.TrimPrefix(site.URL, "http://"))
		c := client.Client{Address: p.address}
		var origin, fetch struct{ ID int64 }
		ctx := context.Background()
		must(
			b,
			c.Post(
				ctx,
				"/api/v1/origins",
				map[string]any{
					"kind":         "recipe",
					"name":         "site",
					"settings":     map[string]string{},
					"folder":       "",
					"selection":    map[string]any{},
					"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
					"recipe": harvest.Recipe{
						Start:    []string{site.URL + "/page/1"},
						Next:     harvest.Pick{Selector: ".on"},
						Name:     harvest.Pick{Selector: "h1"},
						Pictures: harvest.Pick{Selector: "img"},
						PauseMS:  1,
					},
				},
				&origin,
			),
		)
		before := resident(p.process.Process.Pid)
		must(b, c.Post(ctx, fmt.Sprintf("/api/v1/origins/%d/fetch", origin.ID), nil, &fetch))
		most := before
		p.until("the crawl", func() bool {
			most = max(most, resident(p.process.Process.Pid))
			state := ""
			p.query(fmt.Sprintf(`select state from run where id = %d`, fetch.ID), &state)
			time.Sleep(50 * time.Millisecond)
			return state == "done" || state == "failed"
		})
		files := 0
		p.query(`select count(*) from file`, &files)
		if files != n {
			b.Fatalf("%d files of %d pages", files, n)
		}
		return float64(most-before) / (1 << 20)
	}
	for b.Loop() {
		few, many := grown(40), grown(400)
		b.ReportMetric(few, "MiB-40-pages")
		b.ReportMetric(many, "MiB-400-pages")
		b.ReportMetric(many/max(1, few), "tenfold-pages")
	}
}
