package reading

import (
	"context"
	"fmt"
	"reflect"
	"sync"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestChangedProductsUpdateTheIndex changes single products, moves a variant to
// another and adds new ones: the index is then as one that is built anew, and
// where nothing changed it is the same one.
func TestChangedProductsUpdateTheIndex(t *testing.T) {
	s, err := store.Open(t.Context(), testdb.Create(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	x := NewIndex(s)
	var rows []catalog.Row
	for n := range 40 {
		rows = append(
			rows,
			catalog.Row{SKU: fmt.Sprintf("IX-%02d", n), Product: fmt.Sprintf("IX%d", n/2), Title: fmt.Sprintf("Thing %d", n/2)},
		)
	}
	steps := []struct {
		name string
		rows []catalog.Row
		same bool // nothing is changed
	}{
		{"all new", rows, false},
		{"nothing", nil, true},
		{"the same again", rows, true},
		{"a title", []catalog.Row{{SKU: "IX-03", Product: "IX1", Title: "Another"}}, false},
		{"a barcode", []catalog.Row{{SKU: "IX-07", Product: "IX3", GTIN: "04006381333931"}}, false},
		{"a variant moved", []catalog.Row{{SKU: "IX-10", Product: "IX0"}, {SKU: "IX-11", Product: "IX0"}}, false},
		{"new ones", []catalog.Row{{SKU: "IX-98", Product: "IX98"}, {SKU: "AA-1", Product: "AA"}}, false},
	}
	for _, step := range steps {
		before := x.built
		if len(step.rows) > 0 {
			if _, err := door.Get(t.Context(), s.Door, door.Step(t.Context()), func(tx *door.Tx) (store.Imported, error) {
				return store.ImportRows(t.Context(), tx, step.rows)
			}); err != nil {
				t.Fatalf("%s: %v", step.name, err)
			}
		}
		now, err := x.Get(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		anew, err := NewIndex(s).Get(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(now.keys, anew.keys) || !reflect.DeepEqual(now.items, anew.items) {
			t.Errorf("%s: the index has %d keys, one built anew %d", step.name, len(now.keys), len(anew.keys))
		}
		if (now == before) != step.same {
			t.Errorf("%s: built again: %v", step.name, now != before)
		}
	}
}

// TestAnIndexIsBuiltOnceForAllWhoWait changes the catalog while twenty ask for its index and some give up: those who stay
// get one index with the change, and proposals do not wait for it.
func TestAnIndexIsBuiltOnceForAllWhoWait(t *testing.T) {
	s, err := store.Open(t.Context(), testdb.Create(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	x := NewIndex(s)
	change := func(title string) {
		t.Helper()
		if _, err := door.Get(t.Context(), s.Door, door.Step(t.Context()), func(tx *door.Tx) (store.Imported, error) {
			return store.ImportRows(t.Context(), tx, []catalog.Row{{SKU: "IX-1", Product: "IX", Title: title}})
		}); err != nil {
			t.Fatal(err)
		}
	}
	change("first")
	first, err := x.Get(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	change("second")
	if recent, err := x.Recent(t.Context()); err != nil || recent.keys[0].Title == "" {
		t.Errorf("recent: %+v, %v", recent, err)
	}
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	var group sync.WaitGroup
	built := make([]*Built, 20)
	for i := range built {
		group.Go(func() {
			if _, err := x.Get(gone); err == nil {
				t.Error("who gave up got an answer")
			}
			var err error
			if built[i], err = x.Get(t.Context()); err != nil {
				t.Error(err)
			}
		})
	}
	group.Wait()
	for _, b := range built {
		if b != built[0] || b == first || b.keys[0].Title != "second" {
			t.Fatalf("one got %+v", b)
		}
	}
}
