package pairing

import (
	"fmt"
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
)

// template is a way to name files. In braces: sku, joined, lower, product, title,
// options, first and last (option), gtin, code; n, nn, nnn (place); cam, date, ten
// (figures of a clock); or what to choose from. tells says whom a name of it
// shows.
type template struct {
	name, text string
	tells      whom
	place      func(n int) int
	fits       func(s *trade, it Item) bool
}

type whom uint8

const (
	theItem whom = iota
	theProduct
	nobody
	productOrNobody // what the catalog does not have: loose, or its product as a whole
)

func first(int) int     { return 1 }
func noPlace(int) int   { return 0 }
func oneMore(n int) int { return n + 1 }

func several(s *trade, it Item) bool { return len(s.products[it.Product]) > 1 }

func shaded(s *trade, it Item) bool { return s.name == "swim" || s.name == "paint" }

func titled(s *trade, it Item) bool { return !several(s, it) }

// thirdTemplates are further ways in which strangers name files.
var thirdTemplates = []template{
	{name: "p and place", text: "{sku}_{p|P|pos|img|pic}{n}.jpg"},
	{name: "exporter's size word", text: "{sku}-{n}{_large|-xl|_zoom|-thumb|_medium|_big|_original}.jpg"},
	{name: "place in front", text: "{nnn}_{sku}.jpg"},
	{name: "one of many", text: "{sku} ({n} of 9).jpg"},
	{name: "one of many, slash", text: "{sku} {n}-von-9.jpg"},
	{name: "folder, place and view", text: "{sku}/{nn}_{front|back|detail|side}.jpg"},
	{name: "folder with title, camera", text: "{sku} - {title}/{IMG_|DSC_|_MG_|DSCF}{cam}.jpg", place: noPlace},
	{name: "barcode with its word", text: "{EAN|GTIN|ean-|GTIN_|EAN13 }{gtin}_{n}.jpg"},
	{name: "barcode in groups", text: "{gtin1} {gtin6} {gtin6b} {n}.jpg"},
	{name: "barcode of 14", text: "0{gtin}_{n}.jpg"},
	{name: "word for a key", text: "{Art.-Nr. |Art.|REF |ref-|Item |SKU_|Artikel }{sku}_{n}.jpg"},
	{name: "key in brackets", text: "{title} ({sku}) {n}.jpg"},
	{name: "key in square brackets", text: "[{sku}] {title} {n}.jpg"},
	{name: "key at the end", text: "{title}_{n}_{sku}.jpg"},
	{name: "place, then camera", text: "{sku}_{n}_{DSC_|IMG_}{cam}.jpg"},
	{name: "place, then time", text: "{sku}_{n}_{date}_{time}.jpg"},
	{name: "time, then key", text: "{date}_{time}_{sku}_{n}.jpg"},
	{name: "copies in words", text: "{Kopie von|Copy of|copy_of} {sku}_{n}.jpg"},
	{name: "copy, German", text: "{sku}_{n} - Kopie.jpg"},
	{name: "retouched", text: "{sku}_{n}{_retouched|-edited|_bearbeitet|_freigestellt|_cutout|_nobg|_transparent|-retusche|_clipped}.png"},
	{name: "colour space", text: "{sku}_{n}{_rgb|_cmyk|_sRGB|_300dpi|_72dpi|_web72|-eciRGB}.jpg"},
	{name: "season's folder", text: "{SS26|FW25|2026-03|KW12|Nachlieferung 2}/{Packshots|Freisteller|Web}/{sku}_{n}.jpg"},
	{name: "size's folder", text: "{1000x1000|2000px|72dpi|300 dpi}/{sku}_{n}.jpg"},
	{name: "query", text: "{sku}_{n}.jpg?{width=800&v=3|v=1699999999|w=1200&h=1200&fit=crop|sz=2048}"},
	{name: "query, made safe", text: "{sku}_{n}.jpg_{width=800|v=1699999999|w=1200}"},
	{name: "encoded twice", text: "{title%25} {sku}%2520{n}.jpg"},
	{name: "plus for blanks", text: "{title+}+{sku}+{n}.jpg"},
	{name: "flattened folders", text: "{Shop|Lager}__{Neu|2026}__{sku}__{n}.jpg"},
	{name: "flattened with a number sign", text: "{Shop|Lager}#{Neu|Bilder}#{sku}#{n}.jpg"},
	{name: "doubled separators", text: "{sku}{--|__|. |, |;|=|~|+}{n}.jpg"},
	{name: "width behind", text: "{sku}_{n}_{2048|1500|1200|800}.jpg"},
	{name: "width behind, w", text: "{sku}-{n}-{2048w|1500w|640w}.jpg"},
	{name: "supplier's code", text: "{code}_{nn}.jpg"},
	{name: "supplier's code in a folder", text: "{code}/{n}.jpg"},
	{name: "supplier's code and own key", text: "{code}_{sku}_{n}.jpg"},
	{name: "joined, lower", text: "{joined}-{n}.jpeg"},
	{name: "joined, upper", text: "{JOINED}_{nn}.JPG"},
	{name: "product, options", text: "{product} {options} {n}.jpg", fits: several},
	{name: "product, options, underscores", text: "{product}_{options_}_{nn}.jpg", fits: several},
	{name: "options first", text: "{options} {product} ({n}).jpg", fits: several},
	{name: "title, options", text: "{title} {options} {n}.jpg"},
	{name: "title, options, dashes", text: "{title-}-{options-}-{n}.jpg"},
	{name: "title's folder, options", text: "{title}/{options}/{n}.jpg"},
	{name: "title's folder, options' name", text: "{title}/{options} {n}.jpg"},
	{name: "product's folder, options' name", text: "{product}/{options}_{n}.jpg", fits: several},
	{name: "product's folder, rest", text: "{product}/{rest}-{n}.jpg", fits: several},
	{name: "shade in French", text: "{product}_{shade:fr}_{last}_{n}.jpg", fits: shaded},
	{name: "shade in Italian", text: "{product} {shade:it} {last} - {n}.jpg", fits: shaded},
	{name: "shade in Polish", text: "{product}-{shade:pl}-{last}-{n}.jpg", fits: shaded},
	{name: "shade in Swedish", text: "{product} {last} {shade:sv} {n}.jpg", fits: shaded},
	{name: "view in French", text: "{sku}_{devant|dos|dessus|gauche}.jpg"},
	{name: "view in Spanish", text: "{sku} {frontal|detalle|lateral}.jpg"},
	{name: "first in words", text: "{sku}{_principal| Hauptbild|-titelbild|_cover|_00_main}.jpg", place: first},
	{name: "additional in words", text: "{sku}{_zusatz|-extra|_alt|_additional}{n}.jpg", place: oneMore},
	{name: "letter and number", text: "{sku}_{front|back|detail}_{n}.jpg"},
	{name: "product only", text: "{product}_{n}.jpg", tells: theProduct, fits: several},
	{name: "product's folder, camera", text: "{product}/{IMG_|DSC0}{cam}.jpg", tells: theProduct, place: noPlace, fits: several},
	{name: "title only", text: "{title}_{n}.jpg", fits: titled},
	{name: "title, no accents, dashes", text: "{title-}-{n}.jpg", fits: titled},
	{name: "title in camel case", text: "{Title}{n}.jpg", fits: titled},
	{name: "absent colour", text: "{product} {magenta|tangerine|kiwi} {n}.jpg", tells: productOrNobody, fits: several},
	{name: "absent variant", text: "{product}-QX9_{n}.jpg", tells: productOrNobody, fits: several},
	{name: "a figure more", text: "{sku}7_{front|back}.jpg", tells: productOrNobody,
		fits: func(s *trade, it Item) bool { return s.free(it.SKU+"7") && several(s, it) && endsInFigure(it.SKU) }},
	{name: "a figure more, no variants", text: "{sku}7_{front|back}.jpg", tells: nobody,
		fits: func(s *trade, it Item) bool { return s.free(it.SKU+"7") && !several(s, it) }},
	{name: "two figures changed", text: "{swapped}_{front|back}.jpg", tells: nobody,
		fits: func(s *trade, it Item) bool { return s.free(swapped(it.SKU)) && s.free(swapped(it.Product)) }},
	{name: "a letter for a figure", text: "{lookalike}_{front|back}.jpg", tells: nobody,
		fits: func(s *trade, it Item) bool { return s.free(lookalike(it.SKU)) && lookalike(it.Product) != it.Product }},
	{name: "two products", text: "{sku}_{other}.jpg", tells: nobody},
	{name: "screenshots", text: "{Screenshot|Bildschirmfoto} 2026-03-0{1|2|3} at 1{0|1|2}.{22|41|05}.{33|17}.png", tells: nobody},
	{name: "telephones", text: "{IMG|PXL|VID}{-|_}2026030{1|2|3}{-|_}1011{22|33|59}{001|742|}.jpg", tells: nobody},
	{name: "cameras", text: "{_MG_|R001|P102|DSC0|IMG_E|MVI_|SAM_}{cam}.JPG", tells: nobody},
	{name: "papers", text: "{Lieferschein|invoice|packing list|Preisliste} {cam}{| (1)}.jpg", tells: nobody},
	{name: "scans and untitled", text: "{scan|Scan_|image|Unbenannt-|untitled |doc}{nnn}.jpg", tells: nobody},
	{name: "banners", text: "{banner|header|teaser|slider}{-|_}{1920x600|home|{n}}{|@2x}.jpg", tells: nobody},
	{name: "size charts", text: "{size chart|Größentabelle|size-guide|Pflegehinweise} {men|women|2026|EU}.jpg", tells: nobody},
	{name: "hashes", text: "{hash}.jpg", tells: nobody},
}

// free tells whether no item has a key, separators and noughts in front aside.
func (s *trade) free(sku string) bool {
	if s.taken == nil {
		s.taken = map[string]bool{}
		for _, it := range s.items {
			s.taken[bareKey(it.SKU)] = true
		}
	}
	return !s.taken[bareKey(sku)]
}

func endsInFigure(key string) bool { return strings.ContainsAny(key[len(key)-1:], "0123456789") }

var withoutSeparators = strings.NewReplacer("-", "", "/", "", ".", "", " ", "")

func bareKey(key string) string {
	return strings.TrimLeft(strings.ToLower(withoutSeparators.Replace(key)), "0")
}

// swapped returns a key with the last two figures of its longest number changed
// about.
func swapped(key string) string {
	changed := []byte(key)
	at := strings.IndexFunc(key, func(c rune) bool { return c >= '0' && c <= '9' })
	for n := at; n >= 0 && n+1 < len(changed) && changed[n+1] >= '0' && changed[n+1] <= '9'; n++ {
		at = n
	}
	if at >= 0 && at+1 < len(changed) {
		changed[at], changed[at+1] = changed[at+1], changed[at]
	}
	return string(changed)
}

func lookalike(key string) string { return strings.NewReplacer("0", "O", "1", "l").Replace(key) }

var shadesIn = map[string]map[string]string{
	"fr": {"black": "noir", "coral": "corail", "navy": "marine", "anthracite": "anthracite", "white": "blanc", "green": "vert"},
	"it": {"black": "nero", "coral": "corallo", "navy": "blu marino", "anthracite": "antracite", "white": "bianco", "green": "verde"},
	"pl": {"black": "czarny", "coral": "koralowy", "navy": "granatowy", "anthracite": "antracyt", "white": "biały", "green": "zielony"},
	"de": {"black": "schwarz", "white": "weiß", "red": "rot", "dark blue": "dunkelblau", "light grey": "hellgrau", "cotton": "Baumwolle",
		"beige": "beige", "green": "grün", "blue": "blau", "olive": "oliv", "sand": "sand", "grey": "grau"},
	"nl": {"black": "zwart", "white": "wit", "red": "rood", "dark blue": "donkerblauw", "light grey": "lichtgrijs", "cotton": "katoen",
		"beige": "beige", "green": "groen", "blue": "blauw", "olive": "olijf", "sand": "zand"},
	"sv": {"black": "svart", "coral": "korall", "navy": "marinblå", "anthracite": "antracit", "white": "vit", "green": "grön"},
}

// fill makes a name of a template.
func (p template) fill(s *trade, it Item, n int) told {
	var name strings.Builder
	for text := p.text; text != ""; {
		plain, rest, braced := strings.Cut(text, "{")
		name.WriteString(plain)
		if !braced {
			break
		}
		depth, end := 1, 0
		for ; depth > 0; end++ {
			switch rest[end] {
			case '{':
				depth++
			case '}':
				depth--
			}
		}
		word := rest[:end-1]
		text = rest[end:]
		if strings.Contains(word, "|") {
			chosen := s.pick(strings.Split(word, "|")...)
			if strings.HasPrefix(chosen, "{") {
				chosen = s.word(strings.Trim(chosen, "{}"), it, n)
			}
			name.WriteString(chosen)
			continue
		}
		name.WriteString(s.word(word, it, n))
	}
	path := name.String()
	if before, ok := strings.CutSuffix(path, "→mac"); ok {
		path = misread(before, charmap.Macintosh)
	} else if before, ok := strings.CutSuffix(path, "→dos"); ok {
		path = misread(before, charmap.CodePage437)
	}
	made := told{habit: p.name, path: path, product: it.Product, sku: it.SKU, place: n}
	if !strings.Contains(p.text, "{n}") && !strings.Contains(p.text, "{nn}") && !strings.Contains(p.text, "{nnn}") {
		made.place = 0
	}
	if p.place != nil {
		made.place = p.place(n)
	}
	switch p.tells {
	case theProduct:
		made.sku = ""
	case nobody:
		made.product, made.sku = "", ""
	case productOrNobody:
		made.sku, made.orNobody = "", true
	}
	return made
}

// misread returns a text in UTF-8 as a program shows it that takes it for another
// encoding.
func misread(text string, as *charmap.Charmap) string {
	shown, err := as.NewDecoder().String(text)
	if err != nil {
		panic(err)
	}
	return shown
}

// word is what stands for a name in braces.
func (s *trade) word(name string, it Item, n int) string {
	joined := withoutSeparators.Replace(it.SKU)
	safe := func(text string) string { return strings.ReplaceAll(text, "/", "-") }
	options := strings.Join(it.Attributes, " ")
	bare := strings.NewReplacer("é", "e").Replace
	if language, ok := strings.CutPrefix(name, "shade:"); ok {
		for _, value := range it.Attributes {
			if shade := shadesIn[language][value]; shade != "" {
				return shade
			}
		}
	}
	if text, ok := strings.CutSuffix(name, "%25"); ok {
		return strings.ReplaceAll(s.word(text, it, n), " ", "%2520")
	}
	translated, language, _ := strings.Cut(name, ":")
	if translated == "options" && language != "" {
		var list []string
		for _, value := range it.Attributes {
			for one := range strings.FieldsFuncSeq(value, func(c rune) bool { return c == '/' }) {
				if shade := shadesIn[language][one]; shade != "" {
					one = shade
				}
				list = append(list, one)
			}
		}
		return strings.Join(list, " ")
	}
	words := strings.Fields(it.Title)
	switch name {
	case "sku\u2011":
		return strings.ReplaceAll(safe(it.SKU), "-", "\u2011")
	case "sku_":
		return strings.NewReplacer("-", "_", ".", "_", " ", "_").Replace(safe(it.SKU))
	case "sku ":
		return strings.NewReplacer("-", " ", ".", " ", "_", " ").Replace(safe(it.SKU))
	case "first":
		return safe(it.Attributes[0])
	case "options,":
		return safe(strings.Join(it.Attributes, ", "))
	case "OPTIONS":
		return strings.ToUpper(safe(options))
	case "TITLE_":
		return strings.ToUpper(strings.ReplaceAll(it.Title, " ", "_"))
	case "title.":
		return strings.ReplaceAll(it.Title, " ", ".")
	case "codejoined":
		return withoutSeparators.Replace(it.Codes[0])
	case "sibling":
		for {
			if o := s.items[s.products[it.Product][s.r.IntN(len(s.products[it.Product]))]]; o.SKU != it.SKU {
				return safe(o.SKU)
			}
		}
	case "TITLE":
		return strings.ToUpper(it.Title)
	case "title1":
		return words[0]
	case "title~":
		return strings.Join(append(words[1:], words[0]), " ")
	case "gtin12":
		return it.GTIN[:12]
	case "wrong":
		return fmt.Sprint((int(it.GTIN[12]-'0') + 3) % 10)
	case "productup":
		return safe(nextKey(it.Product))
	case "productcut":
		return safe(it.Product[:len(it.Product)-1])
	case "sku":
		return safe(it.SKU)
	case "joined":
		return strings.ToLower(joined)
	case "JOINED":
		return strings.ToUpper(joined)
	case "product":
		return safe(it.Product)
	case "rest":
		return strings.Trim(safe(strings.TrimPrefix(it.SKU, it.Product)), "-. ")
	case "title":
		return it.Title
	case "title+":
		return strings.ReplaceAll(it.Title, " ", "+")
	case "title-":
		return strings.ToLower(strings.ReplaceAll(bare(it.Title), " ", "-"))
	case "Title":
		return strings.ReplaceAll(it.Title, " ", "")
	case "options":
		return safe(options)
	case "options_":
		return strings.ReplaceAll(safe(strings.ReplaceAll(strings.Join(it.Attributes, "_"), " ", "")), "/", "-")
	case "options-":
		return strings.ToLower(strings.ReplaceAll(safe(options), " ", "-"))
	case "last":
		return safe(it.Attributes[len(it.Attributes)-1])
	case "gtin":
		return it.GTIN
	case "gtin1":
		return it.GTIN[:1]
	case "gtin6":
		return it.GTIN[1:7]
	case "gtin6b":
		return it.GTIN[7:]
	case "code":
		return it.Codes[0]
	case "n":
		return fmt.Sprint(n)
	case "nn":
		return fmt.Sprintf("%02d", n)
	case "nnn":
		return fmt.Sprintf("%03d", n)
	case "cam":
		return fmt.Sprintf("%04d", 1000+s.r.IntN(9000))
	case "date":
		return fmt.Sprintf("2026%02d%02d", 1+s.r.IntN(12), 1+s.r.IntN(28))
	case "time":
		return fmt.Sprintf("%02d%02d%02d", 8+s.r.IntN(10), s.r.IntN(60), s.r.IntN(60))
	case "hash":
		return fmt.Sprintf("%016x%016x", s.r.Uint64(), s.r.Uint64())
	case "swapped":
		return safe(swapped(it.SKU))
	case "lookalike":
		return safe(lookalike(it.SKU))
	case "other":
		for {
			if o := s.items[s.r.IntN(len(s.items))]; o.Product != it.Product {
				return safe(o.SKU)
			}
		}
	}
	panic("no word for {" + name + "}")
}

// TestAccuracyOnThirdStrangers holds the contract's measures on names of ten
// further trades and 75 further habits.
func TestAccuracyOnThirdStrangers(t *testing.T) {
	templatesHold(t, "third strangers", thirdTrades(41), thirdTemplates, "de", "fr", "it", "es", "pl", "sv")
}

// TestAccuracyOnFourthStrangers is the same with eight and 72 more.
func TestAccuracyOnFourthStrangers(t *testing.T) {
	templatesHold(t, "fourth strangers", fourthTrades(43), fourthTemplates, "de", "nl", "pl", "tr", "pt")
}

// templatesHold is tradesHold with templates and languages.
func templatesHold(t *testing.T, list string, trades []*trade, templates []template, languages ...string) {
	t.Helper()
	var total counted
	clues := DefaultClues()
	clues.Languages = languages
	for _, s := range trades {
		catalog := NewCatalog(s.items, s.options...)
		for _, p := range templates {
			var names []told
			for range 200 {
				it := s.items[s.r.IntN(len(s.items))]
				if p.fits == nil || p.fits(s, it) {
					names = append(names, p.fill(s, it, 1+s.r.IntN(9)))
				}
			}
			total.add(t, list, catalog, clues, names)
		}
	}
	total.hold(t)
}
