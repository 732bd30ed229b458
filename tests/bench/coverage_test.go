package bench

import (
	"testing"
	"time"

	"ambrosa/core/coverage"
	"ambrosa/internal/client"
)

// BenchmarkCoverage asks for the coverage of 100,000 products with ten views and seven pictures
// each, as the page does: all of it, and again after 100 products changed. Before that it is
// counted once, which is told beside.
func BenchmarkCoverage(b *testing.B) {
	p := start(b)
	p.query(`set session_replication_role = replica`)
	for _, text := range []string{
		`insert into category (name, path) select 'C' || n, 'C' || n from generate_series(1, 500) n`,
		`insert into product (code, title, category_id) select 'P' || n, 'Product ' || n, 1 + n % 500 from generate_series(1, 100000) n`,
		`insert into lot (name, state) values ('studio', 'applied')`,
		`insert into upload (id, lot_id, path, bytes) values ('u', (select max(id) from lot), 'a.zip', 1)`,
		`insert into blob (sha256, bytes, width, height) select sha256(n::text::bytea), 50000, 1000 + n % 2000, 800
			from generate_series(1, 10000) n`,
		`insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict) select (select max(id) from lot), 'u', n, n || '.jpg', 50000,
			sha256(n::text::bytea), 'loose' from generate_series(1, 10000) n`,
		`insert into placement (product_id, file_id, place, view) select 1 + n % 100000, 1 + n % 10000, 1 + n / 100000,
			(array['front', 'back', 'left', 'right', 'top', 'detail', ''])[1 + n / 100000] from generate_series(0, 699999) n`,
	} {
		p.query(text)
	}
	p.query(`set session_replication_role = origin`)
	for _, table := range []string{"category", "product", "blob", "file", "placement"} {
		p.query(`vacuum analyze ` + table)
	}
	to := client.Client{Address: p.address}
	var list coverage.List
	for _, view := range []string{"front", "back", "left", "right", "side", "top", "detail", "label", "pack", "in use"} {
		list = append(list, coverage.Wanted{View: view, Count: 1, Least: 1500})
	}
	must(b, to.Put(b.Context(), "/api/v1/shot-lists", map[string]any{"path": "", "shots": list, "version": 0}, nil))
	ask := func() time.Duration {
		begin := time.Now()
		p.read("/api/v1/coverage?limit=100&only=missing")
		return time.Since(begin)
	}
	begin := time.Now()
	var found struct{ Counting bool }
	for found.Counting = true; found.Counting; {
		must(b, to.Get(b.Context(), "/api/v1/coverage?limit=1", &found))
	}
	first := time.Since(begin)
	p.query(`vacuum analyze coverage`)
	for b.Loop() {
		ask()
		plain := ask()
		p.query(`update product set version = version + 1, updated_at = now() where id % 1000 = 7`)
		changed := ask()
		b.ReportMetric(float64(plain.Milliseconds()), "ms(max200)")
		b.ReportMetric(float64(changed.Milliseconds()), "ms-100changed(max200)")
		b.ReportMetric(first.Seconds(), "s-first")
	}
}
