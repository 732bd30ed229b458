package bench

import (
	"io"
	"net/http"
	"net/url"
	"slices"
	"testing"
	"time"
)

// BenchmarkSearch looks for words in a catalog of 100,000 products with 300,000
// variants whose titles share their words, as those of shops do: by words that
// thousands have, by several, by short ones, and by what is not there.
func BenchmarkSearch(b *testing.B) {
	p := start(b)
	p.query(
		`insert into product (code, title) select 'BK-' || n,
			initcap((array['honey','wax','pollen','bee','hive'])[n % 5 + 1] || ' ' ||
			(array['jar','lid','frame','smoker','veil','suit','glove'])[n % 7 + 1]
		|| ' ' || (array['with handle','for beginners','large','stainless steel','set of ten','classic'])[n % 6 + 1] || ' ' || n % 900)
		from generate_series(1, 100000) n`,
	)
	p.query(
		`insert into variant (product_id, sku, gtin, options, position) select p.id, p.code || '-' || v, lpad((p.id * 3 + v)::text, 14, '0'),
		jsonb_build_array(jsonb_build_object('name', 'Colour', 'value', (array['amber','clear','smoke blue'])[v]),
		jsonb_build_object('name', 'Size', 'value', (array['S','M','500 ml'])[(p.id + v) % 3 + 1])), v
		from product p, generate_series(1, 3) v`,
	)
	p.query(
		`update product p set search = lower(concat_ws(' ', p.code, p.title, (select string_agg(variant_text(v), ' ') from variant v
			where v.product_id = p.id)))`,
	)
	p.query(`vacuum analyze product`)
	p.query(`vacuum analyze variant`)
	median := func(query string) float64 {
		times := make([]time.Duration, 0, 15)
		for range 15 {
			begin := time.Now()
			response, err := http.Get(p.address + "/api/v1/search?q=" + url.QueryEscape(query))
			must(b, err)
			_, err = io.Copy(io.Discard, response.Body)
			must(b, err)
			must(b, response.Body.Close())
			times = append(times, time.Since(begin))
		}
		slices.Sort(times)
		return float64(times[len(times)/2].Microseconds()) / 1000
	}
	median("bk-1")
	for b.Loop() {
		for unit, query := range map[string]string{"one-word": "jar", "two-words": "honey jar", "rare-of-common": "stainless hive veil 777",
			"with-options": "suit amber 500", "sku": "bk-77712-2",
			"short": "m", "part-of-sku": "7771", "not-there": "zeppelin jar", "not-there-short": "zq"} {
			b.ReportMetric(median(query), unit+"-ms(max20)")
		}
	}
}
