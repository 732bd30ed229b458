package planning

import (
	"errors"
	"fmt"
	"slices"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/internal/deciding"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// loop is a lot that is decided on, planned and applied again and again.
type loop struct {
	*testing.T
	s     *store.Store
	plans *Planner
	lot   int64
	files []int64
}

func newLoop(t *testing.T, products int, paired ...int64) loop {
	s := testdb.Open(t)
	testdb.Products(t, s, products)
	of, files := testdb.Lot(t, s, paired...)
	testdb.Exec(t, s, `update file set decided_by = 'reading'`)
	testdb.Exec(t, s, `insert into reference (file_id, lot_id) select id, lot_id from file`)
	return loop{t, s, &Planner{Store: s, Runs: &testdb.Runs{}}, of, files}
}

// decide decides on the file at a position and returns what takes it back.
func (l loop) decide(at int, one deciding.One) int64 {
	l.Helper()
	one.Version = testdb.One[int](l.T, l.s, `select version from file where id = $1`, l.files[at])
	undo, err := (&deciding.Decider{Store: l.s}).Decide(l.Context(), identity.Specialist, l.files[at], one)
	if err != nil {
		l.Fatal(err)
	}
	return undo
}

// apply plans the lot and applies the plan, and returns it with how many pictures it adds and removes.
func (l loop) apply(way plan.Way) store.Plan {
	l.Helper()
	id, err := l.plans.OfLot(l.Context(), identity.Specialist, l.lot, way)
	if err != nil {
		l.Fatal(err)
	}
	made, err := l.s.Plan(l.Context(), id)
	if err != nil {
		l.Fatal(err)
	}
	if _, err := l.plans.Apply(l.Context(), identity.Specialist, id, made.Revision); err != nil {
		l.Fatal(err)
	}
	l.each(id, "planned", func(change int64) error { return l.plans.ApplyChange(l.Context(), identity.Specialist, change) })
	if err := l.plans.Applied(l.Context(), identity.Specialist, id); err != nil {
		l.Fatal(err)
	}
	testdb.Exec(l.T, l.s, `update run set state = 'done'`)
	return made
}

func (l loop) revert(id int64) {
	l.Helper()
	if _, err := l.plans.Revert(l.Context(), identity.Specialist, id, catalog.Target{}); err != nil {
		l.Fatal(err)
	}
	l.each(id, "applied", func(change int64) error {
		_, err := l.plans.RevertChange(l.Context(), identity.Specialist, change)
		return err
	})
	if err := l.plans.Reverted(l.Context(), identity.Specialist, id); err != nil {
		l.Fatal(err)
	}
	testdb.Exec(l.T, l.s, `update run set state = 'done'`)
}

func (l loop) each(id int64, state string, do func(change int64) error) {
	l.Helper()
	changes, err := l.s.NextChanges(l.Context(), id, state, 0, 100)
	for _, change := range changes {
		if err == nil {
			err = do(change)
		}
	}
	if err != nil {
		l.Fatal(err)
	}
}

// shows checks which of the lot's files products show, by position, in order: "1:ab 2:c".
func (l loop) shows(when, want string) {
	l.Helper()
	got := testdb.One[string](l.T, l.s, `select coalesce(string_agg(product || ':' || names, ' ' order by product), '') from (
		select p.product_id as product, string_agg(left(f.path, 1), '' order by p.variant_id nulls first, p.place) as names
		from placement p join file f on f.id = p.file_id group by 1) t`)
	if got != want {
		l.Errorf("%s: products show %q, want %q", when, got, want)
	}
}

func (l loop) is(when string, want lot.State, needed bool) {
	l.Helper()
	if got := testdb.One[string](l.T, l.s, `select state from lot where id = $1`, l.lot); got != string(want) {
		l.Errorf("%s: the lot is %s, want %s", when, got, want)
	}
	if n := testdb.One[int](l.T, l.s, `select count(*)::int from reference where lot_id = $1`, l.lot); n > 0 != needed {
		l.Errorf("%s: the lot needs %d files", when, n)
	}
}

func pairedWith(product int64) deciding.One {
	return deciding.One{Verdict: "paired", Target: catalog.Product(product)}
}

// TestDecidingGoesOnAfterApply applies a lot with an undecided file: it stays open, and its second plan contains only what is new.
func TestDecidingGoesOnAfterApply(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 2, 1, 2, 0)
	first := l.apply(plan.After)
	l.shows("applied", "1:a 2:b")
	l.is("with an undecided file", lot.Ready, true)
	now, err := l.s.Lot(t.Context(), l.lot)
	if err != nil || now.Placed != 2 || now.Unplanned {
		t.Errorf("%d placed, to plan: %v, %v", now.Placed, now.Unplanned, err)
	}
	if testdb.One[int](t, l.s, `select count(*)::int from file where decided_by = 'reading'`) != 1 {
		t.Error("what was applied can still be read differently")
	}

	undo := l.decide(2, pairedWith(1))
	if now, _ := l.s.Lot(t.Context(), l.lot); !now.Unplanned {
		t.Error("the decision is not to plan")
	}
	second := l.apply("")
	if second.Products != 1 || second.Added != 1 || second.Removed+second.Moved != 0 || second.Warned != 0 {
		t.Errorf("the second plan: %+v", second)
	}
	l.shows("applied again", "1:ac 2:b")
	l.is("with everything decided", lot.Applied, false)

	// Both plans are reverted on their own, the first before the second.
	l.revert(first.ID)
	l.shows("the first plan reverted", "1:c")
	l.is("reverted", lot.Ready, true)
	l.revert(second.ID)
	l.shows("both reverted", "")
	if _, _, err := (&deciding.Decider{Store: l.s}).TakeBack(t.Context(), identity.Specialist, undo); err != nil {
		t.Fatal(err)
	}
	l.apply("")
	l.shows("planned once more", "1:a 2:b")
}

// TestAWrongPictureIsCorrected decides again on a picture that stands: the next plan moves it, and is reverted like any plan.
func TestAWrongPictureIsCorrected(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 3, 1, 1, 2)
	l.apply(plan.After)
	l.is("applied", lot.Applied, false)

	// Undone before it is planned, the lot is finished as it was.
	undo := l.decide(1, pairedWith(3))
	l.is("a correction is decided", lot.Ready, true)
	if _, _, err := (&deciding.Decider{Store: l.s}).TakeBack(t.Context(), identity.Specialist, undo); err != nil {
		t.Fatal(err)
	}
	l.is("the correction is taken back", lot.Applied, false)

	l.decide(1, pairedWith(3))
	l.decide(2, deciding.One{Verdict: "set aside", Reason: "blurred"})
	made := l.apply("")
	if made.Products != 3 || made.Added != 1 || made.Removed != 2 {
		t.Errorf("the correction: %+v", made)
	}
	l.shows("corrected", "1:a 3:b")
	l.is("corrected", lot.Applied, false)
	l.revert(made.ID)
	l.shows("the correction reverted", "1:ab 2:c")
	again := l.apply("")
	if again.Added != 1 || again.Removed != 2 {
		t.Errorf("planned again: %+v", again)
	}
	l.shows("corrected again", "1:a 3:b")

	// A picture that a person removed by hand does not come back with a later plan.
	testdb.Exec(t, l.s, `delete from placement where product_id = 3`)
	testdb.Exec(t, l.s, `update product set version = version + 1 where id = 3`)
	l.decide(2, pairedWith(3))
	l.apply("")
	l.shows("after a removal by hand", "1:a 3:c")
}

// TestAViewAndAPlaceAreCorrected decides the view and place of pictures that stand anew.
func TestAViewAndAPlaceAreCorrected(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 1, 1, 1, 1, 0)
	testdb.Exec(t, l.s, `update file set place = entry + 1`)
	l.apply(plan.Instead)
	one := pairedWith(1)
	one.Place, one.View = 1, "back"
	l.decide(0, one)
	one = pairedWith(1)
	one.Place = 2
	l.decide(3, one) // place 2 is taken by b: c stands behind both
	made := l.apply("")
	l.shows("corrected", "1:abdc")
	if view := testdb.One[string](t, l.s, `select view from placement where file_id = $1`, l.files[0]); view != "back" {
		t.Errorf("view %q of plan %+v", view, made)
	}
	one.Place = 9
	l.decide(0, one)
	l.apply("")
	l.shows("a picture moved to the end", "1:bdca")
}

// TestAFileThatShowsSeveral pairs a picture with a product, a variant and another product at once.
func TestAFileThatShowsSeveral(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 3, 0, 2)
	family := pairedWith(1)
	family.Others = []catalog.Target{catalog.Variant(2), catalog.Product(3), catalog.Product(1)}
	l.decide(0, family)
	made := l.apply(plan.After)
	if made.Products != 3 || made.Added != 4 {
		t.Errorf("the plan: %+v", made)
	}
	l.shows("applied", "1:a 2:ba 3:a")
	others, placed, err := l.s.ShownOn(t.Context(), l.files[0])
	if err != nil || len(others) != 2 || len(placed) != 3 || placed[0].Plan != made.ID {
		t.Errorf("%+v, %+v, %v", others, placed, err)
	}
	// A product that the file shows cannot be deleted with its import; one of the others is wrong after all.
	family.Others = family.Others[1:2]
	l.decide(0, family)
	fixed := l.apply("")
	if fixed.Products != 1 || fixed.Removed != 1 || fixed.Added != 0 {
		t.Errorf("the correction: %+v", fixed)
	}
	l.shows("without the variant", "1:a 2:b 3:a")
	l.revert(fixed.ID)
	l.shows("reverted", "1:a 2:ba 3:a")
	l.decide(0, deciding.One{Verdict: "set aside", Reason: "too dark"})
	l.apply("")
	l.shows("set aside", "2:b")

	// A picture that was looked up by one barcode does not land on a second product.
	testdb.Exec(t, l.s, `update lot set origin = 'lookup'`)
	testdb.Exec(t, l.s, `update variant set gtin = '04006381333931' where id = 1`)
	testdb.Exec(t, l.s, `update file set said = '{"barcode": "04006381333931"}' where id = $1`, l.files[0])
	family.Version = testdb.One[int](t, l.s, `select version from file where id = $1`, l.files[0])
	_, err = (&deciding.Decider{Store: l.s}).Decide(t.Context(), identity.Specialist, l.files[0], family)
	if !errors.Is(err, deciding.ErrOtherBarcode) {
		t.Errorf("a looked-up picture on two products: %v", err)
	}
}

// TestALotIsFinishedAndReopened ends a lot with an undecided file: nothing needs it, until the lot is open again.
func TestALotIsFinishedAndReopened(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 1, 1, 0)
	l.apply(plan.After)
	ctx, who := t.Context(), identity.Specialist
	if err := l.plans.Reopen(ctx, who, l.lot); err == nil {
		t.Error("an open lot was reopened")
	}
	if err := l.plans.Finish(ctx, who, l.lot); err != nil {
		t.Fatal(err)
	}
	l.is("finished", lot.Applied, false)
	if err := l.plans.Finish(ctx, who, l.lot); err == nil {
		t.Error("finished twice")
	}
	if err := l.plans.Reopen(ctx, who, l.lot); err != nil {
		t.Fatal(err)
	}
	l.is("reopened", lot.Ready, true)
	if got := testdb.Recorded(t, l.s, 2); !slices.Equal(got, []identity.Action{identity.LotReopen, identity.LotFinish}) {
		t.Errorf("recorded: %v", got)
	}
}

// TestAHistoryOfDecisionsEndsAsItsDecisions decides, applies and reverts at random: what products show is always what the
// decisions say, once everything is applied.
func TestAHistoryOfDecisionsEndsAsItsDecisions(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 4, 1, 2, 3, 0, 0, 1, 0, 2)
	shows := make([][]int64, len(l.files))
	for i, product := range []int64{1, 2, 3, 0, 0, 1, 0, 2} {
		if product > 0 {
			shows[i] = []int64{product}
		}
	}
	seed := uint32(7)
	next := func(n int) int {
		seed = seed*1664525 + 1013904223
		return int(seed>>16) % n
	}
	for step := range 40 {
		for range 1 + next(3) {
			at, one := next(len(l.files)), pairedWith(int64(1+next(4)))
			switch next(4) {
			case 0:
				one, shows[at] = deciding.One{Verdict: "set aside", Reason: "no"}, nil
			case 1:
				second := int64(1 + next(4))
				one.Others, shows[at] = []catalog.Target{catalog.Product(second)}, []int64{one.Target.ID, second}
			default:
				shows[at] = []int64{one.Target.ID}
			}
			l.decide(at, one)
		}
		made := l.apply([]plan.Way{plan.After, plan.Before, plan.Instead}[next(3)])
		if next(3) == 0 {
			l.revert(made.ID)
			l.apply("")
		}
		for product := int64(1); product <= 4; product++ {
			var want, got []int64
			for i, on := range shows {
				if slices.Contains(on, product) {
					want = append(want, l.files[i])
				}
			}
			got = testdb.One[[]int64](t, l.s, `select coalesce(array_agg(file_id order by file_id), '{}') from placement
				where product_id = $1`, product)
			if fmt.Sprint(got) != fmt.Sprint(want) && len(got)+len(want) > 0 {
				t.Fatalf("step %d: product %d shows %v, decided %v", step, product, got, want)
			}
		}
	}
}

// TestPicturesAreTransferred moves a picture to another product and copies one, and reverts it.
func TestPicturesAreTransferred(t *testing.T) {
	t.Parallel()
	l := newLoop(t, 2, 1, 1, 2)
	l.apply(plan.After)
	ids := testdb.One[[]int64](t, l.s, `select array_agg(id order by product_id, place) from placement`)
	ctx, who := t.Context(), identity.Specialist
	id, done, err := l.plans.Transfer(ctx, who, ids[:1], catalog.Product(2), false)
	if err != nil || done != (plan.Transferred{Moved: 1}) {
		t.Fatalf("%+v, %v", done, err)
	}
	l.shows("moved", "1:b 2:ca")
	if alt := testdb.One[string](t, l.s, `select alt from placement where file_id = $1`, l.files[0]); alt != "Thing 2" {
		t.Errorf("its text is %q", alt)
	}
	if _, _, err := l.plans.Transfer(ctx, who, ids[:1], catalog.Product(2), false); !errors.Is(err, store.ErrChanged) {
		t.Errorf("moved again from where it was: %v", err)
	}
	if _, _, err := l.plans.Transfer(ctx, who, ids[1:], catalog.Product(77), true); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("to nothing: %v", err)
	}
	second, done, err := l.plans.Transfer(ctx, who, ids[1:2], catalog.Variant(2), true)
	if err != nil || done.Moved != 1 || second == 0 {
		t.Fatalf("%+v, %v", done, err)
	}
	l.shows("copied", "1:b 2:cab")
	if none, done, err := l.plans.Transfer(ctx, who, ids[1:2], catalog.Variant(2), true); err != nil || none != 0 || done.There != 1 {
		t.Errorf("copied again: plan %d, %+v, %v", none, done, err)
	}
	l.revert(id)
	l.shows("the move reverted", "1:ab 2:cb")
	if got := testdb.Recorded(t, l.s, 20); !slices.Contains(got, identity.PicturesTransfer) {
		t.Errorf("recorded: %v", got)
	}
}
