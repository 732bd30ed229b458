package receiving

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"ambrosa/core/identity"
	"ambrosa/core/rights"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestALotArrives opens a lot for two uploads: it is examined when the last one has come, and not before; what would take more
// room than there is does not begin.
func TestALotArrives(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	runs := &testdb.Runs{}
	r := &Receiver{Store: s, Runs: runs, Pending: 1000}
	ctx, who := t.Context(), identity.Specialist
	lot, err := r.Open(ctx, who, store.NewLot{Name: "Spring", Origin: "upload", Uploads: 2})
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range []string{"one", "two"} {
		if err := r.Begin(ctx, who, store.Upload{ID: id, LotID: lot, Path: id + ".zip", Bytes: 400}); err != nil {
			t.Fatal(err)
		}
	}
	if err := r.Begin(ctx, who, store.Upload{ID: "three", LotID: lot, Path: "three.zip", Bytes: 400}); err == nil {
		t.Error("it has room for more than it has")
	}
	if err := r.Finish(ctx, who, "one"); err != nil || len(runs.Asked) != 0 {
		t.Errorf("half: %v, %v", err, runs.Asked)
	}
	if err := r.Finish(ctx, who, "two"); err != nil || !slices.Equal(runs.Asked, []string{"examine"}) {
		t.Errorf("whole: %v, %v", err, runs.Asked)
	}
}

// TestALotIsDiscardedAndRestored hides a lot and brings it back.
func TestALotIsDiscardedAndRestored(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 1)
	lot, _ := testdb.Lot(t, s, 1)
	r := &Receiver{Store: s, Runs: &testdb.Runs{}}
	ctx, who := t.Context(), identity.Specialist
	state := func() string { return testdb.One[string](t, s, `select state from lot where id = $1`, lot) }
	if err := r.GiveUp(ctx, who, lot); err != nil || state() != "given up" {
		t.Fatalf("%v: %s", err, state())
	}
	if err := r.GiveUp(ctx, who, lot); !errors.Is(err, store.ErrChanged) {
		t.Errorf("twice: %v", err)
	}
	if err := r.Restore(ctx, who, lot); err != nil || state() != "ready" {
		t.Errorf("%v: %s", err, state())
	}
	if want := []identity.Action{identity.LotRestore, identity.LotDiscard}; !slices.Equal(testdb.Recorded(t, s, 5), want) {
		t.Errorf("recorded: %v", testdb.Recorded(t, s, 5))
	}
}

// TestRightsAreGivenAsTheyWereSeen gives files rights by the stamp of those that they had.
func TestRightsAreGivenAsTheyWereSeen(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 1)
	lot, files := testdb.Lot(t, s, 1, 0)
	r := &Receiver{Store: s, Runs: &testdb.Runs{}}
	ctx, who := t.Context(), identity.Specialist
	had, err := s.RightsHave(ctx, lot, 0, store.FileFilter{})
	if err != nil || had.Files != 2 || had.Cleared+had.Restricted+had.Unknown != 2 {
		t.Fatalf("%+v, %v", had, err)
	}
	is := rights.Rights{State: rights.Restricted, Licence: "print only"}
	if n, err := r.SetRights(ctx, who, lot, files[0], store.FileFilter{}, is, ""); err != nil || n != 1 {
		t.Errorf("one: %d, %v", n, err)
	}
	if _, err := r.SetRights(ctx, who, lot, 0, store.FileFilter{}, is, had.Stamp); !errors.Is(err, store.ErrChanged) {
		t.Errorf("as they were before: %v", err)
	}
	now, err := s.RightsHave(ctx, lot, 0, store.FileFilter{})
	if err != nil || now.Stamp == had.Stamp || now.Restricted != 1 {
		t.Fatalf("%+v, %v", now, err)
	}
	if n, err := r.SetRights(ctx, who, lot, 0, store.FileFilter{Verdict: "loose"}, is, ""); err != nil || n != 1 {
		t.Errorf("by a filter: %d, %v", n, err)
	}
}

// TestALinkTakesWhatItMay hands files in through a supplier's link: no more than it takes, and nothing when it has ended.
func TestALinkTakesWhatItMay(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	r := &Receiver{Store: s, Runs: &testdb.Runs{}, Pending: 1 << 20}
	ctx := t.Context()
	ends := time.Now().Add(time.Hour)
	link := store.SupplierLink{ID: 1, Supplier: "Apigrund", State: "open", Expires: ends, MaxFiles: 1}
	testdb.Exec(t, s, `insert into supplier_link (supplier, token, expires_at, max_files, max_bytes)
		values ('Apigrund', 'x', $1, 1, 1000000)`, ends)
	var closed LinkClosed
	for state, says := range map[string]string{"revoked": "closed by those", "expired": "ended on"} {
		gone := link
		gone.State = state
		if err := open(gone); !errors.As(err, &closed) || !strings.Contains(closed.Reason, says) {
			t.Errorf("%s: %v", state, err)
		}
	}
	lot, err := r.HandIn(ctx, link, 1)
	if err != nil || lot == 0 {
		t.Fatalf("%d, %v", lot, err)
	}
	lines, err := s.Record(ctx, store.RecordFilter{Limit: 1})
	if err != nil || lines[0].Who.Kind != identity.Supplier || lines[0].Who.Name != "Apigrund" {
		t.Errorf("%+v, %v", lines, err)
	}
}
