package testdb

import (
	"context"
	"fmt"
	"testing"

	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Runs notes which runs are asked for, and does none.
type Runs struct{ Asked []string }

// Queue notes a run, and returns how many were asked for.
func (r *Runs) Queue(ctx context.Context, tx *door.Tx, who identity.Actor, kind string, about store.About) (int64, error) {
	r.Asked = append(r.Asked, kind)
	return store.NewRun(ctx, tx, who, kind, about)
}

// Exec carries out a statement, to make what a test needs.
func Exec(t testing.TB, s *store.Store, text string, args ...any) {
	t.Helper()
	if _, err := Pool(s).Exec(t.Context(), text, args...); err != nil {
		t.Fatal(err)
	}
}

// One returns the one value of a query.
func One[T any](t testing.TB, s *store.Store, query string, args ...any) (value T) {
	t.Helper()
	if err := Pool(s).QueryRow(t.Context(), query, args...).Scan(&value); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return value
}

// Products makes products P-1, P-2 … with one variant each, whose SKU is the product's code, in the category Goods. Product and
// variant have the number of their code.
func Products(t testing.TB, s *store.Store, n int) {
	t.Helper()
	Exec(t, s, `insert into category (name, path, trail) select 'Goods', 'Goods', '{}' where not exists (select from category)`)
	for i := 1; i <= n; i++ {
		Exec(t, s, `insert into product (code, title, category_id, keys_version) values ($1, $2, (select min(id) from category), 0)`,
			fmt.Sprintf("P-%d", i), fmt.Sprintf("Thing %d", i))
		Exec(t, s, `insert into variant (product_id, sku, title, position) values ((select max(id) from product), $1, $2, 0)`,
			fmt.Sprintf("P-%d", i), fmt.Sprintf("Thing %d", i))
	}
}

// Lot makes a lot that is ready, with pictures a.jpg, b.jpg …: of each paired product the number, 0 for a loose one. It returns the
// lot and its files.
func Lot(t testing.TB, s *store.Store, products ...int64) (lot int64, files []int64) {
	t.Helper()
	lot = One[int64](t, s, `insert into lot (name, state) values ('studio', 'ready') returning id`)
	Exec(t, s, `insert into upload (id, lot_id, path, bytes) values ($1, $2, 'a.zip', 1)`, fmt.Sprintf("u-%d", lot), lot)
	for i, product := range products {
		name := fmt.Sprintf("%c.jpg", 'a'+i)
		verdict := "paired"
		if product == 0 {
			verdict = "loose"
		}
		content := fmt.Appendf(nil, "%d %s", lot, name)
		Exec(t, s, `insert into blob (sha256, bytes, type, width, height) values (sha256($1), 100, 'image/jpeg', 1200, 1200)`, content)
		files = append(files, One[int64](t, s, `insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, product_id)
			values ($1, $2, $3, $4, 100, sha256($5), $6, nullif($7::bigint, 0)) returning id`, lot, fmt.Sprintf("u-%d", lot), i, name, content,
			verdict, product))
	}
	return lot, files
}

// Recorded returns the newest actions of the record, the newest first.
func Recorded(t testing.TB, s *store.Store, limit int) (actions []identity.Action) {
	t.Helper()
	lines, err := s.Record(t.Context(), store.RecordFilter{Limit: limit})
	if err != nil {
		t.Fatal(err)
	}
	for _, line := range lines {
		actions = append(actions, line.Action)
	}
	return actions
}
