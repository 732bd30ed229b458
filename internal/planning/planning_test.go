package planning

import (
	"errors"
	"slices"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestAPlanIsAppliedAsItWasSeen makes a plan, has decisions overtake it, applies and reverts it change by change: as a run does.
func TestAPlanIsAppliedAsItWasSeen(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 3)
	of, files := testdb.Lot(t, s, 1, 2, 3)
	runs := &testdb.Runs{}
	p := &Planner{Store: s, Runs: runs}
	ctx, who := t.Context(), identity.Specialist
	revision := func(id int64) int { return testdb.One[int](t, s, `select revision from plan where id = $1`, id) }
	standing := func() int { return testdb.One[int](t, s, `select count(*)::int from placement`) }

	id, err := p.Make(ctx, who, []int64{of}, plan.After)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.Apply(ctx, who, id, revision(id)+1); !errors.Is(err, store.ErrChanged) {
		t.Errorf("another revision: %v", err)
	}
	// A file is set aside after the plan was seen: it is made again, and shown.
	if _, err := p.SetAside(ctx, who, id, files[:1], "too dark"); err != nil {
		t.Fatal(err)
	}
	seen := revision(id)
	testdb.Exec(t, s, `update file set verdict = 'set aside', product_id = null, version = version + 1 where id = $1`, files[1])
	testdb.Exec(t, s, `update lot set decisions = decisions + 1 where id = $1`, of)
	var remade plan.Remade
	if _, err := p.Apply(ctx, who, id, seen); !errors.As(err, &remade) || standing() != 0 {
		t.Errorf("overtaken: %v, %d pictures stand", err, standing())
	}
	if newest := testdb.Recorded(t, s, 1); newest[0] != identity.PlanRemake {
		t.Errorf("recorded: %v", newest)
	}
	run, err := p.Apply(ctx, who, id, revision(id))
	if err != nil || run == 0 || !slices.Equal(runs.Asked, []string{"apply"}) {
		t.Fatalf("%d, %v, %v", run, err, runs.Asked)
	}
	changes, err := s.NextChanges(ctx, id, "planned", 0, 10)
	if err != nil || len(changes) != 1 {
		t.Fatalf("%v, %v", changes, err)
	}
	for range 2 { // twice is once
		if err := p.ApplyChange(ctx, who, changes[0]); err != nil || standing() != 1 {
			t.Errorf("%v, %d pictures stand", err, standing())
		}
	}
	if err := p.Applied(ctx, who, id); err != nil {
		t.Fatal(err)
	}
	lines, err := s.Record(ctx, store.RecordFilter{Action: identity.PicturesPlace, Limit: 10})
	if err != nil || len(lines) != 1 || lines[0].About[0].Kind != identity.Product || lines[0].About[0].ID != 3 {
		t.Errorf("%+v, %v", lines, err)
	}
	testdb.Exec(t, s, `update run set state = 'done'`)
	if _, err := p.Revert(ctx, who, id, catalog.Target{}); err != nil {
		t.Fatal(err)
	}
	for want := range 2 {
		reverted, err := p.RevertChange(ctx, who, changes[0])
		if err != nil || reverted != (want == 0) || standing() != 0 {
			t.Errorf("%v, %v, %d pictures stand", reverted, err, standing())
		}
	}
}

// TestAnArrangementIsOfTheVersionThatWasSeen orders pictures by hand.
func TestAnArrangementIsOfTheVersionThatWasSeen(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 1)
	_, files := testdb.Lot(t, s, 1, 1)
	p := &Planner{Store: s, Runs: &testdb.Runs{}}
	for i, file := range files {
		testdb.Exec(t, s, `insert into placement (product_id, file_id, place) values (1, $1, $2)`, file, i+1)
	}
	version := testdb.One[int64](t, s, `select version from product`)
	wanted := []plan.Wanted{{ID: 2, Target: catalog.Product(1)}, {ID: 1, Target: catalog.Product(1)}}
	if _, err := p.Arrange(t.Context(), identity.Specialist, catalog.Product(1), version+1, wanted); !errors.Is(err, store.ErrChanged) {
		t.Errorf("another version: %v", err)
	}
	if _, err := p.Arrange(t.Context(), identity.Specialist, catalog.Product(1), version,
		[]plan.Wanted{{ID: 1, Target: catalog.Product(77)}}); !errors.As(err, &NoTarget{}) {
		t.Errorf("elsewhere: %v", err)
	}
	if _, err := p.Arrange(t.Context(), identity.Specialist, catalog.Product(1), version, wanted); err != nil {
		t.Fatal(err)
	}
	if lead := testdb.One[int64](t, s, `select file_id from placement where place = 1`); lead != files[1] {
		t.Errorf("file %d leads", lead)
	}
}
