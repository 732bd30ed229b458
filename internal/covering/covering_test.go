package covering

import (
	"errors"
	"testing"

	"ambrosa/core/coverage"
	"ambrosa/core/identity"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestCoverageAndRequests sets a shot list, counts what is missing, and asks for it once.
func TestCoverageAndRequests(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 3)
	_, files := testdb.Lot(t, s, 1)
	testdb.Exec(t, s, `insert into placement (product_id, file_id, place, view) values (1, $1, 1, 'front')`, files[0])
	c := &Coverer{Store: s}
	ctx, who := t.Context(), identity.Specialist

	list := coverage.List{{View: " Front ", Count: 1}, {View: "back", Count: 2}}
	if err := c.SetList(ctx, who, "Goods", list, 0); err != nil {
		t.Fatal(err)
	}
	if err := c.SetList(ctx, who, "Goods", list, 0); !errors.Is(err, store.ErrChanged) {
		t.Errorf("as if there were none: %v", err)
	}
	if err := c.SetList(ctx, who, "Nowhere", list, 0); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("of no category: %v", err)
	}
	// Three products want three pictures each, of which one is there.
	id, err := c.Request(ctx, who, "Studio", store.CoverageFilter{Category: "Goods"}, false)
	if err != nil {
		t.Fatal(err)
	}
	if n := testdb.One[int](t, s, `select count(*)::int from request_shot where request_id = $1`, id); n != 8 {
		t.Errorf("%d pictures are asked for", n)
	}
	if _, err := c.Request(ctx, who, "Again", store.CoverageFilter{Category: "Goods"}, false); !errors.Is(err, ErrAsked) {
		t.Errorf("asked twice: %v", err)
	}
	if _, err := c.Request(ctx, who, "Again", store.CoverageFilter{Category: "Goods"}, true); err != nil {
		t.Errorf("asked again on purpose: %v", err)
	}
	if err := c.CloseRequest(ctx, who, id, false); err != nil {
		t.Fatal(err)
	}
	// The list is of the category's history; an empty one is forgotten.
	lines, err := s.Record(ctx, store.RecordFilter{Action: identity.ShotListSet, Limit: 5})
	if err != nil || len(lines) != 1 || lines[0].About[0].Kind != identity.Category || lines[0].About[0].Name != "Goods" {
		t.Errorf("%+v, %v", lines, err)
	}
	if err := c.SetList(ctx, who, "Goods", nil, 1); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Request(ctx, who, "Nothing", store.CoverageFilter{Category: "Goods"}, true); !errors.Is(err, ErrNothing) {
		t.Errorf("nothing is wanted: %v", err)
	}
}
