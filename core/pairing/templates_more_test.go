package pairing

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// fourthTrades are eight trades once more: half sizes, measures of beds, gauges,
// scents in words, roll codes, Latin names, shades of two colours, sets of
// numbers. All of it is invented.
func fourthTrades(seed uint64) []*trade {
	var all []*trade
	for kind, name := range []string{"kids' shoes", "bedding", "strings", "candles", "wallpaper", "seeds", "bags", "bulbs"} {
		s := &trade{name: name, products: map[string][]int{}, r: rand.New(rand.NewPCG(seed, uint64(kind)+500))}
		first := strings.Fields("Pebble Otter Willow Tundra Comet Drift Ripple Canyon Harvest Solstice Compass Acorn Heron Ginkgo Ember Mistral")
		second := strings.Fields("Loop Trek Nest Bloom Arc Weave Glow Dash Fold Crest Ridge Swirl Pulse Shade")
		kinds := map[string][]string{
			"kids' shoes": {"Sneaker", "Rain Boot", "Sandal"}, "bedding": {"Duvet Cover", "Fitted Sheet", "Pillow Case"},
			"strings": {"Guitar Strings", "Bass Strings"}, "candles": {"Scented Candle", "Diffuser"}, "wallpaper": {"Wallpaper", "Border"},
			"seeds": {"Tomato", "Squash", "Cornflower"}, "bags": {"Tote", "Backpack", "Belt Bag"}, "bulbs": {"LED Bulb", "Filament Bulb"},
		}[name]
		seen := map[string]bool{}
		for n := 0; len(s.products) < 150; n++ {
			title := s.pick(first...) + " " + s.pick(second...) + " " + s.pick(kinds...)
			product := s.fourthProduct(n)
			if seen[title] || seen[product] {
				continue
			}
			seen[title], seen[product] = true, true
			s.fourthVariants(product, title)
		}
		all = append(all, s)
	}
	return all
}

func (s *trade) fourthProduct(n int) string {
	switch s.name {
	case "kids' shoes":
		return fmt.Sprintf("K%d", 4000+s.r.IntN(5000))
	case "bedding":
		return fmt.Sprintf("%03d.%03d", 100+s.r.IntN(900), s.r.IntN(1000))
	case "strings":
		return fmt.Sprintf("G-%c%c%d", 'A'+s.r.IntN(26), 'A'+s.r.IntN(26), 10+s.r.IntN(90))
	case "candles":
		return fmt.Sprintf("CND_%04d", 1000+s.r.IntN(9000))
	case "wallpaper":
		return fmt.Sprintf("%d-%04d", 10+s.r.IntN(90), 1000+s.r.IntN(9000))
	case "seeds":
		return fmt.Sprintf("S%05d", 10000+s.r.IntN(90000))
	case "bags":
		return fmt.Sprintf("%c%c-%d%c", 'A'+s.r.IntN(26), 'A'+s.r.IntN(26), 100+s.r.IntN(900), 'A'+s.r.IntN(26))
	}
	return fmt.Sprintf("EL%d", 100000+s.r.IntN(900000))
}

func (s *trade) fourthVariants(product, title string) {
	add := func(rest string, attributes ...string) {
		s.add(Item{SKU: product + rest, Product: product, Title: title, Attributes: attributes,
			Codes: []string{fmt.Sprintf("%d.%05d", 7+len(s.name), 10000+17*len(s.items))}})
	}
	switch s.name {
	case "kids' shoes":
		s.options = []string{"colour", "size"}
		for _, colour := range []string{"red", "dark blue"}[:1+s.r.IntN(2)] {
			for size := 28 + s.r.IntN(2); size < 33; size++ {
				add(fmt.Sprintf("-%s-%d", strings.ToUpper(colour[:1]+colour[2:3]), size), colour, fmt.Sprintf("EU %d", size))
			}
		}
	case "bedding":
		s.options = []string{"size", "material", "colour"}
		for i, size := range []string{"135x200", "155x220", "200x200"} {
			for k, colour := range []string{"light grey", "white"} {
				add(fmt.Sprintf(".%d%d", i+1, k), size+" cm", "cotton", colour)
			}
		}
	case "strings":
		s.options = []string{"gauge"}
		for _, gauge := range []string{"009-042", "010-046", "011-052"} {
			add("/"+gauge[1:3], gauge)
		}
	case "candles":
		s.options = []string{"scent", "weight"}
		for _, scent := range []string{"Fig Leaf", "Sea Salt", "White Tea"}[:2+s.r.IntN(2)] {
			add("_"+strings.ToUpper(scent[:1]+scent[strings.IndexByte(scent, ' ')+1:][:2]), scent, "220 g")
		}
	case "wallpaper":
		s.options = []string{"shade"}
		for i, shade := range []string{"beige", "green", "blue"} {
			add(fmt.Sprintf("-%02d", i+1), shade)
		}
	case "bags":
		s.options = []string{"colour"}
		for _, colour := range []string{"black/white", "black/red", "olive/sand"} {
			one, two, _ := strings.Cut(colour, "/")
			add("-"+strings.ToUpper(one[:2]+two[:2]), colour)
		}
	case "bulbs":
		s.options = []string{"base", "power", "colour temperature"}
		for _, kelvin := range []string{"2700", "4000"} {
			for _, watt := range []string{"4.5", "8", "12"} {
				add("-"+strings.ReplaceAll(watt, ".", "")+"W-"+kelvin[:2], "E27", watt+" W", kelvin+" K")
			}
		}
	default:
		s.options = []string{"pack"}
		add("", s.pick("25 seeds", "2 g", "50 seeds"))
	}
}

// fourthTemplates are further ways in which strangers name files.
var fourthTemplates = []template{
	{name: "picture in brackets with its word", text: "{sku} ({Bild|picture|foto} {n}).jpg"},
	{name: "place with a hash mark and dash", text: "{sku} – #{n}.jpg"},
	{name: "place in words, German", text: "{sku}_{Bild|Abb. |Ansicht }{n}.jpg"},
	{name: "place in words, Polish", text: "{sku} zdjęcie {n}.jpg"},
	{name: "place in words, Turkish", text: "{sku} resim {n}.jpg"},
	{name: "place in words, Portuguese", text: "{sku} {imagem|foto} {n}.jpg"},
	{name: "date with points", text: "{sku}_{n}_12.0{3|4|5}.2026.jpg"},
	{name: "date in front", text: "2026-0{3|4}-1{2|3}_{sku}_{n}.jpg"},
	{name: "date and time with T", text: "{sku}_{n}_2026-03-12T10-2{1|2}-33.jpg"},
	{name: "month in words", text: "{sku} {March 2026|Mar26|März 2026} {n}.jpg"},
	{name: "studio's number", text: "{sku}_{n}_{Studio|Set|Job}{12|7|33}.jpg"},
	{name: "photographer's letters", text: "{sku}_{n}_{mk|JD|ab}.jpg"},
	{name: "done words", text: "{OK|ready|DONE|geprüft|freigegeben}_{sku}_{n}.jpg"},
	{name: "status in brackets", text: "{sku}_{n} [{approved|final|WIP}].jpg"},
	{name: "version and place", text: "{sku}_{n}_v{2|3|1.2}.jpg"},
	{name: "version by date", text: "{sku}_{n}_final_final2.jpg"},
	{name: "channel's word", text: "{shop|print|marketplace|social}_{sku}_{n}.jpg"},
	{name: "ratio", text: "{sku}_{n}_{1x1|4x5|16x9|1-1|3_4}.jpg"},
	{name: "density", text: "{sku}_{n}{@2x|@3x|-2x}.png"},
	{name: "megapixels and size", text: "{sku}_{n}_{24MP|3.2MB|12mp}.jpg"},
	{name: "quality", text: "{sku}_{n}_{q80|Q90|quality-85}.jpg"},
	{name: "colour mode and depth", text: "{sku}_{n}_{8bit|16bit|RGB8}.tif"},
	{name: "background words", text: "{sku}_{n}_{white bg|on white|weisser Hintergrund|hg-weiss|whitebackground}.jpg"},
	{name: "shadow words", text: "{sku}_{n}_{mit Schatten|no shadow|shadow|ohne}.jpg"},
	{name: "model words", text: "{sku}_{model|worn|getragen|on-model}_{n}.jpg"},
	{name: "ghost words", text: "{sku}_{ghost|hollowman|flat|laydown}_{n}.jpg"},
	{name: "mojibake, Mac", text: "{title} Größe {sku}_{n}.jpg→mac"},
	{name: "mojibake, DOS", text: "{title} Grün {sku}_{n}.jpg→dos"},
	{name: "decomposed", text: "Gru\u0308n {sku}_{n}.jpg"},
	{name: "invisible characters", text: "\u200b{sku}\u200e_{n}\ufeff.jpg"},
	{name: "no break hyphen", text: "{sku\u2011}_{n}.jpg"},
	{name: "smart dash before place", text: "{sku} — {n}.jpg"},
	{name: "underscores for everything", text: "{sku_}_{n}.jpg"},
	{name: "blanks for everything", text: "{sku } {n}.jpg"},
	{name: "trailing blanks and points", text: "{sku}_{n} ..jpg"},
	{name: "brackets around the place and copy", text: "{sku} [{n}] (copy).jpg"},
	{name: "key, comma, place", text: "{sku},{n},.jpg"},
	{name: "supplier's folder", text: "Muster GmbH/2026-03 Lieferung/JPG/{sku}_{n}.JPG"},
	{name: "category folders", text: "Women/New In/{Shoes|Bags|Home}/{sku}_{n}.jpg"},
	{name: "folder of the product with words", text: "{product} {title} NEU/{rest}_{n}.jpg", fits: several},
	{name: "folder of the variant, own names", text: "{sku}/{final|edit|export}_{n}.jpg"},
	{name: "folder of the option, key of the product", text: "{first}/{product}_{last}_{n}.jpg", fits: twoOptions},
	{name: "folder of key and place", text: "{sku}/{n}/IMG_{cam}.jpg", place: noPlace},
	{name: "two option words apart", text: "{first} - {product} - {last} - {n}.jpg", fits: twoOptions},
	{name: "options in brackets", text: "{product} ({options,}) {n}.jpg", fits: several},
	{name: "options in upper case", text: "{product}_{OPTIONS}_{n}.jpg", fits: several},
	{name: "title upper case, options", text: "{TITLE} {OPTIONS} {n}.jpg"},
	{name: "title cut by its kind, key", text: "{title1} {sku} {n}.jpg"},
	{name: "title in other order, options", text: "{title~} {options} {n}.jpg"},
	{name: "title without blanks, key", text: "{Title}{sku}_{n}.jpg",
		fits: func(s *trade, it Item) bool { return it.SKU[0] <= '9' }},
	{name: "title twice", text: "{title}/{title} {options} {n}.jpg"},
	{name: "options in German", text: "{product} {options:de} {n}.jpg", fits: german},
	{name: "title and options in German", text: "{title} {options:de} {n}.jpg", fits: german},
	{name: "options in Dutch", text: "{product}_{options:nl}_{n}.jpg", fits: german},
	{name: "barcode without its check digit", text: "{gtin12}_{n}.jpg", tells: nobody},
	{name: "wrong check digit", text: "{gtin12}{wrong}_{front|back}.jpg", tells: nobody},
	{name: "barcode and key", text: "{gtin}_{sku}_{n}.jpg"},
	{name: "key and barcode, brackets", text: "{sku} ({gtin}) {n}.jpg"},
	{name: "key of another in the folder", text: "{other}/{sku}_{n}.jpg"},
	{name: "price", text: "{sku}_{n}_{19,95|€ 24.90|12.50EUR|1 299}.jpg"},
	{name: "quantity", text: "{sku}_{n}_{2er Set|3-pack|x4|5 Stück}.jpg", tells: theItem},
	{name: "question mark and new", text: "{sku}_{n}_{NEU!|new?|TOP}.jpg"},
	{name: "absent size", text: "{product}-{99|XXXL|7XL}_{front|back}.jpg", tells: productOrNobody, fits: several},
	{name: "absent shade of two", text: "{product} pink-lime {n}.jpg", tells: productOrNobody, fits: several},
	{name: "neighbour's product", text: "{productup}_{front|back}.jpg", tells: nobody,
		fits: func(s *trade, it Item) bool { return s.freeProduct(nextKey(it.Product)) }},
	{name: "shorter by a figure", text: "{productcut}_{front|back}.jpg", tells: nobody,
		fits: func(s *trade, it Item) bool {
			return endsInFigure(it.Product) && s.freeProduct(it.Product[:len(it.Product)-1])
		}},
	{name: "collages", text: "{collage|Gruppenbild|family|range|lookbook page} {nn}.jpg", tells: nobody},
	{name: "people and places", text: "{Team|Messe|Showroom|Lager} {Berlin|2026|Halle 4} {n}.jpg", tells: nobody},
	{name: "documents", text: "{Datenblatt|CE|manual|care label} {EN 71|ISO 9001|2026-03}.pdf.jpg", tells: nobody},
	{name: "numbers alone", text: "{cam}{cam}.jpg", tells: nobody},
	{name: "short numbers alone", text: "{nn}-{nn}.jpg", tells: nobody},
}

// twoOptions tells whether the first and the last option tell the item.
func twoOptions(s *trade, it Item) bool {
	return several(s, it) && len(it.Attributes) > 1 && s.name != "bulbs"
}

func german(s *trade, it Item) bool {
	return s.name == "kids' shoes" || s.name == "bedding" || s.name == "wallpaper" || s.name == "bags"
}

// freeProduct tells whether no product or variant is known by a key.
func (s *trade) freeProduct(code string) bool {
	if !s.free(code) {
		return false
	}
	for product := range s.products {
		if bareKey(product) == bareKey(code) {
			return false
		}
	}
	return true
}

// nextKey returns a key with its last figure one higher.
func nextKey(key string) string {
	changed := []byte(key)
	for i := len(changed) - 1; i >= 0; i-- {
		if changed[i] >= '0' && changed[i] <= '9' {
			changed[i] = '0' + (changed[i]-'0'+1)%10
			break
		}
	}
	return string(changed)
}
