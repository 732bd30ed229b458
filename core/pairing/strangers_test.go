package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"ambrosa/core/gtin"
)

// trade is a catalog of a trade that the rules were not written with, and what
// its people call their options. All of it is invented.
type trade struct {
	name     string
	items    []Item
	products map[string][]int
	options  []string // names of the attributes
	r        *rand.Rand
	taken    map[string]bool // keys without separators
}

func (s *trade) pick(list ...string) string { return list[s.r.IntN(len(list))] }

func (s *trade) add(it Item) {
	digits := fmt.Sprintf("20%010d", len(s.items)*71+len(s.name))
	it.GTIN = digits + string(gtin.CheckDigit(digits))
	s.products[it.Product] = append(s.products[it.Product], len(s.items))
	s.items = append(s.items, it)
}

var (
	ownShades      = []string{"navy", "black", "white", "sand", "rust", "olive", "grey", "red"}
	ownShadeNumber = map[string]string{"navy": "410", "black": "001", "white": "100", "sand": "215", "rust": "630", "olive": "305",
		"grey": "090", "red": "600"}
	germanShades = map[string]string{"navy": "marine", "black": "schwarz", "white": "weiß", "sand": "sand", "rust": "rost",
		"olive": "oliv", "grey": "grau", "red": "rot"}
)

// tradeOf makes one of six trades.
func tradeOf(seed uint64, kind int) *trade {
	s := &trade{products: map[string][]int{}, r: rand.New(rand.NewPCG(seed, uint64(kind)+700))}
	kinds := []string{"trainers", "lamps", "threads", "glazes", "books", "hardware"}
	s.name = kinds[kind]
	first := []string{"Harbour", "Ridge", "Lantern", "Quarry", "Estuary", "Cobble", "Juniper", "Saddle", "Bracken", "Tidal", "Foundry",
		"Hollow", "Larch", "Mill", "Summit", "Causeway", "Thistle", "Gorge"}
	second := map[int][]string{
		0: {"Trainer", "Boot", "Sandal", "Clog", "Loafer", "Slipper"},
		1: {"Pendant", "Sconce", "Desk Lamp", "Floor Lamp", "Spot"},
		2: {"Merino", "Cotton", "Linen Blend", "Alpaca", "Silk Mix"},
		3: {"Glaze", "Engobe", "Underglaze", "Slip"},
		4: {"Atlas", "Field Guide", "Cook Book", "Almanac", "Primer"},
		5: {"Hinge", "Bracket", "Cabin Hook", "Drawer Slide", "Shelf Pin"},
	}[kind]
	third := []string{"Low", "Mid", "Classic", "Pro", "Lite", "Café", "Grande", "No 5", "Mk II", "Flex", "Slim", "Junior"}
	seen := map[string]bool{}
	for n := 0; len(s.products) < 500; n++ {
		title := first[s.r.IntN(len(first))] + " " + second[s.r.IntN(len(second))] + " " + third[s.r.IntN(len(third))]
		if seen[title] && kind != 3 {
			title += " " + first[s.r.IntN(len(first))]
		}
		if seen[title] {
			continue
		}
		seen[title] = true
		switch kind {
		case 0: // product, colour number and size
			s.options = []string{"colour", "size"}
			product := fmt.Sprintf("%c%c%04d", 'A'+s.r.IntN(26), 'A'+s.r.IntN(26), 1000+s.r.IntN(9000))
			if s.products[product] != nil {
				continue
			}
			at := s.r.IntN(5)
			for _, shade := range ownShades[at : at+1+s.r.IntN(3)] {
				for size := 38 + s.r.IntN(3); size < 45; size += 1 + s.r.IntN(3) {
					s.add(Item{SKU: fmt.Sprintf("%s-%s-%d", product, ownShadeNumber[shade], size), Product: product, Title: title,
						Attributes: []string{shade, fmt.Sprint(size)}})
				}
			}
		case 1: // finishes as last group of a number
			s.options = []string{"finish", "height"}
			product := fmt.Sprintf("LX.%04d", 1000+s.r.IntN(9000))
			if s.products[product] != nil {
				continue
			}
			for i, finish := range []string{"brass", "chrome", "matt black", "opal"}[:1+s.r.IntN(4)] {
				s.add(Item{SKU: fmt.Sprintf("%s.%02d", product, i+1), Product: product, Title: title,
					Attributes: []string{finish, fmt.Sprintf("%d cm", 30+10*(n%7))}})
			}
		case 2: // shade numbers of three digits
			s.options = []string{"shade", "shade name"}
			product := fmt.Sprintf("%s%d", strings.ToUpper(title[:2]), 100+n)
			for range 3 + s.r.IntN(6) {
				number := fmt.Sprintf("%03d", 1+s.r.IntN(240))
				sku := product + "/" + number
				if seen[sku] {
					continue
				}
				seen[sku] = true
				s.add(Item{SKU: sku, Product: product, Title: title, Attributes: []string{number, ownShades[s.r.IntN(8)]}})
			}
		case 3: // digits with zeros in front, written in groups
			s.options = []string{"weight"}
			sku := fmt.Sprintf("0 %03d %03d %03d", 100+s.r.IntN(900), s.r.IntN(1000), s.r.IntN(1000))
			if s.products[sku] != nil {
				continue
			}
			s.add(Item{SKU: sku, Product: sku, Title: title, Attributes: []string{s.pick("250 g", "500 g", "1 kg")}})
		case 4: // books
			s.options = []string{"binding"}
			digits := fmt.Sprintf("9790%08d", 10_000_000+s.r.IntN(80_000_000))
			if kind == 4 {
				digits = fmt.Sprintf("978%09d", 300_000_000+s.r.IntN(90_000_000))
			}
			isbn := digits + string(gtin.CheckDigit(digits))
			if s.products[isbn] != nil {
				continue
			}
			s.products[isbn] = append(s.products[isbn], len(s.items))
			s.items = append(s.items, Item{SKU: isbn, Product: isbn, Title: title, GTIN: isbn,
				Attributes: []string{s.pick("paperback", "hardback")}})
		default: // joined keys with size letters, and codes that look like versions
			s.options = []string{"size", "load"}
			if n%3 == 0 {
				sku := fmt.Sprintf("%c%d", "XVRM"[s.r.IntN(4)], 100+s.r.IntN(9000))
				if s.products[sku] != nil {
					continue
				}
				s.add(Item{SKU: sku, Product: sku, Title: title, Attributes: []string{"", fmt.Sprintf("%d kg", 5*(1+n%9))}})
				continue
			}
			product := fmt.Sprintf("CR-%05d", 10000+s.r.IntN(90000))
			if s.products[product] != nil {
				continue
			}
			for _, size := range []string{"S", "M", "L"}[:1+s.r.IntN(3)] {
				s.add(Item{SKU: product + "-" + size, Product: product, Title: title,
					Attributes: []string{size, fmt.Sprintf("%d kg", 5*(1+n%9))}})
			}
		}
	}
	return s
}

// habit is a way to name files, with what a name of it tells; false where it does
// not fit an item.
type habit struct {
	name string
	make func(s *trade, it Item, place int) (told, bool)
}

// strangerHabits are the ways in which strangers name files.
var strangerHabits = []habit{
	{"key and place", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s_%d.jpg", fileSafe(it.SKU), place), place)
	}},
	{"joined key and place", func(s *trade, it Item, place int) (told, bool) {
		joined := strings.NewReplacer("-", "", ".", "", "/", "", " ", "").Replace(it.SKU)
		return tells(it, fmt.Sprintf("%s_%03d.jpg", joined, place), place)
	}},
	{"joined key, two underscores", func(s *trade, it Item, place int) (told, bool) {
		joined := strings.NewReplacer("-", "", ".", "", "/", "", " ", "").Replace(it.SKU)
		return tells(it, fmt.Sprintf("web/%s__%03d.JPG", strings.ToLower(joined), place), place)
	}},
	{"product and option words", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "trainers" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s-%s-%s-%02d.jpg", it.Product, it.Attributes[0], it.Attributes[1], place), place)
	}},
	{"product, option words in other order", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "trainers" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s %s %s (%d).jpg", it.Attributes[1], it.Product, it.Attributes[0], place), place)
	}},
	{"folder of the product, rest in the name", func(s *trade, it Item, place int) (told, bool) {
		rest, ok := strings.CutPrefix(it.SKU, it.Product)
		if !ok || rest == "" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s/%s_%d.jpg", it.Product, fileSafe(strings.Trim(rest, "-./")), place), place)
	}},
	{"folder of the title, shade in the name", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "threads" || !s.oneTitle(it) {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s/%s %s.jpg", it.Title, it.Attributes[0], it.Attributes[1]), 0)
	}},
	{"percent-encoded", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, strings.ReplaceAll(fmt.Sprintf("%s (%d).jpg", fileSafe(it.SKU), place), " ", "%20"), place)
	}},
	{"percent-encoded title", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s %s_%d.jpg", it.Title, fileSafe(it.SKU), place)
		return tells(it, strings.NewReplacer(" ", "%20", "é", "%C3%A9").Replace(path), place)
	}},
	{"mojibake", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, strings.ReplaceAll(fmt.Sprintf("%s %s %d.jpg", it.Title, fileSafe(it.SKU), place), "é", "Ã©"), place)
	}},
	{"entities", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s &amp; Co %s_%d.jpg", s.pick("Mills", "Larch", "Smith"), fileSafe(it.SKU), place), place)
	}},
	{"title in camel case", func(s *trade, it Item, place int) (told, bool) {
		if len(s.products[it.Product]) > 1 || !s.oneTitle(it) {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s_%d.jpg", strings.ReplaceAll(it.Title, " ", ""), place), place)
	}},
	{"title without accents", func(s *trade, it Item, place int) (told, bool) {
		if len(s.products[it.Product]) > 1 || !s.oneTitle(it) {
			return told{}, false
		}
		return tells(it, strings.ReplaceAll(strings.ToLower(strings.ReplaceAll(it.Title, "é", "e")), " ", "-")+".jpg", 0)
	}},
	{"title before the key", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s %d.jpg", it.Title, fileSafe(it.SKU), place), place)
	}},
	{"own sizes beside the key", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%s_%d.jpg", fileSafe(it.SKU), strings.ReplaceAll(strings.Join(it.Attributes, "_"), " ", ""), place)
		return tells(it, path, place)
	}},
	{"layer", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%d_%04d_%s.png", fileSafe(it.SKU), place, s.r.IntN(12), s.pick("Layer-2", "Layer 11", "Background", "Ebene-1"))
		return tells(it, path, place)
	}},
	{"artboard", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s-%d_Artboard %d%s.png", fileSafe(it.SKU), place, 1+s.r.IntN(9), s.pick("", " copy", "@2x")), place)
	}},
	{"frame and time", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%d_frame-%03d_%02d-%02d-%02d.png", fileSafe(it.SKU), place, s.r.IntN(200), 8+s.r.IntN(9), s.r.IntN(60),
			s.r.IntN(60))
		return tells(it, path, place)
	}},
	{"edit timestamp", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%d_edited-%d%s.jpg", fileSafe(it.SKU), place, 1_600_000_000+s.r.IntN(190_000_000), s.pick("", "123"))
		return tells(it, path, place)
	}},
	{"crop", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%d_%s.jpg", fileSafe(it.SKU), place,
			s.pick("crop", "cropped", "square", "1080x1080", "crop-1-1", "portrait", "800w"))
		return tells(it, path, place)
	}},
	{"place and bracket", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %d (%d).jpg", fileSafe(it.SKU), place, 1+s.r.IntN(3)), place)
	}},
	{"picture in words", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s %d.jpg", fileSafe(it.SKU), s.pick("picture", "Image", "pic", "photo"), place), place)
	}},
	{"main picture", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s.jpg", fileSafe(it.SKU), s.pick("main picture", "main image", "Main-Photo", "hero shot")), 1)
	}},
	{"German picture", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s %d.jpg", fileSafe(it.SKU), s.pick("Bild", "Foto", "Abbildung"), place), place)
	}},
	{"German shade", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "trainers" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s %s Gr. %s_%d.jpg", it.Product, germanShades[it.Attributes[0]], it.Attributes[1], place), place)
	}},
	{"two extensions", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s-%d.%s.jpg", fileSafe(it.SKU), place, s.pick("psd", "tif", "jpg", "png")), place)
	}},
	{"key twice", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s/%s_%d.jpg", fileSafe(it.SKU), fileSafe(it.SKU), place), place)
	}},
	{"ISBN in groups", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "books" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s-%s-%s-%s-%s_%d.jpg", it.SKU[:3], it.SKU[3:4], it.SKU[4:8], it.SKU[8:12], it.SKU[12:], place), place)
	}},
	{"ISBN of ten", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "books" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s%c_cover.jpg", it.SKU[3:12], isbn10Digit(it.SKU[3:12])), 1)
	}},
	{"roman numerals", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s.jpg", fileSafe(it.SKU), []string{"I", "II", "III", "IV", "V"}[place%5]), place%5+1)
	}},
	{"unknown option number", func(s *trade, it Item, place int) (told, bool) { // of no sibling
		if s.name != "trainers" {
			return told{}, false
		}
		return told{path: fmt.Sprintf("%s-%d-%s_%d.jpg", it.Product, 777, it.Attributes[1], place), product: "", sku: ""}, true
	}},
	{"last group missing", func(s *trade, it Item, place int) (told, bool) { // of its product, of no variant
		rest, ok := strings.CutPrefix(it.SKU, it.Product)
		if !ok || rest == "" || len(s.products[it.Product]) < 2 || place > 7 {
			return told{}, false
		}
		return told{path: fmt.Sprintf("%s_front.jpg", fileSafe(it.Product)), product: it.Product}, true
	}},
	{"a neighbour's number", func(s *trade, it Item, place int) (told, bool) { // a digit of the key changed: nobody's
		if s.name != "glazes" && s.name != "lamps" {
			return told{}, false
		}
		changed := []byte(fileSafe(it.SKU))
		at := len(changed) - 1
		changed[at] = '0' + (changed[at]-'0'+5)%10
		for _, o := range s.items {
			if fileSafe(o.SKU) == string(changed) {
				return told{}, false
			}
		}
		return told{path: fmt.Sprintf("%s.jpg", changed)}, true
	}},
	{"camera counter with folder number", func(s *trade, it Item, place int) (told, bool) {
		return told{path: fmt.Sprintf("%d_%04d.jpg", 100+s.r.IntN(9), s.r.IntN(9999))}, true
	}},
	{"camera folder below a key", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s/%d_PANA/P%d%04d.jpg", fileSafe(it.SKU), 100+s.r.IntN(9), 100+s.r.IntN(9), s.r.IntN(9999)), 0)
	}},
}

func fileSafe(key string) string { return strings.ReplaceAll(key, "/", "-") }

func tells(it Item, path string, place int) (told, bool) {
	return told{path: path, product: it.Product, sku: it.SKU, place: place}, true
}

// oneTitle tells whether an item's title is that of its product only.
func (s *trade) oneTitle(it Item) bool {
	for _, o := range s.items {
		if o.Product != it.Product && (strings.Contains(o.Title, it.Title) || strings.Contains(it.Title, o.Title)) {
			return false
		}
	}
	return true
}

func isbn10Digit(digits string) byte {
	sum := 0
	for i := range digits {
		sum += (10 - i) * int(digits[i]-'0')
	}
	if check := (11 - sum%11) % 11; check < 10 {
		return '0' + byte(check)
	}
	return 'X'
}

// TestAccuracyOnStrangers holds the contract's measures on names of trades and
// habits other than those that the rules were written with.
func TestAccuracyOnStrangers(t *testing.T) {
	var trades []*trade
	for kind := range 6 {
		trades = append(trades, tradeOf(5, kind))
	}
	tradesHold(t, "first strangers", trades, strangerHabits, 400)
}
