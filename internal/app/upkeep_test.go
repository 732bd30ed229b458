package app

import (
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// lapsed lets the terms of all ways back end now.
func (l *line) lapsed() {
	l.t.Helper()
	_, err := testdb.Pool(l.Store).Exec(l.t.Context(), `update reference set until = now() where until is not null`)
	l.do(err)
}

// swept does a sweep and returns what it found of a kind: path and reason.
func (l *line) swept(kind string) (said []string) {
	l.t.Helper()
	l.sweeps("orphans", "twice", kind)
	for _, f := range l.findings(kind) {
		said = append(said, filepath.Base(f.Path)+" "+f.Reason)
	}
	slices.Sort(said)
	return said
}

// sweeps does a sweep of some kinds.
func (l *line) sweeps(kinds ...string) {
	l.t.Helper()
	slices.Sort(kinds)
	l.post("/api/v1/sweeps", map[string]any{"kinds": slices.Compact(kinds)}, nil)
	l.until("the sweep to end", func() bool { return !l.busy() })
}

func (l *line) findings(kind string) []store.SweepFinding {
	l.t.Helper()
	var page struct{ Items []store.SweepFinding }
	l.do(l.Get(l.t.Context(), "/api/v1/findings?kind="+kind, &page))
	return page.Items
}

func (l *line) finding(path string) store.SweepFinding {
	l.t.Helper()
	for _, f := range l.findings("orphans") {
		if filepath.Base(f.Path) == path {
			return f
		}
	}
	l.t.Fatalf("no finding is about %s", path)
	return store.SweepFinding{}
}

func (l *line) hold(findings ...store.SweepFinding) (held store.HeldNow) {
	l.t.Helper()
	ids := make([]int64, len(findings))
	for i, f := range findings {
		ids[i] = f.ID
	}
	l.post("/api/v1/findings/hold", map[string]any{"ids": ids, "because": "cleaning up"}, &held)
	return held
}

func (l *line) holdings() []store.Holding {
	l.t.Helper()
	var page struct{ Items []store.Holding }
	l.do(l.Get(l.t.Context(), "/api/v1/holdings", &page))
	return page.Items
}

// purged has holdings go and returns the receipt.
func (l *line) purged(files int64, holdings ...int64) store.Receipt {
	l.t.Helper()
	l.post("/api/v1/purges", map[string]any{"holdings": holdings, "files": files, "much": true}, nil)
	l.until("the purge to end", func() bool { return !l.busy() })
	var page struct{ Items []store.Receipt }
	l.do(l.Get(l.t.Context(), "/api/v1/receipts", &page))
	return page.Items[0]
}

// objects counts the originals in the folder of blobs.
func (l *line) objects() (n int) {
	l.t.Helper()
	l.do(filepath.WalkDir(filepath.Join(l.config.Data, "blobs", "originals"), func(_ string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			n++
		}
		return err
	}))
	return n
}

// TestWhatNothingNeedsIsFoundHeldAndPurged goes from a library that is full to free space
// and a receipt: each file says why nothing needs it, what is held comes back with one
// call or because something needs it again, and what is purged is gone from the store.
func TestWhatNothingNeedsIsFoundHeldAndPurged(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	first := l.gathered("first.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)},
		entry{"unknown.jpg", jpg(t, 3)}, entry{"blurred.jpg", jpg(t, 4)}, entry{"copy of AT-001-A.jpg", jpg(t, 2)}))
	l.decided(first.ID, "blurred.jpg", map[string]any{"verdict": "set aside", "reason": "out of focus"})
	l.decided(first.ID, "copy of AT-001-A.jpg", map[string]any{"verdict": "set aside", "reason": "twice"})
	if found := l.swept("orphans"); len(found) != 0 {
		t.Fatalf("the lot is open, and %q", found)
	}
	l.applied(l.planned(first.ID, "after"))
	if found := l.swept("orphans"); len(found) != 0 || l.lotNow(first.ID).State != "ready" {
		t.Fatalf("a file is undecided, and %q", found)
	}
	l.post(fmt.Sprintf("/api/v1/lots/%d/finish", first.ID), nil, nil)
	again := l.gathered("again.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 11)}))
	plan := l.planned(again.ID, "instead")
	l.applied(plan)

	left := []string{"blurred.jpg set aside", "copy of AT-001-A.jpg set aside", "unknown.jpg never paired"}
	if found := l.swept("orphans"); !slices.Equal(found, left) {
		t.Errorf("the way back needs what it replaced; found %q, expected %q", found, left)
	}
	l.lapsed()
	left = slices.Insert(left, 0, "AT-000-A.jpg replaced")
	if found := l.swept("orphans"); !slices.Equal(found, left) {
		t.Fatalf("found %q, expected %q", found, left)
	}
	if found := l.swept("twice"); !slices.Equal(found, []string{"AT-001-A.jpg same bytes", "copy of AT-001-A.jpg same bytes"}) {
		t.Errorf("twice: %q", found)
	}
	replaced, copied := l.finding("AT-000-A.jpg"), l.finding("copy of AT-001-A.jpg")
	if replaced.Plan != plan || replaced.Frees != replaced.Bytes || copied.Frees != 0 {
		t.Errorf("%+v, %+v", replaced, copied)
	}
	var history struct{ Stood []store.Stood }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d/history", replaced.File), &history))
	if len(history.Stood) != 2 || history.Stood[0].Owner != "AT-000" || history.Stood[0].Came || history.Stood[0].Plan != plan ||
		history.Stood[0].Now != l.file(again.ID, "AT-000-A.jpg").ID || !history.Stood[1].Came {
		t.Errorf("where it stood: %+v", history.Stood)
	}

	// Held, it is out of the way; restored, it is what it was; pinned, it is needed.
	held := l.hold(l.findings("orphans")...)
	if held.Files != 4 || len(l.findings("orphans")) != 0 {
		t.Fatalf("%+v", held)
	}
	l.refused(l.Post(t.Context(), "/api/v1/findings/hold", map[string]any{"ids": []int64{replaced.ID}}, nil), http.StatusConflict)
	unknown, blurred := l.file(first.ID, "unknown.jpg").ID, l.file(first.ID, "blurred.jpg").ID
	l.post(fmt.Sprintf("/api/v1/holdings/%d/restore", held.Holding), map[string]any{"files": []int64{unknown}}, nil)
	l.post("/api/v1/pins", map[string]any{"files": []int64{blurred}, "because": "the only one of the old label"}, nil)
	if found := l.swept("orphans"); !slices.Equal(found, []string{"unknown.jpg never paired"}) {
		t.Errorf("found %q", found)
	}
	// What is needed again comes out of holding by itself.
	l.reverted(plan)
	if got := l.holdings(); len(got) != 1 || got[0].Held != 1 || got[0].Frees != 0 {
		t.Fatalf("the replaced one stands again: %+v", got)
	}
	if got := l.shows("AT-000"); got != "AT-000-A.jpg" {
		t.Errorf("AT-000 shows %s", got)
	}

	// Purged: the copy's bytes stay, since a product shows them; those of the unknown one go.
	second := l.hold(l.finding("unknown.jpg"))
	objects := l.objects()
	purge := func(files int, holdings ...int64) error {
		return l.Post(t.Context(), "/api/v1/purges", map[string]any{"holdings": holdings, "files": files}, nil)
	}
	l.refused(purge(7, second.Holding), http.StatusConflict)
	if said := l.refused(purge(2, held.Holding, second.Holding), http.StatusConflict); !strings.Contains(said, "2 of 6 files") {
		t.Errorf("much of the library goes without being asked: %s", said)
	}
	receipt := l.purged(2, held.Holding, second.Holding)
	if receipt.Files != 2 || receipt.Kept != 0 || receipt.Freed == 0 || receipt.Freed >= receipt.Bytes || receipt.EndedAt == nil {
		t.Errorf("%+v", receipt)
	}
	if now := l.objects(); now != objects-1 {
		t.Errorf("%d objects, %d before", now, objects)
	}
	if left := l.findings("twice"); len(left) != 0 {
		t.Errorf("there once, and told as there twice: %+v", left)
	}
	l.lists(receipt.ID, "copy of AT-001-A.jpg set aside 0", fmt.Sprintf("unknown.jpg never paired %d", receipt.Freed))
	if bare := l.text(`select encode(sha256, 'hex') from blob b where not exists (select from file where sha256 = b.sha256)`); bare != "" {
		t.Errorf("rows of bytes that no file has: %s", bare)
	}
	stored := strings.TrimSpace(l.text(`select sum(bytes)::text from blob`))
	for _, by := range []string{"origin", "lot", "month", "kind"} {
		var space struct{ Items []store.Space }
		l.do(l.Get(t.Context(), "/api/v1/space?by="+by, &space))
		sum := int64(0)
		for _, part := range space.Items {
			sum += part.Needed + part.Held + part.Left
		}
		if fmt.Sprint(sum) != stored {
			t.Errorf("space by %s is %d bytes, %s are stored", by, sum, stored)
		}
	}
	// The same bytes come again, as anything else.
	l.gathered("once more.zip", zipped(t, entry{"unknown.jpg", jpg(t, 3)}))
	if now := l.objects(); now != objects {
		t.Errorf("%d objects, expected %d", now, objects)
	}
}

// lists checks a receipt as CSV: path, reason and freed bytes of each file.
func (l *line) lists(receipt int64, want ...string) {
	l.t.Helper()
	answer, err := http.Get(fmt.Sprintf("%s/media/receipts/%d", l.URL, receipt))
	l.do(err)
	defer answer.Body.Close()
	rows, err := csv.NewReader(answer.Body).ReadAll()
	l.do(err)
	_, err = io.Copy(io.Discard, answer.Body)
	l.do(err)
	var got []string
	for _, row := range rows[1:] {
		got = append(got, row[1]+" "+row[6]+" "+row[5])
	}
	slices.Sort(got)
	if !slices.Equal(got, want) {
		l.t.Errorf("the receipt lists %q, expected %q", got, want)
	}
}

// TestBrokenBytesAreFoundAndMended takes one object away and turns a bit of another: a sweep
// says which files that concerns, and the same bytes arriving again mend them.
func TestBrokenBytesAreFoundAndMended(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("two.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}, entry{"good.jpg", jpg(t, 3)}))
	object := func(path string) string {
		sum := l.file(lot.ID, path).Sum
		return filepath.Join(l.config.Data, "blobs", "originals", sum[:2], sum)
	}
	missing, damaged := object("AT-000-A.jpg"), object("AT-001-A.jpg")
	l.do(os.Remove(missing))
	content, err := os.ReadFile(damaged)
	l.do(err)
	content[len(content)/2] ^= 1
	l.do(os.WriteFile(damaged, content, 0o600))
	var view struct{ Settings store.Upkeep }
	l.do(l.Get(t.Context(), "/api/v1/upkeep", &view))
	view.Settings.CheckDays = 1
	l.do(l.Put(t.Context(), "/api/v1/upkeep", view.Settings, nil))
	broken := func() []string {
		l.sweeps("broken")
		var said []string
		for _, f := range l.findings("broken") {
			said = append(said, f.Path+" "+f.Reason)
		}
		slices.Sort(said)
		return said
	}
	if found := broken(); !slices.Equal(found, []string{"AT-000-A.jpg missing", "AT-001-A.jpg damaged"}) {
		t.Fatalf("found %q", found)
	}
	l.gathered("again.zip", zipped(t, entry{"one.jpg", jpg(t, 1)}, entry{"two.jpg", jpg(t, 2)}))
	if found := broken(); len(found) != 0 {
		t.Errorf("the bytes came again, and %q", found)
	}
	if again, err := os.ReadFile(damaged); err != nil || again[len(again)/2] == content[len(content)/2] {
		t.Errorf("the damaged one is as it was: %v", err)
	}
}

// TestLookAlikesAreFound brings a picture in two sizes: the larger one lies unused beside the
// smaller one that stands.
func TestLookAlikesAreFound(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	small := l.gathered("small.zip", zipped(t, entry{"AT-000-A.jpg", scene(t, 300, 4)}))
	l.applied(l.planned(small.ID, "after"))
	l.gathered("large.zip", zipped(t, entry{"studio.jpg", scene(t, 420, 4)}))
	l.sweeps("alike")
	var said []string
	for _, f := range l.findings("alike") {
		said = append(said, f.Path+" "+f.Reason+" "+f.Detail)
	}
	slices.Sort(said)
	if !slices.Equal(said, []string{"AT-000-A.jpg look alike one of 2", "studio.jpg larger, unused the best of 2"}) {
		t.Errorf("found %q", said)
	}
}

// TestAPlanIsTakenBackPastItsTerm takes a plan back when one of the pictures that it replaced
// is purged: the other comes back, and the message says that one is lacking.
func TestAPlanIsTakenBackPastItsTerm(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	first := l.gathered("first.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}))
	l.applied(l.planned(first.ID, "after"))
	second := l.gathered("second.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 11)}, entry{"AT-001-A.jpg", jpg(t, 12)}))
	plan := l.planned(second.ID, "instead")
	l.applied(plan)
	l.lapsed()
	l.swept("orphans")
	held := l.hold(l.finding("AT-000-A.jpg"))
	if receipt := l.purged(1, held.Holding); receipt.Files != 1 {
		t.Fatalf("%+v", receipt)
	}
	l.reverted(plan)
	if one, other := l.shows("AT-000"), l.shows("AT-001"); one != "" || other != "AT-001-A.jpg" {
		t.Errorf("they show %q and %q", one, other)
	}
	l.until("a message to say what is lacking", func() bool {
		return strings.Contains(l.text(`select body from message order by id desc limit 1`), "1 of them lacks some pictures")
	})
}
