package bench

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// onDisk is a catalog and a list of names as files, for commands.
type onDisk struct{ skus, files, catalog, clues, folder string }

func lines(b *testing.B, folder, name string, of []string) string {
	b.Helper()
	path := filepath.Join(folder, name)
	must(b, os.WriteFile(path, []byte(strings.Join(of, "\n")+"\n"), 0o600))
	return path
}

// timed runs a command and returns how long it took, in seconds, and how much
// memory it had, in MiB.
func timed(b *testing.B, name string, arguments ...string) (seconds, memory float64) {
	b.Helper()
	command := exec.Command(name, arguments...)
	begin := time.Now()
	if out, err := command.CombinedOutput(); err != nil {
		b.Fatalf("%v: %v: %s", command.Args, err, out)
	}
	seconds = time.Since(begin).Seconds()
	if usage, ok := command.ProcessState.SysUsage().(*syscall.Rusage); ok {
		memory = float64(usage.Maxrss) / 1024
	}
	return seconds, memory
}

func (d onDisk) pair(b *testing.B, files string) (seconds, memory float64) {
	b.Helper()
	arguments := []string{"pair", "--catalog", d.catalog, "--files", files, "--out", filepath.Join(d.folder, "pairs.csv")}
	if d.clues != "" {
		arguments = append(arguments, "--clues", d.clues)
	}
	return timed(b, binary, arguments...)
}

func (d onDisk) grep(b *testing.B) (seconds float64) {
	b.Helper()
	seconds, _ = timed(b, "sh", "-c", `LC_ALL=C grep -oFf "$0" "$1" > "$2"`, d.skus, d.files, filepath.Join(d.folder, "found"))
	return seconds
}

// least is the shortest of five runs.
func least(measure func() float64) float64 {
	best := measure()
	for range 4 {
		best = min(best, measure())
	}
	return best
}

// BenchmarkPair compares `ambrosa pair` on 200,000 names and 100,000 SKUs with
// grep -oFf on the same lists, and with itself on ten times the names.
func BenchmarkPair(b *testing.B) {
	folder := b.TempDir()
	skus, names := pairLists(200_000)
	d := onDisk{folder: folder, skus: lines(b, folder, "skus", skus), files: lines(b, folder, "names", names),
		catalog: lines(b, folder, "products.csv", append([]string{"sku"}, skus...))}
	many := make([]string, 0, 10*len(names))
	for n := range 10 {
		for _, name := range names {
			many = append(many, fmt.Sprintf("%d/%s", n, name))
		}
	}
	large := lines(b, folder, "many", many)
	for b.Loop() {
		theirs := least(func() float64 { return d.grep(b) })
		ours := least(func() float64 { took, _ := d.pair(b, d.files); return took })
		tenfold, memory := d.pair(b, large)
		b.ReportMetric(ours, "s/pair")
		b.ReportMetric(theirs, "s/grep")
		b.ReportMetric(ours/theirs, "ratio(max1)")
		b.ReportMetric(tenfold/ours, "tenfold(max11)")
		b.ReportMetric(memory, "MiB(max1024)")
	}
}

func pairLists(n int) (skus, names []string) {
	r := rand.New(rand.NewPCG(5, 5))
	seen := map[string]bool{}
	letter := func() byte { return "ABCDEFGHJKLMNPQRSTUVWXYZ"[r.IntN(24)] }
	for len(skus) < 100_000 {
		var sku string
		switch r.IntN(4) {
		case 0:
			sku = fmt.Sprintf("%c%c-%04d", letter(), letter(), r.IntN(10_000))
		case 1:
			sku = fmt.Sprintf("%c%c-%03d-%s", letter(), letter(), r.IntN(10_000), []string{"XL", "S", "M", "L", "RED", "BLU"}[r.IntN(6)])
		case 2:
			sku = fmt.Sprintf("%c%c%05d", letter(), letter(), r.IntN(100_000))
		default:
			sku = fmt.Sprintf("%c%c/%d.%s", letter(), letter(), r.IntN(10_000), []string{"XL", "S", "M", "L", "RED", "BLU"}[r.IntN(6)])
		}
		if !seen[sku] {
			seen[sku] = true
			skus = append(skus, sku)
		}
	}
	for len(names) < n {
		sku := strings.ReplaceAll(skus[r.IntN(len(skus))], "/", "_")
		names = append(
			names,
			fmt.Sprintf(
				[]string{"shots/%s_%d.jpg", "%s-%d.jpg", "supplier/IMG %s (%d).png", "x/y/%s front %d.tif"}[r.IntN(4)],
				sku,
				1+r.IntN(9),
			),
		)
	}
	return skus, names
}
