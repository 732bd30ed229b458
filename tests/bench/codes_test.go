package bench

import (
	"context"
	"path/filepath"
	"testing"
	"time"

	"ambrosa/internal/codephoto"
	"ambrosa/internal/contained"
	"ambrosa/internal/picture"
)

// BenchmarkCodes reads the barcodes in 300 photographs with one decoder, and with
// zbarimg beside it.
func BenchmarkCodes(b *testing.B) {
	const n = 300
	photos, err := codephoto.Draw(b.TempDir(), n, 31)
	must(b, err)
	begin := time.Now()
	theirs := 0
	for _, p := range photos {
		if codephoto.Zbar(p.Path) == p.Text {
			theirs++
		}
	}
	zbar := time.Since(begin)
	program, err := contained.Find([]string{filepath.Join(filepath.Dir(binary), contained.Name)})
	must(b, err)
	pool := picture.NewPool(picture.PoolOptions{Program: program, Decoders: 1})
	defer pool.Close()
	for b.Loop() {
		ours, wrong := 0, 0
		begin := time.Now()
		for _, p := range photos {
			result, err := pool.Codes(context.Background(), p.Path)
			must(b, err)
			for _, c := range result.Codes {
				text := c.Text
				if c.Format == "upc-a" {
					text = "0" + text
				}
				if text == p.Text {
					ours++
				} else {
					wrong++
				}
			}
		}
		took := time.Since(begin)
		b.ReportMetric(float64(ours), "read")
		b.ReportMetric(float64(theirs), "read-zbarimg")
		b.ReportMetric(float64(wrong), "wrong(max0)")
		b.ReportMetric(took.Seconds()/zbar.Seconds(), "time-ratio(max2)")
	}
}
