package bench

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/client"
)

// shot draws a picture of 12 megapixels with the grain and the edges of a photograph, as a JPEG.
func shot(b *testing.B, folder string, n int) []byte {
	b.Helper()
	in := func(name string) string { return filepath.Join(folder, fmt.Sprintf("%s-%d.v", name, n)) }
	file := filepath.Join(folder, fmt.Sprintf("shot-%d.jpg", n))
	for _, args := range [][]string{
		{"perlin", in("clouds"), "4000", "3000", "--cell-size", strconv.Itoa(60 + 40*n), "--uchar"},
		{"gaussnoise", in("grain"), "4000", "3000", "--sigma", "6", "--mean", "0"},
		{"add", in("clouds"), in("grain"), in("sum")},
		{"cast", in("sum"), in("grey"), "uchar"},
		{"bandjoin", in("grey") + " " + in("clouds") + " " + in("grey"), in("three")},
		{"copy", in("three"), in("colours"), "--interpretation", "srgb"},
		{"jpegsave", in("colours"), file, "--Q", "92"},
	} {
		if out, err := exec.Command("vips", args...).CombinedOutput(); err != nil {
			b.Fatalf("vips %v: %v: %s", args, err, out)
		}
	}
	content, err := os.ReadFile(file)
	must(b, err)
	return content
}

// studio fills a program with pictures of 12 megapixels, one of each product: some drawings,
// each made different by what stands behind its end. It returns the folder with them.
func studio(p *program, pictures int) string {
	const drawings = 5
	folder := p.b.TempDir()
	var drawn [drawings][]byte
	for n := range drawings {
		drawn[n] = shot(p.b, folder, n)
	}
	originals := filepath.Join(folder, "originals")
	must(p.b, os.Mkdir(originals, 0o755))
	p.query(`insert into lot (name, state) values ('studio', 'applied')`)
	p.query(`insert into upload (id, lot_id, path, bytes) values ('u', (select max(id) from lot), 'a.zip', 1)`)
	for n := range pictures {
		content := append(bytes.Clone(drawn[n%drawings]), strconv.Itoa(n)...)
		sum := fmt.Sprintf("%x", sha256.Sum256(content))
		path := filepath.Join(p.folder, "blobs", "originals", sum[:2], sum)
		must(p.b, os.MkdirAll(filepath.Dir(path), 0o755))
		must(p.b, os.WriteFile(path, content, 0o600))
		must(p.b, os.Link(path, filepath.Join(originals, strconv.Itoa(n)+".jpg")))
		p.query(fmt.Sprintf(`with b as (insert into blob (sha256, bytes, type, width, height) values ('\x%s', %d, 'image/jpeg', 4000, 3000)),
			p as (insert into product (code, title) values ('S%05d', 'Product %d') returning id),
			f as (insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, rights)
				values ((select max(id) from lot), 'u', %d, '%d.jpg', %d, '\x%s', 'loose', 'cleared') returning id),
			pl as (insert into placement (product_id, file_id, place) select p.id, f.id, 1 from p, f returning id, file_id)
			insert into reference (file_id, placement_id) select file_id, id from pl`, sum, len(content), n, n, n+1, n, len(content), sum))
	}
	return originals
}

// peak is the most memory that a process and its children had at once, each for itself, in MiB.
func peak(b *testing.B, process int) (total float64) {
	b.Helper()
	of := func(pid string) float64 {
		status, err := os.ReadFile("/proc/" + pid + "/status")
		if err != nil {
			return 0
		}
		_, after, _ := strings.Cut(string(status), "VmHWM:")
		kB, err := strconv.ParseFloat(strings.Fields(after)[0], 64)
		must(b, err)
		return kB / 1024
	}
	total = of(strconv.Itoa(process))
	children, err := os.ReadFile(fmt.Sprintf("/proc/%d/task/%d/children", process, process))
	must(b, err)
	all, err := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", process))
	must(b, err)
	seen := map[string]bool{}
	for _, file := range append(all, "") {
		if file != "" {
			if children, err = os.ReadFile(file); err != nil {
				continue
			}
		}
		for _, pid := range strings.Fields(string(children)) {
			if !seen[pid] {
				seen[pid] = true
				total += of(pid)
			}
		}
	}
	return total
}

// handOn has an outlet's pictures handed on, and returns how long that took and how many went.
func (p *program) handOn(to client.Client, outlet int64) (took time.Duration, pictures int) {
	p.b.Helper()
	begin := time.Now()
	must(p.b, to.Post(p.b.Context(), fmt.Sprintf("/api/v1/outlets/%d/dispatch", outlet), map[string]any{"version": 1}, nil))
	var last struct {
		Items []struct {
			ID, Size int64
			Pictures int
			EndedAt  *time.Time
		}
	}
	p.until("the dispatch", func() bool {
		must(p.b, to.Get(p.b.Context(), fmt.Sprintf("/api/v1/dispatches?outlet=%d&limit=1", outlet), &last))
		return last.Items[0].EndedAt != nil
	})
	return time.Since(begin), last.Items[0].Pictures
}

// BenchmarkPackage packs pictures of 12 megapixels as JPEGs of 1600 pixels, and compares that
// with vips' own thumbnail command in as many processes; then ten change, and go alone.
// AMBROSA_PACKAGE is how many pictures, 600 where nothing is said.
func BenchmarkPackage(b *testing.B) {
	pictures := 600
	if text := os.Getenv("AMBROSA_PACKAGE"); text != "" {
		var err error
		pictures, err = strconv.Atoi(text)
		must(b, err)
	}
	p := start(b)
	originals := studio(p, pictures)
	to := client.Client{Address: p.address}
	outlet := func(name string) (made struct{ ID int64 }) {
		must(b, to.Post(b.Context(), "/api/v1/outlets", map[string]any{"name": name, "kind": "package", "settings": plain(map[string]any{
			"rendition": map[string]any{"format": "jpeg", "width": 1600, "height": 1600, "ratio": "", "colour": "", "quality": 85, "most": 0,
				"metadata": "written"}})}, &made))
		return made
	}
	for b.Loop() {
		out := b.TempDir()
		begin := time.Now()
		command := exec.Command("sh", "-c", `find "$0" -type f | VIPS_CONCURRENCY=1 xargs -P 2 -I {} sh -c \
			'vips thumbnail "$1" "$2/$(basename "$1")[Q=85,strip,optimize-coding]" 1600 --height 1600 --size down' - {} "$1"`, originals, out)
		if said, err := command.CombinedOutput(); err != nil {
			b.Fatalf("vips: %v: %s", err, said)
		}
		theirs := time.Since(begin)
		shop := outlet("shop").ID
		ours, went := p.handOn(to, shop)
		if went != pictures {
			b.Fatalf("%d of %d went", went, pictures)
		}
		memory := peak(b, p.process.Process.Pid)
		p.query(`update placement set alt = 'changed' where id in (select id from placement order by id limit 10)`)
		again, went := p.handOn(to, shop)
		if went != 10 {
			b.Fatalf("%d of 10 went the second time", went)
		}
		answer, err := http.Get(p.address + "/media/packages/1")
		must(b, err)
		content, err := io.ReadAll(answer.Body)
		must(b, err)
		must(b, answer.Body.Close())
		archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
		must(b, err)
		if len(archive.File) != pictures+1 {
			b.Fatalf("%d are in the package", len(archive.File))
		}
		b.ReportMetric(ours.Seconds()/theirs.Seconds(), "ratio-vips(max1.25)")
		b.ReportMetric(ours.Seconds(), "s")
		b.ReportMetric(theirs.Seconds(), "s-vips")
		b.ReportMetric(memory, "MiB(max600)")
		b.ReportMetric(100*again.Seconds()/ours.Seconds(), "%second(max2)")
		b.ReportMetric(again.Seconds(), "s-second")
	}
}
