package bench

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ambrosa/core/gtin"
)

// item is a row of the catalog that users have: a variant with a title, two
// options, a GTIN for two thirds and a supplier's code for a third.
type item struct{ sku, product, title, gtin, code, colour, size string }

// catalogOfUsers makes 100,000 variants of 25,000 products, and names of files of
// every habit: a fifth of them show nothing that the catalog has.
func catalogOfUsers(names int) (items []item, files []string) {
	r := rand.New(rand.NewPCG(8, 1))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	letter := func() byte { return "ABCDEFGHJKLMNPQRSTUVWXYZ"[r.IntN(24)] }
	colours := [][2]string{{"black", "BLK"}, {"white", "WHT"}, {"navy", "NVY"}, {"olive", "OLV"}, {"red", "RED"}}
	seen := map[string]bool{}
	for len(items) < 100_000 {
		product := fmt.Sprintf("%c%c%c-%04d", letter(), letter(), letter(), r.IntN(10_000))
		if r.IntN(4) == 0 {
			product = fmt.Sprintf("%07d", r.IntN(10_000_000))
		}
		if seen[product] {
			continue
		}
		seen[product] = true
		title := pick("Folding", "Padded", "Woven", "Slim", "Double", "Hinged", "Light", "Broad", "Ribbed") + " " +
			pick("harbour", "meadow", "quarry", "summit", "orchard", "canyon", "estuary", "moor", "delta", "ridge", "heath") + " " +
			pick("jacket", "stool", "kettle", "lamp", "basket", "apron", "bottle", "rug", "shelf", "glove", "clock", "tray")
		first := r.IntN(4)
		for n := range 4 {
			colour, size := colours[first+n%2], []string{"S", "M", "L", "XL"}[n/2+r.IntN(2)*2]
			it := item{product: product, title: title, colour: colour[0], size: size, sku: fmt.Sprintf("%s-%s-%s", product, colour[1], size)}
			if seen[it.sku] {
				continue
			}
			seen[it.sku] = true
			if r.IntN(3) > 0 {
				digits := fmt.Sprintf("20%010d", len(items))
				it.gtin = digits + string(gtin.CheckDigit(digits))
			}
			if r.IntN(3) == 0 {
				it.code = fmt.Sprintf("SUP %d/%d", 1000+r.IntN(9000), len(items))
			}
			items = append(items, it)
		}
	}
	for len(files) < names {
		it := items[r.IntN(len(items))]
		place := 1 + r.IntN(9)
		german := map[string]string{"black": "schwarz", "white": "weiß", "navy": "marine", "olive": "oliv", "red": "rot"}[it.colour]
		files = append(files, []func() string{
			func() string { return fmt.Sprintf("shots/%s_%d.jpg", it.sku, place) },
			func() string {
				return fmt.Sprintf("%s-%02d.JPG", strings.ToLower(strings.ReplaceAll(it.sku, "-", "_")), place)
			},
			func() string { return fmt.Sprintf("web/%s_%03d.jpg", strings.ReplaceAll(it.sku, "-", ""), place) },
			func() string { return fmt.Sprintf("%s %s %s %d.jpg", it.product, it.colour, it.size, place) },
			func() string { return fmt.Sprintf("%s/%s_%s (%d).jpg", it.product, german, it.size, place) },
			func() string { return fmt.Sprintf("%s %s front.tif", it.title, it.sku) },
			func() string { return fmt.Sprintf("%s_%d.jpg", cmp.Or(it.gtin, it.sku), place) },
			func() string { return fmt.Sprintf("%s %d.jpg", cmp.Or(it.code, it.sku), place) },
			func() string { return fmt.Sprintf("IMG_%04d.jpg", r.IntN(10_000)) },
			func() string {
				return pick("banner spring", "team at the fair", it.title, fmt.Sprintf("QX%d-%c_%d", 10_000+r.IntN(80_000), letter(), place)) + ".jpg"
			},
		}[r.IntN(10)]())
	}
	return items, files
}

// BenchmarkPairCatalogOfUsers compares `ambrosa pair` on 200,000 names and the
// catalog that users have with grep -oFf on its SKUs and the same names.
func BenchmarkPairCatalogOfUsers(b *testing.B) {
	folder := b.TempDir()
	items, names := catalogOfUsers(200_000)
	skus := make([]string, 0, len(items))
	for _, it := range items {
		skus = append(skus, it.sku)
	}
	catalog := filepath.Join(folder, "products.csv")
	file, err := os.Create(catalog)
	must(b, err)
	rows := csv.NewWriter(file)
	must(b, rows.Write([]string{"sku", "product", "title", "gtin", "codes", "colour", "size"}))
	for _, it := range items {
		must(b, rows.Write([]string{it.sku, it.product, it.title, it.gtin, it.code, it.colour, it.size}))
	}
	rows.Flush()
	must(b, rows.Error())
	must(b, file.Close())
	d := onDisk{folder: folder, skus: lines(b, folder, "skus", skus), files: lines(b, folder, "names", names), catalog: catalog,
		clues: lines(b, folder, "clues.json", []string{`{"languages":["de"]}`})}
	for b.Loop() {
		theirs := least(func() float64 { return d.grep(b) })
		ours := least(func() float64 { took, _ := d.pair(b, d.files); return took })
		_, memory := d.pair(b, d.files)
		b.ReportMetric(ours, "s/pair")
		b.ReportMetric(theirs, "s/grep")
		b.ReportMetric(ours/theirs, "ratio(max1.5)")
		b.ReportMetric(memory, "MiB(max1024)")
	}
}
