package store_test

import (
	"testing"

	"ambrosa/core/coverage"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestWhatFillsARequest fills one of two pictures that were asked for with an older one, then the other
// with one that came for it: each is told as what it is, whichever is first.
func TestWhatFillsARequest(t *testing.T) {
	s := testdb.Open(t)
	run := func(query string, args ...any) {
		t.Helper()
		if _, err := testdb.Pool(s).Exec(t.Context(), query, args...); err != nil {
			t.Fatal(err)
		}
	}
	run(`insert into product (code, title) values ('P', 'Thing')`)
	files := stock(t, s, "abc")
	run(`update lot set created_at = now() - interval '1 day'`)
	err := s.Step(t.Context(), func(tx *door.Tx) error {
		_, err := store.NewRequest(t.Context(), tx, "Studio", "", []store.RequestShot{
			{Product: 1, View: "detail", Nth: 1}, {Product: 1, View: "detail", Nth: 2}, {Product: 1, View: "detail", Nth: 3}})
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	run(`with l as (insert into lot (name, state) values ('came', 'applied') returning id)
		update file set lot_id = l.id from l where file.id = $1`, files[2])
	stands := func(place int, file int64, came, otherwise int) {
		t.Helper()
		run(`insert into placement (product_id, file_id, place, view) values (1, $1, $2, 'Detail')`, file, place)
		shots := coverage.List{{View: "detail", Count: 3}}
		if err := s.Step(t.Context(), func(tx *door.Tx) error {
			return store.SetCoverage(t.Context(), tx, []store.Counted{{Stale: store.Stale{Product: 1, Version: 1},
				ListOf: store.ListOf{List: 1, Version: 1, Shots: shots}, Cells: []coverage.Cell{{Have: place}}}})
		}); err != nil {
			t.Fatal(err)
		}
		got, err := s.Request(t.Context(), 1)
		if err != nil || got.Came != came || got.Otherwise != otherwise {
			t.Errorf("with %d pictures: %+v, %v, expected %d that came and %d otherwise", place, got, err, came, otherwise)
		}
	}
	stands(1, files[0], 0, 1)
	stands(2, files[2], 1, 1)
	stands(3, files[1], 1, 2)
}
