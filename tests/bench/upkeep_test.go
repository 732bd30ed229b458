package bench

import (
	"fmt"
	"io"
	"net/http"
	"os/exec"
	"testing"
	"time"

	"ambrosa/internal/client"
	"ambrosa/internal/store"
	"ambrosa/internal/upkeeping"
)

// library fills a program's database with 1,000,000 files and 5,000,000 placements on 100,000
// products; 100,000 of the files stand nowhere, and nothing else needs them. Constraints are
// not checked while that is written: it is what the program would write.
func library(p *program) {
	p.query(`set session_replication_role = replica`)
	for _, text := range []string{
		`insert into product (code, title) select 'P' || n, 'Product ' || n from generate_series(1, 100000) n`,
		`insert into lot (name, state) select 'lot ' || n, 'applied' from generate_series(1, 100) n`,
		`insert into upload (id, lot_id, path, bytes) select 'u' || n, n, 'a.zip', 1 from generate_series(1, 100) n`,
		`insert into blob (sha256, bytes) select sha256(n::text::bytea), 50000 from generate_series(1, 1000000) n`,
		`insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict) select 1 + n % 100, 'u' || 1 + n % 100, n,
			'pictures/' || n || '.jpg', 50000, sha256(n::text::bytea), 'loose' from generate_series(1, 1000000) n`,
		`insert into placement (product_id, file_id, place) select 1 + n % 100000, 1 + n % 900000, 1 + n / 100000
			from generate_series(0, 4999999) n`,
		`insert into reference (file_id, placement_id) select file_id, id from placement`,
	} {
		p.query(text)
	}
	p.query(`set session_replication_role = origin`)
	for _, table := range []string{"product", "lot", "blob", "file", "placement", "reference"} {
		p.query(`vacuum analyze ` + table)
	}
}

// read asks for something and reads the whole answer.
func (p *program) read(path string) {
	answer, err := http.Get(p.address + path)
	must(p.b, err)
	_, err = io.Copy(io.Discard, answer.Body)
	must(p.b, err)
	must(p.b, answer.Body.Close())
}

// BenchmarkUpkeep finds the orphans among 1,000,000 files and 5,000,000 placements and
// compares that with the bare anti-join in psql; then 100,000 are held and given back, and
// the first findings are asked for.
func BenchmarkUpkeep(b *testing.B) {
	p := start(b)
	library(p)
	s, err := store.Open(b.Context(), p.database)
	must(b, err)
	defer s.Close()
	keeper, to := &upkeeping.Upkeeper{Store: s}, client.Client{Address: p.address}
	bare := func() time.Duration {
		begin := time.Now()
		out, err := exec.Command("psql", "-qAt", "-o", "/dev/null", "-c", `select f.id, f.path from file f where not exists (
			select from placement p where p.file_id = f.id)`, p.database).CombinedOutput()
		if err != nil {
			b.Fatalf("psql: %v: %s", err, out)
		}
		return time.Since(begin)
	}
	find := func() (found int, took time.Duration) {
		begin := time.Now()
		must(b, keeper.Find(b.Context(), []string{"orphans"}, store.Upkeep{}, time.Now(), func(store.Swept) error {
			found++
			return nil
		}))
		return found, time.Since(begin)
	}
	// Each once, so that both find what they read in memory.
	bare()
	find()
	for b.Loop() {
		theirs := bare()
		found, ours := find()
		if found != 100_000 {
			b.Fatalf("%d orphans were found", found)
		}
		theirs = (theirs + bare()) / 2
		b.ReportMetric(ours.Seconds()/theirs.Seconds(), "find/anti-join(max1.5)")
		b.ReportMetric(theirs.Seconds(), "s-anti-join")
		b.ReportMetric(ours.Seconds(), "s-find")

		begin := time.Now()
		must(b, to.Post(b.Context(), "/api/v1/sweeps", map[string]any{"kinds": []string{"orphans"}}, nil))
		p.until("the sweep to end", func() bool {
			var waiting store.Waiting
			must(b, to.Get(b.Context(), "/api/v1/waiting", &waiting))
			return waiting.Runs == 0
		})
		b.ReportMetric(time.Since(begin).Seconds(), "s-sweep")
		begin = time.Now()
		p.read("/api/v1/findings?kind=orphans&limit=100")
		b.ReportMetric(float64(time.Since(begin).Milliseconds()), "ms-first-findings(max100)")
		begin = time.Now()
		p.read("/api/v1/findings?kind=orphans&limit=100&offset=95000")
		b.ReportMetric(float64(time.Since(begin).Milliseconds()), "ms-last-findings(max100)")
		var held store.HeldNow
		begin = time.Now()
		must(b, to.Post(b.Context(), "/api/v1/findings/hold", map[string]any{"where": map[string]string{"kind": "orphans"}}, &held))
		b.ReportMetric(time.Since(begin).Seconds(), "s-hold-100k(max30)")
		begin = time.Now()
		must(b, to.Post(b.Context(), fmt.Sprintf("/api/v1/holdings/%d/restore", held.Holding), map[string]any{}, nil))
		b.ReportMetric(time.Since(begin).Seconds(), "s-restore-100k(max30)")
		if held.Files != 100_000 {
			b.Errorf("%d were held", held.Files)
		}
	}
}
