package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// thirdTrades are ten trades once more, whose keys and options are of other kinds:
// measures of two numbers, vintages, shades with numbers, sizes with letters,
// paper sizes, ranges of figures. All of it is invented.
func thirdTrades(seed uint64) []*trade {
	var all []*trade
	for kind, name := range []string{"tyres", "wine", "paint", "screws", "swim", "carpets", "pharmacy", "tea", "parts", "posters"} {
		s := &trade{name: name, products: map[string][]int{}, r: rand.New(rand.NewPCG(seed, uint64(kind)+300))}
		adjectives := strings.Fields("Northern Quiet Amber Velvet Rapid Gentle Crisp Bold Noble Frosted Tender Sturdy Hazel Lunar Brisk Meadow " +
			"Ashen Coastal Rugged Mellow")
		nouns := map[string][]string{
			"tyres": {"Tourer", "Grip", "Allseason", "Cargo", "Trail"}, "wine": {"Riesling", "Silvaner", "Pinot Noir", "Rosé", "Cuvée"},
			"paint": {"Facade Paint", "Wood Stain", "Floor Coat", "Primer"}, "screws": {"Hex Bolt", "Wood Screw", "Set Screw", "Carriage Bolt"},
			"swim": {"Bikini Top", "Swimsuit", "Tankini", "Sports Bra"}, "carpets": {"Rug", "Runner", "Kilim", "Doormat"},
			"pharmacy": {"Cough Syrup", "Nasal Spray", "Foot Cream", "Lozenges"}, "tea": {"Oolong", "Darjeeling", "Mint Blend", "Rooibos"},
			"parts": {"Resistor", "Relay", "Fuse Holder", "Rocker Switch"}, "posters": {"Skyline", "Botanica", "Geometry", "Woodland"},
		}[name]
		seen := map[string]bool{}
		for n := 0; len(s.products) < 300; n++ {
			title := s.pick(adjectives...) + " " + s.pick(adjectives...) + " " + s.pick(nouns...)
			words := strings.Fields(title)
			if seen[title] || words[0] == words[1] {
				continue
			}
			product := s.productOf(n)
			if seen[product] {
				continue
			}
			seen[title], seen[product] = true, true
			s.variants(product, title)
		}
		all = append(all, s)
	}
	return all
}

// productOf makes the code of a product as its trade writes them.
func (s *trade) productOf(n int) string {
	switch s.name {
	case "tyres":
		return fmt.Sprintf("NX %d", 2000+s.r.IntN(7000))
	case "wine":
		return fmt.Sprintf("W%04d", 1000+s.r.IntN(9000))
	case "paint":
		return fmt.Sprintf("FB-%03d", 100+s.r.IntN(900))
	case "screws":
		return fmt.Sprintf("%04d", 100+s.r.IntN(900))
	case "swim":
		return fmt.Sprintf("%d", 30000+s.r.IntN(60000))
	case "carpets":
		return fmt.Sprintf("%c%c%c/%03d", 'A'+s.r.IntN(26), 'A'+s.r.IntN(26), 'A'+s.r.IntN(26), 100+s.r.IntN(900))
	case "pharmacy":
		return fmt.Sprintf("0%07d", 1_000_000+s.r.IntN(8_000_000))
	case "tea":
		return fmt.Sprintf("te.%c%c%c%c", 'a'+s.r.IntN(26), 'a'+s.r.IntN(26), 'a'+s.r.IntN(26), 'a'+s.r.IntN(26))
	case "parts":
		return fmt.Sprintf("%d-%05d", 1+s.r.IntN(9), 10000+s.r.IntN(90000))
	}
	return fmt.Sprintf("PST-%05d", 200+n)
}

// variants adds a product with what its trade tells apart.
func (s *trade) variants(product, title string) {
	add := func(rest string, attributes ...string) {
		s.add(Item{SKU: product + rest, Product: product, Title: title, Attributes: attributes,
			Codes: []string{fmt.Sprintf("L%c%05d", 'A'+len(s.name), 10000+13*len(s.items))}})
	}
	switch s.name {
	case "tyres":
		s.options = []string{"size", "index"}
		for _, size := range []string{"195/65 R15", "205/55 R16", "225/45 R17", "235/35 R19"}[:2+s.r.IntN(3)] {
			add("-"+strings.NewReplacer("/", "", " R", "").Replace(size), size, s.pick("91V", "94W", "98Y"))
		}
	case "wine":
		s.options = []string{"vintage", "volume"}
		for _, year := range []string{"2019", "2021", "2022"} {
			for _, volume := range []string{"0.75 l", "1.5 l"}[:1+s.r.IntN(2)] {
				add("-"+year+"-"+strings.NewReplacer(".", "", " l", "").Replace(volume), year, volume)
			}
		}
	case "paint":
		s.options = []string{"RAL", "shade", "volume"}
		for _, shade := range []string{"7016 anthracite", "9010 white", "6005 green"}[:2+s.r.IntN(2)] {
			for _, volume := range []string{"0.75 l", "2.5 l", "10 l"}[:2+s.r.IntN(2)] {
				number, word, _ := strings.Cut(shade, " ")
				add("."+number+"."+strings.NewReplacer(".", "", " l", "").Replace(volume), "RAL "+number, word, volume)
			}
		}
	case "screws":
		s.options = []string{"thread", "length"}
		for _, size := range []string{"M4x16", "M4x20", "M6x20", "M8x40"}[:2+s.r.IntN(3)] {
			thread, length, _ := strings.Cut(size, "x")
			add("-"+size, thread, length+" mm")
		}
	case "swim":
		s.options = []string{"colour", "size"}
		for _, colour := range []string{"black", "coral", "navy"}[:1+s.r.IntN(3)] {
			for _, size := range []string{"75B", "80C", "85D"} {
				add(map[string]string{"black": "BLK", "coral": "COR", "navy": "NVY"}[colour]+size, colour, size)
			}
		}
	case "carpets":
		s.options = []string{"size", "colour"}
		for _, size := range []string{"60x110", "160x230", "200x290"} {
			add("/"+size, size+" cm", s.pick("taupe", "grey", "sand"))
		}
	case "tea":
		s.options = []string{"weight", "form"}
		for _, weight := range []string{"100", "250", "1000"} {
			add("-"+weight, weight+" g", map[string]string{"100": "bags", "250": "loose", "1000": "loose"}[weight])
		}
	case "posters":
		s.options = []string{"format", "frame"}
		for _, format := range []string{"A4", "A3", "B2"} {
			add("-"+format+"-OAK", format, "oak")
			add("-"+format+"-NON", format, "unframed")
		}
	default:
		s.options = []string{"pack"}
		add("", s.pick("10 pcs", "100 ml", "20 pcs"))
	}
}
