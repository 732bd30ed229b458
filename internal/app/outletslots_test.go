package app

import (
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"ambrosa/internal/standin"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestWhatWasNotTakenAwayIsKnown: pictures get other names while the drive removes nothing; the old
// files are known to stand there, and are taken away when it can be done. At another address all
// goes anew, and nothing of the first is touched.
func TestWhatWasNotTakenAwayIsKnown(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	folder, other := t.TempDir(), t.TempDir()
	var stubborn atomic.Bool
	address := shared(t, folder, func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method == http.MethodDelete && stubborn.Load() {
			w.WriteHeader(http.StatusForbidden)
			return true
		}
		return false
	})
	outlet := l.outlet("webdav", map[string]string{"address": address}, map[string]any{"names": "old-[sku]-[place]", "remove": true})
	l.handedOn(outlet)
	set := func(version int, address, names string) {
		t.Helper()
		l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", outlet), map[string]any{"name": "webdav", "version": version,
			"address":  map[string]string{"address": address},
			"settings": wants(map[string]any{"names": names, "remove": true, "rename": true})}, nil))
	}
	set(1, address, "new-[sku]-[place]")
	stubborn.Store(true)
	if d := l.handedOn(outlet); d.Pictures != 3 || d.Removed != 0 || len(below(t, folder)) != 6 {
		t.Errorf("nothing was taken away: %+v, %v", d, below(t, folder))
	}
	stubborn.Store(false)
	if d := l.handedOn(outlet); d.Pictures != 0 || d.Removed != 3 {
		t.Errorf("when it can be done: %+v", d)
	}
	names := slices.Sorted(maps.Keys(below(t, folder)))
	if !slices.Equal(names, []string{"new-AT-000-A-1.jpg", "new-AT-000-A-2.jpg", "new-AT-001-A-1.jpg"}) {
		t.Errorf("there stand %v", names)
	}
	set(2, shared(t, other, nil), "new-[sku]-[place]")
	if d := l.handedOn(outlet); d.Pictures != 3 || d.Removed != 0 || len(below(t, other)) != 3 || len(below(t, folder)) != 3 {
		t.Errorf("elsewhere: %+v, %v, %v", d, below(t, other), below(t, folder))
	}
}

// TestTwoInOneSlot: a product's own picture and one of its only variant would stand at one
// address of a shop: the second is held back, and says so, each time.
func TestTwoInOneSlot(t *testing.T) {
	t.Parallel()
	l, lot := toHandOn(t)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `insert into placement (product_id, file_id, place)
		select p.id, f.id, 1 from product p, file f where p.code = 'AT-000' and f.lot_id = $1 and f.path = 'AT-001-A.jpg'`, lot)
	l.do(err)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `delete from variant where sku = 'AT-000-B'`)
	l.do(err)
	shop, err := standin.OpenShop(t.TempDir())
	l.do(err)
	at, err := shop.Serve(t.Context(), "127.0.0.1:0")
	l.do(err)
	outlet := l.outlet("shop", shopAddress(at.String()), map[string]any{"names": "[number]-[sku]-[place]"})
	for n, want := range []int{3, 0} {
		d := l.handedOn(outlet)
		var receipt struct{ Items []store.DispatchedPicture }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/dispatches/%d/pictures", d.ID), &receipt))
		held := 0
		for _, p := range receipt.Items {
			if p.Held == "another one stands in its place there" {
				held++
			}
		}
		if d.Pictures != want || held != 1 || len(shop.Pictures()) != 3 {
			t.Errorf("time %d: %+v, %d held, the shop has %d", n+1, d, held, len(shop.Pictures()))
		}
	}
}

// oneEach gives each of some products one picture that may be sent.
func (l *line) oneEach(count int) {
	l.t.Helper()
	l.products(count)
	var files []entry
	for n := range count {
		files = append(files, entry{fmt.Sprintf("AT-%03d-A.jpg", n), jpg(l.t, n+1)})
	}
	l.applied(l.planned(l.gathered("spring.zip", zipped(l.t, files...)).ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(l.t.Context(), `update file set rights = 'cleared'`)
	l.do(err)
}

// TestAMistypedChoiceTakesNothingAway: where the choice turns out empty, what stands there is left,
// and the run says so, until a person says that it is meant.
func TestAMistypedChoiceTakesNothingAway(t *testing.T) {
	t.Parallel()
	l := start(t, func(c *Config) { c.Allow = []string{"127.0.0.1:*"} })
	const all = 12
	l.oneEach(all)
	folder := t.TempDir()
	address := map[string]string{"address": shared(t, folder, nil)}
	outlet := l.outlet("webdav", address, map[string]any{"remove": true})
	l.handedOn(outlet)
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", outlet), map[string]any{"name": "webdav", "version": 1, "address": address,
		"settings": wants(map[string]any{"remove": true, "category": "No such"})}, nil))
	if d := l.handedOn(outlet); d.Removed != 0 || len(below(t, folder)) != all {
		t.Errorf("taken away: %+v", d)
	}
	said := l.text(`select message from run order by id desc limit 1`)
	if !strings.Contains(said, "12 that are not wanted any more were left") {
		t.Errorf("the run says %q", said)
	}
	l.post(fmt.Sprintf("/api/v1/outlets/%d/dispatch", outlet), map[string]any{"version": 2, "takeAway": all}, nil)
	l.until("the dispatch to end", func() bool { return !l.busy() })
	if left := below(t, folder); len(left) != 0 {
		t.Errorf("it was meant, and there stand %v", left)
	}
}

// TestRenamingEverythingIsAskedOnce changes the names of all pictures at a drive. By a timetable, or without a word, they
// keep their names; once it is confirmed each moves, also where nothing is deleted otherwise; after that nothing is left to do.
func TestRenamingEverythingIsAskedOnce(t *testing.T) {
	t.Parallel()
	for _, remove := range []bool{false, true} {
		l := start(t, func(c *Config) { c.Allow = []string{"127.0.0.1:*"} })
		const all = 12
		l.oneEach(all)
		folder := t.TempDir()
		var refuse atomic.Bool
		address := map[string]string{"address": shared(t, folder, func(w http.ResponseWriter, r *http.Request) bool {
			refused := refuse.Load() && strings.Contains(r.URL.Path+r.Header.Get("Destination"), "shop/AT-003-A")
			if refused {
				w.WriteHeader(http.StatusForbidden)
			}
			return refused
		})}
		outlet := l.outlet("webdav", address, map[string]any{"remove": remove})
		l.handedOn(outlet)
		before := below(t, folder)
		changed := wants(map[string]any{"remove": remove, "rename": true, "names": "shop/[sku]-[place]"})
		l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", outlet), map[string]any{"name": "webdav", "version": 1, "address": address,
			"settings": changed}, nil))
		var view struct {
			Renaming, Massive bool
			Renamed, Gone     int
		}
		l.post("/api/v1/outlets/rehearse", map[string]any{"settings": changed, "outlet": outlet}, &view)
		if !view.Renaming || view.Renamed != all || view.Massive || view.Gone != 0 {
			t.Errorf("remove %v: the preview says %+v", remove, view)
		}

		d := l.handedOn(outlet)
		if got := below(t, folder); !maps.Equal(got, before) || d.Pictures != 0 || d.Removed != 0 {
			t.Errorf("remove %v: unasked there stand %v after %+v", remove, got, d)
		}
		if said := l.text(`select message from run order by id desc limit 1`); !strings.Contains(said, "12 pictures kept their names") {
			t.Errorf("remove %v: the run says %q", remove, said)
		}
		refuse.Store(true)
		l.post(fmt.Sprintf("/api/v1/outlets/%d/dispatch", outlet), map[string]any{"version": 2, "rename": all}, nil)
		l.until("the dispatch to end", func() bool { return !l.busy() })
		if _, stays := below(t, folder)["AT-003/AT-003-A_01.jpg"]; !stays {
			t.Errorf("remove %v: one whose new name is refused is gone: %v", remove, below(t, folder))
		}
		if said := l.text(`select message from run order by id desc limit 1`); !strings.Contains(said, "11 of them were renamed there") ||
			strings.Contains(said, "deleted") {
			t.Errorf("remove %v: the run says %q", remove, said)
		}
		refuse.Store(false)
		if d := l.handedOn(outlet); d.Pictures != 1 || d.Removed != 1 {
			t.Errorf("remove %v: the one that was refused, again: %+v", remove, d)
		}
		got := below(t, folder)
		if len(got) != all {
			t.Errorf("remove %v: there stand %v", remove, got)
		}
		for name := range got {
			if !strings.HasPrefix(name, "shop/") {
				t.Errorf("remove %v: %s stands there still", remove, name)
			}
		}
		if d := l.handedOn(outlet); d.Pictures+d.Removed+d.Held != 0 || !maps.Equal(below(t, folder), got) {
			t.Errorf("remove %v: once more: %+v", remove, d)
		}
	}
}
