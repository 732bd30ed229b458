package app

import (
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"ambrosa/core/identity"
	"ambrosa/internal/importing"
)

// TestWhatAProgramImportsIsASheet sends products as a program does: they are a sheet with rows and verdicts, the record says which
// products were changed, the same again changes nothing, and the import is taken back.
func TestWhatAProgramImportsIsASheet(t *testing.T) {
	t.Parallel()
	l := start(t)
	ctx := t.Context()
	send := func(name, content string) (taken importing.Taken) {
		t.Helper()
		l.do(l.Call(ctx, http.MethodPost, "/api/v1/products/import?name="+name, "text/csv", strings.NewReader(content), &taken))
		return taken
	}
	const rows = "sku,product,title,gtin,Colour\nAT-1,AT,Lamp,4006381333931,red\nAT-2,AT,Lamp,4006381333932,blue\nAT-3,AT,Lamp,,green\n"
	taken := send("erp.csv", rows)
	if taken.Rows != 3 || taken.Created != 3 || taken.Products != 1 || taken.Refused != 0 || len(taken.Problems) != 1 ||
		taken.Problems[0].Row != 3 || !taken.Problems[0].Kept {
		t.Errorf("%+v", taken)
	}
	var sheet struct {
		Name, State string
		Importing   bool
		Totals      struct{ Verdicts map[string]int }
	}
	l.do(l.Get(ctx, fmt.Sprintf("/api/v1/sheets/%d", taken.Sheet), &sheet))
	if sheet.Name != "erp.csv" || sheet.State != "open" || sheet.Importing || sheet.Totals.Verdicts["same"] != 3 ||
		sheet.Totals.Verdicts["refused"] != 0 {
		t.Errorf("%+v", sheet)
	}
	product := l.product("AT-1")
	told := l.text(fmt.Sprintf(`select r.action from record r join record_subject s on s.record_id = r.id
		where s.kind = 'product' and s.subject_id = %d`, product.ID))
	if strings.TrimSpace(told) != string(identity.ProductImport) {
		t.Errorf("the record says %q of the product", told)
	}
	if again := send("erp.csv", rows); again.Import != 0 || again.Unchanged != 3 || again.Created+again.Updated != 0 {
		t.Errorf("again: %+v", again)
	}
	changed := send("erp.csv", "sku,title\nAT-1,Table lamp\n")
	if changed.Updated != 1 {
		t.Errorf("changed: %+v", changed)
	}
	l.post(fmt.Sprintf("/api/v1/imports/%d/revert", changed.Import), nil, nil)
	l.until("the title to be as it was", func() bool {
		return strings.TrimSpace(l.text("select title from variant where sku = 'AT-1'")) == "Lamp"
	})

	// Nothing is imported of what cannot be read whole.
	l.refused(l.Call(ctx, http.MethodPost, "/api/v1/products/import", "text/csv",
		strings.NewReader("sku,title\nNEW-1,x\nNEW-2,\""+strings.Repeat("x", 9<<20)), nil), http.StatusUnprocessableEntity)
	if n := strings.TrimSpace(l.text("select count(*)::text from variant where sku like 'NEW%'")); n != "0" {
		t.Errorf("%s variants of a sheet that breaks off", n)
	}
}

// TestTheSameImportAtOnce sends the same products four times at once: each variant is added once, nothing fails, and every import that
// added something can be reverted.
func TestTheSameImportAtOnce(t *testing.T) {
	t.Parallel()
	l := start(t)
	var rows strings.Builder
	rows.WriteString("sku,product,title,category\n")
	for n := range 3_000 {
		fmt.Fprintf(&rows, "S-%04d,P-%d,Thing %d,Goods / %d\n", n, n/3, n/3, n/3%40)
	}
	var group sync.WaitGroup
	sent := make([]importing.Taken, 4)
	for i := range sent {
		group.Go(func() {
			if err := l.Call(t.Context(), http.MethodPost, "/api/v1/products/import", "text/csv", strings.NewReader(rows.String()),
				&sent[i]); err != nil {
				t.Error(err)
			}
		})
	}
	group.Wait()
	created := 0
	for _, taken := range sent {
		created += taken.Created
		if taken.Rows != 3_000 || taken.Created+taken.Unchanged+taken.Overtaken != 3_000 {
			t.Errorf("%+v", taken)
		}
	}
	count := func() string { return strings.TrimSpace(l.text("select count(*)::text from variant")) }
	if created != 3_000 || count() != "3000" {
		t.Errorf("%d rows added variants, %s variants", created, count())
	}
	for _, taken := range sent {
		if taken.Created > 0 {
			l.post(fmt.Sprintf("/api/v1/imports/%d/revert", taken.Import), nil, nil)
		}
	}
	l.until("no variant to be left", func() bool { return count() == "0" })
}

// TestARightIsTakenAway lets a person begin a run that they may not go on with: it stops with a sentence, and what they ask for
// then is refused in words.
func TestARightIsTakenAway(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("three.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)},
		entry{"AT-001-A.jpg", jpg(t, 2)}, entry{"AT-002-A.jpg", jpg(t, 3)}))
	planned := l.planned(lot.ID, "after")
	var plan struct {
		ID       int64
		Revision int
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/plans/%d", planned), &plan))
	l.Store.Judge(func(who identity.Actor, action identity.Action) error {
		if who.Kind == identity.Person && action == identity.PicturesPlace {
			return identity.Refused{Who: who, Action: action}
		}
		return identity.May(who, action)
	})
	l.post(fmt.Sprintf("/api/v1/plans/%d/apply", plan.ID), map[string]any{"revision": plan.Revision}, nil)
	l.until("the run to stop", func() bool {
		return strings.TrimSpace(l.text("select state from run where kind = 'apply'")) == "failed"
	})
	if said := l.text("select message from run where kind = 'apply'"); !strings.Contains(said, "specialist may not do this any more") {
		t.Errorf("it says %q", said)
	}
	if n := strings.TrimSpace(l.text("select count(*)::text from placement")); n != "0" {
		t.Errorf("%s pictures were placed", n)
	}
	l.Store.Judge(func(who identity.Actor, action identity.Action) error {
		return identity.Refused{Who: who, Action: action}
	})
	if said := l.refused(l.Post(t.Context(), "/api/v1/lots", map[string]any{"name": "x", "uploads": 1}, nil),
		http.StatusForbidden); !strings.Contains(said, "specialist may not do this") {
		t.Error(said)
	}
	l.Store.Judge(nil)
	run := strings.TrimSpace(l.text("select id::text from run where kind = 'apply'"))
	l.post("/api/v1/runs/"+run+"/resume", nil, nil)
	l.until("the pictures to stand", func() bool { return strings.TrimSpace(l.text("select count(*)::text from placement")) == "3" })
}
