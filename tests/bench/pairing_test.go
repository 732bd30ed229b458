package bench

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/chromedp/kb"

	"ambrosa/core/pairing"
	"ambrosa/tests/browser"
)

// largeLot makes a catalog of 100,000 variants and a lot of 100,000 files whose
// names hold their SKUs, and reads it.
func largeLot(b *testing.B) *program {
	b.Helper()
	p := start(b)
	p.query(
		`insert into product (code, title) select 'BM-' || lpad(n::text, 6, '0'), 'Meadow thing ' || n from generate_series(1, 100000) n`,
	)
	p.query(`insert into variant (product_id, sku, title) select id, code || '-A', title from product`)
	p.query(`insert into lot (name, state) values ('large', 'ready')`)
	p.query(`insert into upload (id, lot_id, path, bytes) values ('u', 1, 'large.zip', 1)`)
	p.query(
		`insert into blob (sha256, bytes, type, width, height) select sha256(n::text::bytea), 1000, 'image/jpeg', 900, 900
			from generate_series(1, 100000) n`,
	)
	p.query(
		`insert into file (lot_id, upload_id, entry, path, bytes, sha256) select 1, 'u', n, case
			when n % 10 = 0 then 'shots/IMG_' || lpad((n / 10)::text, 5, '0') || '.jpg'
		when n % 10 = 1 then 'shots/BM' || lpad(n::text, 6, '0') || '~' || lpad((n + 1)::text, 6, '0') || '.jpg' else 'shots/bm_' ||
		lpad(n::text, 6, '0') || '_a_' || 1 + n % 5 || '.jpg' end, 1000,
		sha256(n::text::bytea) from generate_series(1, 100000) n`,
	)
	p.query(`update catalog_version set version = version + 1`)
	p.query(`update blob set codes = '[]'`)
	response, err := http.Post(p.address+"/api/v1/lots/1/pair", "application/json", nil)
	must(b, err)
	_ = response.Body.Close()
	p.until("the lot to be read", func() bool {
		open, unread := 0, 0
		p.query(
			`select (select count(*) from run where state in ('queued', 'running')), (select count(*) from file where verdict = 'unread')`,
			&open,
			&unread,
		)
		return open == 0 && unread == 0
	})
	p.query(`vacuum analyze`)
	return p
}

// BenchmarkPreview changes a clue on a lot of 100,000 files against 100,000
// variants, and waits for the counts with their first examples.
func BenchmarkPreview(b *testing.B) {
	p := largeLot(b)
	preview := func(list pairing.ClueList) time.Duration {
		body, err := json.Marshal(list)
		must(b, err)
		begin := time.Now()
		response, err := http.Post(p.address+"/api/v1/lots/1/clues/preview", "application/json", bytes.NewReader(body))
		must(b, err)
		answer, err := io.ReadAll(response.Body)
		must(b, err)
		_ = response.Body.Close()
		if response.StatusCode != http.StatusOK {
			b.Fatalf("%s: %s", response.Status, answer)
		}
		return time.Since(begin)
	}
	list := pairing.DefaultClues()
	first := preview(list) // the lot is read from the database
	for b.Loop() {
		most := time.Duration(0)
		for n := range 6 {
			list.Clues[n%len(list.Clues)].Off = !list.Clues[n%len(list.Clues)].Off
			most = max(most, preview(list))
		}
		b.ReportMetric(float64(most.Milliseconds()), "ms-change(max300)")
		b.ReportMetric(float64(first.Milliseconds()), "ms-first")
	}
}

// BenchmarkBench opens a lot of 100,000 files on the bench in Chromium, and goes
// from file to file by key: the time from the key to the next file's reading line on
// the screen, in the page.
func BenchmarkBench(b *testing.B) {
	p := largeLot(b)
	page, err := browser.Open(b.Context(), browser.Options{})
	must(b, err)
	defer page.Close()
	must(b, page.Go(p.address+"/"))
	must(b, page.Until(`document.querySelector('.sheet')`))
	for b.Loop() {
		begin := time.Now()
		must(b, page.Go(p.address+"/pair/1"))
		must(b, page.Until(`document.querySelector('.reading') && document.querySelector('.filerow')`))
		b.ReportMetric(float64(time.Since(begin).Milliseconds()), "ms-opening(max1000)")
		_, err := browser.Eval[bool](page, `(() => {
			window.took = [];
			const name = () => document.querySelector('.reading')?.textContent; // innerText would have the page laid out
			window.addEventListener('keydown', (event) => {
				const before = name(), painted = new MessageChannel();
				painted.port1.onmessage = () => window.took.push(performance.now() - event.timeStamp);
				// A message sent from a frame’s callback arrives when that frame is painted (HTML, event loop: update the rendering).
				const look = () => requestAnimationFrame(() => name() !== before && name() ? painted.port2.postMessage(0) : look());
				look();
			}, true);
			return true;
		})()`)
		must(b, err)
		const keys = 20
		for n := range keys {
			// A person looks before the next key: the page comes to rest.
			must(b, page.Until(`new Promise(r => setTimeout(() => r(true), 200))`))
			must(b, page.Press(kb.ArrowDown))
			must(b, page.Until(fmt.Sprintf(`window.took.length === %d`, n+1)))
		}
		middle, err := browser.Eval[float64](page, `window.took.toSorted((a, b) => a - b)[10]`)
		must(b, err)
		worst, err := browser.Eval[float64](page, `Math.max(...window.took)`)
		must(b, err)
		b.ReportMetric(middle, "ms-next-median(max50)")
		b.ReportMetric(worst, "ms-next-worst")
	}
}
