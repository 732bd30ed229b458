package bench

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"golang.org/x/net/webdav"

	"ambrosa/core/dispatch"
	"ambrosa/internal/client"
	"ambrosa/internal/sheetfile"
)

// plain are settings by which all pictures go as they came.
func plain(change map[string]any) map[string]any {
	s := map[string]any{"query": "", "category": "", "skus": []string{}, "pictures": "all", "first": 0, "names": "[sku]_[place pad 2]",
		"rename": false, "changed": true, "remove": false, "language": "", "sheet": dispatch.UsualSheet(),
		"rendition": map[string]any{"format": "original", "width": 0, "height": 0, "ratio": "", "colour": "", "quality": 0, "most": 0,
			"metadata": "kept"}}
	for field, value := range change {
		s[field] = value
	}
	return s
}

// noise fills a program with pictures of random bytes, one of each product, and returns the
// folder with them.
func noise(p *program, pictures, size int) string {
	folder := p.b.TempDir()
	random := rand.NewChaCha8([32]byte{5})
	content := make([]byte, size)
	p.query(`insert into lot (name, state) values ('studio', 'applied')`)
	p.query(`insert into upload (id, lot_id, path, bytes) values ('u', (select max(id) from lot), 'a.zip', 1)`)
	for n := range pictures {
		_, _ = random.Read(content)
		sum := fmt.Sprintf("%x", sha256.Sum256(content))
		path := filepath.Join(p.folder, "blobs", "originals", sum[:2], sum)
		must(p.b, os.MkdirAll(filepath.Dir(path), 0o755))
		must(p.b, os.WriteFile(path, content, 0o600))
		must(p.b, os.Link(path, filepath.Join(folder, strconv.Itoa(n)+".jpg")))
		p.query(fmt.Sprintf(`with b as (insert into blob (sha256, bytes, type) values ('\x%s', %d, 'image/jpeg')),
			p as (insert into product (code, title) values ('S%05d', 'Product %d') returning id),
			f as (insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, rights)
				values ((select max(id) from lot), 'u', %d, '%d.jpg', %d, '\x%s', 'loose', 'cleared') returning id)
			insert into placement (product_id, file_id, place) select p.id, f.id, 1 from p, f`, sum, size, n, n, n+1, n, size, sum))
	}
	return folder
}

// BenchmarkPush puts 2,000 pictures of 500 kB on a WebDAV drive, and compares that with rclone,
// which copies the same files to the same server.
func BenchmarkPush(b *testing.B) {
	p := start(b)
	originals := noise(p, 2_000, 500_000)
	served := func() (folder, address string) {
		folder = b.TempDir()
		server := httptest.NewServer(&webdav.Handler{FileSystem: webdav.Dir(folder), LockSystem: webdav.NewMemLS()})
		b.Cleanup(server.Close)
		return folder, server.URL
	}
	to := client.Client{Address: p.address}
	for b.Loop() {
		rclone := func() time.Duration {
			_, address := served()
			begin := time.Now()
			out, err := exec.Command("rclone", "copy", "--transfers", "4", originals, ":webdav:", "--webdav-url", address, "--config",
				os.DevNull).CombinedOutput()
			if err != nil {
				b.Fatalf("rclone: %v: %s", err, out)
			}
			return time.Since(begin)
		}
		rclone() // warms the page cache
		theirs := rclone()
		folder, address := served()
		var made struct{ ID int64 }
		must(b, to.Post(b.Context(), "/api/v1/outlets", map[string]any{"name": address, "kind": "webdav", "settings": plain(nil),
			"address": map[string]string{"address": address}}, &made))
		ours, went := p.handOn(to, made.ID)
		if found, err := os.ReadDir(folder); err != nil || len(found) != 2_000 || went != 2_000 {
			b.Fatalf("%d went, %d are there: %v", went, len(found), err)
		}
		b.ReportMetric(theirs.Seconds()/ours.Seconds(), "rate/rclone(min0.8)")
		b.ReportMetric(ours.Seconds(), "s")
		b.ReportMetric(theirs.Seconds(), "s-rclone")
	}
}

// BenchmarkWorkbook puts 5,000 rows with pictures below what stands in a workbook that was handed
// in, by the process that does it, and has LibreOffice read what came of it.
func BenchmarkWorkbook(b *testing.B) {
	const rows = 5_000
	folder := b.TempDir()
	small := make([][]byte, 50)
	for i := range small {
		drawn := image.NewRGBA(image.Rect(0, 0, 90, 90))
		random := rand.New(rand.NewPCG(1, uint64(i)))
		for n := range drawn.Pix {
			drawn.Pix[n] = byte(random.IntN(256))
		}
		small[i] = jpegOf(b, drawn)
	}
	theirs := filepath.Join(folder, "theirs.xlsx")
	file, err := os.Create(theirs)
	must(b, err)
	columns := []sheetfile.Column[int]{{Title: "SKU", Of: func(n int) any { return "OLD-" + strconv.Itoa(n) }}}
	n := 0
	must(b, sheetfile.WriteXLSX(file, "Pictures", columns, func() (int, bool, error) { n++; return n, n <= 100, nil }, nil))
	must(b, file.Close())
	for b.Loop() {
		out := filepath.Join(folder, "out.xlsx")
		process := exec.Command(filepath.Join(filepath.Dir(binary), "ambrosa-decode"), "append", theirs, out)
		in, err := process.StdinPipe()
		must(b, err)
		var said strings.Builder
		process.Stdout = &said
		begin := time.Now()
		must(b, process.Start())
		lines := json.NewEncoder(in)
		must(b, lines.Encode(sheetfile.Below{Header: []string{"SKU", "Title", "Text"}, Side: 90}))
		for n := range rows {
			// Each picture is another one: a byte behind its end tells it from its like.
			picture := append(append([]byte{}, small[n%len(small)]...), strconv.Itoa(n)...)
			must(b, lines.Encode(sheetfile.BelowRow{Cells: []any{"NEW-" + strconv.Itoa(n), "Product", "A text of a picture"}, Picture: picture}))
		}
		must(b, in.Close())
		must(b, process.Wait())
		took := time.Since(begin)
		usage, _ := process.ProcessState.SysUsage().(*syscall.Rusage)
		b.ReportMetric(float64(usage.Maxrss)/1024, "MiB(max200)")
		b.ReportMetric(took.Seconds(), "s")
		office := exec.Command("soffice", "--headless", "-env:UserInstallation=file://"+b.TempDir(), "--convert-to", "csv", "--outdir", folder,
			out)
		if words, err := office.CombinedOutput(); err != nil {
			b.Fatalf("soffice: %v: %s", err, words)
		}
		csv, err := os.ReadFile(filepath.Join(folder, "out.csv"))
		must(b, err)
		if got := strings.Count(string(csv), "\n"); got != rows+101 {
			b.Fatalf("LibreOffice reads %d rows: %s", got, said.String())
		}
	}
}

func jpegOf(b *testing.B, drawn image.Image) []byte {
	b.Helper()
	var out bytes.Buffer
	must(b, jpeg.Encode(&out, drawn, &jpeg.Options{Quality: 82}))
	return out.Bytes()
}
