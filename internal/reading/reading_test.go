package reading

import (
	"context"
	"fmt"
	"reflect"
	"strings"
	"sync"
	"testing"

	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/importing"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// write makes or changes variants by hand: SKU, product, title, GTIN.
func write(t *testing.T, s *store.Store, made bool, rows ...[]string) {
	t.Helper()
	by := &importing.Importer{Store: s}
	hand := importing.ByHand{Rows: rows, New: made}
	for _, f := range []sheet.Field{sheet.SKU, sheet.Product, sheet.Title, sheet.GTIN} {
		hand.Columns = append(hand.Columns, sheet.OutColumn{Field: f})
	}
	if _, err := by.Write(t.Context(), identity.Specialist, hand); err != nil {
		t.Fatal(err)
	}
}

// move puts all variants of a product on another, as a sheet does whose person said so.
func move(t *testing.T, s *store.Store, from, to string) {
	t.Helper()
	if err := s.Do(t.Context(), door.By(identity.Specialist, identity.ProductImport), func(tx *door.Tx) error {
		version, err := store.HoldCatalog(t.Context(), tx)
		if err != nil {
			return err
		}
		standing, err := store.SnapshotsByCode(t.Context(), tx, []string{from, to})
		if err != nil {
			return err
		}
		var left, joined store.Written
		for id, was := range standing {
			w := store.Written{ID: id, Was: &was, Is: was.Clone()}
			if strings.EqualFold(was.Code, to) {
				joined = w
			} else {
				left = w
			}
		}
		for _, v := range left.Is.Variants {
			v.From = left.ID
			joined.Is.Variants = append(joined.Is.Variants, v)
		}
		left.Is.Variants = nil
		_, err = store.WriteProducts(t.Context(), tx, version, []store.Written{left, joined})
		return err
	}); err != nil {
		t.Fatal(err)
	}
}

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
	var rows [][]string
	for n := range 40 {
		rows = append(rows, []string{fmt.Sprintf("IX-%02d", n), fmt.Sprintf("IX%d", n/2), fmt.Sprintf("Thing %d", n/2), ""})
	}
	steps := []struct {
		name string
		rows [][]string // SKU, product, title, GTIN; an empty cell clears
		made bool
		same bool // nothing is changed
	}{
		{"all new", rows, true, false},
		{"nothing", nil, false, true},
		{"the same again", rows, false, true},
		{"a title", [][]string{{"IX-03", "IX1", "Another", ""}}, false, false},
		{"a barcode", [][]string{{"IX-07", "IX3", "Thing 3", "04006381333931"}}, false, false},
		{name: "variants moved"},
		{"new ones", [][]string{{"IX-98", "IX98", "", ""}, {"AA-1", "AA", "", ""}}, true, false},
	}
	for _, step := range steps {
		before := x.built
		if step.name == "variants moved" {
			move(t, s, "ix5", "ix0")
		}
		if len(step.rows) > 0 {
			write(t, s, step.made, step.rows...)
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
		write(t, s, title == "first", []string{"IX-1", "IX", title, ""})
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
