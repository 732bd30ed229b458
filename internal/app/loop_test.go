package app

import (
	"fmt"
	"net/http"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
)

// TestTheDailyLoop decides, applies, notices wrong pictures and a set shot, corrects them, moves a picture by hand, and
// finishes the lot, as a person does by the API.
func TestTheDailyLoop(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	of := l.gathered("studio.zip", zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-001-A_1.jpg", jpg(t, 2)},
		entry{"AT-001-A_2.jpg", jpg(t, 3)}, entry{"AT-002-A and AT-003-A.jpg", jpg(t, 4)}, entry{"group.jpg", jpg(t, 5)})).ID
	lotPath := fmt.Sprintf("/api/v1/lots/%d", of)
	l.refused(l.Post(t.Context(), lotPath+"/reopen", nil, nil), http.StatusConflict)
	first := l.planned(of, "after")
	l.applied(first)
	if now := l.lotNow(of); now.State != lot.Ready || now.Placed != 3 || now.Contested+now.Loose != 2 || now.Unplanned {
		t.Fatalf("applied in part: %+v", now)
	}

	// The set shot is of both products that its name tells, and of a third.
	set := l.file(of, "AT-002-A and AT-003-A.jpg")
	third, _ := l.target("AT-000-A")
	var detail struct {
		Candidates []struct{ Product, Variant int64 }
		Others     []struct{ Code string }
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d", set.ID), &detail))
	if len(detail.Candidates) != 2 {
		t.Fatalf("candidates: %+v", detail.Candidates)
	}
	a, b := detail.Candidates[0], detail.Candidates[1]
	l.decided(of, "AT-002-A and AT-003-A.jpg", map[string]any{"verdict": "paired", "target": catalog.TargetOf(a.Product, a.Variant),
		"others": []catalog.Target{catalog.TargetOf(b.Product, b.Variant), catalog.Product(third)}})
	// One picture shows another product than its name says.
	wrong, variant := l.target("AT-003-A")
	l.decided(of, "AT-001-A_2.jpg", map[string]any{"verdict": "paired", "target": catalog.TargetOf(wrong, variant)})
	second := l.planned(of, "")
	if p := l.plan(second); p.Products != 4 || p.Added != 4 || p.Removed != 1 {
		t.Errorf("the second plan: %+v", p)
	}
	before := l.standing()
	l.applied(second)
	if got := l.shows("AT-001") + "; " + l.shows("AT-002") + "; " + l.shows("AT-003"); got !=
		"AT-001-A_1.jpg; AT-002-A; AT-001-A_2.jpg AT-002-A" { // a text's first word
		t.Errorf("corrected: %s", got)
	}
	l.references("after the correction")
	l.reverted(second)
	if after := l.standing(); fmt.Sprint(after) != fmt.Sprint(before) {
		t.Errorf("reverted:\n%v\nbefore:\n%v", after, before)
	}
	l.applied(l.planned(of, ""))

	// A picture is moved by hand, by somebody who saw it where it was.
	var page struct {
		PictureList []struct{ ID, File int64 }
	}
	one, _ := l.target("AT-001-A")
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/products/%d", one), &page))
	move := map[string]any{"pictures": []int64{page.PictureList[0].ID}, "to": catalog.Product(third)}
	var done struct {
		Plan int64
		plan.Transferred
	}
	l.post("/api/v1/pictures/transfer", move, &done)
	if done.Moved != 1 || l.shows("AT-001") != "" {
		t.Errorf("moved: %+v, left is %s", done, l.shows("AT-001"))
	}
	l.refused(l.Post(t.Context(), "/api/v1/pictures/transfer", move, nil), http.StatusConflict)
	l.refused(l.Post(t.Context(), "/api/v1/pictures/transfer", map[string]any{"pictures": []int64{page.PictureList[0].ID},
		"to": catalog.Product(9999)}, nil), http.StatusNotFound)
	l.reverted(done.Plan)
	if l.shows("AT-001") != "AT-001-A_1.jpg" {
		t.Errorf("the move reverted: %s", l.shows("AT-001"))
	}

	// The lot is finished with one undecided file, and opened again by a decision.
	l.post(lotPath+"/finish", nil, nil)
	l.refused(l.Post(t.Context(), lotPath+"/finish", nil, nil), http.StatusConflict)
	l.post(lotPath+"/reopen", nil, nil)
	l.post(lotPath+"/finish", nil, nil)
	l.decided(of, "group.jpg", map[string]any{"verdict": "set aside", "reason": "nobody knows"})
	if now := l.lotNow(of); now.State != lot.Ready {
		t.Errorf("after a decision the lot is %s", now.State)
	}
	l.references("at the end")
}
