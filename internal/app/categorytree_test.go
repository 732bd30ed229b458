package app

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestTheCategoryTreeComesByLevels makes 3,000 categories, some of them in a flat shelf of 1,200, and reads
// every part of the tree: each category comes once, with what lies below it.
func TestTheCategoryTreeComesByLevels(t *testing.T) {
	t.Parallel()
	l := start(t)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `
		insert into category (name, path) select 'Room ' || n, 'Room ' || n from generate_series(1, 30) n;
		insert into category (parent_id, name, path) select p.id, 'Shelf ' || n, p.path || ' / Shelf ' || n
			from category p, generate_series(1, 58) n;
		insert into category (parent_id, name, path) select p.id, 'Box ' || n, p.path || ' / Box ' || n
			from category p, generate_series(1, 1200) n where p.path = 'Room 7 / Shelf 3';
		insert into product (code, title, category_id) select 'P-' || c.id, 'Lamp', c.id from category c`)
	l.do(err)
	ask := func(query url.Values) (found store.CategoryList) {
		t.Helper()
		l.do(l.Get(t.Context(), "/api/v1/categories?"+query.Encode(), &found))
		return found
	}
	top := ask(nil)
	if len(top.Items) != 30 || top.More || top.Total != 30+30*58+1200 {
		t.Fatalf("the top has %d, more %v, of %d", len(top.Items), top.More, top.Total)
	}
	room := top.Items[slices.IndexFunc(top.Items, func(c store.Category) bool { return c.Name == "Room 7" })]
	if room.Children != 58 || room.Products != 1+58+1200 || room.NoPicture != room.Products || room.Parent != 0 {
		t.Errorf("Room 7 is %+v", room)
	}
	if whole := ask(url.Values{"limit": {"5000"}}); len(whole.Items) != whole.Total || whole.More {
		t.Errorf("the whole tree has %d of %d", len(whole.Items), whole.Total)
	}
	seen := map[string]bool{}
	var walk func(parent int64)
	walk = func(parent int64) {
		after := ""
		for {
			level := ask(url.Values{"parent": {fmt.Sprint(parent)}, "after": {after}})
			for _, c := range level.Items {
				if seen[c.Path] {
					t.Fatalf("%s came twice", c.Path)
				}
				seen[c.Path] = true
			}
			for _, c := range level.Items {
				whole := slices.ContainsFunc(level.Items, func(o store.Category) bool { return o.Parent == c.ID })
				if c.Children > 0 && !whole {
					walk(c.ID)
				}
			}
			if !level.More {
				return
			}
			after = level.Items[len(level.Items)-1].Path
		}
	}
	walk(0)
	if len(seen) != top.Total {
		t.Errorf("walking down comes to %d of %d", len(seen), top.Total)
	}
	found := ask(url.Values{"q": {"shelf 3"}, "limit": {"40"}})
	if len(found.Items) != 40 || !found.More || found.Total != 30*11+1200 { // Shelf 3, 30 to 39, and the boxes in Shelf 3
		t.Errorf("found %d, more %v, of %d", len(found.Items), found.More, found.Total)
	}
	for i, c := range found.Items {
		if strings.HasPrefix(c.Name, "Box") {
			t.Errorf("%s, which only lies in one that is found, comes as number %d", c.Path, i)
		}
	}
	if one := ask(url.Values{"path": {"Room 7 / Shelf 3"}}); len(one.Items) != 1 || one.Items[0].Children != 1200 {
		t.Errorf("by its path: %+v", one)
	}
	link := map[string]any{"supplier": "Northlight", "asker": "", "message": "", "category": "Room 99", "days": 3, "maxFiles": 5,
		"maxBytes": 1_000_000, "rights": "unknown", "licence": "", "credit": ""}
	l.refused(l.Post(t.Context(), "/api/v1/supplier-links", link, nil), http.StatusUnprocessableEntity)
	link["category"] = "Room 7 / Shelf 3"
	l.do(l.Post(t.Context(), "/api/v1/supplier-links", link, nil))
}
