package app

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/pairing"
	"ambrosa/core/plan"
	"ambrosa/internal/api"
	"ambrosa/internal/reading"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestANameIsTried reads names with clue lists that are not kept, beside a lot
// whose habits they share.
func TestANameIsTried(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(8)
	var entries []entry
	for n := range 6 {
		entries = append(entries, entry{fmt.Sprintf("WEI_AT-%03d-A_%d.jpg", n, n+1), jpg(t, n)})
	}
	lot := l.gathered("weidenau.zip", zipped(t, entries...))
	try := func(list pairing.ClueList, path string) (tried reading.Tried) {
		t.Helper()
		l.post(fmt.Sprintf("/api/v1/lots/%d/clues/try", lot.ID), map[string]any{"list": list, "path": path}, &tried)
		return tried
	}
	usual := pairing.DefaultClues()
	coded := pairing.ClueList{Clues: []pairing.ClueSetting{{Clue: "pattern", Patterns: []string{`^q(?P<key>AT\d+[AB])-(?P<place>\d+)$`}}}}
	for _, c := range []struct {
		list             pairing.ClueList
		path, want, says string
	}{
		{usual, "new/WEI_AT-006-B_3 front.jpg", "paired AT-006-B 3 front key-in-name", "character for character"},
		{usual, "AT-006-A AT-007-A.jpg", "contested  0  key-in-name", "AT-006-A and AT-007-A"},
		{usual, "WEI_meadow.jpg", "loose  0  ", ""},
		{coded, "qAT007A-04.jpg", "paired AT-007-A 4  pattern", "the pattern"},
		{coded, "AT-006-A.jpg", "loose  6  ", "no key found"},
	} {
		got := try(c.list, c.path)
		if said := fmt.Sprintf("%s %s %d %s %s", got.Verdict, got.Code, got.Place, got.View, got.Clue); said != c.want ||
			!strings.Contains(got.Reason, c.says) {
			t.Errorf("%s: %s (%s), expected %s", c.path, said, got.Reason, c.want)
		}
		covered := 0
		for _, s := range got.Spans {
			covered += s.End - s.Start
		}
		if covered != len(c.path) {
			t.Errorf("%s: %d of %d bytes are in a span", c.path, covered, len(c.path))
		}
	}
	l.refused(
		l.Post(
			t.Context(),
			fmt.Sprintf("/api/v1/lots/%d/clues/try", lot.ID),
			map[string]any{"list": pairing.ClueList{Clues: []pairing.ClueSetting{{Clue: "pattern", Patterns: []string{"("}}}}, "path": "x"},
			nil,
		),
		http.StatusUnprocessableEntity,
	)
	if now := l.files(lot.ID); len(now.Items) != 6 {
		t.Errorf("trying has changed the lot: %d files", len(now.Items))
	}
}

// TestWarningsNameTheirFiles plans pictures that stand already, once larger and
// once smaller, and takes the remedies: like for like, and setting aside.
func TestWarningsNameTheirFiles(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	l.applied(
		l.planned(
			l.gathered("first.zip", zipped(t, entry{"AT-000-A_1.jpg", scene(t, 300, 4)}, entry{"AT-000-B_1.jpg", scene(t, 420, 5)})).ID,
			"after",
		),
	)
	lot := l.gathered("second.zip", zipped(t, entry{"AT-000-A_2.jpg", scene(t, 420, 4)}, entry{"AT-000-B_2.jpg", scene(t, 300, 5)}))
	larger, smaller := l.file(lot.ID, "AT-000-A_2.jpg"), l.file(lot.ID, "AT-000-B_2.jpg")
	id := l.planned(lot.ID, "after")
	warned := func() map[string][]int64 {
		t.Helper()
		var text string
		l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select warnings::text from plan_change where plan_id = $1`, id).Scan(&text))
		var list []plan.Warning
		l.do(json.Unmarshal([]byte(text), &list))
		files := map[string][]int64{}
		for _, w := range list {
			files[w.Kind] = w.Files
		}
		return files
	}
	if w := warned(); len(w["larger"]) != 1 || w["larger"][0] != larger.ID || len(w["alike"]) != 1 || w["alike"][0] != smaller.ID {
		t.Errorf("warned of %+v, the files are %d and %d", w, larger.ID, smaller.ID)
	}
	l.together(
		lot.ID,
		map[string]any{"do": "set aside", "files": []store.Seen{{ID: smaller.ID, Version: smaller.Version}}, "reason": "stands there"},
	)
	if again := l.planned(lot.ID, ""); again != id {
		t.Errorf("planned anew as %d, not %d", again, id)
	}
	product, _ := l.target("AT-000-A")
	l.do(
		l.Put(
			t.Context(),
			fmt.Sprintf("/api/v1/plans/%d/changes/product/%d", id, product),
			map[string]any{"way": "like for like", "leftOut": false},
			nil,
		),
	)
	if w := warned(); w["larger"] != nil || w["alike"] != nil {
		t.Errorf("after both remedies: %+v", w)
	}
	l.applied(id)
	if got := l.shows("AT-000"); got != "AT-000-A_2.jpg AT-000-B_1.jpg" {
		t.Errorf("shows %s", got)
	}
}

// TestProposalsStandWeakestFirst lists look-alikes by how near they are.
func TestProposalsStandWeakestFirst(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	l.applied(
		l.planned(
			l.gathered(
				"first.zip",
				zipped(
					t,
					entry{"AT-000-A.jpg", scene(t, 300, 4)},
					entry{"AT-001-A.jpg", scene(t, 300, 5)},
					entry{"AT-002-A.jpg", scene(t, 300, 6)},
				),
			).ID,
			"after",
		),
	)
	lot := l.gathered(
		"second.zip",
		zipped(
			t,
			entry{"IMG_0001.jpg", scene(t, 300, 4)},
			entry{"IMG_0002.jpg", scene(t, 420, 4)},
			entry{"IMG_0003.jpg", scene(t, 300, 5)},
			entry{"IMG_0004.jpg", scene(t, 37, 6)},
		),
	)
	var page struct{ Items []api.File }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?verdict=loose&sort=score", lot.ID), &page))
	if len(page.Items) != 4 {
		t.Fatalf("%d files", len(page.Items))
	}
	for i := 1; i < len(page.Items); i++ {
		if page.Items[i].Score < page.Items[i-1].Score {
			t.Errorf(
				"%s (%.2f) stands behind %s (%.2f)",
				page.Items[i].Path,
				page.Items[i].Score,
				page.Items[i-1].Path,
				page.Items[i-1].Score,
			)
		}
	}
	if first, last := page.Items[0].Score, page.Items[3].Score; first == last {
		t.Errorf("all are as near as one another (%.2f): the test says nothing", first)
	}
}
