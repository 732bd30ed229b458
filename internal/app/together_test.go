package app

import (
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
	"ambrosa/internal/api"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

type seen = []store.Seen

func (l *line) chosen(lot int64, paths ...string) (files seen) {
	l.t.Helper()
	for _, path := range paths {
		f := l.file(lot, path)
		files = append(files, store.Seen{ID: f.ID, Version: f.Version})
	}
	return files
}

// together decides on files at once.
func (l *line) together(lot int64, what map[string]any) (done store.Together) {
	l.t.Helper()
	l.post(fmt.Sprintf("/api/v1/lots/%d/together", lot), what, &done)
	return done
}

func (l *line) tookBack(id int64) int {
	l.t.Helper()
	var back struct{ Files seen }
	l.post(fmt.Sprintf("/api/v1/decisions/%d/take-back", id), nil, &back)
	return len(back.Files)
}

// target returns the ids of a variant and its product.
func (l *line) target(sku string) (product, variant int64) {
	l.t.Helper()
	l.do(testdb.Pool(l.Store).QueryRow(l.t.Context(), `select product_id, id from variant where sku = $1`, sku).Scan(&product, &variant))
	return product, variant
}

func (l *line) says(lot int64, path string) string {
	l.t.Helper()
	f := l.file(lot, path)
	return strings.TrimSpace(fmt.Sprintf("%s %s %s", f.Verdict, f.Code, f.View))
}

// TestSeveralFilesAreDecidedAtOnce pairs, gives a view to, sets aside and opens
// files together; what somebody else decided in between stays, and all of it is
// taken back.
func TestSeveralFilesAreDecidedAtOnce(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered(
		"loose.zip",
		zipped(
			t,
			entry{"sun.jpg", jpg(t, 1)},
			entry{"moon.jpg", jpg(t, 2)},
			entry{"rain.jpg", jpg(t, 3)},
			entry{"AT-002-B.jpg", jpg(t, 4)},
		),
	)
	product, variant := l.target("AT-001-A")
	files := l.chosen(lot.ID, "sun.jpg", "moon.jpg", "rain.jpg")
	// Somebody else decides on one of them after it was chosen.
	l.post(
		fmt.Sprintf("/api/v1/files/%d/decision", files[2].ID),
		map[string]any{"verdict": "set aside", "reason": "theirs", "version": files[2].Version},
		nil,
	)
	paired := l.together(
		lot.ID,
		map[string]any{"do": "pair", "files": files, "target": catalog.TargetOf(product, variant), "reason": "seen in the picture"},
	)
	if len(paired.Files) != 2 || l.says(lot.ID, "sun.jpg") != "paired AT-001-A" || l.says(lot.ID, "rain.jpg") != "set aside" ||
		l.file(lot.ID, "moon.jpg").Reason != "seen in the picture" {
		t.Errorf("%+v: %s, %s", paired, l.says(lot.ID, "sun.jpg"), l.says(lot.ID, "rain.jpg"))
	}
	viewed := l.together(lot.ID, map[string]any{"do": "view", "files": l.chosen(lot.ID, "sun.jpg", "rain.jpg"), "view": "detail"})
	if len(viewed.Files) != 1 || l.says(lot.ID, "sun.jpg") != "paired AT-001-A detail" {
		t.Errorf("%+v: %s", viewed, l.says(lot.ID, "sun.jpg"))
	}
	aside := l.together(
		lot.ID,
		map[string]any{"do": "set aside", "files": l.chosen(lot.ID, "sun.jpg", "moon.jpg", "AT-002-B.jpg"), "reason": "weather"},
	)
	if len(aside.Files) != 3 || l.says(lot.ID, "AT-002-B.jpg") != "set aside" {
		t.Errorf("%+v", aside)
	}
	opened := l.together(lot.ID, map[string]any{"do": "open", "files": l.chosen(lot.ID, "AT-002-B.jpg", "sun.jpg")})
	if len(opened.Files) != 2 || l.says(lot.ID, "AT-002-B.jpg") != "paired AT-002-B" || l.says(lot.ID, "sun.jpg") != "loose" {
		t.Errorf("%+v: %s", opened, l.says(lot.ID, "AT-002-B.jpg"))
	}
	// All of it is taken back, the last first: each step finds the files as it left them.
	for _, step := range []struct {
		id   int64
		n    int
		want string
	}{{opened.ID, 2, "set aside"}, {aside.ID, 3, "paired AT-001-A detail"}, {viewed.ID, 1, "paired AT-001-A"}, {paired.ID, 2, "loose"}} {
		if n := l.tookBack(step.id); n != step.n || l.says(lot.ID, "sun.jpg") != step.want {
			t.Errorf("taking back %d: %d files, %s; expected %d, %s", step.id, n, l.says(lot.ID, "sun.jpg"), step.n, step.want)
		}
	}
	if l.says(lot.ID, "AT-002-B.jpg") != "paired AT-002-B" || l.file(lot.ID, "AT-002-B.jpg").Clue != "same-name" {
		t.Errorf("what the name said is not back: %+v", l.file(lot.ID, "AT-002-B.jpg"))
	}
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/decisions/%d/take-back", paired.ID), nil, nil), http.StatusNotFound)
	// None chosen is not all.
	l.refused(
		l.Post(
			t.Context(),
			fmt.Sprintf("/api/v1/lots/%d/together", lot.ID),
			map[string]any{"do": "set aside", "files": seen{}, "reason": "x"},
			nil,
		),
		http.StatusUnprocessableEntity,
	)
	if f := l.file(lot.ID, "rain.jpg"); f.Reason != "theirs" {
		t.Errorf("somebody else's decision is gone: %+v", f)
	}
	l.refused(
		l.Post(
			t.Context(),
			fmt.Sprintf("/api/v1/lots/%d/together", lot.ID),
			map[string]any{"do": "pair", "files": files, "target": catalog.Variant(4711), "reason": ""},
			nil,
		),
		http.StatusNotFound,
	)
}

// TestSeveralLotsInOnePlan plans two lots together, applies and reverts.
func TestSeveralLotsInOnePlan(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	one := l.gathered("one.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}))
	two := l.gathered("two.zip", zipped(t, entry{"AT-000-A_2.jpg", jpg(t, 3)}, entry{"AT-002-A.jpg", jpg(t, 4)}))
	alone := l.planned(one.ID, "before")
	var made struct{ ID int64 }
	l.post("/api/v1/plans", map[string]any{"lots": []int64{two.ID, one.ID, two.ID}, "way": "after"}, &made)
	if p := l.plan(made.ID); p.Products != 3 || p.Added != 4 || len(p.Lots) != 2 || p.Lots[0].Name != "one.zip" {
		t.Fatalf("%+v", p)
	}
	l.refused(l.Get(t.Context(), fmt.Sprintf("/api/v1/plans/%d", alone), nil), http.StatusNotFound)
	// Planned again from one lot's bench, it stays a plan of both, in its way.
	l.post("/api/v1/plans", map[string]any{"lots": []int64{one.ID, two.ID}, "way": "instead"}, nil)
	if again := l.planned(two.ID, ""); again != made.ID || l.plan(again).Way != "instead" {
		t.Errorf("planned as %d, %+v", again, l.plan(again))
	}
	l.applied(made.ID)
	if got := l.shows("AT-000"); got != "AT-000-A_1.jpg AT-000-A_2.jpg" {
		t.Errorf("shows %s", got)
	}
	state := func(id int64) string {
		var lot store.Lot
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", id), &lot))
		return string(lot.State) + " " + lot.PlanState
	}
	if state(one.ID) != "applied applied" || state(two.ID) != "applied applied" {
		t.Errorf("the lots are %s and %s", state(one.ID), state(two.ID))
	}
	var empty struct{ ID int64 } // nothing of the lot is new
	l.post("/api/v1/plans", map[string]any{"lots": []int64{one.ID}, "way": "after"}, &empty)
	if p := l.plan(empty.ID); p.Products != 0 || state(one.ID) != "applied draft" {
		t.Errorf("planned once more: %+v, the lot is %s", p, state(one.ID))
	}
	l.reverted(made.ID)
	if len(l.standing()) != 0 || state(one.ID) != "ready draft" || state(two.ID) != "ready reverted" {
		t.Errorf("standing %v, lots %s and %s", l.standing(), state(one.ID), state(two.ID))
	}
	l.refused(l.Post(t.Context(), "/api/v1/plans", map[string]any{"lots": []int64{one.ID, 99}, "way": "after"}, nil), http.StatusNotFound)
}

// TestAnOrderGivenOnTheBenchIsApplied puts a picture of the lot in front of one
// that stands.
func TestAnOrderGivenOnTheBenchIsApplied(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	l.applied(l.planned(l.gathered("first.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)})).ID, "after"))
	lot := l.gathered("second.zip", zipped(t, entry{"AT-000-A_2.jpg", jpg(t, 2)}, entry{"AT-000-A_3.jpg", jpg(t, 3)}))
	product, variant := l.target("AT-000-A")
	type shown struct {
		Ordered []catalog.Target
		Targets []struct{ After []plan.Entry }
	}
	var first, p shown
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/product/%d/preview", lot.ID, product), &first))
	after := first.Targets[0].After
	if len(after) != 3 || len(first.Ordered) != 0 {
		t.Fatalf("%+v", first)
	}
	order := []plan.Ref{{File: after[2].File}, {ID: after[0].ID, File: after[0].File}, {File: after[1].File}}
	l.do(
		l.Put(
			t.Context(),
			fmt.Sprintf("/api/v1/lots/%d/order", lot.ID),
			map[string]any{"target": catalog.Variant(variant), "pictures": order},
			&p,
		),
	)
	if len(p.Ordered) != 1 || p.Targets[0].After[0].File != after[2].File {
		t.Errorf("%+v", p)
	}
	id := l.planned(lot.ID, "after")
	l.applied(id)
	if got := l.shows("AT-000"); got != "AT-000-A_3.jpg AT-000-A_1.jpg AT-000-A_2.jpg" {
		t.Errorf("shows %s", got)
	}
	path := fmt.Sprintf("/api/v1/lots/%d/order", lot.ID)
	l.reverted(id)
	l.do(l.Put(t.Context(), path, map[string]any{"target": catalog.Variant(variant), "pictures": []plan.Ref{}}, &p))
	if len(p.Ordered) != 0 || p.Targets[0].After[0].File != after[0].File {
		t.Errorf("by the names again: %+v", p)
	}
	l.refused(l.Put(t.Context(), path, map[string]any{"target": catalog.Variant(99), "pictures": order}, nil), http.StatusConflict)
}

// TestStepsAreTakenBackOneByOne takes decisions back in any mixture: of one file
// and of several, of one person and of another.
func TestStepsAreTakenBackOneByOne(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("loose.zip", zipped(t, entry{"sun.jpg", jpg(t, 1)}, entry{"moon.jpg", jpg(t, 2)}))
	product, variant := l.target("AT-001-A")
	decide := func(path string, what map[string]any) (undo int64) {
		t.Helper()
		f := l.file(lot.ID, path)
		what["version"] = f.Version
		var answer struct{ Undo int64 }
		l.post(fmt.Sprintf("/api/v1/files/%d/decision", f.ID), what, &answer)
		return answer.Undo
	}
	first := l.file(lot.ID, "sun.jpg")
	pair := l.together(
		lot.ID,
		map[string]any{
			"do":     "pair",
			"files":  l.chosen(lot.ID, "sun.jpg", "moon.jpg"),
			"target": catalog.TargetOf(product, variant),
			"reason": "seen",
		},
	)
	place := decide("sun.jpg", map[string]any{"verdict": "paired", "target": catalog.TargetOf(product, variant), "place": 4})
	theirs := decide("moon.jpg", map[string]any{"verdict": "set aside", "reason": "theirs"})
	// Taken back out of order: what was decided on since stays, the rest is as it was.
	reopened := decide("sun.jpg", map[string]any{"verdict": "open"})
	if l.says(lot.ID, "sun.jpg") != "loose" {
		t.Errorf("reopened it is %s", l.says(lot.ID, "sun.jpg"))
	}
	for _, step := range []struct {
		id   int64
		n    int
		sun  string
		moon string
	}{{place, 0, "loose", "set aside"}, {reopened, 1, "paired AT-001-A", "set aside"}} {
		if n := l.tookBack(step.id); n != step.n || l.says(lot.ID, "sun.jpg") != step.sun || l.says(lot.ID, "moon.jpg") != step.moon {
			t.Errorf("taking back %d: %d files, %s and %s", step.id, n, l.says(lot.ID, "sun.jpg"), l.says(lot.ID, "moon.jpg"))
		}
	}
	if f := l.file(lot.ID, "sun.jpg"); f.Place != 4 {
		t.Errorf("the place is %d", f.Place)
	}
	// Their decision goes, and then ours of both files finds one of them as it left it.
	if n := l.tookBack(theirs); n != 1 || l.says(lot.ID, "moon.jpg") != "paired AT-001-A" {
		t.Errorf("theirs: %d, %s", n, l.says(lot.ID, "moon.jpg"))
	}
	if n := l.tookBack(pair.ID); n != 1 || l.says(lot.ID, "moon.jpg") != "loose" || l.says(lot.ID, "sun.jpg") != "paired AT-001-A" {
		t.Errorf("ours: %d, %s and %s", n, l.says(lot.ID, "sun.jpg"), l.says(lot.ID, "moon.jpg"))
	}
	// Whoever saw the file as it was at first may decide on it when it is so again, and on no other state.
	l.refused(
		l.Post(
			t.Context(),
			fmt.Sprintf("/api/v1/files/%d/decision", first.ID),
			map[string]any{"verdict": "set aside", "version": first.Version},
			nil,
		),
		http.StatusConflict,
	)
	moon := l.file(lot.ID, "moon.jpg")
	var night struct{ Undo int64 }
	l.post(
		fmt.Sprintf("/api/v1/files/%d/decision", moon.ID),
		map[string]any{"verdict": "set aside", "reason": "night", "version": moon.Version},
		&night,
	)
	// After Apply, decisions are taken back as before: the lot is open again.
	l.applied(l.planned(lot.ID, "after"))
	if state := l.lotNow(lot.ID).State; state != "applied" {
		t.Errorf("everything is decided, and the lot is %s", state)
	}
	l.post(fmt.Sprintf("/api/v1/decisions/%d/take-back", night.Undo), nil, nil)
	if l.says(lot.ID, "moon.jpg") == "set aside" || l.lotNow(lot.ID).State != "ready" {
		t.Errorf("taken back after Apply: %s, the lot is %s", l.says(lot.ID, "moon.jpg"), l.lotNow(lot.ID).State)
	}
}

// TestBarcodesOfLooseFilesAreRead pairs what only the code in the picture tells,
// by the run that follows pairing; those of other files are read on request. The
// codes are drawn by zint.
func TestBarcodesOfLooseFilesAreRead(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	sticker := func(n int) []byte {
		file := filepath.Join(t.TempDir(), "sticker.png")
		if out, err := exec.Command("zint", "-b", "EANX", "-d", barcode(n), "-o", file, "--scale=4", "--quietzones", "-w",
			"8").CombinedOutput(); err != nil {
			t.Fatalf("zint: %v: %s", err, out)
		}
		picture, err := os.ReadFile(file)
		l.do(err)
		return picture
	}
	lot := l.gathered(
		"stickers.zip",
		zipped(t, entry{"IMG_0001.png", sticker(2)}, entry{"IMG_0002.jpg", jpg(t, 1)}, entry{"AT-003-B.png", sticker(3)}),
	)
	l.readAgain(lot.ID)
	if f := l.file(lot.ID, "IMG_0001.png"); f.Verdict != "paired" || f.Code != "AT-002-A" || f.Clue != "barcode-in-picture" ||
		len(f.Codes) != 1 ||
		len(f.Codes[0].Points) == 0 {
		t.Errorf("%s %s by %s, codes %+v: %s", f.Verdict, f.Code, f.Clue, f.Codes, f.Reason)
	}
	if f := l.file(lot.ID, "AT-003-B.png"); f.Code != "AT-003-B" || len(f.Codes) != 0 {
		t.Errorf("%s, codes %+v: what the name tells is not looked at unasked", f.Code, f.Codes)
	}
	l.post(fmt.Sprintf("/api/v1/lots/%d/codes", lot.ID), nil, nil)
	l.readAgain(lot.ID)
	if f := l.file(lot.ID, "AT-003-B.png"); len(f.Codes) != 1 || f.Codes[0].Text != barcode(3) {
		t.Errorf("codes %+v", f.Codes)
	}
}

// TestTheBenchsOrder goes from file to file as the bench does: contested before
// loose, by arrival, round to those that were passed over.
func TestTheBenchsOrder(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	first := func(lot int64) (path string) {
		t.Helper()
		var answer struct{ File *api.File }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/first", lot), &answer))
		if answer.File == nil {
			return ""
		}
		return answer.File.Path
	}
	entries := []entry{
		{"rain.jpg", jpg(t, 1)},
		{"AT-000-A AT-001-A.jpg", jpg(t, 2)},
		{"AT-002-A.jpg", jpg(t, 3)},
		{"sun.jpg", jpg(t, 4)},
		{"AT-001-A AT-002-A.jpg", jpg(t, 5)},
	}
	lot := l.gathered("mixed.zip", zipped(t, entries...)).ID
	next := func(path string) string {
		t.Helper()
		var detail struct{ Next int64 }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d", l.file(lot, path).ID), &detail))
		for _, e := range entries {
			if l.file(lot, e.name).ID == detail.Next {
				return e.name
			}
		}
		return ""
	}
	// Files of an archive are examined side by side: they arrive in any order.
	contested := []api.File{l.file(lot, "AT-000-A AT-001-A.jpg"), l.file(lot, "AT-001-A AT-002-A.jpg")}
	slices.SortFunc(contested, func(a, b api.File) int { return int(a.ID - b.ID) })
	for _, e := range entries {
		to := contested[0].Path
		if id := l.file(lot, e.name).ID; e.name == to || id > contested[0].ID && id < contested[1].ID {
			to = contested[1].Path
		}
		if got := next(e.name); got != to {
			t.Errorf("behind %s comes %q, not %s", e.name, got, to)
		}
	}
	if got := first(lot); got != contested[0].Path {
		t.Errorf("first comes %s", got)
	}
	l.together(
		lot,
		map[string]any{"do": "set aside", "files": l.chosen(lot, "AT-000-A AT-001-A.jpg", "AT-001-A AT-002-A.jpg"), "reason": "two keys"},
	)
	earlier := "rain.jpg"
	if l.file(lot, "sun.jpg").ID < l.file(lot, earlier).ID {
		earlier = "sun.jpg"
	}
	if first(lot) != earlier || next("rain.jpg") != "sun.jpg" || next("sun.jpg") != "rain.jpg" {
		t.Errorf("first comes %s, behind them %s and %s", first(lot), next("rain.jpg"), next("sun.jpg"))
	}
	l.together(lot, map[string]any{"do": "set aside", "files": l.chosen(lot, "rain.jpg"), "reason": "night"})
	if next("sun.jpg") != "" {
		t.Errorf("behind the only open one comes %s", next("sun.jpg"))
	}
	l.together(lot, map[string]any{"do": "set aside", "files": l.chosen(lot, "sun.jpg"), "reason": "night"})
	if got := first(lot); got != "AT-002-A.jpg" {
		t.Errorf("when all is decided comes %q", got)
	}
	l.together(lot, map[string]any{"do": "set aside", "files": l.chosen(lot, "AT-002-A.jpg"), "reason": "night"})
	if got := first(lot); got != "" {
		t.Errorf("of none comes %s", got)
	}
}

// TestPlacesAreNumberedInTheOrderChosen numbers files of two variants at once.
func TestPlacesAreNumberedInTheOrderChosen(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered(
		"walk.zip",
		zipped(t, entry{"AT-000-A x.jpg", jpg(t, 1)}, entry{"AT-000-A y.jpg", jpg(t, 2)}, entry{"AT-000-A z.jpg", jpg(t, 3)},
			entry{"AT-001-A x_7.jpg", jpg(t, 4)}, entry{"AT-001-A y.jpg", jpg(t, 5)}, entry{"fog.jpg", jpg(t, 6)}),
	).ID
	places := func() (all []int) {
		for _, path := range []string{"AT-000-A x.jpg", "AT-000-A y.jpg", "AT-000-A z.jpg", "AT-001-A x_7.jpg", "AT-001-A y.jpg", "fog.jpg"} {
			all = append(all, l.file(lot, path).Place)
		}
		return all
	}
	want := func(when string, want ...int) {
		t.Helper()
		if got := places(); !slices.Equal(got, want) {
			t.Errorf("%s the places are %v, not %v", when, got, want)
		}
	}
	want("at first", 0, 0, 0, 7, 0, 0)
	chosen := l.chosen(lot, "AT-000-A z.jpg", "AT-001-A y.jpg", "fog.jpg", "AT-000-A x.jpg", "AT-001-A x_7.jpg")
	numbered := l.together(lot, map[string]any{"do": "place", "files": chosen, "place": 2})
	if len(numbered.Files) != 4 {
		t.Errorf("%d files have places", len(numbered.Files))
	}
	want("numbered from 2", 3, 0, 2, 3, 2, 0)
	// What somebody changed in between is not counted.
	stale := l.chosen(lot, "AT-000-A x.jpg", "AT-000-A y.jpg", "AT-000-A z.jpg")
	l.together(lot, map[string]any{"do": "view", "files": l.chosen(lot, "AT-000-A y.jpg"), "view": "back"})
	again := l.together(lot, map[string]any{"do": "place", "files": stale, "place": 1})
	want("numbered from 1 without what changed", 1, 0, 2, 3, 2, 0)
	cleared := l.together(lot, map[string]any{"do": "place", "files": l.chosen(lot, "AT-001-A x_7.jpg", "AT-001-A y.jpg")})
	want("left to the names", 1, 0, 2, 0, 0, 0)
	for _, step := range []store.Together{cleared, again, numbered} {
		l.tookBack(step.ID)
	}
	want("taken back", 0, 0, 0, 7, 0, 0)
}
