package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"ambrosa/core/gtin"
)

// shop is a catalog of one habit of codes, for names of many other habits. It
// is invented, as all names made from it are.
type shop struct {
	r        *rand.Rand
	items    []Item
	products map[string][]int
}

func newShop(seed uint64, style int) *shop {
	s := &shop{r: rand.New(rand.NewPCG(seed, uint64(style)+100)), products: map[string][]int{}}
	adjectives := []string{
		"Ventilated", "Galvanised", "Folding", "Insulated", "Stainless", "Hinged", "Double", "Padded", "Tapered", "Perforated",
		"Enamelled", "Woven", "Lacquered", "Slotted", "Magnetic",
	}
	nouns := []string{
		"smoker", "suit", "veil", "feeder", "strainer", "extractor", "hive tool", "queen cage", "honey gate", "frame rest",
		"entrance reducer", "bee brush", "uncapping fork", "wax melter", "jar rack",
	}
	places := []string{
		"meadow", "orchard", "mountain", "garden", "coastal", "alpine", "riverside", "woodland", "moor", "valley", "prairie",
		"heath", "terrace",
	}
	sizes, colours := []string{"S", "M", "L", "XL"}, []string{"white", "khaki", "slate blue"}
	codes := map[string]string{"white": "WHT", "khaki": "KHK", "slate blue": "SLB"}
	seen := map[string]bool{}
	titles := map[string]bool{}
	for len(s.products) < 900 {
		letters := string([]byte{byte('A' + s.r.IntN(26)), byte('A' + s.r.IntN(26))})
		var product string
		switch style {
		case 0:
			product = fmt.Sprintf("%s-%04d", letters, 1000+s.r.IntN(9000))
		case 1:
			product = fmt.Sprintf("%06d", 1000+s.r.IntN(90000))
		case 2:
			product = fmt.Sprintf("%s.%03d.%c", letters, 100+s.r.IntN(900), 'A'+s.r.IntN(6))
		case 3:
			product = fmt.Sprintf("%d-%04d", 10+s.r.IntN(80), 1000+s.r.IntN(9000))
		case 4:
			product = fmt.Sprintf("%s/%d/%c%c", letters, 10+s.r.IntN(90), 'A'+s.r.IntN(26), 'A'+s.r.IntN(26))
		default:
			product = fmt.Sprintf("%s %d %c", letters, 100+s.r.IntN(900), 'A'+s.r.IntN(26))
		}
		title := adjectives[s.r.IntN(len(adjectives))] + " " + places[s.r.IntN(len(places))] + " " + nouns[s.r.IntN(len(nouns))]
		if seen[strings.TrimLeft(product, "0")] || titles[title] {
			continue
		}
		seen[strings.TrimLeft(product, "0")], titles[title] = true, true
		add := func(sku, size, colour string) {
			digits := fmt.Sprintf("20%010d", len(s.items)*53+style)
			s.products[product] = append(s.products[product], len(s.items))
			s.items = append(s.items, Item{SKU: sku, Product: product, Title: title, GTIN: digits + string(gtin.CheckDigit(digits)),
				Codes: []string{
					fmt.Sprintf("SUP%c%05d", 'A'+style, len(s.items)*7),
				}, Attributes: []string{size, colour, fmt.Sprintf("VX%dQ%d", 1000+len(s.items), style)}})
		}
		if style == 0 || style == 2 || style == 3 {
			for _, size := range sizes[:2+s.r.IntN(3)] {
				for _, colour := range colours[:1+s.r.IntN(3)] {
					add(product+"-"+size+"-"+codes[colour], size, colour)
				}
			}
		} else {
			add(product, "", "")
		}
	}
	return s
}

// told is a name with what it shows; an empty product means that nobody can
// tell, a sku only where the name singles the item out.
type told struct {
	habit, path, product, sku string
	place                     int
	orNobody                  bool // loose is right as well
	anyItem                   bool // which variant is not looked at
}

// name makes a name of a habit; ok is false where the shop's codes do not allow
// it.
func (s *shop) name(habit int) (told, bool) {
	r := s.r
	i := r.IntN(len(s.items))
	it := s.items[i]
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	safe := strings.ReplaceAll(it.SKU, "/", pick("-", "_", " "))
	product := strings.ReplaceAll(it.Product, "/", "-")
	place := 1 + r.IntN(9)
	ext := pick(".jpg", ".JPG", ".jpeg", ".png", ".tif", ".webp", ".jpg.jpg", ".JPEG")
	several := len(s.products[it.Product]) > 1
	full := func(habit, path string, place int) (told, bool) {
		return told{habit: habit, path: path, product: it.Product, sku: it.SKU, place: place}, true
	}
	whole := func(habit, path string, place int) (told, bool) {
		return told{habit: habit, path: path, product: it.Product, place: place}, true
	}
	none := func(habit, path string) (told, bool) { return told{habit: habit, path: path}, true }
	number := pick(
		fmt.Sprintf("_%d", place),
		fmt.Sprintf("__%02d", place),
		fmt.Sprintf(" - %d", place),
		fmt.Sprintf("#%d", place),
		fmt.Sprintf("~%d", place),
		fmt.Sprintf("_%d_of_9", place),
		fmt.Sprintf(" [%d]", place),
		fmt.Sprintf("_%03d", place),
	)
	view := pick("front", "back", "lft", "btm", "det", "closeup", "in-use", "packshot", "rear", "top")
	switch habit {
	case 0:
		return full("number", safe+number+ext, place)
	case 1:
		return full("en dash", strings.ReplaceAll(safe, "-", "\u2013")+number+ext, place)
	case 2:
		return full("full width", strings.Map(func(c rune) rune {
			if c >= '0' && c <= '9' || c >= 'A' && c <= 'Z' {
				return c + 0xFEE0
			}
			return c
		}, safe)+ext, 0)
	case 3:
		return full("in the middle", fmt.Sprintf("spring2026-%s-%02d-2000x2000%s", safe, place, ext), place)
	case 4:
		return full("version and final", pick("LND", "lindmoor")+"_"+safe+"_"+view+"_v3_FINAL"+ext, 0)
	case 5:
		return full("camera behind", safe+" IMG_"+fmt.Sprint(1000+r.IntN(8000))+ext, 0)
	case 6:
		return full(
			"date in front",
			fmt.Sprintf("20260%d1%d_%02d1500_%s_%d%s", 1+r.IntN(9), r.IntN(9), 10+r.IntN(10), safe, place, ext),
			place,
		)
	case 7:
		return full("hash behind", fmt.Sprintf("%s_%d_%08x%08x%s", safe, place, r.Uint32()|0xa0000000, r.Uint32()|0xb000000c, ext), place)
	case 8:
		return full("view and number", fmt.Sprintf("%s_%s_%d%s", safe, view, place, ext), place)
	case 9:
		return full("number in front", fmt.Sprintf("%d - %s%s", place, safe, ext), place)
	case 10:
		return full("copy mark", fmt.Sprintf("%s_%d (1) copy%s", safe, place, ext), place)
	case 11:
		return full("additional", safe+"_"+pick("alt", "add", "extra", "additional")+fmt.Sprintf("%02d", place)+ext, place+1)
	case 12:
		return full("main", safe+"-"+pick("main", "HERO", "Primary")+ext, 1)
	case 13:
		return full("barcode", it.GTIN+number+ext, place)
	case 14:
		return full("barcode of 14", "0"+it.GTIN+"_"+view+ext, 0)
	case 15:
		return full("GS1 code", it.GTIN+"_A"+pick("1", "2", "3", "7", "8", "9")+pick("C", "N", "L", "R")+pick("0", "1")+ext, 0)
	case 16:
		return full("GS1 code and sequence", fmt.Sprintf("%s_A1N1_s%02d%s", it.GTIN, place, ext), place)
	case 17:
		return full("supplier's code", it.Codes[0]+number+ext, place)
	case 18:
		return full("attribute", strings.ToLower(it.Attributes[2])+"_"+fmt.Sprint(place)+ext, place)
	case 19:
		if several {
			return whole("title", strings.ReplaceAll(strings.ToLower(it.Title), " ", "-")+fmt.Sprintf("-%d", place)+ext, place)
		}
		return full("title", strings.ReplaceAll(strings.ToLower(it.Title), " ", "-")+fmt.Sprintf("-%d", place)+ext, place)
	case 20:
		words := strings.Fields(it.Title)
		r.Shuffle(len(words), func(a, b int) { words[a], words[b] = words[b], words[a] })
		if several {
			return full(
				"title with options",
				strings.Join(words, "_")+"_"+strings.ReplaceAll(it.Attributes[1], " ", "")+"_"+it.Attributes[0]+ext,
				0,
			)
		}
		return full("title in any order", strings.Join(words, " ")+ext, 0)
	case 21:
		_, rest, ok := strings.Cut(safe, "-")
		if !ok || !several || strings.Count(rest, "-") < 2 {
			return told{}, false
		}
		for _, o := range s.items {
			if o.Product != it.Product && strings.HasSuffix(o.SKU, it.SKU[len(it.SKU)-len(rest):]) {
				return told{}, false // a part of two keys
			}
		}
		return full("name in key", rest+number+ext, place)
	case 22:
		return whole("product's folder", product+"/"+pick("IMG_", "DSC0", "_MG_")+fmt.Sprint(1000+r.IntN(9000))+ext, 0)
	case 23:
		return whole("product's folder with title", "delivery/"+product+" "+it.Title+fmt.Sprintf("/web/%d", place)+ext, place)
	case 24:
		if !several {
			return told{}, false
		}
		return full("folder and option words", product+"/"+it.Attributes[1]+"/"+it.Attributes[0]+fmt.Sprintf("_%d", place)+ext, place)
	case 25:
		if !several {
			return told{}, false
		}
		return full(
			"product and option words",
			fmt.Sprintf("%s %s %s %d%s", product, it.Attributes[1], it.Attributes[0], place, ext),
			place,
		)
	case 26:
		if !several || strings.Contains(it.Product, ".") {
			return told{}, false
		}
		return full("run together", strings.ToLower(strings.ReplaceAll(safe, "-", ""))+"_"+view+ext, 0)
	case 27:
		if !strings.HasPrefix(it.SKU, "0") {
			return told{}, false
		}
		if short := strings.TrimLeft(it.SKU, "0"); len(short) >= 4 {
			return full("lost zeros", short+number+ext, place)
		}
		return told{}, false
	case 28:
		return full(
			"no break space",
			strings.NewReplacer("-", "\u00a0", " ", "\u00a0").Replace(safe)+fmt.Sprintf("\u00a0%d", place)+ext,
			place,
		)
	case 29:
		return full("ampersand and words", it.Title+" & more "+safe+ext, 0)
	case 30: // a digit more: another code
		if last := it.SKU[len(it.SKU)-1]; several || last < '0' || last > '9' {
			return told{}, false
		}
		longer := it.SKU + fmt.Sprint(r.IntN(10))
		for _, o := range s.items {
			if strings.TrimLeft(o.SKU, "0") == strings.TrimLeft(longer, "0") {
				return told{}, false
			}
		}
		return none("a digit more", longer+number+ext)
	case 31:
		return none("noise", pick("IMG_", "DSC0", "DSCF", "P101")+fmt.Sprint(1000+r.IntN(9000))+ext)
	case 32:
		return none("words", pick("banner", "teaser", "newsletter", "stand at the fair", "team")+" "+pick("small", "2026", "wide", "")+ext)
	case 33:
		return none("unknown code", fmt.Sprintf("%s%d-%c%s%s", pick("QJ", "XQ", "ZW"), 10000+r.IntN(80000), 'A'+r.IntN(26), number, ext))
	case 34:
		o := s.items[r.IntN(len(s.items))]
		if o.Product == it.Product {
			return told{}, false
		}
		return none("two products", safe+" + "+strings.ReplaceAll(o.SKU, "/", "-")+ext)
	case 35:
		digits := fmt.Sprintf("29%010d", r.IntN(1_000_000))
		return none("unknown barcode", digits+string(gtin.CheckDigit(digits))+number+ext)
	case 36:
		return none("a place only", fmt.Sprintf("%d%s", place, ext))
	case 37:
		return none("pixel size", fmt.Sprintf("%dx%d%s", 500+r.IntN(2000), 500+r.IntN(2000), ext))
	case 38:
		if !several {
			return told{}, false
		}
		return whole("an unknown variant", product+"-XXS-PNK"+ext, 0)
	case 39:
		return full("letter places", safe+"_"+string(rune('a'-1+min(place, 4)))+ext, min(place, 4))
	case 40:
		return full("deep folders", "a/b c/2026-03/"+safe+"/"+safe+fmt.Sprintf(" (%d)", place)+ext, place)
	default:
		return full("key twice", safe+"_"+it.GTIN+number+ext, place)
	}
}

const habits = 42

// TestAccuracyOnOtherHabits holds the contract's measures on names of other
// habits than those that the rules were written with, and says which habit
// breaks them.
func TestAccuracyOnOtherHabits(t *testing.T) {
	var total counted
	for style := range 6 {
		s := newShop(3, style)
		var names []told
		for len(names) < 12_000 {
			if n, ok := s.name(s.r.IntN(habits)); ok {
				names = append(names, n)
			}
		}
		total.add(t, "other habits", NewCatalog(s.items, "size", "colour", "mpn"), DefaultClues(), names)
	}
	total.hold(t)
}
