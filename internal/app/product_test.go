package app

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/catalog"
	"ambrosa/internal/store"
)

// page is a product as its page shows it.
type page struct {
	ID, Version int64
	PictureList []store.Shown
	Changes     []store.Change
}

func (l *line) page(id int64) (p page) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/products/%d", id), &p))
	return p
}

// TestPicturesDroppedOnAProduct puts them there whatever their names say, as a
// plan that is taken back.
func TestPicturesDroppedOnAProduct(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	product, variant := l.target("AT-000-B")
	l.applied(l.planned(l.gathered("first.zip", zipped(t, entry{"AT-000-B.jpg", jpg(t, 1)})).ID, "after"))
	before := l.standing()
	var made struct{ ID int64 }
	l.refused(
		l.Post(t.Context(), "/api/v1/lots", map[string]any{"name": "x", "uploads": 1, "target": catalog.TargetOf(product, 99)}, nil),
		http.StatusNotFound,
	)
	l.post("/api/v1/lots", map[string]any{"name": "Dropped on AT-000-B", "uploads": 2, "target": catalog.TargetOf(product, variant)}, &made)
	for i, name := range []string{"AT-001-A.jpg", "IMG_0001.jpg"} {
		content := jpg(t, 10+i)
		l.do(l.Upload(t.Context(), made.ID, name, bytes.NewReader(content), int64(len(content))))
	}
	l.until("they stand on the product", func() bool { return len(l.page(product).PictureList) == 3 && !l.busy() })
	if shown := l.page(product).PictureList; shown[1].Target != catalog.Variant(variant) || shown[0].Path != "AT-000-B.jpg" ||
		l.shows("AT-001") != "" {
		t.Errorf("%+v", shown)
	}
	l.reverted(l.page(product).Changes[0].Plan)
	if after := l.standing(); strings.Join(after, "\n") != strings.Join(before, "\n") {
		t.Errorf("taken back: %v, before %v", after, before)
	}
	// Nothing that can be used: the lot is there to be looked at, and nothing changes.
	l.post("/api/v1/lots", map[string]any{"name": "Dropped on AT-000", "uploads": 1, "target": catalog.Product(product)}, &made)
	l.do(l.Upload(t.Context(), made.ID, "note.txt", strings.NewReader("hello"), 5))
	l.until("the lot to be read", func() bool {
		var lot store.Lot
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), &lot))
		return lot.State == "ready" && lot.Unusable == 1
	})
	if after := l.standing(); len(after) != len(before) {
		t.Errorf("%v", after)
	}
}

// TestPicturesAreRemovedMovedAndCopied changes a product's pictures by hand, and
// takes each change back.
func TestPicturesAreRemovedMovedAndCopied(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	product, a := l.target("AT-000-A")
	_, b := l.target("AT-000-B")
	l.applied(
		l.planned(
			l.gathered(
				"first.zip",
				zipped(t, entry{"AT-000-A_1.jpg", jpg(t, 1)}, entry{"AT-000-A_2.jpg", jpg(t, 2)}, entry{"AT-000-B_1.jpg", jpg(t, 3)}),
			).ID,
			"after",
		),
	)
	before := l.standing()
	type pic map[string]any
	put := func(pictures ...pic) error {
		return l.Put(
			t.Context(),
			fmt.Sprintf("/api/v1/products/%d/pictures", product),
			map[string]any{"version": l.page(product).Version, "pictures": pictures},
			nil,
		)
	}
	stays := func(s store.Shown) pic { return pic{"id": s.ID, "target": s.Target, "view": s.View} }
	shown := l.page(product).PictureList
	for _, c := range []struct {
		name     string
		pictures []pic
		shows    string
	}{
		{"removed", []pic{stays(shown[0]), stays(shown[2])}, "AT-000-A_1.jpg AT-000-B_1.jpg"},
		{"moved", []pic{stays(shown[0]), stays(shown[2]), {"id": shown[1].ID, "target": catalog.Variant(b), "view": ""}}, "AT-000-A_1.jpg " +
			"AT-000-B_1.jpg AT-000-A_2.jpg"},
		{"copied", []pic{stays(shown[0]), stays(shown[1]), stays(shown[2]), {"id": 0, "of": shown[0].ID, "target": catalog.Variant(b),
			"view": "front"}}, "AT-000-A_1.jpg AT-000-A_2.jpg AT-000-B_1.jpg AT-000-A_1.jpg"},
		{"all removed", []pic{}, ""},
	} {
		l.do(put(c.pictures...))
		if got := l.shows("AT-000"); got != c.shows {
			t.Errorf("%s: shows %s, expected %s", c.name, got, c.shows)
		}
		l.reverted(l.page(product).Changes[0].Plan)
		if after := l.standing(); strings.Join(after, "\n") != strings.Join(before, "\n") {
			t.Errorf("%s, taken back: %v", c.name, after)
		}
	}
	said := l.refused(
		put(stays(shown[0]), stays(shown[1]), stays(shown[2]), pic{"id": 0, "of": shown[0].ID, "target": catalog.Variant(a), "view": ""}),
		http.StatusUnprocessableEntity,
	)
	if !strings.Contains(said, "stands there already") {
		t.Error(said)
	}
	l.refused(put(pic{"id": 0, "of": 99999, "target": catalog.Variant(a), "view": ""}), http.StatusConflict)
}
