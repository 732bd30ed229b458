package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// fifthTrades are six trades once more: keys of words, numbers that are products of
// their own, seals and sizes that begin with figures. All of it is invented.
func fifthTrades(seed uint64) []*trade {
	var all []*trade
	for kind, name := range []string{"fabrics", "bearings", "nails", "uniforms", "straps", "coffee"} {
		s := &trade{name: name, products: map[string][]int{}, r: rand.New(rand.NewPCG(seed, uint64(kind)+900))}
		first := strings.Fields("Larkspur Bellweather Sandpiper Foxglove Windward Stonecrop Driftline Marigold Copperleaf Highmoor Saltmarsh " +
			"Brightwater Nightjar Thornbury Fairlead")
		second := map[string][]string{"fabrics": {"Weave", "Velour", "Canvas"}, "bearings": {"Ball Bearing", "Roller Bearing"},
			"nails": {"Nail Lacquer", "Gel Polish"}, "uniforms": {"Chef Jacket", "Work Trousers", "Polo Shirt"},
			"straps": {"Watch Strap", "Milanese"}, "coffee": {"House Blend", "Single Origin", "Decaf"}}[name]
		third := strings.Fields("One Plus Select Core Nova Prime")
		seen := map[string]bool{}
		for n := 0; len(s.products) < 120; n++ {
			title := s.pick(first...) + " " + s.pick(second...) + " " + s.pick(third...)
			product := s.fifthProduct(title)
			if seen[title] || seen[product] {
				continue
			}
			seen[title], seen[product] = true, true
			s.fifthVariants(product, title)
		}
		all = append(all, s)
	}
	return all
}

func (s *trade) fifthProduct(title string) string {
	switch s.name {
	case "fabrics":
		vowels, consonants := "AEIOU", "BDGKLMNRSTVZ"
		code := ""
		for range 3 {
			code += string(consonants[s.r.IntN(len(consonants))]) + string(vowels[s.r.IntN(len(vowels))])
		}
		return code + "NE"
	case "bearings":
		return fmt.Sprintf("%d", 6000+s.r.IntN(3000))
	case "nails":
		return fmt.Sprintf("NL %s%d", title[:2], 10+s.r.IntN(90))
	case "uniforms":
		return fmt.Sprintf("%d-%02d", 1000+s.r.IntN(9000), 1+s.r.IntN(60))
	case "straps":
		return fmt.Sprintf("S.%d.%c%c", 100+s.r.IntN(900), 'A'+s.r.IntN(26), 'A'+s.r.IntN(26))
	}
	return fmt.Sprintf("%05d", 20000+s.r.IntN(70000))
}

func (s *trade) fifthVariants(product, title string) {
	add := func(rest string, attributes ...string) {
		s.add(Item{SKU: product + rest, Product: product, Title: title, Attributes: attributes,
			Codes: []string{fmt.Sprintf("X-%d", 70000+19*len(s.items))}})
	}
	switch s.name {
	case "fabrics":
		s.options = []string{"colour", "width"}
		for _, colour := range []string{"green", "grey", "red"}[:2+s.r.IntN(2)] {
			add("-"+strings.ToUpper(colour[:1]+colour[len(colour)-2:]), colour, "140 cm")
		}
	case "bearings":
		s.options = []string{"seal", "bore"}
		for _, seal := range []string{"2RS", "ZZ", "OPEN"}[:1+s.r.IntN(3)] {
			add("-"+seal, seal, "20x47x14 mm")
		}
	case "nails":
		s.options = []string{"shade", "volume"}
		for _, shade := range []string{"012 Ruby", "047 Mocha", "103 Lilac", "210 Nude"}[:2+s.r.IntN(3)] {
			add("/"+shade[:3], shade, "7 ml")
		}
	case "uniforms":
		s.options = []string{"size", "sex"}
		for _, size := range []string{"M", "XL", "2XL", "3XL"} {
			add("-"+size, size, s.pick("men", "women"))
		}
	case "straps":
		s.options = []string{"width", "colour", "buckle"}
		for _, width := range []string{"18", "20", "22"} {
			for _, colour := range []string{"black", "brown"} {
				add("."+width+"/"+strings.ToUpper(colour[:1]+colour[len(colour)-1:]), width+" mm", colour, s.pick("gold", "silver"))
			}
		}
	default:
		s.options = []string{"weight", "grind"}
		for _, weight := range []string{"250 g", "1 kg"} {
			for i, grind := range []string{"whole bean", "espresso", "filter"} {
				add(fmt.Sprintf("-%s%d", strings.ReplaceAll(weight, " ", ""), i+1), weight, grind)
			}
		}
	}
}

// fifthTemplates are further ways in which strangers name files.
var fifthTemplates = []template{
	{name: "key", text: "{sku}{.jpg|.JPG|.jpeg}"},
	{name: "key and place, as it comes", text: "{sku}{_|-| |.}{n}.jpg"},
	{name: "key in the middle of words", text: "{spring|web|main catalogue} {sku} {final|detail|new} {n}.jpg"},
	{name: "place with its zeros, key behind", text: "{nn} {sku}.jpg"},
	{name: "place and total", text: "{sku}_{n}of{9|12}.jpg"},
	{name: "place, slash, total", text: "{sku} {n}-{10|12}.jpg", place: func(n int) int { return n }},
	{name: "place behind view", text: "{sku} front{n}.jpg"},
	{name: "title, key, options, place", text: "{title} {sku} {options} {n}.jpg"},
	{name: "options, key, place", text: "{options}_{sku}_{n}.jpg"},
	{name: "product, first option", text: "{product} {first} {n}.jpg", fits: oneOption},
	{name: "product, first option, no place", text: "{product} {first}.jpg", fits: oneOption},
	{name: "product, first option, glued place", text: "{product}-{first}-{nn}.jpg", fits: oneOption},
	{name: "shade's folder, product", text: "{first}/{product}_{n}.jpg", fits: oneOption},
	{name: "product's folder, option's folder", text: "{product}/{first}/{n}.jpg", fits: oneOption},
	{name: "product's folder with title, option's folder, camera", text: "{product} {title}/{first}/DSC_{cam}.jpg",
		fits: oneOption, place: noPlace},
	{name: "option's folder below a season", text: "SS27/{title}/{first}/{front|back}.jpg", fits: oneOption},
	{name: "key divided by a folder", text: "{product}/{rest}/{nn}.jpg"},
	{name: "key divided by a folder, view", text: "{product}/{rest}_{front|back|side}.jpg"},
	{name: "title in upper case with underscores", text: "{TITLE_}_{n}.jpg", tells: theProduct},
	{name: "title with points", text: "{title.}.{n}.jpg", tells: theProduct},
	{name: "title and first option, German", text: "{title} {options:de} {n}.jpg", fits: inFabric},
	{name: "title's folder, view", text: "{title}/{front|back|detail}.jpg", tells: theProduct},
	{name: "supplier's code joined", text: "{codejoined}_{n}.jpg"},
	{name: "barcode, blanks", text: "{gtin1} {gtin6} {gtin6b}.jpg"},
	{name: "barcode, letters in front", text: "E{gtin}_{n}.jpg"},
	{name: "barcode's folder", text: "{gtin}/{n}.jpg"},
	{name: "barcode twice", text: "{gtin}/{gtin}_{front|back}.jpg"},
	{name: "dated delivery, flat", text: "2026-11-2{1|4|7}_delivery_{sku}_{n}.jpg"},
	{name: "edit number", text: "{sku}_{n}-edit-{2|3}.jpg"},
	{name: "enhanced by a program", text: "{sku}_{n}-Enhanced-NR.jpg"},
	{name: "HDR and panorama", text: "{sku}_{n}-{HDR|Pano|Bearbeitet}.jpg"},
	{name: "from a mail", text: "{sku} {n} (003).jpg"},
	{name: "from a chat", text: "{sku}_{n} 2026-03-1{1|2} at 14.22.0{1|2}.jpeg"},
	{name: "attachments", text: "ATT00{1|2}_{sku}_{n}.jpg"},
	{name: "numbered download", text: "{sku}_{n}[{1|2}].jpg"},
	{name: "web address", text: "https___www.example.com_media_{sku}_{n}.jpg"},
	{name: "language in brackets", text: "{sku} ({DE|EN|FR}) {n}.jpg"},
	{name: "weight of the file", text: "{sku}_{n}_{350KB|1.2MB}.jpg"},
	{name: "print data", text: "{sku}_{n}_{CMYK_300dpi|ISOcoated|sw}.tif"},
	{name: "colour targets", text: "{sku}_{n}_{graukarte|colorchecker|testshot}.jpg"},
	{name: "ordinal behind a dash", text: "{sku} - {title} - {n}.jpg"},
	{name: "ampersand encoded", text: "{title}%20%26%20more%20{sku}%20{n}.jpg"},
	{name: "absent size", text: "{product}-9XL_{front|back}.jpg", tells: productOrNobody, fits: several},
	{name: "absent shade number", text: "{product}/999 {front|back}.jpg", tells: productOrNobody, fits: several},
	{name: "absent word", text: "{product} {chartreuse|tartan} {n}.jpg", tells: productOrNobody, fits: several},
	{name: "changed last figure", text: "{productup}_{front|back}.jpg", tells: nobody, fits: func(s *trade, it Item) bool {
		return nextKey(it.Product) != it.Product && s.freeProduct(nextKey(it.Product)) && s.name != "nails"
	}},
	{name: "cut short", text: "{productcut}_{front|back}.jpg", tells: nobody, fits: func(s *trade, it Item) bool {
		return endsInFigure(it.Product) && s.freeProduct(it.Product[:len(it.Product)-1])
	}},
	{name: "a letter in front", text: "Q{sku}_{front|back}.jpg", tells: nobody,
		fits: func(s *trade, it Item) bool { return s.name == "straps" || s.name == "fabrics" }},
	{name: "two variants", text: "{sku}+{sibling}.jpg", tells: productOrNobody, fits: several},
	{name: "two products, and", text: "{sku} & {other}.jpg", tells: nobody},
	{name: "camera counters", text: "{100|103|112}_{cam}.JPG", tells: nobody},
	{name: "stock", text: "{mood|texture|pattern|sky|office}_{nn}.jpg", tells: nobody},
	{name: "address of a page", text: "{index|default|logo|sprite|favicon}{|-2x|_{n}}.png", tells: nobody},
	{name: "orders", text: "{PO|AB|RE}-2026-0{1|2|3}{nn}.pdf", tells: nobody},
}

// oneOption tells whether the first option alone tells the item.
func oneOption(s *trade, it Item) bool {
	return several(s, it) && s.name != "straps" && s.name != "coffee"
}

func inFabric(s *trade, it Item) bool { return s.name == "fabrics" }

// TestAccuracyOnFifthStrangers is TestAccuracyOnThirdStrangers with six further
// trades and 54 further habits.
func TestAccuracyOnFifthStrangers(t *testing.T) {
	templatesHold(t, "fifth strangers", fifthTrades(47), fifthTemplates, "de", "fr")
}
