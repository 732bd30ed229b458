package app

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/harvest"
	"ambrosa/core/rendition"
	"ambrosa/internal/standin"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// goods writes a sample supplier's goods with the catalog's SKUs and barcodes.
func goods(t *testing.T, n int) string {
	t.Helper()
	folder := t.TempDir()
	var list []standin.Good
	for i := range n {
		g := standin.Good{
			SKU:   fmt.Sprintf("AT-%03d-A", i),
			GTIN:  barcode(i),
			Title: fmt.Sprintf("Thing %d", i),
			Views: []string{"front", "side"},
		}
		for place := range g.Views {
			put(t, folder, g.Picture(place+1), jpgOf(t, 640, 640, 10*i+place))
		}
		list = append(list, g)
	}
	content, err := json.Marshal(list)
	if err != nil {
		t.Fatal(err)
	}
	put(t, folder, standin.GoodsFile, content)
	return folder
}

// visitor starts a line that may visit the addresses of the sample services.
func visitorLine(t *testing.T, hosts ...string) *line {
	t.Helper()
	return start(t, func(c *Config) { c.Allow = hosts })
}

func recipeFor(address string) harvest.Recipe {
	return harvest.Recipe{
		Start:   []string{"http://" + address + "/goods"},
		Next:    harvest.Pick{Selector: "a.onward"},
		Product: harvest.Pick{Selector: "a.tile-link"},
		Name: harvest.Pick{
			Selector: "h1",
		},
		SKU:     harvest.Pick{Selector: `dt:contains("Article") + dd`},
		Barcode: harvest.Pick{Selector: `dt:contains("EAN") + dd`},
		Pictures: harvest.Pick{
			Selector: ".stage img, .strip img",
		},
		Exclude:   []string{".film"},
		Rewriting: rendition.Rewriting{{Find: `/t\d+/`, With: "/whole/", Pattern: true}},
		MinWidth:  500,
		MinHeight: 500,
		PauseMS:   1,
	}
}

// TestASiteByARecipe crawls the sample site, whose listings lead in a circle:
// the largest renditions come, once each, with what their pages said, and a
// second fetch brings nothing.
func TestASiteByARecipe(t *testing.T) {
	t.Parallel()
	site, err := standin.Site(t.Context(), "127.0.0.1:0", goods(t, 10))
	if err != nil {
		t.Fatal(err)
	}
	l := visitorLine(t, site.String())
	l.products(10)
	o := l.origin(map[string]any{"kind": "recipe", "settings": map[string]string{}, "recipe": recipeFor(site.String())})
	run := l.fetched(o.ID)
	if run.State != "done" || !strings.Contains(run.Message, "13 pages read") || !strings.Contains(run.Message, "20 files") {
		t.Fatalf("%+v", run)
	}
	files := l.files(run.LotID).Items
	if len(files) != 20 {
		t.Fatalf("%d files", len(files))
	}
	for _, f := range files {
		if f.Width != 640 || f.Verdict != "paired" || !strings.HasPrefix(f.Path, f.Code) || f.Rights != "unknown" || f.HeldBack == "" {
			t.Errorf("%+v", f)
		}
	}
	var said string
	l.do(
		testdb.Pool(l.Store).QueryRow(t.Context(), `select (said->>'sku') || ' ' || (said->>'barcode') || ' ' || (said->>'name') from file
			where path = 'AT-003-A-1.jpg'`).
			Scan(&said),
	)
	if said != "AT-003-A "+barcode(3)+" Thing 3" {
		t.Errorf("the page said %q", said)
	}
	if run = l.fetched(o.ID); run.State != "done" || run.LotID != 0 || !strings.Contains(run.Message, "10 of them as they were") {
		t.Errorf("again: %+v", run)
	}
	// Another recipe may find more on pages that are known.
	changed := recipeFor(site.String())
	changed.Exclude = []string{".film", ".stage"}
	l.do(
		l.Put(
			t.Context(),
			fmt.Sprintf("/api/v1/origins/%d", o.ID),
			map[string]any{
				"kind":         "recipe",
				"name":         "x",
				"settings":     map[string]string{},
				"recipe":       changed,
				"folder":       "",
				"selection":    map[string]any{},
				"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
				"version": l.originNow(o.ID).Version,
			},
			nil,
		),
	)
	if run = l.fetched(o.ID); run.State != "done" || strings.Contains(run.Message, "as they were") {
		t.Errorf("after a change: %+v", run)
	}
}

// TestARecipeSaysWhatIsWrong makes recipes that bring nothing.
func TestARecipeSaysWhatIsWrong(t *testing.T) {
	t.Parallel()
	site, err := standin.Site(t.Context(), "127.0.0.1:0", goods(t, 3))
	if err != nil {
		t.Fatal(err)
	}
	l := visitorLine(t, site.String())
	for says, change := range map[string]func(*harvest.Recipe){
		"no page to begin with":                   func(r *harvest.Recipe) { r.Start = nil },
		"no selector for the pictures":            func(r *harvest.Recipe) { r.Pictures.Selector = "" },
		"Product pages: the selector finds no":    func(r *harvest.Recipe) { r.Product.Selector = ".gone" },
		"Pictures: the selector finds no element": func(r *harvest.Recipe) { r.Pictures.Selector = ".gone" },
		"The step “next page” cannot be used":     func(r *harvest.Recipe) { r.Next.Selector = "a[" },
		"Robots.txt of " + site.String() + " asks": func(r *harvest.Recipe) {
			r.Start = []string{"http://" + site.String() +
				"/office/prices"}
		},
		"It is not there (404)":                      func(r *harvest.Recipe) { r.Start = []string{"http://" + site.String() + "/nowhere"} },
		"private address inside a network":           func(r *harvest.Recipe) { r.Start = []string{"http://127.0.0.1:9/"} },
		"is not an address that begins with http://": func(r *harvest.Recipe) { r.Start = []string{"file:///etc/passwd"} },
	} {
		r := recipeFor(site.String())
		change(&r)
		err := l.Post(
			t.Context(),
			"/api/v1/origins",
			map[string]any{
				"kind":         "recipe",
				"name":         "x",
				"settings":     map[string]string{},
				"recipe":       r,
				"folder":       "",
				"selection":    map[string]any{},
				"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
			},
			nil,
		)
		if said := l.refused(err, http.StatusUnprocessableEntity); !strings.Contains(said, says) {
			t.Errorf("expected %q: %s", says, said)
		}
	}
	small := recipeFor(site.String())
	small.MinWidth, small.MinHeight = 2000, 100
	o := l.origin(map[string]any{"kind": "recipe", "settings": map[string]string{}, "recipe": small})
	if run := l.fetched(o.ID); run.State != "failed" ||
		!strings.Contains(run.Message, "every picture is too small: the largest has 640 × 640 pixels") {
		t.Errorf("%+v", run)
	}
}

// TestASiteThatMisbehaves visits pages that are too large, not pages, slow to
// say anything, in circles, and lead inside the network.
func TestASiteThatMisbehaves(t *testing.T) {
	t.Parallel()
	picture := jpgOf(t, 640, 640, 1)
	var mu sync.Mutex
	asked := map[string]int{}
	var server *httptest.Server
	server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked[r.URL.Path]++
		n := asked[r.URL.Path]
		mu.Unlock()
		html := func(body string) { w.Header().Set("Content-Type", "text/html"); fmt.Fprint(w, "<!doctype html>"+body) }
		switch path := r.URL.Path; {
		case path == "/robots.txt":
			fmt.Fprint(w, "User-agent: *\nDisallow: /closed")
		case path == "/start":
			html(
				`<a class=p href=/good>1</a><a class=p href=/huge>2</a><a class=p href=/picture.jpg>3</a><a class=p href=/inside>4</a>` +
					`<a class=p href=/closed>5</a><a class=p href=/round>6</a><a class=p href=/busy>7</a><a class=n href=/start>again</a>`,
			)
		case path == "/good":
			html(`<img src=/picture.jpg><img src=/page.jpg><img src=/inner.jpg><img src=/none.jpg>`)
		case path == "/huge":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<!doctype html>")
			for range 12 << 10 {
				fmt.Fprint(w, strings.Repeat("x", 1024))
			}
		case path == "/busy" && n == 1:
			w.Header().Set("Retry-After", "1")
			w.WriteHeader(http.StatusTooManyRequests)
		case path == "/busy":
			html(`<img src=/picture.jpg?2>`)
		case path == "/picture.jpg":
			_, _ = w.Write(picture)
		case path == "/page.jpg":
			html("<p>no picture")
		case path == "/inside", path == "/inner.jpg":
			http.Redirect(w, r, "http://127.0.0.1:1/secret", http.StatusFound)
		case path == "/round":
			http.Redirect(w, r, server.URL+"/round", http.StatusFound)
		default:
			http.NotFound(w, r)
		}
	}))
	defer server.Close()
	l := visitorLine(t, strings.TrimPrefix(server.URL, "http://"))
	o := l.origin(
		map[string]any{
			"kind":     "recipe",
			"settings": map[string]string{},
			"recipe": harvest.Recipe{Start: []string{server.URL + "/start"}, Next: harvest.Pick{Selector: ".n"},
				Product: harvest.Pick{Selector: ".p"}, Pictures: harvest.Pick{Selector: "img"}, PauseMS: 1},
		},
	)
	run := l.fetched(o.ID)
	var detail struct{ Log []store.RunLine }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/runs/%d", run.ID), &detail))
	var log strings.Builder
	for _, line := range detail.Log {
		log.WriteString(line.Text + "\n")
	}
	for _, says := range []string{"/huge: the page is larger than 10 MB", "/picture.jpg: what is at this address is not a page: a " +
		"picture (image/jpeg)", "/inside: 127.0.0.1:1 leads to a private address", "/closed: robots.txt of",
		"/round: ", "/page.jpg: a web page, not a picture", "/inner.jpg: 127.0.0.1:1 leads to a private address", "/none.jpg: it is not " +
			"there (404)"} {
		if !strings.Contains(log.String(), says) {
			t.Errorf("the log lacks %q", says)
		}
	}
	if run.State != "done" || !strings.Contains(run.Message, "5 could not be read") || !strings.Contains(run.Message, "2 files") {
		t.Errorf("%+v\n%s", run, log.String())
	}
	mu.Lock()
	defer mu.Unlock()
	if asked["/closed"] > 0 || asked["/start"] > 3 || asked["/busy"] != 2 {
		t.Errorf("asked %v", asked)
	}
}

// TestACrawlGoesOn stops a crawl in the middle, and lets it go on: no page is
// visited twice.
func TestACrawlGoesOn(t *testing.T) {
	t.Parallel()
	var mu sync.Mutex
	visits := map[string]int{}
	seen := make(chan struct{}, 100)
	picture := jpgOf(t, 600, 600, 1)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		visits[r.URL.Path]++
		mu.Unlock()
		switch {
		case r.URL.Path == "/start":
			fmt.Fprint(w, "<!doctype html>")
			for i := range 12 {
				fmt.Fprintf(w, "<a href=/p%d>x</a>", i)
			}
		case strings.HasPrefix(r.URL.Path, "/p"):
			fmt.Fprintf(w, "<!doctype html><img src=/i%s.jpg>", r.URL.Path[1:])
			seen <- struct{}{}
		case strings.HasPrefix(r.URL.Path, "/i"):
			_, _ = w.Write(picture)
		default:
			http.NotFound(w, r)
		}
	}))
	defer server.Close()
	l := visitorLine(t, strings.TrimPrefix(server.URL, "http://"))
	o := l.origin(
		map[string]any{
			"kind":     "recipe",
			"settings": map[string]string{},
			"recipe": harvest.Recipe{Start: []string{server.URL + "/start"}, Product: harvest.Pick{Selector: "a"},
				Pictures: harvest.Pick{Selector: "img"}, PauseMS: 60},
		},
	)
	for len(seen) > 0 {
		<-seen
	}
	mu.Lock()
	clear(visits)
	mu.Unlock()
	var made struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/origins/%d/fetch", o.ID), nil, &made)
	for range 4 {
		<-seen
	}
	l.post(fmt.Sprintf("/api/v1/runs/%d/stop", made.ID), nil, nil)
	var run store.Run
	state := func(want string) func() bool {
		return func() bool {
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/runs/%d", made.ID), &run))
			return run.State == want
		}
	}
	l.until("the crawl to stop", state("stopped"))
	l.post(fmt.Sprintf("/api/v1/runs/%d/resume", made.ID), nil, nil)
	l.until("the crawl to end", state("done"))
	if !strings.Contains(run.Message, "12 files") {
		t.Errorf("%+v", run)
	}
	mu.Lock()
	defer mu.Unlock()
	twice := 0
	for path, n := range visits {
		if strings.HasPrefix(path, "/p") && n > 1 {
			twice++
		}
	}
	if twice > 1 { // the one that was being read when it was stopped
		t.Errorf("visited %v", visits)
	}
}

// TestOnePage chooses pictures of a page.
func TestOnePage(t *testing.T) {
	t.Parallel()
	site, err := standin.Site(t.Context(), "127.0.0.1:0", goods(t, 2))
	if err != nil {
		t.Fatal(err)
	}
	l := visitorLine(t, site.String())
	l.products(2)
	address := "http://" + site.String() + "/goods/AT-001-A"
	var found struct {
		Title    string
		Pictures []struct {
			Renditions []struct {
				Address       string
				Width, Height int
			}
		}
	}
	l.post("/api/v1/pages/pictures", map[string]any{"address": address}, &found)
	if len(found.Pictures) == 0 || found.Pictures[0].Renditions[0].Width != 640 || !strings.HasPrefix(found.Title, "Thing 1") {
		t.Fatalf("%+v", found)
	}
	var made struct{ ID int64 }
	l.post(
		"/api/v1/pages/take",
		map[string]any{
			"address":  address,
			"title":    found.Title,
			"pictures": []map[string]string{{"address": found.Pictures[0].Renditions[0].Address, "name": "../AT-001-A front"}},
		},
		&made,
	)
	l.until("the lot", func() bool { lot, err := l.Store.Lot(t.Context(), made.ID); return err == nil && lot.State == "ready" })
	if f := l.file(made.ID, "AT-001-A front.jpg"); f.Verdict != "paired" || f.Rights != "unknown" {
		t.Errorf("%+v", f)
	}
	var proved struct {
		Items []struct{ Larger int }
	}
	l.post(
		"/api/v1/workshop/learn",
		map[string]any{
			"small": "http://" + site.String() + "/pic/t480/AT-001-A-1.jpg",
			"large": "http://" + site.String() + "/pic/whole/AT-001-A-1.jpg",
			"others": []string{
				"http://" + site.String() + "/pic/t96/AT-001-A-2.jpg",
				"http://" + site.String() + "/pic/t96/AT-000-A-1.jpg",
			},
		},
		&proved,
	)
	if len(proved.Items) < 2 || proved.Items[0].Larger != 2 {
		t.Errorf("learned %+v", proved)
	}
}

// TestBarcodesAreLookedUp asks the sample service: a wrong check digit is never
// sent, what is found lands on its product alone, and the quota holds.
func TestBarcodesAreLookedUp(t *testing.T) {
	t.Parallel()
	codes, err := standin.Codes(t.Context(), "127.0.0.1:0", goods(t, 6))
	if err != nil {
		t.Fatal(err)
	}
	l := visitorLine(t, codes.String())
	l.products(6)
	settings := map[string]string{
		"address": "http://" + codes.String() + "/v1/items/{gtin}",
		"header":  "X-Key", "key": "guessed", "pictures": "items.#.pictures.#.address", "title": "items.0.title", "pause": "1",
		"quota": "6",
	}
	body := func() map[string]any {
		return map[string]any{
			"kind":         "lookup",
			"name":         "codes",
			"settings":     settings,
			"folder":       "",
			"selection":    map[string]any{},
			"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
		}
	}
	if said := l.refused(l.Post(t.Context(), "/api/v1/origins", body(), nil), http.StatusUnprocessableEntity); !strings.Contains(
		said,
		"refuses the key",
	) {
		t.Errorf("a wrong key: %s", said)
	}
	settings["key"] = standin.CodesKey
	o := l.origin(body())
	lookup := fmt.Sprintf("/api/v1/origins/%d/lookup", o.ID)
	wrong := []byte(barcode(1))
	wrong[12] = '0' + (wrong[12]-'0'+1)%10
	ask := func(body map[string]any) (run store.Run) {
		var made struct{ ID int64 }
		l.post(lookup, body, &made)
		l.until("the lookup", func() bool {
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/runs/%d", made.ID), &run))
			return run.State == "done" || run.State == "failed"
		})
		return run
	}
	if run := ask(map[string]any{"missing": true, "codes": []string{string(wrong), "12 34"}}); run.State != "done" ||
		!strings.Contains(run.Message, "5 barcodes have pictures to choose from, for 1 there is nothing") {
		t.Fatalf("%+v", run)
	}
	var page struct{ Items []store.LookupCode }
	l.do(l.Get(t.Context(), lookup+"/codes?state=wrong", &page))
	if len(page.Items) != 2 || !strings.Contains(page.Items[0].Message+page.Items[1].Message, "expected "+barcode(1)[12:]) {
		t.Errorf("wrong ones: %+v", page.Items)
	}
	l.do(l.Get(t.Context(), lookup+"/codes?state=choose", &page))
	first := page.Items[0]
	if len(page.Items) != 5 || first.SKU == "" || len(first.Candidates) < 3 || first.Candidates[0].Width != 640 {
		t.Fatalf("%+v", page.Items)
	}
	var made struct{ ID int64 }
	l.post(lookup+"/take", map[string]any{"candidates": []int64{first.Candidates[0].ID}}, &made)
	l.until("the lot", func() bool { lot, err := l.Store.Lot(t.Context(), made.ID); return err == nil && lot.State == "ready" })
	f := l.files(made.ID).Items[0]
	if f.Verdict != "paired" || f.Code != first.SKU || f.Clue != "said-by-source" || f.Rights != "unknown" {
		t.Errorf("%+v", f)
	}
	other := l.Post(
		t.Context(),
		fmt.Sprintf("/api/v1/files/%d/decision", f.ID),
		map[string]any{"verdict": "paired", "target": catalog.Product(f.Product%6 + 1), "version": f.Version},
		nil,
	)
	if said := l.refused(other, http.StatusUnprocessableEntity); !strings.Contains(said, "another product") {
		t.Errorf("on another product: %s", said)
	}
	l.refused(l.Post(t.Context(), lookup+"/take", map[string]any{"candidates": []int64{first.Candidates[1].ID}}, nil), http.StatusConflict)
	// Six requests were made: the quota of the day is used up.
	if run := ask(map[string]any{"codes": []string{barcode(4000)}}); run.State != "failed" ||
		!strings.Contains(run.Message, "quota of 6 requests a day is used up") {
		t.Errorf("%+v", run)
	}
}
