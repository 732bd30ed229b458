package bench

import (
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"ambrosa/internal/blob"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
	"ambrosa/internal/upkeeping"
)

// BenchmarkScrub reads 1.5 GB of objects to see whether they are what they were, and compares
// its rate with that of two processes of sha256sum on the same files.
func BenchmarkScrub(b *testing.B) {
	const objects, each = 1500, 1 << 20
	p := start(b)
	s, err := store.Open(b.Context(), p.database)
	must(b, err)
	defer s.Close()
	folder := b.TempDir()
	blobs, err := blob.Open(b.Context(), filepath.Join(folder, "blobs"), filepath.Join(folder, "spool"))
	must(b, err)
	defer blobs.Close()
	random := rand.NewChaCha8([32]byte{7})
	content := make([]byte, each)
	for range objects {
		_, err := random.Read(content)
		must(b, err)
		sum := fmt.Sprintf("%x", sha256.Sum256(content))
		path := filepath.Join(folder, "blobs", "originals", sum[:2], sum)
		must(b, os.MkdirAll(filepath.Dir(path), 0o755))
		must(b, os.WriteFile(path, content, 0o600))
		_, err = testdb.Pool(s).Exec(b.Context(), `insert into blob (sha256, bytes, type) values (decode($1, 'hex'), $2,
			'image/jpeg')`, sum, each)
		must(b, err)
	}
	theirs := func() time.Duration {
		begin := time.Now()
		out, err := exec.Command("sh", "-c", `find "$0" -type f -print0 | xargs -0 -P 2 -n 50 sha256sum > /dev/null`,
			filepath.Join(folder, "blobs", "originals")).CombinedOutput()
		if err != nil {
			b.Fatalf("sha256sum: %v: %s", err, out)
		}
		return time.Since(begin)
	}
	keeper := &upkeeping.Upkeeper{Store: s, Blobs: blobs}
	theirs()
	for b.Loop() {
		before := theirs()
		begin := time.Now()
		must(b, keeper.Scrub(b.Context(), 1, begin))
		ours := time.Since(begin)
		other := (before + theirs()) / 2
		check, err := s.StoreCheck(b.Context())
		must(b, err)
		if check.Read != objects || check.Damaged+check.Missing > 0 {
			b.Fatalf("%+v", check)
		}
		b.ReportMetric(other.Seconds()/ours.Seconds(), "rate/sha256sum(min0.8)")
		b.ReportMetric(objects*each/ours.Seconds()/1e6, "MB/s")
		b.ReportMetric(objects*each/other.Seconds()/1e6, "MB/s-sha256sum")
	}
}
