package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"ambrosa/core/gtin"
)

// namedFile is a made-up file name with what it shows. An empty product means
// that nobody could tell.
type namedFile struct {
	path, product string
	place         int // 0 when the name says none
}

// supplierList makes a catalog and the names that suppliers of several habits
// give to its pictures. It is as nasty as we could think; the lists that
// accuracy is judged on are others.
func supplierList(seed uint64, style, n int) ([]Item, []namedFile) {
	r := rand.New(rand.NewPCG(seed, uint64(style)))
	items := styleCatalog(r, style)
	var files []namedFile
	for len(files) < n {
		it := items[r.IntN(len(items))]
		files = append(files, nameFor(r, items, it)...)
	}
	return items, files[:n]
}

func styleCatalog(r *rand.Rand, style int) (items []Item) {
	seen := map[string]bool{}
	for len(items) < 3000 {
		var product string
		switch style {
		case 0:
			product = fmt.Sprintf("%c%c-%d", 'A'+r.IntN(26), 'A'+r.IntN(26), 10+r.IntN(900))
		case 1:
			product = fmt.Sprintf("%05d", r.IntN(99999))
		case 2:
			product = fmt.Sprintf("%c%c%c%04d", 'A'+r.IntN(26), 'A'+r.IntN(26), 'A'+r.IntN(26), r.IntN(9999))
		case 3:
			product = fmt.Sprintf("%d.%03d/%02d", 1+r.IntN(9), r.IntN(999), r.IntN(99))
		case 4:
			product = fmt.Sprintf("%07d", 1_000_000+r.IntN(8_999_999))
		default:
			product = fmt.Sprintf("%c%d-%c%c", 'A'+r.IntN(26), 100+r.IntN(900), 'A'+r.IntN(26), 'A'+r.IntN(26))
		}
		if seen[product] {
			continue
		}
		seen[product] = true
		title := []string{"Smoker", "Hive tool", "Round jar", "Veil", "Frame feeder"}[r.IntN(5)]
		if style == 0 || style == 2 {
			for i, colour := range []string{"amber", "slate blue", "moss green"} {
				digits := fmt.Sprintf("20%010d", len(items)*37)
				items = append(
					items,
					Item{
						SKU:        product + "-" + []string{"AMB", "BLU", "GRN"}[i],
						Product:    product,
						Title:      title,
						Attributes: []string{colour},
						GTIN:       digits + string(gtin.CheckDigit(digits)),
					},
				)
			}
		} else {
			digits := fmt.Sprintf("20%010d", len(items)*37)
			items = append(items, Item{SKU: product, Title: title, GTIN: digits + string(gtin.CheckDigit(digits))})
		}
	}
	return items
}

func nameFor(r *rand.Rand, items []Item, it Item) []namedFile {
	product := it.Product
	if product == "" {
		product = it.SKU
	}
	fileSafe := strings.ReplaceAll(it.SKU, "/", "-")
	key := fileSafe
	switch r.IntN(8) {
	case 0:
		key = strings.ToLower(key)
	case 1:
		key = strings.NewReplacer("-", "_", ".", "_").Replace(key)
	case 2:
		key = strings.NewReplacer("-", " ", ".", " ").Replace(key)
	}
	place := 1 + r.IntN(8)
	number := []string{fmt.Sprintf("_%d", place), fmt.Sprintf("-%02d", place), fmt.Sprintf(" (%d)", place), fmt.Sprintf("_%dof9", place),
		fmt.Sprintf(".%d", place)}[r.IntN(5)]
	ext := []string{".jpg", ".JPG", ".jpeg", ".png", ".tif", ".webp"}[r.IntN(6)]
	noise := []string{"", "", "", "_web", "_final", "_1200x1200", " copy", "_v2", "_hires", "_20240512", "@2x", "_edit", "_IMG_4471",
		"_low-res"}[r.IntN(14)]
	folder := []string{"", "", "shots/", "Delivery 3/", "2024/spring/", "images/web/"}[r.IntN(6)]
	other := items[r.IntN(len(items))]
	switch r.IntN(20) {
	case 0, 1, 2, 3:
		return []namedFile{{folder + key + number + noise + ext, product, place}}
	case 4, 5:
		return []namedFile{{folder + key + noise + ext, product, 0}}
	case 6:
		return []namedFile{{folder + fmt.Sprintf("%02d_", place) + key + noise + ext, product, place}}
	case 7:
		return []namedFile{{folder + key + "_" + []string{"front", "back", "detail", "side", "label"}[r.IntN(5)] + noise + ext, product, 0}}
	case 8:
		return []namedFile{{folder + key + fmt.Sprintf("_alt%d", place) + ext, product, place + 1}}
	case 9:
		return []namedFile{{folder + key + "_main" + ext, product, 1}}
	case 10:
		return []namedFile{{folder + it.GTIN + number + ext, product, place}}
	case 11:
		return []namedFile{{folder + it.GTIN + "_A1C1" + ext, product, 0}}
	case 12:
		return []namedFile{{strings.ReplaceAll(product, "/", "-") + fmt.Sprintf("/IMG_%04d", r.IntN(9999)) + ext, product, 0}}
	case 13:
		return []namedFile{{strings.ReplaceAll(product, "/", "-") + " " + it.Title + fmt.Sprintf("/%d", place) + ext, product, place}}
	case 14:
		return []namedFile{{folder + strings.ToLower(it.Title) + " " + key + number + ext, product, place}}
	case 15:
		return []namedFile{{folder + key + "-a" + ext, product, 1}, {folder + key + "-b" + ext, product, 2}}
	case 16: // two products: nobody can tell
		if other.SKU == it.SKU || other.Product != "" && other.Product == it.Product {
			return nil
		}
		return []namedFile{{folder + fileSafe + "_" + strings.ReplaceAll(other.SKU, "/", "-") + ext, "", 0}}
	case 17: // noise only
		return []namedFile{
			{folder + fmt.Sprintf("IMG_%04d", r.IntN(9999)) + ext, "", 0},
			{folder + "DSC0" + fmt.Sprint(1000+r.IntN(8999)) + ext, "", 0},
		}
	case 18: // keys of products that are not in the catalog
		return []namedFile{{folder + fmt.Sprintf("QQX-%d%c", 100+r.IntN(900), 'A'+r.IntN(26)) + number + ext, "", 0}}
	default:
		return []namedFile{{folder + "NCB_" + key + number + noise + ext, product, place}}
	}
}

// TestAccuracyOnOwnLists holds the measures of the contract: 99.5 % of the
// files whose product can be told are paired, at most 1 in 2,000 pairs is
// wrong, and 99.5 % of the pairs have the right place.
func TestAccuracyOnOwnLists(t *testing.T) {
	var total counted
	for style := range 6 {
		items, files := supplierList(11, style, 20_000)
		names := make([]told, len(files))
		for i, f := range files {
			names[i] = told{habit: fmt.Sprintf("keys of style %d", style+1), path: f.path, product: f.product, place: f.place, anyItem: true}
		}
		total.add(t, "own", NewCatalog(items), DefaultClues(), names)
	}
	total.hold(t)
}
