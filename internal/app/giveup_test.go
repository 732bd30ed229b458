package app

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/internal/store"
)

// TestALotThatIsGivenUp is hidden everywhere, loses nothing, and comes back as it
// was; one that is applied is not given up.
func TestALotThatIsGivenUp(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"fog.jpg", jpg(t, 2)})).ID
	path := fmt.Sprintf("/api/v1/lots/%d", lot)
	id := l.planned(lot, "after")
	seen := l.file(lot, "fog.jpg")
	l.post(path+"/give-up", nil, nil)
	l.refused(l.Post(t.Context(), path+"/give-up", nil, nil), http.StatusConflict)
	var waiting store.Waiting
	l.do(l.Get(t.Context(), "/api/v1/waiting", &waiting))
	var lots, gone struct{ Items []store.Lot }
	l.do(l.Get(t.Context(), "/api/v1/lots", &lots))
	l.do(l.Get(t.Context(), "/api/v1/given-up", &gone))
	if waiting.Undecided+waiting.Plans != 0 || len(lots.Items) != 0 || len(gone.Items) != 1 || gone.Items[0].Files != 2 {
		t.Errorf("waiting %+v, lots %d, given up %+v", waiting, len(lots.Items), gone.Items)
	}
	l.refused(
		l.Post(
			t.Context(),
			fmt.Sprintf("/api/v1/files/%d/decision", seen.ID),
			map[string]any{"verdict": "set aside", "version": seen.Version},
			nil,
		),
		http.StatusConflict,
	)
	l.refused(l.Apply(t.Context(), id), http.StatusNotFound)
	l.refused(l.Post(t.Context(), path+"/plan", map[string]string{"way": ""}, nil), http.StatusConflict)
	l.post(path+"/restore", nil, nil)
	l.refused(l.Post(t.Context(), path+"/restore", nil, nil), http.StatusConflict)
	if f := l.file(lot, "fog.jpg"); f.Version != seen.Version || f.Verdict != "loose" {
		t.Errorf("%+v", f)
	}
	applied := l.planned(lot, "after")
	l.applied(applied)
	l.post(path+"/finish", nil, nil)
	l.refused(l.Post(t.Context(), path+"/give-up", nil, nil), http.StatusConflict)
	l.reverted(applied)
	l.post(path+"/give-up", nil, nil)

	// Once its files are purged, there is nothing that could come back.
	l.lapsed()
	l.sweeps("orphans")
	l.purged(2, l.hold(l.findings("orphans")...).Holding)
	if said := l.refused(l.Post(t.Context(), path+"/restore", nil, nil), http.StatusConflict); !strings.Contains(said, "were purged") {
		t.Errorf("restored without its files: %s", said)
	}
	// One that never had any is not one whose files were purged.
	bare := fmt.Sprintf("/api/v1/lots/%d", l.gathered("bare.zip", zipped(t)).ID)
	l.post(bare+"/give-up", nil, nil)
	l.post(bare+"/restore", nil, nil)
}

// TestAnUploadThatNeverArrivesIsGivenUp goes on with what is here, and gives a lot
// up that nothing came for; one restored waits again.
func TestAnUploadThatNeverArrivesIsGivenUp(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	var made struct{ ID int64 }
	l.post("/api/v1/lots", map[string]any{"name": "two", "uploads": 2}, &made)
	content := zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})
	l.do(l.Upload(t.Context(), made.ID, "here.zip", bytes.NewReader(content), int64(len(content))))
	location, err := l.Begin(t.Context(), made.ID, "never.zip", 100)
	l.do(err)
	path := fmt.Sprintf("/api/v1/lots/%d", made.ID)
	l.post(path+"/close", nil, nil)
	l.refused(l.Append(t.Context(), location, 0, []byte("late")), http.StatusNotFound)
	l.until("the lot to be read", func() bool {
		var lot store.Lot
		l.do(l.Get(t.Context(), path, &lot))
		return lot.State == "ready" && lot.Paired == 1
	})
	l.post("/api/v1/lots", map[string]any{"name": "empty", "uploads": 1}, &made)
	path = fmt.Sprintf("/api/v1/lots/%d", made.ID)
	l.post(path+"/give-up", nil, nil)
	_, err = l.Begin(t.Context(), made.ID, "late.zip", int64(len(content)))
	l.refused(err, http.StatusConflict)
	l.post(path+"/restore", nil, nil)
	l.do(l.Upload(t.Context(), made.ID, "late.zip", bytes.NewReader(content), int64(len(content))))
	l.until("the lot to be read", func() bool {
		var lot store.Lot
		l.do(l.Get(t.Context(), path, &lot))
		return lot.State == "ready"
	})
}
