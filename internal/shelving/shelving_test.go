package shelving

import (
	"errors"
	"slices"
	"testing"

	"ambrosa/core/identity"
	"ambrosa/core/shelf"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestWhatIsSavedForLater puts loose files on the shelf: they are needed there and wait for no decision any more, and one press takes it
// back.
func TestWhatIsSavedForLater(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 1)
	_, files := testdb.Lot(t, s, 0, 0, 1)
	shelver := &Shelver{Store: s}
	ctx, who := t.Context(), identity.Specialist
	needs := func(file int64) int {
		return testdb.One[int](t, s, `select count(*)::int from reference where file_id = $1`, file)
	}
	verdict := func(file int64) string {
		return testdb.One[string](t, s, `select verdict from file where id = $1`, file)
	}
	folder := "Labels"
	before := needs(files[0])
	done, err := shelver.Change(ctx, who, files, shelf.Change{Folder: &folder})
	if err != nil || done.Changed != 3 || done.Act == 0 {
		t.Fatalf("%+v, %v", done, err)
	}
	if needs(files[0]) != before+1 || verdict(files[0]) != "set aside" || verdict(files[2]) != "paired" {
		t.Errorf("%d needs, %s, %s", needs(files[0]), verdict(files[0]), verdict(files[2]))
	}
	if again, err := shelver.Change(ctx, who, files, shelf.Change{Folder: &folder}); err != nil || again.Changed != 0 || again.Act != 0 {
		t.Errorf("again: %+v, %v", again, err)
	}
	stayed, err := shelver.Undo(ctx, who, done.Act)
	if err != nil || stayed != 0 || needs(files[0]) != before || verdict(files[0]) != "loose" {
		t.Errorf("%d stayed, %v: %d needs, %s", stayed, err, needs(files[0]), verdict(files[0]))
	}
	if want := []identity.Action{identity.ShelfUndo, identity.ShelfChange}; !slices.Equal(testdb.Recorded(t, s, 5), want) {
		t.Errorf("recorded: %v", testdb.Recorded(t, s, 5))
	}
	if _, err := shelver.Change(ctx, who, []int64{999}, shelf.Change{Folder: &folder}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("no file: %v", err)
	}
}
