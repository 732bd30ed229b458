package deciding

import (
	"context"
	"errors"
	"slices"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// engine notes which lots were read again.
type engine struct{ read []int64 }

func (e *engine) ReadLot(_ context.Context, lot int64, _ func(done, total int64)) error {
	e.read = append(e.read, lot)
	return nil
}

// TestDecidingIsSeenAndTakenBack decides on a file as it was seen: a stale sight is refused, what was decided is taken back, and a
// file that somebody decided on since stays.
func TestDecidingIsSeenAndTakenBack(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 2)
	of, files := testdb.Lot(t, s, 1, 0, 0)
	read := &engine{}
	d := &Decider{Store: s, Engine: read}
	ctx, who := t.Context(), identity.Specialist
	verdict := func(file int64) string {
		return testdb.One[string](t, s, `select verdict || ' ' || coalesce(product_id, 0) from file where id = $1`, file)
	}
	seen := func(file int64) int { return testdb.One[int](t, s, `select version from file where id = $1`, file) }

	first := seen(files[1])
	undo, err := d.Decide(ctx, who, files[1], One{Verdict: "paired", Target: catalog.Product(2), Version: first})
	if err != nil || verdict(files[1]) != "paired 2" {
		t.Fatalf("%v: %s", err, verdict(files[1]))
	}
	if _, err := d.Decide(ctx, who, files[1], One{Verdict: "set aside", Reason: "late", Version: first}); !errors.Is(err, store.ErrChanged) {
		t.Errorf("as it was seen before: %v", err)
	}
	if _, err := d.Decide(ctx, who, files[2], One{Verdict: "paired", Version: seen(files[2])}); !errors.Is(err, ErrNoTarget) {
		t.Errorf("with nothing: %v", err)
	}
	if _, _, err := d.TakeBack(ctx, who, undo); err != nil || verdict(files[1]) != "loose 0" {
		t.Errorf("taken back: %v, %s", err, verdict(files[1]))
	}
	if want := []identity.Action{identity.FileTakeBack, identity.FileDecide}; !slices.Equal(testdb.Recorded(t, s, 2), want) {
		t.Errorf("recorded: %v", testdb.Recorded(t, s, 2))
	}

	// Several at once; one of them is decided on again before it is taken back.
	done, err := d.SetAside(ctx, who, of, store.FileFilter{Verdict: "loose"}, "too dark")
	if err != nil || len(done.Files) != 2 {
		t.Fatalf("%+v, %v", done, err)
	}
	if _, err := d.Decide(ctx, who, files[2], One{Verdict: "paired", Target: catalog.Product(1), Version: seen(files[2])}); err != nil {
		t.Fatal(err)
	}
	back, stayed, err := d.TakeBack(ctx, who, done.ID)
	if err != nil || len(back) != 1 || stayed != 1 || verdict(files[2]) != "paired 1" || verdict(files[1]) != "loose 0" {
		t.Errorf("%v, %d stayed, %v: %s, %s", back, stayed, err, verdict(files[1]), verdict(files[2]))
	}

	// Opened again it is read again; while a plan is being applied nothing can be decided.
	_, err = d.Decide(ctx, who, files[2], One{Verdict: "open", Version: seen(files[2])})
	if err != nil || !slices.Equal(read.read, []int64{of}) {
		t.Errorf("opened: %v, read %v", err, read.read)
	}
	testdb.Exec(t, s, `insert into plan (kind, way, state, made_by_id) values ('lot', 'after', 'applying', 1)`)
	testdb.Exec(t, s, `insert into plan_lot (plan_id, lot_id) select p.id, l.id from plan p, lot l`)
	if _, err := d.Decide(ctx, who, files[1], One{Verdict: "set aside", Version: seen(files[1])}); !errors.Is(err, lot.ErrApplied) {
		t.Errorf("while a plan is applied: %v", err)
	}
}

// TestWhoMayNotDecidesNothing lets a supplier decide: nothing is changed or recorded.
func TestWhoMayNotDecidesNothing(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 1)
	of, files := testdb.Lot(t, s, 0)
	d := &Decider{Store: s, Engine: &engine{}}
	supplier := identity.Actor{Kind: identity.Supplier, Name: "Apigrund"}
	var refused identity.Refused
	pair := One{Verdict: "paired", Target: catalog.Product(1), Version: 1}
	if _, err := d.Decide(t.Context(), supplier, files[0], pair); !errors.As(err, &refused) {
		t.Errorf("decided: %v", err)
	}
	if _, err := d.SetAside(t.Context(), supplier, of, store.FileFilter{}, "no"); !errors.As(err, &refused) {
		t.Errorf("set aside: %v", err)
	}
	n := testdb.One[int](t, s, `select count(*)::int from record`)
	if n != 0 || testdb.One[string](t, s, `select verdict from file`) != "loose" {
		t.Errorf("%d entries", n)
	}
}
