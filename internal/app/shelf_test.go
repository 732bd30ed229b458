package app

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/shelving"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// shelve changes the shelf.
func (l *line) shelve(body map[string]any) (done shelving.ShelfChange) {
	l.t.Helper()
	l.post("/api/v1/shelf", body, &done)
	return done
}

// onShelf lists the shelf as "folder|words|path", sorted.
func (l *line) onShelf(query string) []string {
	l.t.Helper()
	var page struct{ Items []store.Shelved }
	l.do(l.Get(l.t.Context(), "/api/v1/shelf?"+query, &page))
	said := []string{}
	for _, i := range page.Items {
		said = append(said, i.Folder+"|"+strings.Join(i.Words, ",")+"|"+i.Path)
	}
	slices.Sort(said)
	return said
}

// TestSavedForLater follows two files from the bench to the shelf, through a sweep that would find
// them, to a product, and back: each step is taken back as it was made.
func TestSavedForLater(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	of := l.gathered("labels.zip", zipped(t, entry{"care-wool.jpg", jpg(t, 1)}, entry{"size-chart.jpg", jpg(t, 2)},
		entry{"AT-000-A_1.jpg", jpg(t, 3)}, entry{"broken.jpg", []byte("no picture")}))
	care, chart, paired, broken := l.file(of.ID, "care-wool.jpg"), l.file(of.ID, "size-chart.jpg"), l.file(of.ID, "AT-000-A_1.jpg"),
		l.file(of.ID, "broken.jpg")
	files := []int64{care.ID, chart.ID, paired.ID, broken.ID, 99999}
	put := l.shelve(map[string]any{"files": files, "folder": " Labels / Care ", "add": []string{"wool", "Wool"}})
	if put.Changed != 3 || put.Left != 2 {
		t.Fatal("put on the shelf:", put)
	}
	want := []string{"Labels/Care|wool|AT-000-A_1.jpg", "Labels/Care|wool|care-wool.jpg", "Labels/Care|wool|size-chart.jpg"}
	if got := l.onShelf("folder=Labels"); !slices.Equal(got, want) {
		t.Error("on the shelf:", got)
	}
	if v := l.file(of.ID, "care-wool.jpg"); v.Verdict != "set aside" || v.Reason != shelving.Reason {
		t.Error("what waited on the bench waits there still:", v.Verdict, v.Reason)
	}
	if v := l.file(of.ID, "AT-000-A_1.jpg"); v.Verdict != "paired" {
		t.Error("what is paired is not any more:", v.Verdict)
	}
	l.references("on the shelf")
	if again := l.shelve(map[string]any{"files": files, "folder": "Labels/Care"}); again.Act != 0 || again.Changed != 0 {
		t.Error("done twice:", again)
	}

	var undone struct{ Stayed int }
	l.shelve(map[string]any{"files": []int64{chart.ID}, "folder": "Charts", "add": []string{"EU"}, "remove": []string{"WOOL"}})
	l.post(fmt.Sprintf("/api/v1/shelf/acts/%d/undo", put.Act), nil, &undone)
	if undone.Stayed != 1 {
		t.Error("what somebody changed since does not stay:", undone)
	}
	if got := l.onShelf(""); !slices.Equal(got, []string{"Charts|EU|size-chart.jpg"}) {
		t.Error("taken back:", got)
	}
	if v := l.file(of.ID, "care-wool.jpg"); v.Verdict == "set aside" {
		t.Error("taken back, it does not wait on the bench again")
	}
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/shelf/acts/%d/undo", put.Act), nil, nil), 404)

	var found struct{ Items []store.Found }
	l.do(l.Get(t.Context(), "/api/v1/search?q=charts+eu", &found))
	if len(found.Items) != 1 || found.Items[0].Kind != "shelf" || found.Items[0].ID != chart.ID {
		t.Error("found by folder and word:", found.Items)
	}
	l.do(l.Get(t.Context(), "/api/v1/search?q=charts&files=false", &found))
	if len(found.Items) != 0 {
		t.Error("found where a product is looked for:", found.Items)
	}

	// Its lot is given up: others are orphans, what is on the shelf is not, and cannot be held.
	l.post(fmt.Sprintf("/api/v1/lots/%d/give-up", of.ID), nil, nil)
	l.sweeps("orphans")
	if said := strings.Join(l.swept("orphans"), "; "); said == "" || strings.Contains(said, "size-chart") {
		t.Error("orphans:", said)
	}
	l.shelve(map[string]any{"files": []int64{care.ID}, "folder": ""})
	if said := strings.Join(l.swept("orphans"), "; "); strings.Contains(said, "care-wool") {
		t.Error("what came to the shelf is an orphan still:", said)
	}

	var plan struct{ ID int64 }
	l.post("/api/v1/plans/spread", map[string]any{"file": chart.ID, "way": "after",
		"on": []map[string]any{{"kind": "product", "id": l.product("AT-000-A").ID}, {"kind": "product", "id": l.product("AT-001-A").ID}}}, &plan)
	l.applied(plan.ID)
	if got := strings.Join(l.standing(), "\n"); strings.Count(got, "size-chart.jpg") != 2 {
		t.Error("put on two products from the shelf, they show:", got)
	}
	off := l.shelve(map[string]any{"files": []int64{chart.ID}, "off": true})
	l.references("off the shelf")
	l.post(fmt.Sprintf("/api/v1/shelf/acts/%d/undo", off.Act), nil, &undone)
	if got := l.onShelf("q=eu"); !slices.Equal(got, []string{"Charts|EU|size-chart.jpg"}) {
		t.Error("taken off, and back:", got)
	}
	l.refused(l.Post(t.Context(), "/api/v1/shelf", map[string]any{"files": []int64{chart.ID}, "folder": strings.Repeat("a/", 9)}, nil), 422)
	l.refused(l.Post(t.Context(), "/api/v1/shelf", map[string]any{"files": []int64{broken.ID}, "folder": "x"}, nil), 404)
}

// TestDroppedOnTheShelf brings files straight to a folder.
func TestDroppedOnTheShelf(t *testing.T) {
	t.Parallel()
	l := start(t)
	var lot struct{ ID int64 }
	l.post("/api/v1/lots", map[string]any{"name": "To the shelf", "uploads": 1, "shelf": "Mood / Autumn"}, &lot)
	content := zipped(t, entry{"forest.jpg", jpg(t, 5)}, entry{"notes.txt", []byte("x")})
	l.do(l.Upload(t.Context(), lot.ID, "mood.zip", bytes.NewReader(content), int64(len(content))))
	l.until("on the shelf", func() bool { return len(l.onShelf("")) == 1 })
	if got := l.onShelf("folder=Mood"); !slices.Equal(got, []string{"Mood/Autumn||forest.jpg"}) {
		t.Error("on the shelf:", got)
	}
	if v := l.file(lot.ID, "forest.jpg"); v.Verdict != "set aside" {
		t.Error("it waits on the bench:", v.Verdict)
	}
}

// TestTheShelfLeavesPlansAlone: a file that is decided on already comes to the shelf without a plan of
// its lot being overtaken; a file that was set aside with it stays so when its lot was applied since.
func TestTheShelfLeavesPlansAlone(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	of := l.gathered("one.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"care.jpg", jpg(t, 2)}))
	paired, care := l.file(of.ID, "AT-000-A_1.jpg"), l.file(of.ID, "care.jpg")
	put := l.shelve(map[string]any{"files": []int64{care.ID}, "folder": "Labels"})
	plan := l.planned(of.ID, "after")
	decisions := func() (n int) {
		l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select decisions from lot where id = $1`, of.ID).Scan(&n))
		return n
	}
	before := decisions()
	l.shelve(map[string]any{"files": []int64{paired.ID}, "folder": "Labels"})
	if decisions() != before {
		t.Error("the plan is overtaken by what is only kept on the shelf as well")
	}
	l.applied(plan)
	l.post(fmt.Sprintf("/api/v1/shelf/acts/%d/undo", put.Act), nil, nil)
	if v := l.file(of.ID, "care.jpg"); v.Verdict != "loose" || len(l.onShelf("Labels")) != 1 || l.lotNow(of.ID).State != "ready" {
		t.Error("taken back after the lot was applied:", v.Verdict, l.onShelf("Labels"), l.lotNow(of.ID).State)
	}
	var undone int
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from decision where undone_at is not null`).Scan(&undone))
	if undone != 1 {
		t.Errorf("%d decisions are taken back", undone)
	}
}
