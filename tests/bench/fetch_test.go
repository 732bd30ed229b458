package bench

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"ambrosa/internal/client"
	"ambrosa/internal/standin"
)

// BenchmarkFetch compares fetching 2,000 files of 500 kB from the WebDAV
// stand-in with rclone, which copies the same files from the same server.
func BenchmarkFetch(b *testing.B) {
	const files, size = 2_000, 500_000
	folder := b.TempDir()
	source := rand.NewChaCha8([32]byte{5})
	content := make([]byte, size)
	for i := range files {
		_, _ = source.Read(content)
		copy(content, "BM") // of a kind that is kept and not decoded: fetching is measured
		name := filepath.Join(folder, fmt.Sprintf("folder %02d", i/100), fmt.Sprintf("picture %04d.bin", i))
		must(b, os.MkdirAll(filepath.Dir(name), 0o755))
		must(b, os.WriteFile(name, content, 0o600))
	}
	address, err := standin.WebDAV(b.Context(), "127.0.0.1:0", folder)
	must(b, err)
	obscured, err := exec.Command("rclone", "obscure", standin.Password).Output()
	must(b, err)
	rclone := func() time.Duration {
		begin := time.Now()
		command := exec.Command(
			"rclone", "copy", "--transfers", "4", ":webdav:",
			b.TempDir(),
			"--webdav-url",
			"http://"+address.String(),
			"--webdav-user",
			standin.User,
			"--webdav-pass",
			string(obscured[:len(obscured)-1]),
			"--config",
			os.DevNull,
		)
		if out, err := command.CombinedOutput(); err != nil {
			b.Fatalf("rclone: %v: %s", err, out)
		}
		return time.Since(begin)
	}
	rclone() // warms the page cache
	theirs := rclone()
	p := start(b)
	c := client.Client{Address: p.address}
	var origin, fetch struct{ ID int64 }
	ctx := context.Background()
	must(
		b,
		c.Post(
			ctx,
			"/api/v1/origins",
			map[string]any{
				"kind":         "webdav",
				"name":         "drive",
				"folder":       "",
				"selection":    map[string]any{},
				"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
				"settings": map[string]string{
					"address":  "http://" + address.String(),
					"user":     standin.User,
					"password": standin.Password,
				},
			},
			&origin,
		),
	)
	var ours time.Duration
	for b.Loop() {
		begin := time.Now()
		must(b, c.Post(ctx, fmt.Sprintf("/api/v1/origins/%d/fetch", origin.ID), nil, &fetch))
		p.until("the fetch", func() bool {
			state := ""
			p.query(fmt.Sprintf(`select state from run where id = %d`, fetch.ID), &state)
			return state == "done" || state == "failed"
		})
		ours = time.Since(begin)
	}
	stored := 0
	p.query(`select count(*) from file where sha256 is not null`, &stored)
	if stored != files {
		b.Fatalf("%d files of %d are stored", stored, files)
	}
	b.ReportMetric(ours.Seconds(), "s/2000")
	b.ReportMetric(theirs.Seconds(), "s/2000-rclone")
	b.ReportMetric(theirs.Seconds()/ours.Seconds(), "speed(min0.8)")
}
