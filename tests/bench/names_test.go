package bench

import (
	"fmt"
	"testing"
	"time"

	"ambrosa/core/dispatch"
	"ambrosa/internal/client"
)

// BenchmarkNames previews the names of 1,000,000 pictures of 100,000 products by a template that
// changes, as the page asks for it: with all collisions, and what is held back, counted. The first
// time, when nobody looked at that choice before, is told beside.
func BenchmarkNames(b *testing.B) {
	p := start(b)
	p.query(`set session_replication_role = replica`)
	for _, text := range []string{
		`insert into category (name, path) select 'C' || n, 'C' || n from generate_series(1, 500) n`,
		`insert into product (code, title, category_id) select 'P' || n, 'Hooked hive tool with a handle of oak ' || n, 1 + n % 500
			from generate_series(1, 100000) n`,
		`insert into variant (product_id, sku, options, position) select n, 'P' || n || '-A', '[{"name": "Colour", "value": "amber"}]', 0
			from generate_series(1, 100000) n`,
		`insert into lot (name, state) values ('studio', 'applied')`,
		`insert into upload (id, lot_id, path, bytes) values ('u', (select max(id) from lot), 'a.zip', 1)`,
		`insert into blob (sha256, bytes, width, height) select sha256(n::text::bytea), 50000, 1000, 800 from generate_series(1, 100000) n`,
		`insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, rights) select (select max(id) from lot), 'u', n, n || '.jpg',
			50000, sha256(n::text::bytea), 'loose', 'cleared' from generate_series(1, 100000) n`,
		`insert into placement (product_id, file_id, place, view) select 1 + n % 100000, 1 + n % 100000, 1 + n / 100000,
			(array['front', 'back', 'left', 'right', 'top', 'detail', 'label', 'pack', 'in use', 'side'])[1 + n / 100000]
			from generate_series(0, 999999) n`,
	} {
		p.query(text)
	}
	p.query(`set session_replication_role = origin`)
	for _, table := range []string{"category", "product", "variant", "blob", "file", "placement"} {
		p.query(`vacuum analyze ` + table)
	}
	to := client.Client{Address: p.address}
	ask := func(most int) time.Duration {
		settings := dispatch.Settings{SKUs: []string{}, Pictures: dispatch.All, Sheet: dispatch.UsualSheet(),
			Rendition: dispatch.RenditionRecipe{Format: "original", Metadata: "kept"},
			Names:     fmt.Sprintf("[title slug most %d]-[sku lower]_[place pad 2]", most)}
		var seen struct{ Pictures int }
		begin := time.Now()
		must(b, to.Post(b.Context(), "/api/v1/outlets/rehearse", map[string]any{"settings": settings, "limit": 200}, &seen))
		took := time.Since(begin)
		if seen.Pictures != 1_000_000 {
			b.Fatalf("%d pictures", seen.Pictures)
		}
		return took
	}
	first := ask(20)
	for b.Loop() {
		ask(21)
		b.ReportMetric(float64(ask(22).Milliseconds()), "ms(max500)")
		b.ReportMetric(first.Seconds(), "s-first")
	}
}
