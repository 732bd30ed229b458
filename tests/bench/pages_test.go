package bench

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/testdb"
	"ambrosa/tests/bench/fill"
)

// startLibrary starts the program on a library of a size. AMBROSA_LIBRARY names a database that is filled
// already with the largest one.
func startLibrary(b *testing.B, size fill.Size) *program {
	b.Helper()
	if filled := os.Getenv("AMBROSA_LIBRARY"); filled != "" && size == fill.Large {
		return startOn(b, filled)
	}
	address := testdb.Create(b)
	ctx := context.Background()
	db, err := pgx.Connect(ctx, address)
	must(b, err)
	began := time.Now()
	must(b, fill.Library(ctx, db, size, func(string) {}))
	must(b, db.Close(ctx))
	b.Logf("a library of %d products was made in %s", size.Products, time.Since(began).Round(time.Second))
	return startOn(b, address)
}

// pages are what people open, search and step through, with ids of the library put in.
func (p *program) pages() map[string]string {
	var product, category, top, lot, plan, file int64
	p.query(`select id from product order by pictures desc limit 1`, &product)
	p.query(`select id from category order by cardinality(trail) desc, id limit 1`, &category)
	p.query(`select id from category where parent_id is null order by id limit 1`, &top)
	p.query(`select id from lot where state = 'ready' order by id desc limit 1`, &lot)
	p.query(`select id from plan order by id desc limit 1`, &plan)
	p.query(fmt.Sprintf(`select id from file where lot_id = %d and verdict = 'contested' order by id limit 1`, lot), &file)
	var path string
	p.query(fmt.Sprintf(`select replace(replace(path, ' ', '%%20'), '/', '%%2F') from category where id = %d`, top), &path)
	return map[string]string{
		"today":            "/today",
		"counts":           "/waiting",
		"categories":       "/categories",
		"categories-found": "/categories?q=oak&limit=200",
		"categories-level": fmt.Sprintf("/categories?parent=%d", top),
		"category-deep":    fmt.Sprintf("/categories/%d", category),
		"category-top":     fmt.Sprintf("/categories/%d", top),
		"catalog":          "/products?limit=100",
		"catalog-far":      "/products?limit=100&offset=150000",
		"catalog-word":     "/products?limit=100&q=lantern",
		"catalog-code":     "/products?limit=100&q=HX-00007",
		"catalog-bare":     "/products?limit=100&noPicture=true",
		"catalog-below":    "/products?limit=100&category=" + path,
		"product":          fmt.Sprintf("/products/%d", product),
		"lots":             "/lots",
		"lot":              fmt.Sprintf("/lots/%d", lot),
		"files":            fmt.Sprintf("/lots/%d/files?limit=100", lot),
		"files-open":       fmt.Sprintf("/lots/%d/files?limit=100&verdict=contested", lot),
		"file":             fmt.Sprintf("/files/%d", file),
		"plan":             fmt.Sprintf("/plans/%d", plan),
		"search-word":      "/search?q=lantern",
		"search-words":     "/search?q=copper%20lantern",
		"search-code":      "/search?q=7771",
		"findings":         "/findings?kind=orphans&limit=100",
		"runs":             "/runs",
		"coverage":         "/coverage?limit=100&only=missing",
		"coverage-below":   "/coverage?limit=100&only=missing&category=" + path,
		"coverage-word":    "/coverage?limit=100&q=lantern",
		"space":            "/space",
	}
}

// BenchmarkPages asks for every page of a library of real size, and prints how long 95 % of the answers
// take at most, and the plan of the slowest query of each.
func BenchmarkPages(b *testing.B) {
	p := startLibrary(b, fill.Large)
	pages := p.pages()
	p.covered()
	for b.Loop() {
		for name, path := range pages {
			p.ask(path) // what is not in memory yet is read once
			times := make([]time.Duration, 0, 20)
			for range 20 {
				times = append(times, p.ask(path))
			}
			slices.Sort(times)
			b.ReportMetric(float64(times[18].Microseconds())/1000, name+"-ms(max100)")
		}
	}
	p.explain(pages)
}

// covered waits until coverage is counted for the first time.
func (p *program) covered() {
	p.b.Helper()
	p.until("coverage to be counted", func() bool {
		response, err := http.Get(p.address + "/api/v1/coverage?limit=1")
		must(p.b, err)
		content, err := io.ReadAll(response.Body)
		must(p.b, errorsOf(err, response.Body.Close()))
		return bytes.Contains(content, []byte(`"counting":false`))
	})
}

func errorsOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// ask opens a page, and returns how long it took.
func (p *program) ask(path string) time.Duration {
	p.b.Helper()
	begin := time.Now()
	response, err := http.Get(p.address + "/api/v1" + path)
	must(p.b, err)
	said, err := io.ReadAll(response.Body)
	must(p.b, errorsOf(err, response.Body.Close()))
	if response.StatusCode != http.StatusOK {
		p.b.Errorf("%s: %d %.200s", path, response.StatusCode, said)
	}
	return time.Since(begin)
}

// BenchmarkCrowd has fifty people at once decide on files of the same lots, and open Today, coverage, products,
// categories, lists and the search of a library of 20,000 products in 3,000 categories, each once a second.
func BenchmarkCrowd(b *testing.B) {
	p := startLibrary(b, fill.Size{Products: 20_000, Categories: 3_000, Files: 100_000})
	pages := p.pages()
	delete(pages, "space")
	p.covered()
	files := make(chan [2]int64, 2000)
	rows, err := p.connection.Query(context.Background(), `select f.id, f.version from file f join lot l on l.id = f.lot_id
		where l.state = 'ready' and f.verdict in ('loose', 'contested') order by f.lot_id, f.id limit 2000`)
	must(b, err)
	var id, version int64
	_, err = pgx.ForEachRow(rows, []any{&id, &version}, func() error { files <- [2]int64{id, version}; return nil })
	must(b, err)
	close(files)
	const people, long = 50, 15 * time.Second
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: people}}
	for b.Loop() {
		var mu sync.Mutex
		times, failed := map[string][]time.Duration{}, 0
		var crowd sync.WaitGroup
		end := time.Now().Add(long)
		names := make([]string, 0, len(pages))
		for name := range pages {
			names = append(names, name)
		}
		slices.Sort(names)
		for n := range people {
			crowd.Go(func() {
				for i := n; time.Now().Before(end); i++ {
					name := "decide"
					request, _ := http.NewRequest(http.MethodGet, p.address+"/api/v1"+pages[names[i%len(names)]], nil)
					if n%5 != 0 {
						name = names[i%len(names)]
					} else if f, there := <-files; there {
						body := fmt.Sprintf(`{"verdict":"set aside","reason":"no product","version":%d}`, f[1])
						request, _ = http.NewRequest(http.MethodPost, fmt.Sprintf("%s/api/v1/files/%d/decision", p.address, f[0]), strings.NewReader(body))
						request.Header.Set("Content-Type", "application/json")
					}
					begin := time.Now()
					response, err := client.Do(request)
					if err == nil {
						_, _ = io.Copy(io.Discard, response.Body)
						_ = response.Body.Close()
					}
					took := time.Since(begin)
					mu.Lock()
					times[name] = append(times[name], took)
					if err != nil || response.StatusCode >= http.StatusBadRequest {
						failed++
					}
					mu.Unlock()
					// People look at what they see before they press again.
					time.Sleep(time.Until(begin.Add(time.Second)))
				}
			})
		}
		crowd.Wait()
		for name, all := range times {
			slices.Sort(all)
			b.ReportMetric(float64(all[len(all)*95/100].Microseconds())/1000, name+"-ms(max300)")
		}
		b.ReportMetric(float64(failed), "errors(max0)")
	}
}
