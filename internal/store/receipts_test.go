package store_test

import (
	"fmt"
	"slices"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestAReceiptIsByProduct reads a receipt page by page: by product and place whatever the order in which
// its pictures went, each once, and only those that are looked for.
func TestAReceiptIsByProduct(t *testing.T) {
	s := testdb.Open(t)
	if _, err := testdb.Pool(s).Exec(t.Context(), `
		with d as (insert into dispatch (outlet, settings, actor_id) values ('Shop', '{}', 1) returning id)
		insert into dispatch_picture (dispatch_id, n, product_id, code, sku, title, view, place, alt, file_id, path, sha256, bytes, name,
			held, removed)
		select d.id, (n * 7) % 23 + 1, n / 4, 'P-' || lpad((n / 4)::text, 2, '0'), '', 'Thing ' || n / 4, '', n % 4 + 1, '', n + 1,
			'came_' || n || '.jpg', sha256(n::text::bytea), 10, 'Goes_' || n || '.jpg', case when n % 5 = 0 then 'restricted' else '' end,
			n % 5 = 1
		from d, generate_series(0, 22) n`); err != nil {
		t.Fatal(err)
	}
	all := func(f store.ReceiptFilter) (read []string) {
		t.Helper()
		behind := 0
		for {
			page, err := s.DispatchedPictures(t.Context(), 1, f, behind, 4)
			if err != nil {
				t.Fatal(err)
			}
			if len(page) == 0 {
				break
			}
			for _, p := range page {
				read = append(read, p.Name)
			}
			behind = page[len(page)-1].N
		}
		if total, err := s.CountDispatched(t.Context(), 1, f); err != nil || total != int64(len(read)) {
			t.Errorf("%+v: %d are counted, %d read, %v", f, total, len(read), err)
		}
		return read
	}
	var want []string
	for n := range 23 {
		want = append(want, fmt.Sprintf("Goes_%d.jpg", n))
	}
	if got := all(store.ReceiptFilter{}); !slices.Equal(got, want) {
		t.Errorf("in the order of products: %q", got)
	}
	for _, c := range []struct {
		filter store.ReceiptFilter
		want   []string
	}{
		{store.ReceiptFilter{Query: "p-02"}, []string{"Goes_8.jpg", "Goes_9.jpg", "Goes_10.jpg", "Goes_11.jpg"}},
		{store.ReceiptFilter{Query: "THING 5", Only: "went"}, []string{"Goes_22.jpg"}},
		{store.ReceiptFilter{Query: "came_1", Only: "held"}, []string{"Goes_10.jpg", "Goes_15.jpg"}},
		{store.ReceiptFilter{Query: "goes_6", Only: "removed"}, []string{"Goes_6.jpg"}},
		{store.ReceiptFilter{Query: "100%"}, nil},
	} {
		if got := all(c.filter); !slices.Equal(got, c.want) {
			t.Errorf("%+v: %q, expected %q", c.filter, got, c.want)
		}
	}
}
