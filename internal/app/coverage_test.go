package app

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/coverage"
	"ambrosa/internal/covering"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func (l *line) covered(query string) (c covering.Covered) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), "/api/v1/coverage?limit=50"+query, &c))
	return c
}

// asked are the rows of a request as they go out.
func (l *line) asked(request int64) [][]string {
	l.t.Helper()
	answer, err := http.Get(fmt.Sprintf("%s/media/requests/%d?format=csv", l.URL, request))
	l.do(err)
	defer answer.Body.Close()
	rows, err := csv.NewReader(answer.Body).ReadAll()
	l.do(err)
	return rows
}

// TestWhatIsMissingIsAskedForAndComesBack sets shot lists, sees what is there, asks for what is
// missing, and gathers files with the names that were asked for: they pair by themselves, and the
// request is ticked off.
func TestWhatIsMissingIsAskedForAndComesBack(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `with h as (insert into category (name, path) values ('Hives', 'Hives') returning id),
		w as (insert into category (name, path, parent_id) select 'Wax', 'Hives / Wax', id from h returning id)
		update product set category_id = case when code = 'AT-002' then (select id from w) else (select id from h) end`)
	l.do(err)
	first := l.gathered("first.zip", zipped(t, entry{"AT-000-A_front.jpg", jpg(t, 1)}, entry{"AT-001-A_front.jpg", jpg(t, 2)},
		entry{"AT-001-A_2.jpg", jpg(t, 3)})) // whose view nobody knows: it fills none
	l.applied(l.planned(first.ID, "after"))
	set := func(path string, version int, shots ...coverage.Wanted) error {
		body := map[string]any{"path": path, "shots": append([]coverage.Wanted{}, shots...), "version": version}
		return l.Put(t.Context(), "/api/v1/shot-lists", body, nil)
	}
	if c := l.covered(""); c.Wanted != 0 || len(c.Items) != 0 {
		t.Errorf("without a list: %+v", c)
	}
	l.do(set("", 0, coverage.Wanted{View: "Front", Count: 1}))
	l.do(set("Hives", 0, coverage.Wanted{View: "front", Count: 1}, coverage.Wanted{View: "detail", Count: 2, Least: 10, Background: "white"}))
	for what, err := range map[string]error{"a list that is there": set("Hives", 0, coverage.Wanted{View: "top", Count: 1}),
		"an old version": set("Hives", 7, coverage.Wanted{View: "top", Count: 1})} {
		if err == nil || !strings.Contains(err.Error(), "409") {
			t.Errorf("%s: %v", what, err)
		}
	}
	l.refused(set("Hives", 1, coverage.Wanted{View: "top", Count: 1}, coverage.Wanted{View: "Top", Count: 1}), http.StatusUnprocessableEntity)
	l.refused(set("Nowhere", 0, coverage.Wanted{View: "top", Count: 1}), http.StatusNotFound)
	c := l.covered("&category=Hives")
	if c.Wanted != 9 || c.Filled != 2 || c.Missing != 7 || c.Products != 3 || fmt.Sprint(c.Items[0].Have, c.Items[2].Have) != "[1 0] [0 0]" ||
		c.Items[1].Unknown != 1 || c.Unknown != 1 {
		t.Errorf("what is there: %+v", c)
	}
	// The list of a category below is its own.
	l.do(set("Hives / Wax", 0, coverage.Wanted{View: "pack", Count: 1}))
	if c := l.covered(""); c.Wanted != 7 || len(c.Lists) != 3 {
		t.Errorf("with a list of its own: %+v", c)
	}
	var made struct{ ID int64 }
	l.post("/api/v1/requests", map[string]any{"name": "Studio", "category": "Hives"}, &made)
	rows := l.asked(made.ID)
	var names []string
	for _, row := range rows[1:] {
		names = append(names, row[0])
	}
	const want = "AT-000-A_detail.jpg AT-000-A_detail_2.jpg AT-001-A_detail.jpg AT-001-A_detail_2.jpg AT-002-A_pack.jpg"
	if strings.Join(names, " ") != want {
		t.Fatalf("asked for are %q", names)
	}
	// What is waited for is not asked for twice unseen; a supplier sees it by a link.
	l.refused(l.Post(t.Context(), "/api/v1/requests", map[string]any{"name": "Another", "category": "Hives"}, nil), http.StatusConflict)
	_, token := l.link(map[string]any{"supplier": "Studio", "request": made.ID})
	var seen struct {
		Wanted  int
		Shots   []store.RequestShot
		Missing []store.MissingProduct
	}
	l.do(l.Get(t.Context(), "/api/v1/hand-in/"+token, &seen))
	if seen.Wanted != 5 || len(seen.Shots) != 5 || seen.Shots[4].Name != "AT-002-A_pack.jpg" || len(seen.Missing) != 0 {
		t.Errorf("the supplier sees %+v", seen)
	}
	if sheet, _ := l.taken("/media/hand-in/" + token + "/missing.csv"); strings.Count(string(sheet), "\n") != 6 ||
		!strings.Contains(string(sheet), "AT-001-A_detail_2.jpg") {
		t.Errorf("the supplier's sheet: %s", sheet)
	}
	// The files come back with these names, but for one.
	var files []entry
	for i, name := range names[:len(names)-1] {
		files = append(files, entry{name, jpg(t, 10+i)})
	}
	back := l.gathered("back.zip", zipped(t, files...))
	for _, f := range files {
		if found := l.file(back.ID, f.name); found.Verdict != "paired" || found.Code != f.name[:8] || found.View != "detail" {
			t.Errorf("%s came back as %s of %s, %s", f.name, found.Verdict, found.Code, found.View)
		}
	}
	l.applied(l.planned(back.ID, "after"))
	var requests struct{ Items []store.ShotRequest }
	l.do(l.Get(t.Context(), "/api/v1/requests", &requests))
	if r := requests.Items[0]; r.Shots != 5 || r.Came != 4 {
		t.Errorf("ticked off: %+v", r)
	}
	if l.do(l.Get(t.Context(), "/api/v1/hand-in/"+token, &seen)); seen.Wanted != 1 || len(seen.Shots) != 1 {
		t.Errorf("the supplier sees still %+v", seen)
	}
	var again struct{ ID int64 }
	l.post("/api/v1/requests", map[string]any{"name": "Again", "category": "Hives", "again": true}, &again)
	if rows := l.asked(again.ID); len(rows) != 2 {
		t.Errorf("asked again: %q", rows)
	}
	if c := l.covered("&only=missing"); c.Missing != 1 || c.Listed != 1 || len(c.Items) != 1 || c.Items[0].Code != "AT-002" {
		t.Errorf("what is missing still: %+v", c)
	}
	// A picture that had come before a request was made fills what it asks for, and did not come for it.
	var spread struct{ ID int64 }
	l.post("/api/v1/plans/spread", map[string]any{"file": l.file(back.ID, "AT-000-A_detail.jpg").ID, "way": "after",
		"on": []map[string]any{{"kind": "product", "id": l.product("AT-002-A").ID}}}, &spread)
	l.applied(spread.ID)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `with p as (update product set version = version + 1, updated_at = now()
		where code = 'AT-002'
		returning id) update placement set view = 'pack' from p where product_id = p.id`)
	l.do(err)
	l.covered("")
	l.do(l.Get(t.Context(), "/api/v1/requests", &requests))
	newer, earlier := requests.Items[0], requests.Items[1]
	if newer.Came != 0 || newer.Otherwise != 1 || earlier.Came != 5 || earlier.Otherwise != 0 {
		t.Errorf("ticked off by a picture of between: %+v", requests.Items)
	}
	l.reverted(spread.ID)
	l.covered("")
	// What fell since is told of today, and is there again when it is taken back.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `insert into coverage_day (day, category_id, products, wanted, filled, low)
		select current_date - 3, category_id, 1, 10, 10, 0 from coverage group by category_id`)
	l.do(err)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `insert into coverage_trend (category_id, day, wanted, filled)
		select id, current_date - 3, 20, 20 from category where path = 'Hives' union all select -1, current_date - 3, 20, 20`)
	l.do(err)
	var today struct{ Fallen []store.FallenCategory }
	l.do(l.Get(t.Context(), "/api/v1/today", &today))
	if len(today.Fallen) != 1 || today.Fallen[0].Path != "Hives / Wax" || today.Fallen[0].Now != 0 {
		t.Errorf("fallen: %+v", today.Fallen)
	}
	l.do(l.Runner.Clean(t.Context()))
	for _, of := range []string{"&category=Hives", ""} {
		if c := l.covered(of); len(c.Days) != 2 || c.Days[1].Filled != c.Filled || c.Days[1].Wanted != c.Wanted || c.Wanted == 0 {
			t.Errorf("over time, of %q: %+v", of, c)
		}
	}
	l.do(set("Hives / Wax", 1))
	if c := l.covered("&category=Hives%20/%20Wax"); c.Wanted != 3 {
		t.Errorf("without a list of its own: %+v", c)
	}
}
