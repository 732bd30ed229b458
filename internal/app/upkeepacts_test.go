package app

import (
	"crypto/sha256"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// merged plans that one file of findings stays, and returns the plan.
func (l *line) merged(kind string, keep []int64, findings ...store.SweepFinding) store.Plan {
	l.t.Helper()
	ids := []int64{}
	for _, f := range findings {
		ids = append(ids, f.ID)
	}
	body := map[string]any{"kind": kind, "ids": ids}
	if keep != nil {
		body["keep"] = keep
	}
	var made struct{ ID int64 }
	l.post("/api/v1/findings/merge", body, &made)
	return l.plan(made.ID)
}

func named(findings []store.SweepFinding, path string) store.SweepFinding {
	i := slices.IndexFunc(findings, func(f store.SweepFinding) bool { return f.Path == path })
	if i < 0 {
		return store.SweepFinding{}
	}
	return findings[i]
}

// TestOneOfTheSameStays merges files with the same bytes: one stays, the products that showed
// the other are led to it by a plan, the other is left over by that, and it can be taken back.
func TestOneOfTheSameStays(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	first := l.gathered("first.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}))
	l.applied(l.planned(first.ID, "after"))
	second := l.gathered("second.zip", zipped(t, entry{"AT-002-A.jpg", jpg(t, 1)}, entry{"AT-001-B.jpg", jpg(t, 1)}))
	l.applied(l.planned(second.ID, "after"))
	before := l.standing()
	l.sweeps("twice")
	twins := l.findings("twice")
	if len(twins) != 3 || twins[0].Path != "AT-000-A.jpg" {
		t.Fatalf("%+v", twins)
	}
	plan := l.merged("twice", nil, twins[0]) // of one finding, its whole group is meant
	if plan.Kind != "swap" || plan.State != "draft" || plan.Products != 2 || plan.Added != 2 || plan.Removed != 2 {
		t.Fatalf("%+v", plan)
	}
	l.references("a merge is planned")
	l.applied(plan.ID)
	for code, want := range map[string]string{"AT-000": "AT-000-A.jpg", "AT-001": "AT-001-A.jpg AT-000-A.jpg", "AT-002": "AT-000-A.jpg"} {
		if got := l.shows(code); got != want {
			t.Errorf("%s shows %q, expected %q", code, got, want)
		}
	}
	l.refused(l.Post(t.Context(), "/api/v1/findings/merge", map[string]any{"kind": "twice", "ids": []int64{twins[0].ID}}, nil),
		http.StatusConflict)
	l.lapsed()
	if found := l.swept("orphans"); !slices.Equal(found, []string{"AT-001-B.jpg replaced", "AT-002-A.jpg replaced"}) {
		t.Errorf("left over are %q", found)
	}
	l.reverted(plan.ID)
	if got := l.standing(); !slices.Equal(got, before) {
		t.Errorf("taken back, %q stands, and %q did", got, before)
	}
	l.references("the merge is taken back")
}

// TestTheLargerTwinTakesThePlace upgrades: the larger file that lies unused stands with the
// place and the text of the smaller; what stood can be put back by itself, too. A product that
// changed since the plan was made is planned again, and not overwritten.
func TestTheLargerTwinTakesThePlace(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	small := l.gathered("small.zip", zipped(t, entry{"AT-000-A.jpg", scene(t, 300, 4)}, entry{"AT-000-A_2.jpg", jpg(t, 2)}))
	l.applied(l.planned(small.ID, "after"))
	l.gathered("large.zip", zipped(t, entry{"studio.jpg", scene(t, 420, 4)}))
	l.sweeps("alike")
	alike := l.findings("alike")
	studio, stood := named(alike, "studio.jpg"), named(alike, "AT-000-A.jpg")
	plan := l.merged("alike", []int64{studio.File}, studio)
	l.swapFirstTwo("AT-000")
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/plans/%d/apply", plan.ID), map[string]int{"revision": plan.Revision}, nil),
		http.StatusConflict)
	l.applied(plan.ID)
	if got := l.shows("AT-000"); got != "AT-000-A_2.jpg studio.jpg" {
		t.Fatalf("it shows %q", got)
	}
	if alt := l.text(`select alt from placement where file_id = (select id from file where path = 'studio.jpg')`); alt == "" {
		t.Error("the text did not stay")
	}
	var history struct{ Stood []store.Stood }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d/history", stood.File), &history))
	at := slices.IndexFunc(history.Stood, func(s store.Stood) bool { return !s.Came && s.Now == studio.File })
	if at < 0 {
		t.Fatalf("where it stood: %+v", history.Stood)
	}
	was := history.Stood[at]
	back, body := fmt.Sprintf("/api/v1/files/%d/put-back", stood.File), map[string]any{"on": was.On, "instead": was.Now}
	var made struct{ ID int64 }
	l.post(back, body, &made)
	l.applied(made.ID)
	if got := l.shows("AT-000"); got != "AT-000-A_2.jpg AT-000-A.jpg" {
		t.Errorf("put back, it shows %q", got)
	}
	l.refused(l.Post(t.Context(), back, map[string]any{"on": catalog.Product(99999), "instead": was.Now}, nil), http.StatusNotFound)
	l.refused(l.Post(t.Context(), back, body, nil), http.StatusConflict) // a second person, who saw the same
	// Of a variant its product is meant, and no product that has its number.
	_, other := l.target("AT-000-B")
	body["on"] = catalog.Variant(other)
	l.refused(l.Post(t.Context(), back, body, nil), http.StatusConflict)
}

// TestWhatLacksIsTold finds pictures below the rule, products without one, retired ones that
// show some, and lots that lie; the timetable's sweep says what is new, once.
func TestWhatLacksIsTold(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("small.zip", zipped(t, entry{"AT-000-A.jpg", scene(t, 300, 4)}))
	l.applied(l.planned(lot.ID, "after"))
	waits := l.gathered("waits.zip", zipped(t, entry{"unknown.jpg", jpg(t, 3)}))
	for _, change := range []string{`update variant set retired = true where sku like 'AT-000%'`,
		`update file set decided_at = null`, `update lot set created_at = now() - interval '1 year'`,
		`update file set arrived_at = now() - interval '20 days'`} {
		_, err := testdb.Pool(l.Store).Exec(t.Context(), change)
		l.do(err)
	}
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update upkeep_setting set next_sweep = now(), sweep_hours = 24`)
	l.do(err)
	l.do(l.Runner.Upkeeper.Due(t.Context()))
	l.until("the sweep to end", func() bool { return !l.busy() })
	said := []string{}
	for _, kind := range []string{"below", "lying"} {
		for _, f := range l.findings(kind) {
			said = append(said, strings.TrimSpace(f.Path+" "+f.Reason+" "+f.Code))
		}
	}
	slices.Sort(said)
	if want := []string{"AT-000 retired, still shown AT-000", "AT-000-A.jpg too small AT-000", "AT-001 without a picture AT-001",
		"AT-002 without a picture AT-002", waits.Name + " lot left lying"}; !slices.Equal(said, want) {
		t.Errorf("found %q, expected %q", said, want)
	}
	var messages struct{ Items []store.Message }
	l.do(l.Get(t.Context(), "/api/v1/messages", &messages))
	if m := messages.Items[0]; m.Sweep == 0 || m.Title != "The sweep found 5 new" ||
		!strings.Contains(m.Body, "1 below the rule: too small\n") {
		t.Errorf("%+v", m)
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update upkeep_setting set next_sweep = now()`)
	l.do(err)
	l.do(l.Runner.Upkeeper.Due(t.Context()))
	l.until("the second sweep to end", func() bool { return !l.busy() })
	told := len(messages.Items)
	l.do(l.Get(t.Context(), "/api/v1/messages", &messages))
	if len(messages.Items) != told {
		t.Errorf("nothing is new, and %q was told", messages.Items[0].Title)
	}
}

// TestTheStoreIsComparedWithItsRows sets a store beside rows of another day: what is missing
// and what no row names is told, nothing goes by itself, and what is dropped by hand is asked
// about once more and has a receipt.
func TestTheStoreIsComparedWithItsRows(t *testing.T) {
	t.Parallel()
	l := start(t)
	lot := l.gathered("two.zip", zipped(t, entry{"a.jpg", jpg(t, 1)}, entry{"b.jpg", jpg(t, 2)}))
	originals := filepath.Join(l.config.Data, "blobs", "originals")
	yesterday := time.Now().Add(-24 * time.Hour)
	put := func(name, text string) {
		l.do(os.MkdirAll(filepath.Dir(filepath.Join(originals, name)), 0o755))
		l.do(os.WriteFile(filepath.Join(originals, name), []byte(text), 0o600))
		l.do(os.Chtimes(filepath.Join(originals, name), yesterday, yesterday))
	}
	const abc = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad" // FIPS 180-4's example
	put("ba/"+abc, "abc")
	put("notes.txt", "a stray file")
	put("ba/thumbs.db", "another")
	young := strings.Replace(abc, "ba", "bb", 1)
	put("bb/"+young, "on its way")
	l.do(os.Chtimes(filepath.Join(originals, "bb", young), time.Now(), time.Now()))
	sum := l.file(lot.ID, "b.jpg").Sum
	l.do(os.Remove(filepath.Join(originals, sum[:2], sum)))
	l.sweeps("broken")
	var seen struct {
		Strays  []store.Stray
		Missing int64
	}
	look := func() (keys []string) {
		l.do(l.Get(t.Context(), "/api/v1/store", &seen))
		for _, s := range seen.Strays {
			keys = append(keys, strings.TrimPrefix(s.Key, "originals/"))
		}
		return keys
	}
	if keys := look(); !slices.Equal(keys, []string{"ba/" + abc, "ba/thumbs.db", "notes.txt"}) || seen.Missing != 1 {
		t.Fatalf("strays are %q, %d missing", keys, seen.Missing)
	}
	if found := l.findings("broken"); len(found) != 1 || found[0].Path != "b.jpg" || found[0].Reason != "missing" {
		t.Errorf("broken are %+v", found)
	}
	if l.objects() != 5 {
		t.Errorf("%d objects: something went by itself", l.objects())
	}
	// The bytes arrive before the stray is dropped: they stay.
	l.gathered("abc.zip", zipped(t, entry{"abc.txt", []byte("abc")}))
	var dropped struct{ Dropped, Receipt int64 }
	l.post("/api/v1/store/drop", map[string]any{"keys": []string{"originals/ba/" + abc, "originals/notes.txt", "originals/ba/thumbs.db",
		"originals/" + sum[:2] + "/" + sum, "../../etc/passwd"}}, &dropped)
	if dropped.Dropped != 2 {
		t.Errorf("%d were dropped", dropped.Dropped)
	}
	l.lists(dropped.Receipt, "originals/ba/thumbs.db stray object 7", "originals/notes.txt stray object 12")
	if keys := look(); len(keys) != 0 {
		t.Errorf("%q are left", keys)
	}
	if _, err := os.Stat(filepath.Join(originals, "ba", abc)); err != nil {
		t.Errorf("what arrived is gone: %v", err)
	}
	l.refused(l.Post(t.Context(), "/api/v1/store/drop", map[string]any{"keys": []string{"originals/notes.txt"}}, nil), http.StatusNotFound)
	// What came after a backup is taken in again, as a lot like any other.
	put("ba/"+abc, "abc") // its row is there by now
	lost := jpg(t, 77)
	name := fmt.Sprintf("%x", sha256.Sum256(lost))
	put(name[:2]+"/"+name, string(lost))
	l.sweeps("broken")
	var taken struct{ ID int64 }
	l.post("/api/v1/store/take-in", map[string]any{"keys": []string{"originals/" + name[:2] + "/" + name, "originals/ba/" + abc}}, &taken)
	l.until("it to be examined", func() bool { return l.lotNow(taken.ID).State == "ready" })
	if f := l.file(taken.ID, name[:12]+".jpg"); f.Sum != name {
		t.Errorf("taken in: %+v", f)
	}
	if keys := look(); len(keys) != 0 {
		t.Errorf("%q are left", keys)
	}
	// A store that is not mounted is no loss of everything: the sweep says so, and finds nothing.
	missing := seen.Missing
	l.do(os.Rename(originals, originals+" away"))
	l.sweeps("broken")
	if run := l.runs()[0]; run.State != "failed" || !strings.Contains(run.Message, "is it there, and the right one") {
		t.Errorf("the sweep of an empty store: %+v", run)
	}
	l.do(os.Rename(originals+" away", originals))
	if look(); seen.Missing != missing {
		t.Errorf("%d are missing, %d were", seen.Missing, missing)
	}
}

// TestWhatIsPastItsTermGoesByItself has the timetable purge what is held past its term; but not
// when the terms ended while nobody swept, as when the clock is turned on: then only the sweep
// after the next one takes it.
func TestWhatIsPastItsTermGoesByItself(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("first.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"unknown.jpg", jpg(t, 3)}))
	l.applied(l.planned(lot.ID, "after"))
	l.post(fmt.Sprintf("/api/v1/lots/%d/finish", lot.ID), nil, nil)
	l.sweeps("orphans")
	l.hold(l.finding("unknown.jpg"))
	due := func(changes ...string) (files int) {
		for _, change := range append(changes, `update upkeep_setting set next_sweep = now(), purge_share = 100`) {
			_, err := testdb.Pool(l.Store).Exec(t.Context(), change)
			l.do(err)
		}
		l.do(l.Runner.Upkeeper.Due(t.Context()))
		l.until("the timetable's runs to end", func() bool { return !l.busy() })
		l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from file where path = 'unknown.jpg'`).Scan(&files))
		return files
	}
	if due() != 1 {
		t.Error("it went before its term")
	}
	if due(`update holding set until = now() - interval '300 days'`, `update sweep set ended_at = now() - interval '1 year'`) != 1 {
		t.Error("it went at the first sweep after a year")
	}
	if due() != 0 {
		t.Error("it did not go by itself")
	}
	if by := strings.TrimSpace(l.text(`select string_agg(actor_name(actor_id) || ' ' || files, ', ') from receipt`)); by != "timetable 1" {
		t.Errorf("the receipts: %q", by)
	}
}
