package app

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
	"ambrosa/internal/api"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// decided decides on a file as it is now.
func (l *line) decided(lot int64, path string, what map[string]any) {
	l.t.Helper()
	f := l.file(lot, path)
	what["version"] = f.Version
	l.post(fmt.Sprintf("/api/v1/files/%d/decision", f.ID), what, nil)
}

// wouldShow returns what a plan says that its products will show, by code.
func (l *line) wouldShow(id int64) map[string]string {
	l.t.Helper()
	var page struct {
		Items []struct {
			Code    string
			LeftOut bool
			Targets []struct{ After []plan.Entry }
		}
	}
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/plans/%d/changes?limit=100", id), &page))
	shows := map[string]string{}
	for _, p := range page.Items {
		if p.LeftOut {
			continue
		}
		var files []string
		for _, target := range p.Targets {
			for _, e := range target.After {
				files = append(files, fmt.Sprint(e.File))
			}
		}
		shows[p.Code] = strings.Join(files, " ")
	}
	return shows
}

// TestADraftDoesNotOutliveDecisions plans a lot, decides otherwise in every way,
// and applies the stored draft: it is made again and shown, and only then applied.
func TestADraftDoesNotOutliveDecisions(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(5)
	lot := l.gathered("lot.zip", zipped(
		t,
		entry{"AT-000-A_1.jpg", jpg(t, 1)},
		entry{"AT-000-A_2.jpg", jpg(t, 2)},
		entry{
			"AT-001-A_1.jpg",
			jpg(t, 3),
		},
		entry{"AT-002-A_1.jpg", jpg(t, 4)},
		entry{"AT-003-A_1.jpg", jpg(t, 5)},
		entry{"fog.jpg", jpg(t, 6)},
	)).ID
	product, variant := l.target("AT-004-A")
	third, _ := l.target("AT-003-A")
	for _, c := range []struct {
		name   string
		change func()
		remade plan.Remade
	}{
		{"set aside", func() { l.decided(lot, "AT-001-A_1.jpg", map[string]any{"verdict": "set aside", "reason": "no"}) }, plan.Remade{Gone: 1}},
		{"paired elsewhere", func() {
			l.decided(lot, "AT-002-A_1.jpg", map[string]any{"verdict": "paired", "target": catalog.TargetOf(product, variant)})
		}, plan.Remade{Gone: 1, Fresh: 1}},
		{"another place", func() {
			own, a := l.target("AT-000-A")
			l.decided(lot, "AT-000-A_1.jpg", map[string]any{"verdict": "paired", "target": catalog.TargetOf(own, a), "place": 3})
		}, plan.Remade{Changed: 1}},
		{"several at once", func() {
			l.together(lot, map[string]any{"do": "pair", "files": l.chosen(lot, "fog.jpg"), "target": catalog.TargetOf(product, variant),
				"reason": "seen"})
		}, plan.Remade{Changed: 1}},
		{"an order by hand", func() {
			_, a := l.target("AT-000-A")
			order := []plan.Ref{{File: l.file(lot, "AT-000-A_1.jpg").ID}, {File: l.file(lot, "AT-000-A_2.jpg").ID}}
			l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/lots/%d/order", lot), map[string]any{"target": catalog.Variant(a), "pictures": order}, nil))
		}, plan.Remade{Changed: 1}},
	} {
		id := l.planned(lot, "instead")
		l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/plans/%d/changes/product/%d", id, third), map[string]any{"way": "", "leftOut": true}, nil))
		c.change()
		if p := l.plan(id); !p.Outdated {
			t.Errorf("%s: the plan does not say that it is overtaken", c.name)
		}
		if said := l.refused(l.Apply(t.Context(), id), http.StatusConflict); !strings.Contains(said, "made again") {
			t.Errorf("%s: %s", c.name, said)
		}
		p := l.plan(id)
		if got := (plan.Remade{Changed: p.RemadeChanged, Fresh: p.RemadeFresh, Gone: p.RemadeGone}); got != c.remade || p.Outdated ||
			p.State != "draft" ||
			len(l.standing()) != 0 {
			t.Errorf("%s: %+v, expected %+v; outdated %t, %s", c.name, got, c.remade, p.Outdated, p.State)
		}
		if p.LeftOut != 1 || p.Way != "instead" {
			t.Errorf("%s: what was chosen is gone: %+v", c.name, p)
		}
	}
	// Taken back before it is applied, a decision leaves the plan as it was shown.
	id := l.planned(lot, "")
	f := l.file(lot, "fog.jpg")
	var answer struct{ Undo int64 }
	l.post(fmt.Sprintf("/api/v1/files/%d/decision", f.ID), map[string]any{"verdict": "set aside", "version": f.Version}, &answer)
	l.tookBack(answer.Undo)
	shown := l.wouldShow(id)
	l.applied(id)
	if got := l.shows("AT-000") + ", " + l.shows("AT-001") + ", " + l.shows("AT-003") + ", " + l.shows("AT-004"); got != "AT-000-A_1.jpg "+
		"AT-000-A_2.jpg, , , AT-002-A_1.jpg fog.jpg" &&
		got != "AT-000-A_1.jpg AT-000-A_2.jpg, , , fog.jpg AT-002-A_1.jpg" {
		t.Errorf("%s; shown was %v", got, shown)
	}
	// What was applied can be corrected, by a plan of its own: until then it stands.
	l.post(fmt.Sprintf("/api/v1/files/%d/decision", f.ID), map[string]any{"verdict": "set aside", "version": f.Version}, nil)
	if got := l.shows("AT-004"); !strings.Contains(got, "fog.jpg") {
		t.Errorf("before the correction is applied: %s", got)
	}
	l.applied(l.planned(lot, ""))
	if got := l.shows("AT-004"); got != "AT-002-A_1.jpg" {
		t.Errorf("corrected: %s", got)
	}
}

// TestAPlanIsAppliedAsItWasSeen has two people look at one plan: what one of
// them changes, the other does not apply unseen.
func TestAPlanIsAppliedAsItWasSeen(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("lot.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A_1.jpg", jpg(t, 2)})).ID
	id := l.planned(lot, "after")
	seen := l.plan(id).Revision
	l.planned(lot, "instead")
	apply := func(revision int) error {
		return l.Post(t.Context(), fmt.Sprintf("/api/v1/plans/%d/apply", id), map[string]int{"revision": revision}, nil)
	}
	l.refused(apply(seen), http.StatusConflict)
	l.refused(apply(0), http.StatusUnprocessableEntity)
	if len(l.standing()) != 0 || l.plan(id).State != "draft" {
		t.Errorf("%v, %+v", l.standing(), l.plan(id))
	}
	now := l.plan(id).Revision
	l.do(apply(now))
	l.refused(apply(now), http.StatusConflict)
	l.until("the plan to be applied", func() bool { return l.plan(id).State == "applied" && l.idle(id) })
	applied := *l.plan(id).AppliedAt
	// One product is taken back: the time of applying stays, and the run says which.
	product, _ := l.target("AT-001-A")
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert?owner=%d", id, product), nil, nil)
	l.until("one product to be taken back", func() bool { return l.shows("AT-001") == "" && l.idle(id) })
	if p := l.plan(id); !p.AppliedAt.Equal(applied) || p.Applied != 1 {
		t.Errorf("applied at %v, was %v; %d products", p.AppliedAt, applied, p.Applied)
	}
	var runs struct{ Items []store.Run }
	l.do(l.Get(t.Context(), "/api/v1/runs", &runs))
	if m := runs.Items[0].Message; !strings.Contains(m, "AT-001") {
		t.Errorf("the run says %q", m)
	}
}

// TestAProductThatChangesWhileAPlanIsApplied is left alone, said, planned again,
// looked at, and applied.
func TestAProductThatChangesWhileAPlanIsApplied(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	first := l.gathered(
		"first.zip",
		zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A_1.jpg", jpg(t, 2)}, entry{"AT-001-A_2.jpg", jpg(t, 3)}),
	)
	l.applied(l.planned(first.ID, "after"))
	before := l.standing()
	second := l.gathered("second.zip", zipped(t, entry{"AT-000-A_3.jpg", jpg(t, 4)}, entry{"AT-001-A_3.jpg", jpg(t, 5)}))
	id := l.planned(second.ID, "before")
	hand := l.swapFirstTwo("AT-001")
	l.refused(l.Apply(t.Context(), id), http.StatusConflict) // what had changed before is planned again at once
	if p := l.plan(id); p.RemadeChanged != 1 || p.Outdated {
		t.Errorf("%+v", p)
	}
	hold, err := testdb.Pool(l.Store).Begin(t.Context())
	l.do(err)
	_, err = hold.Exec(t.Context(), `select from product where code = 'AT-000' for update`)
	l.do(err)
	l.do(l.Apply(t.Context(), id))
	again := l.swapFirstTwo("AT-001")
	l.do(hold.Rollback(t.Context()))
	l.until("the run to end", func() bool { return l.idle(id) && l.plan(id).State == "applied" })
	if p := l.plan(id); p.Applied != 1 || p.Stale != 1 || p.Planned != 0 {
		t.Fatalf("%+v", p)
	}
	l.post(fmt.Sprintf("/api/v1/plans/%d/replan", id), nil, nil)
	if p := l.plan(id); p.Planned != 1 || p.Stale != 0 || p.State != "applied" {
		t.Errorf("planned again: %+v", p)
	}
	if shown := l.shows("AT-001"); shown != "AT-001-A_1.jpg AT-001-A_2.jpg" {
		t.Errorf("before it is looked at, the product shows %s", shown)
	}
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/plans/%d/replan", id), nil, nil), http.StatusConflict)
	l.applied(id)
	if shown := l.shows("AT-001"); shown != "AT-001-A_3.jpg AT-001-A_1.jpg AT-001-A_2.jpg" {
		t.Errorf("planned again, the product shows %s", shown)
	}
	l.refused(l.Apply(t.Context(), id), http.StatusConflict)
	l.reverted(id)
	l.reverted(again)
	l.reverted(hand)
	if after := l.standing(); !slices.Equal(after, before) {
		t.Errorf("before:\n%s\nafter:\n%s", strings.Join(before, "\n"), strings.Join(after, "\n"))
	}
}

// TestThePreviewIsThePlans shows on the bench what the plan will do, in its way
// and with its lots.
func TestThePreviewIsThePlans(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	l.applied(l.planned(l.gathered("old.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)})).ID, "after"))
	one := l.gathered("one.zip", zipped(t, entry{"AT-000-A_2.jpg", jpg(t, 2)})).ID
	two := l.gathered("two.zip", zipped(t, entry{"AT-000-A_3.jpg", jpg(t, 3)})).ID
	product, _ := l.target("AT-000-A")
	will := func(lot int64) string {
		var p struct {
			Way     string
			LeftOut bool
			Lots    []store.PlanLot
			Targets []struct{ After []plan.Entry }
		}
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/product/%d/preview", lot, product), &p))
		return fmt.Sprintf("%d by %d lots %s, left out %t", len(p.Targets[0].After), len(p.Lots), p.Way, p.LeftOut)
	}
	if got := will(one); got != "2 by 1 lots after, left out false" {
		t.Error(got)
	}
	var made struct{ ID int64 }
	l.post("/api/v1/plans", map[string]any{"lots": []int64{one, two}, "way": "instead"}, &made)
	if got := will(one); got != "2 by 2 lots instead, left out false" {
		t.Error(got)
	}
	own := func(body map[string]any) {
		l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/plans/%d/changes/product/%d", made.ID, product), body, nil))
	}
	own(map[string]any{"way": "before", "leftOut": false})
	if got := will(two); got != "3 by 2 lots before, left out false" {
		t.Error(got)
	}
	own(map[string]any{"way": "", "leftOut": true})
	if got := will(two); got != "1 by 2 lots instead, left out true" {
		t.Error(got)
	}
}

// person is somebody who looks, and acts on what they saw.
type person struct {
	plan     int64
	revision int
	shown    map[string]string
	files    map[int64]int // versions
}

// TestTwoPeopleAndAModel lets two people decide, plan, apply and revert at random
// on what each of them saw last, and holds what stands against what was shown to
// whoever applied it.
func TestTwoPeopleAndAModel(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	var entries []entry
	for i := range 8 {
		entries = append(entries, entry{fmt.Sprintf("AT-00%d-A_%d.jpg", i%4, i/4+1), jpg(t, i)})
	}
	lots := []int64{l.gathered("one.zip", zipped(t, entries[:5]...)).ID, l.gathered("two.zip", zipped(t, entries[5:]...)).ID}
	var ids []int64
	lotOf := map[int64]int64{}
	for _, lot := range lots {
		var page struct{ Items []api.File }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/files?limit=50", lot), &page))
		for _, f := range page.Items {
			ids, lotOf[f.ID] = append(ids, f.ID), lot
		}
	}
	type target struct{ product, variant int64 }
	var targets []target
	for i := range 4 {
		p, v := l.target(fmt.Sprintf("AT-00%d-A", i))
		targets = append(targets, target{p, v})
	}
	model := map[string]string{} // files by product, as they must stand
	var history []map[string]string
	var applied []int64
	r := rand.New(rand.NewPCG(8, 1))
	people := []*person{{files: map[int64]int{}}, {files: map[int64]int{}}}
	look := func(p *person) {
		for _, id := range ids {
			var f store.File
			l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d", id), &f))
			p.files[id] = f.Version
		}
		if p.plan != 0 {
			var found store.Plan
			if l.Get(t.Context(), fmt.Sprintf("/api/v1/plans/%d", p.plan), &found) != nil {
				p.plan = 0
				return
			}
			p.revision, p.shown = found.Revision, l.wouldShow(p.plan)
		}
	}
	look(people[0])
	look(people[1])
	counts := map[string]int{}
	for step := range 400 {
		who := people[r.IntN(2)]
		what := ""
		switch n := r.IntN(20); {
		case n < 9: // decide, on the file as it was seen
			id := ids[r.IntN(len(ids))]
			to := targets[r.IntN(len(targets))]
			body := map[string]any{
				"verdict": "paired",
				"target":  catalog.TargetOf(to.product, to.variant),
				"place":   r.IntN(4),
				"version": who.files[id],
			}
			if r.IntN(3) == 0 {
				body = map[string]any{"verdict": "set aside", "reason": "x", "version": who.files[id]}
			}
			what = outcome("decide", l.Post(t.Context(), fmt.Sprintf("/api/v1/files/%d/decision", id), body, nil))
		case n < 13:
			of := lots[:1+r.IntN(2)]
			var made struct{ ID int64 }
			err := l.Post(t.Context(), "/api/v1/plans", map[string]any{"lots": of, "way": plan.Ways[r.IntN(3)]}, &made)
			what = outcome("plan", err)
			if err == nil {
				who.plan = made.ID
				look(who)
			}
		case n < 17 && who.plan != 0:
			err := l.Post(t.Context(), fmt.Sprintf("/api/v1/plans/%d/apply", who.plan), map[string]int{"revision": who.revision}, nil)
			what = outcome("apply", err)
			if err == nil {
				l.until("the plan to be applied", func() bool { return l.idle(who.plan) })
				history, applied = append(history, maps.Clone(model)), append(applied, who.plan)
				for code, files := range who.shown {
					model[code] = files
				}
			}
		case n < 19 && len(applied) > 0: // the last first, so that it goes back exactly
			last := len(applied) - 1
			err := l.Post(t.Context(), fmt.Sprintf("/api/v1/plans/%d/revert", applied[last]), nil, nil)
			what = outcome("revert", err)
			l.until("the plan to be reverted", func() bool { return l.idle(applied[last]) })
			model, history, applied = history[last], history[:last], applied[:last]
		default:
			look(who)
		}
		counts[what]++
		if stands := l.stands(); !equal(stands, model) {
			t.Fatalf("step %d, %s: stands %v, expected %v", step, what, stands, model)
		}
		wrong := 0
		l.do(
			testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from placement pl join file f on f.id = pl.file_id
				where not exists (select from settled s where s.file_id = f.id and s.ended_by is null
					and s.product_id = pl.product_id and s.variant_id is not distinct from pl.variant_id)`).
				Scan(&wrong),
		)
		if wrong > 0 {
			t.Fatalf("step %d, %s: %d pictures stand where no plan settled them", step, what, wrong)
		}
	}
	for _, needed := range []string{"decide", "decide refused", "plan", "apply", "apply refused", "revert"} {
		if counts[needed] < 3 {
			t.Errorf("%s happened %d times: %v", needed, counts[needed], counts)
		}
	}
}

func outcome(what string, err error) string {
	if err != nil {
		what += " refused"
	}
	return what
}

func equal(a, b map[string]string) bool {
	for _, m := range []map[string]string{a, b} {
		for code := range m {
			if a[code] != b[code] {
				return false
			}
		}
	}
	return true
}

// stands returns the files that stand on products, by code, in order.
func (l *line) stands() map[string]string {
	l.t.Helper()
	stands := map[string]string{}
	var code, files string
	rows, err := testdb.Pool(l.Store).Query(
		l.t.Context(),
		`select p.code, string_agg(pl.file_id::text, ' ' order by pl.variant_id nulls first, pl.place) from placement pl
			join product p on p.id = pl.product_id group by p.code`,
	)
	l.do(err)
	for rows.Next() {
		l.do(rows.Scan(&code, &files))
		stands[code] = files
	}
	l.do(rows.Err())
	return stands
}
