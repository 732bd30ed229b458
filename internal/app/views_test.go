package app

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/coverage"
	"ambrosa/internal/covering"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// unknown are the pictures whose view is unknown: file name, view, and what they are.
func unknown(c covering.Covered) (names []string, of map[string]store.UnknownView) {
	of = map[string]store.UnknownView{}
	for _, p := range c.Items {
		for _, one := range p.Pictures {
			name := one.Path[strings.LastIndexByte(one.Path, '/')+1:]
			names, of[name] = append(names, name+" "+one.View), one
		}
	}
	return names, of
}

// TestUnknownViewsAreAskedAbout lists the pictures whose view fills nothing, sets their views, as two people do it at
// once, and reverts that: coverage follows.
func TestUnknownViewsAreAskedAbout(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("shots.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-000-A_back.jpg", jpg(t, 2)},
		entry{"AT-001-A_1.jpg", jpg(t, 3)}, entry{"AT-001-A_2.jpg", jpg(t, 4)}, entry{"AT-002-A_swatch.jpg", jpg(t, 5)}))
	l.applied(l.planned(lot.ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update placement set view = 'Frontal' where file_id = (select id from file
		where path = 'AT-001-A_2.jpg')`) // as a sheet may call it
	l.do(err)
	l.do(l.Put(t.Context(), "/api/v1/shot-lists", map[string]any{"path": "", "version": 0,
		"shots": []coverage.Wanted{{View: "front", Count: 1}, {View: "back", Count: 1}}}, nil))

	c := l.covered("&only=unknown")
	names, of := unknown(c)
	if fmt.Sprintf("%q", names) != `["AT-000-A_1.jpg " "AT-001-A_1.jpg " "AT-001-A_2.jpg Frontal"]` ||
		c.Unknown != 3 || c.Listed != 2 || c.Missing != 5 {
		t.Fatalf("unknown are %q of %+v", names, c.CoverageSum)
	}
	if found := l.covered("&only=unknown&q=AT-001"); found.Unknown != 2 || len(found.Items) != 1 || len(found.Items[0].Pictures) != 2 {
		t.Errorf("found by a word: %+v", found)
	}
	say := func(view string, pictures ...store.UnknownView) (answer struct{ Plan, Set int64 }, err error) {
		var said []map[string]any
		for _, p := range pictures {
			said = append(said, map[string]any{"id": p.ID, "was": p.View, "view": view})
		}
		err = l.Put(t.Context(), "/api/v1/products/views", map[string]any{"pictures": said}, &answer)
		return answer, err
	}
	before := l.standing()
	one, two, three := of["AT-000-A_1.jpg"], of["AT-001-A_1.jpg"], of["AT-001-A_2.jpg"]
	first, err := say(" Front ", one, two)
	l.do(err)
	if first.Set != 2 {
		t.Errorf("set: %+v", first)
	}
	// Another person had seen them as they were: only what is still so is set.
	second, err := say("back", two, three)
	l.do(err)
	if second.Set != 1 {
		t.Errorf("set by the second: %+v", second)
	}
	_, err = say("back", one, two)
	l.refused(err, http.StatusConflict)
	_, err = say("back", store.UnknownView{ID: 1 << 40})
	l.refused(err, http.StatusConflict)
	if c := l.covered(""); c.Unknown != 0 || c.Filled != 4 || c.Missing != 2 {
		t.Errorf("with views set: %+v", c.CoverageSum)
	}
	if alt := l.altOf("AT-000-A_1.jpg"); !strings.Contains(alt, "front") {
		t.Errorf("the drafted text is %q", alt)
	}
	// The first plan is reverted behind the second: what that one set stays.
	l.reverted(first.Plan)
	if c := l.covered(""); c.Unknown != 2 || c.Filled != 2 {
		t.Errorf("reverted: %+v", c.CoverageSum)
	}
	l.reverted(second.Plan)
	if after := l.standing(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("all is reverted, and stands as\n%q\nbefore\n%q", after, before)
	}
	l.refused(l.Put(t.Context(), "/api/v1/products/views", map[string]any{"pictures": []any{}}, nil), http.StatusUnprocessableEntity)
	// Pictures of several products with very many are refused, of one of them are not.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `with f as (insert into file (lot_id, upload_id, entry, path, bytes, sha256)
			select f.lot_id, f.upload_id, 100 + n, n || '.jpg', 1, f.sha256 from file f, generate_series(1, 20000) n
			where f.path = 'AT-002-A_swatch.jpg' returning id)
		insert into placement (product_id, file_id, place) select (select id from product where code = 'AT-001'), id, 100 + id from f`)
	l.do(err)
	_, err = say("front", one, two)
	l.refused(err, http.StatusUnprocessableEntity)
	_, err = say("front", one)
	l.do(err)
	_, err = say("", store.UnknownView{ID: one.ID, View: "front"})
	l.do(err)
	// A view is one line that reads as it is.
	_, err = say("one\n\u202eeno", one)
	l.do(err)
	if names, _ := unknown(l.covered("&only=unknown")); names[0] != `AT-000-A_1.jpg one\x0a\u202eeno` {
		t.Errorf("a view that hides what it is: %q", names[0])
	}
}

// altOf is the alternative text of a picture that stands.
func (l *line) altOf(path string) (alt string) {
	l.t.Helper()
	l.do(testdb.Pool(l.Store).QueryRow(l.t.Context(), `select pl.alt from placement pl join file f on f.id = pl.file_id where f.path = $1`,
		path).Scan(&alt))
	return alt
}
