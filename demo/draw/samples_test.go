package draw

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"

	"github.com/davidbyttow/govips/v2/vips"

	"ambrosa/core/gtin"
	"ambrosa/core/picturespec"
)

// TestTheSampleCatalog expects about 120 products with about 400 variants, each
// with a SKU of its own and a GTIN whose check digit is right.
func TestTheSampleCatalog(t *testing.T) {
	items := catalogue()
	skus, products, gtins := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, it := range items {
		if skus[it.sku] {
			t.Errorf("%s stands twice", it.sku)
		}
		skus[it.sku], products[it.product], gtins[it.gtin] = true, true, true
		if it.gtin != "" {
			if _, err := gtin.Normalise(it.gtin); err != nil {
				t.Errorf("%s: %v", it.gtin, err)
			}
		}
	}
	if len(products) < 100 || len(products) > 130 || len(items) < 350 || len(items) > 450 {
		t.Errorf("%d products with %d variants", len(products), len(items))
	}
	var table bytes.Buffer
	if err := writeCatalog(&table, items); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&table).ReadAll()
	if err != nil || len(rows) != len(items)+1 {
		t.Errorf("the CSV has %d rows (%v)", len(rows), err)
	}
}

// TestTheSampleArchives expects about 600 pictures in every format and size,
// and every kind of mess among them.
func TestTheSampleArchives(t *testing.T) {
	items := catalogue()
	formats, drawn, smallest, largest := map[string]int{}, 0, 1<<30, 0
	paths := map[string]*shot{}
	for _, shots := range [][]*shot{northcomb(items), lindmoor(items), apigrund(items)} {
		for _, s := range shots {
			if paths[s.path] != nil {
				t.Errorf("%s is twice in the archives", s.path)
			}
			paths[s.path] = s
			if s.item.kind != nil && s.bytes == nil && s.same == nil {
				drawn++
				formats[s.format]++
				smallest, largest = min(smallest, s.side), max(largest, s.side)
			}
		}
	}
	if drawn < 550 || drawn > 700 || smallest > 300 || largest < 3000 {
		t.Errorf("%d pictures of %d to %d pixels", drawn, smallest, largest)
	}
	for _, format := range []string{"jpg", "png", "webp", "tif"} {
		if formats[format] < 10 {
			t.Errorf("only %d pictures are %s", formats[format], format)
		}
	}
	for what, is := range map[string]func(*shot) bool{
		"wrong case":               func(s *shot) bool { return strings.HasPrefix(s.path[strings.LastIndexByte(s.path, '/')+1:], "ncb_") },
		"nested folders":           func(s *shot) bool { return strings.Count(s.path, "/") >= 2 },
		"options in words":         func(s *shot) bool { return strings.Contains(s.path, "suits/") && strings.Contains(s.path, "%20") },
		"lost zeros":               func(s *shot) bool { return strings.Contains(s.path, "labels/45") },
		"named by barcode":         func(s *shot) bool { return s.item.gtin != "" && strings.Contains(s.path, "ean/"+s.item.gtin) },
		"a duplicate":              func(s *shot) bool { return s.same != nil },
		"padded":                   func(s *shot) bool { return s.special == "padded" },
		"enlarged":                 func(s *shot) bool { return s.special == "enlarged" },
		"too small":                func(s *shot) bool { return s.item.kind != nil && s.side < 150 },
		"not a picture":            func(s *shot) bool { return bytes.HasPrefix(s.bytes, []byte("<!doctype")) },
		"empty":                    func(s *shot) bool { return s.bytes != nil && len(s.bytes) == 0 },
		"broken":                   func(s *shot) bool { return strings.HasSuffix(s.path, "_broken.jpg") && s.finish != nil },
		"another format than said": func(s *shot) bool { return s.format == "png" && strings.HasSuffix(s.path, ".jpg") },
		"two products in one name": func(s *shot) bool { return strings.Contains(s.path, " + ") },
		"only a sticker tells":     func(s *shot) bool { return s.view == "barcode" },
		"a sheet of names":         func(s *shot) bool { return strings.HasSuffix(s.path, "pictures.csv") },
	} {
		found := false
		for _, s := range paths {
			found = found || is(s)
		}
		if !found {
			t.Errorf("nothing in the archives is %s", what)
		}
	}
}

// TestDrawingIsDeterministic draws pictures twice, in all formats, and finds the
// same bytes, of the format that they should have.
func TestDrawingIsDeterministic(t *testing.T) {
	vips.LoggingSettings(func(string, vips.LogLevel, string) {}, vips.LogLevelError)
	vips.Startup(&vips.Config{ConcurrencyLevel: 1})
	items := catalogue()
	for n, format := range []string{"jpg", "png", "webp", "tif"} {
		s := &shot{item: items[n*50], view: []string{"front", "in use", "barcode", "swatch"}[n], side: 420, format: format}
		first, err := s.draw()
		if err != nil {
			t.Fatal(err)
		}
		again, err := s.draw()
		if err != nil || !bytes.Equal(first, again) {
			t.Errorf("%s: drawn twice, the bytes differ (%v)", format, err)
		}
		if got := string(picturespec.TypeOf(first)); !strings.Contains(got, map[string]string{"jpg": "jpeg", "tif": "tiff"}[format]) ||
			format == "png" && got != "image/png" {
			t.Errorf("%s: the bytes are %s", format, got)
		}
	}
}
