// Package bench measures what Ambrosa promises, each figure as a ratio to a
// reference that runs beside it, or as a time at the server. `make bench` runs
// it.
package bench

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"ambrosa/internal/client"
	"ambrosa/internal/testdb"
	"ambrosa/internal/testprogram"
)

var binary string

func TestMain(m *testing.M) {
	folder, temporary := testprogram.Folder(testprogram.Main, testprogram.Decode)
	binary = filepath.Join(folder, testprogram.Main)
	testdb.Main(m, temporary...)
}

// photographs writes n JPEGs of 12 megapixels: a few scenes with the grain of a
// camera, told apart by a comment behind the picture.
func photographs(b *testing.B, folder string, n int) {
	b.Helper()
	const scenes = 6
	var bases [scenes][]byte
	r := rand.New(rand.NewPCG(1, 12))
	for s := range bases {
		picture := image.NewRGBA(image.Rect(0, 0, 4000, 3000))
		for y := range 3000 {
			for x := range 4000 {
				grain := uint8(r.IntN(14))
				picture.SetRGBA(
					x,
					y,
					color.RGBA{uint8(x*200/4000) + grain, uint8(y*200/3000) + grain, uint8((x/40+y/30+s*9)%90) + grain, 255},
				)
			}
		}
		var out bytes.Buffer
		must(b, jpeg.Encode(&out, picture, &jpeg.Options{Quality: 88}))
		bases[s] = out.Bytes()
	}
	for i := range n {
		content := fmt.Appendf(bytes.Clone(bases[i%scenes]), "photograph %d", i)
		must(b, os.WriteFile(filepath.Join(folder, fmt.Sprintf("p%03d.jpg", i)), content, 0o600))
	}
}

// BenchmarkExamination compares examining 300 JPEGs of 12 megapixels (hash,
// measurements, fingerprint, thumbnail in WebP, rows written) with vips' own
// thumbnail command on two cores.
func BenchmarkExamination(b *testing.B) {
	const pictures = 300
	p := start(b)
	uploads := filepath.Join(p.folder, "uploads")
	must(b, os.MkdirAll(uploads, 0o700))
	photographs(b, uploads, pictures)
	kept := filepath.Join(p.folder, "kept") // the examination takes the uploads away
	must(b, os.Mkdir(kept, 0o700))
	files, err := os.ReadDir(uploads)
	must(b, err)
	for _, f := range files {
		must(b, os.Link(filepath.Join(uploads, f.Name()), filepath.Join(kept, f.Name())))
	}
	reference := func() time.Duration {
		thumbs := b.TempDir()
		command := exec.Command("sh", "-c", `ls | xargs -P2 -n8 vipsthumbnail -s 320x320 -o "$0/%s.jpg"`, thumbs)
		command.Dir = kept
		begin := time.Now()
		out, err := command.CombinedOutput()
		if err != nil {
			b.Fatalf("vipsthumbnail: %v: %s", err, out)
		}
		return time.Since(begin)
	}
	reference() // warms the page cache
	before := reference()
	p.query(`insert into lot (name, expected) values ('photographs', 300)`)
	p.query(
		`insert into upload (id, lot_id, path, bytes) select 'p' || lpad(n::text, 3, '0') || '.jpg', 1, 'p' || n || '.jpg', 1
			from generate_series(0, 299) n`,
	)
	p.query(`update upload set finished_at = now() where id <> 'p299.jpg'`)
	var ours time.Duration
	for b.Loop() {
		begin := time.Now()
		p.query(`update upload set finished_at = now()`)
		response, err := http.Post(p.address+"/api/v1/lots/1/close", "application/json", nil)
		must(b, err)
		_ = response.Body.Close()
		p.until("the examination", func() bool {
			done := 0
			p.query(`select count(*) from file where verdict <> 'unusable'`, &done)
			return done == pictures
		})
		ours = time.Since(begin)
	}
	// A machine that gets slower meanwhile does so for both; what follows an examination is not a part of it.
	p.until("what follows to be done", func() bool {
		open := 0
		p.query(`select count(*) from run where state in ('queued', 'running')`, &open)
		return open == 0
	})
	theirs := (before + reference()) / 2
	b.ReportMetric(ours.Seconds(), "s/300")
	b.ReportMetric(theirs.Seconds(), "s/300-vipsthumbnail")
	b.ReportMetric(ours.Seconds()/theirs.Seconds(), "ratio(max1.25)")
}

// BenchmarkLargeArchive sends an archive of 10,000 files and 2 GiB through and
// watches the resident memory of the process and its decoders.
func BenchmarkLargeArchive(b *testing.B) {
	const entries, size = 10_000, 2 << 30 / 10_000
	name := filepath.Join(b.TempDir(), "large.zip")
	makeLargeArchive(b, name, entries, size)
	p := start(b)
	peak := make(chan int64, 1)
	ended := make(chan struct{})
	go func() {
		most := int64(0)
		for {
			select {
			case <-ended:
				peak <- most
				return
			case <-time.After(200 * time.Millisecond):
				most = max(most, resident(p.process.Process.Pid))
			}
		}
	}()
	var took time.Duration
	for b.Loop() {
		begin := time.Now()
		p.gather(name)
		took = time.Since(begin)
	}
	close(ended)
	files := 0
	p.query(`select count(*) from file where sha256 is not null`, &files)
	if files != entries {
		b.Fatalf("%d files of %d are stored", files, entries)
	}
	b.ReportMetric(float64(<-peak)/(1<<20), "MiB-resident(max600)")
	b.ReportMetric(took.Seconds(), "s/2GiB")
}

func makeLargeArchive(b *testing.B, name string, entries, size int) {
	b.Helper()
	file, err := os.Create(name)
	must(b, err)
	archive := zip.NewWriter(file)
	picture := image.NewRGBA(image.Rect(0, 0, 900, 700))
	for i := range picture.Pix {
		picture.Pix[i] = uint8(i/4/900/3+i/4%900/9) | 15
	}
	var base bytes.Buffer
	must(b, jpeg.Encode(&base, picture, nil))
	r := rand.NewChaCha8([32]byte{7})
	padding := make([]byte, size-base.Len())
	for i := range entries {
		_, _ = r.Read(padding[:64])
		entry, err := archive.CreateHeader(&zip.FileHeader{Name: fmt.Sprintf("folder %d/LA-%05d.jpg", i/100, i), Method: zip.Store})
		must(b, err)
		_, err = entry.Write(base.Bytes())
		must(b, err)
		_, err = entry.Write(padding)
		must(b, err)
	}
	must(b, archive.Close())
	must(b, file.Close())
}

// BenchmarkDropFolder puts a file of 2 GiB into the drop folder and watches how
// far the resident memory of the process grows.
func BenchmarkDropFolder(b *testing.B) {
	const size = 2 << 30
	p := start(b, "AMBROSA_DROP=127.0.0.1:0")
	c := client.Client{Address: p.address}
	var person struct{ Name, Password string }
	var folder struct{ Address string }
	must(b, c.Post(context.Background(), "/api/v1/drop-folder/people", map[string]string{"name": "Mara"}, &person))
	must(b, c.Get(context.Background(), "/api/v1/drop-folder", &folder))
	for b.Loop() {
		before := resident(p.process.Process.Pid)
		most := before
		ended := make(chan struct{})
		watched := make(chan struct{})
		go func() {
			defer close(watched)
			for {
				select {
				case <-ended:
					return
				case <-time.After(50 * time.Millisecond):
					most = max(most, resident(p.process.Process.Pid))
				}
			}
		}()
		request, err := http.NewRequest(http.MethodPut, folder.Address+"large.tif", io.LimitReader(zeros{}, size))
		must(b, err)
		request.ContentLength = size
		request.SetBasicAuth(person.Name, person.Password)
		begin := time.Now()
		response, err := http.DefaultClient.Do(request)
		must(b, err)
		_ = response.Body.Close()
		took := time.Since(begin)
		close(ended)
		<-watched
		if response.StatusCode != http.StatusCreated {
			b.Fatal(response.Status)
		}
		b.ReportMetric(float64(most-before)/(1<<20), "MiB-grown(max64)")
		b.ReportMetric(took.Seconds(), "s/2GiB")
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	clear(p)
	return len(p), nil
}

// BenchmarkLists measures the first rows, and rows far down, of a catalog of
// 100,000 products and a lot of 100,000 files, at the server.
func BenchmarkLists(b *testing.B) {
	p := start(b)
	p.query(`insert into category (name, path) values ('All', 'All')`)
	p.query(
		`insert into product (code, title, category_id) select 'BM-' || lpad(n::text, 6, '0'), 'Thing number ' || n, 1
			from generate_series(1, 100000) n`,
	)
	p.query(`insert into variant (product_id, sku, title) select id, code || '-A', title from product`)
	p.query(`insert into lot (name, state) values ('large', 'ready')`)
	p.query(`insert into upload (id, lot_id, path, bytes) values ('u', 1, 'large.zip', 1)`)
	p.query(
		`insert into blob (sha256, bytes, type, width, height) select sha256(n::text::bytea), 1000, 'image/jpeg', 900, 900
			from generate_series(1, 100000) n`,
	)
	p.query(
		`insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, product_id) select 1, 'u', n,
			'folder/BM-' || lpad(n::text, 6, '0') || '_1.jpg', 1000,
		sha256(n::text::bytea), (array['paired', 'paired', 'loose', 'contested'])[1 + n % 4], n from generate_series(1, 100000) n`,
	)
	p.query(`insert into placement (product_id, file_id, place) select n, n, 1 from generate_series(1, 50000) n`)
	p.query(`update product set pictures = 1 where id <= 50000`)
	p.query(`vacuum analyze`) // as autovacuum does by itself after a while
	worst := func(path string) float64 { return worstOf(b, p.address+path) }
	worst("/api/v1/products") // connections are made
	paths := map[string]string{
		"catalog-ms": "/api/v1/products", "catalog-far-ms": "/api/v1/products?offset=99000", "no-picture-ms": "/api/v1/products?noPicture=true",
		"sku-part-ms": "/api/v1/products?q=0777", "lot-ms": "/api/v1/lots/1/files", "lot-far-ms": "/api/v1/lots/1/files?offset=99000",
		"lot-loose-ms": "/api/v1/lots/1/files?verdict=loose", "search-ms": "/api/v1/search?q=bm-0777",
		"words-ms": "/api/v1/search?q=thing+bm-0777", "lots-ms": "/api/v1/lots/1", "waiting-ms": "/api/v1/waiting",
	}
	for b.Loop() {
		for unit, path := range paths {
			b.ReportMetric(worst(path), unit+"(max100)")
		}
	}
}
