package pairing

// shadeWords are the words for colours that catalogs and names use, in the
// languages that names are read in, by what they mean. From memory; common words
// of the trades only, without accents too where people leave them out.
var shadeWords = map[string]map[string][]string{
	"en": {
		"black": {"black", "blk"}, "white": {"white", "wht"}, "grey": {"grey", "gray", "gry"}, "red": {"red"}, "blue": {"blue", "blu"},
		"green": {"green", "grn"}, "yellow": {"yellow"}, "orange": {"orange"}, "brown": {"brown", "brn"}, "pink": {"pink", "pnk"},
		"purple": {"purple"}, "violet": {"violet"}, "beige": {"beige"}, "navy": {"navy"}, "sand": {"sand"}, "olive": {"olive"},
		"rust": {"rust"}, "gold": {"gold"}, "silver": {"silver"}, "turquoise": {"turquoise"}, "cream": {"cream"}, "khaki": {"khaki"},
		"copper": {"copper"}, "brass": {"brass"}, "bronze": {"bronze"}, "anthracite": {"anthracite"}, "mint": {"mint"},
		"bordeaux": {"burgundy", "bordeaux"}, "natural": {"natural"}, "transparent": {"clear", "transparent"}, "oak": {"oak"},
		"walnut": {"walnut"}, "beech": {"beech"}, "chrome": {"chrome"}, "ivory": {"ivory"}, "coral": {"coral"}, "lilac": {"lilac"},
	},
	"de": {
		"black": {"schwarz"}, "white": {"weiß", "weiss"}, "grey": {"grau"}, "red": {"rot"}, "blue": {"blau"},
		"green":  {"grün", "gruen"},
		"yellow": {"gelb"}, "orange": {"orange"}, "brown": {"braun"}, "pink": {"rosa"}, "purple": {"lila"}, "violet": {"violett"},
		"beige": {"beige"}, "navy": {"marine", "dunkelblau", "marineblau"}, "sand": {"sand"}, "olive": {"oliv"}, "rust": {"rost"},
		"gold":   {"gold"},
		"silver": {"silber"}, "turquoise": {"türkis", "tuerkis"}, "cream": {"creme"}, "khaki": {"khaki"}, "copper": {"kupfer"},
		"brass": {"messing"}, "bronze": {"bronze"}, "anthracite": {"anthrazit"}, "mint": {"minze"}, "bordeaux": {"bordeaux", "weinrot"},
		"natural": {"natur"}, "transparent": {"klar", "transparent"}, "oak": {"eiche"}, "walnut": {"nussbaum", "walnuss"},
		"beech":  {"buche"},
		"chrome": {"chrom"}, "ivory": {"elfenbein"}, "coral": {"koralle"}, "lilac": {"flieder"},
	},
	"fr": {
		"black": {"noir", "noire"}, "white": {"blanc", "blanche"}, "grey": {"gris", "grise"}, "red": {"rouge"},
		"blue":  {"bleu", "bleue"},
		"green": {"vert", "verte"}, "yellow": {"jaune"}, "orange": {"orange"}, "brown": {"marron", "brun"}, "pink": {"rose"},
		"purple": {"pourpre"}, "violet": {"violet", "violette"}, "beige": {"beige"}, "navy": {"marine"}, "sand": {"sable"},
		"olive": {"olive"},
		"rust":  {"rouille"}, "gold": {"or", "doré", "dore"}, "silver": {"argent"}, "turquoise": {"turquoise"},
		"cream":  {"crème", "creme"},
		"copper": {"cuivre"}, "brass": {"laiton"}, "natural": {"naturel"}, "oak": {"chêne", "chene"}, "walnut": {"noyer"},
		"beech": {"hêtre", "hetre"}, "ivory": {"ivoire"}, "coral": {"corail"}, "anthracite": {"anthracite"}, "mint": {"menthe"},
	},
	"es": {
		"black": {"negro", "negra"}, "white": {"blanco", "blanca"}, "grey": {"gris"}, "red": {"rojo", "roja"}, "blue": {"azul"},
		"green": {"verde"}, "yellow": {"amarillo", "amarilla"}, "orange": {"naranja"}, "brown": {"marrón", "marron"}, "pink": {"rosa"},
		"purple": {"morado"}, "violet": {"violeta"}, "navy": {"marino"}, "sand": {"arena"}, "olive": {"oliva"},
		"gold":   {"oro", "dorado"},
		"silver": {"plata", "plateado"}, "cream": {"crema"}, "copper": {"cobre"}, "brass": {"latón", "laton"}, "oak": {"roble"},
		"walnut": {"nogal"}, "natural": {"natural"},
	},
	"it": {
		"black": {"nero", "nera"}, "white": {"bianco", "bianca"}, "grey": {"grigio", "grigia"}, "red": {"rosso", "rossa"},
		"blue": {"blu"}, "green": {"verde"}, "yellow": {"giallo", "gialla"}, "orange": {"arancione", "arancio"}, "brown": {"marrone"},
		"pink": {"rosa"}, "purple": {"porpora"}, "violet": {"viola"}, "navy": {"marino"}, "sand": {"sabbia"}, "olive": {"oliva"},
		"gold": {"oro"}, "silver": {"argento"}, "cream": {"crema"}, "copper": {"rame"}, "brass": {"ottone"}, "oak": {"rovere"},
		"walnut": {"noce"}, "natural": {"naturale"},
	},
	"nl": {
		"black": {"zwart"}, "white": {"wit"}, "grey": {"grijs"}, "red": {"rood"}, "blue": {"blauw"}, "green": {"groen"},
		"yellow": {"geel"},
		"orange": {"oranje"}, "brown": {"bruin"}, "pink": {"roze"}, "purple": {"paars"}, "navy": {"marine"}, "sand": {"zand"},
		"gold": {"goud"}, "silver": {"zilver"}, "copper": {"koper"}, "brass": {"messing"}, "oak": {"eiken"}, "natural": {"naturel"},
	},
	"pl": {
		"black": {"czarny", "czarna", "czarne"}, "white": {"biały", "biała", "białe", "bialy"}, "grey": {"szary", "szara"},
		"red": {"czerwony", "czerwona"}, "blue": {"niebieski", "niebieska"}, "green": {"zielony", "zielona"},
		"yellow": {"żółty", "żółta", "zolty"}, "orange": {"pomarańczowy", "pomaranczowy"}, "brown": {"brązowy", "brazowy"},
		"pink": {"różowy", "rozowy"}, "violet": {"fioletowy"}, "navy": {"granatowy", "granatowa"}, "gold": {"złoty", "zloty"},
		"silver": {"srebrny"}, "beige": {"beżowy", "bezowy"},
	},
	"tr": {
		"black": {"siyah"}, "white": {"beyaz"}, "grey": {"gri"}, "red": {"kırmızı", "kirmizi"}, "blue": {"mavi"},
		"green":  {"yeşil", "yesil"},
		"yellow": {"sarı", "sari"}, "orange": {"turuncu"}, "brown": {"kahverengi"}, "pink": {"pembe"}, "purple": {"mor"},
		"navy": {"lacivert"}, "gold": {"altın", "altin"}, "silver": {"gümüş", "gumus"}, "beige": {"bej"},
	},
	"pt": {
		"black": {"preto", "preta"}, "white": {"branco", "branca"}, "grey": {"cinza", "cinzento"}, "red": {"vermelho", "vermelha"},
		"blue": {"azul"}, "green": {"verde"}, "yellow": {"amarelo", "amarela"}, "orange": {"laranja"}, "brown": {"castanho", "marrom"},
		"pink": {"rosa"}, "purple": {"roxo"}, "navy": {"marinho"}, "gold": {"dourado"}, "silver": {"prata", "prateado"},
		"beige": {"bege"},
	},
	"sv": {
		"black": {"svart"}, "white": {"vit", "vitt"}, "grey": {"grå", "gra"}, "red": {"röd", "rod"}, "blue": {"blå", "bla"},
		"green": {"grön", "gron"}, "yellow": {"gul"}, "orange": {"orange"}, "brown": {"brun"}, "pink": {"rosa"}, "purple": {"lila"},
		"navy": {"marinblå", "marin"}, "gold": {"guld"}, "silver": {"silver"}, "oak": {"ek"},
	},
	"da": {
		"black": {"sort"}, "white": {"hvid"}, "grey": {"grå", "graa"}, "red": {"rød", "roed"}, "blue": {"blå", "blaa"},
		"green": {"grøn", "groen"}, "yellow": {"gul"}, "orange": {"orange"}, "brown": {"brun"}, "pink": {"lyserød"},
		"purple": {"lilla"},
		"navy":   {"marineblå", "marine"}, "gold": {"guld"}, "silver": {"sølv", "soelv"}, "oak": {"eg"},
	},
	"cs": {
		"black": {"černá", "černý", "cerna"}, "white": {"bílá", "bílý", "bila"}, "grey": {"šedá", "šedý", "seda"},
		"red": {"červená", "červený", "cervena"}, "blue": {"modrá", "modrý", "modra"}, "green": {"zelená", "zelený", "zelena"},
		"yellow": {"žlutá", "žlutý", "zluta"}, "orange": {"oranžová", "oranzova"}, "brown": {"hnědá", "hneda"},
		"pink": {"růžová", "ruzova"}, "violet": {"fialová", "fialova"}, "gold": {"zlatá", "zlata"}, "silver": {"stříbrná", "stribrna"},
	},
	"ja": {
		"black": {"黒", "ブラック"}, "white": {"白", "ホワイト"}, "grey": {"灰", "グレー"}, "red": {"赤", "レッド"}, "blue": {"青", "ブルー"},
		"green": {"緑", "グリーン"}, "yellow": {"黄", "イエロー"}, "orange": {"オレンジ"}, "brown": {"茶", "ブラウン"}, "pink": {"ピンク"},
		"purple": {"紫", "パープル"}, "navy": {"紺", "ネイビー"}, "beige": {"ベージュ"}, "gold": {"金", "ゴールド"}, "silver": {"銀", "シルバー"},
	},
}

// everyShade is what a word means in any of the languages: a catalog may be in one
// and its files' names in another.
var everyShade = func() map[string]string {
	all := map[string]string{}
	for _, language := range append([]string{"en"}, languageNames()...) {
		for meant, words := range shadeWords[language] {
			for _, word := range words {
				if _, taken := all[word]; !taken {
					all[word] = meant
				}
			}
		}
	}
	return all
}()

var englishShades = shadesOf(nil)

// shadesOf returns what words for colours mean in English and the languages
// switched on.
func shadesOf(languages []string) *lexicon[string] {
	words := map[string]string{}
	for _, language := range append([]string{"en"}, languages...) {
		for meant, list := range shadeWords[language] {
			for _, word := range list {
				if _, taken := words[word]; !taken {
					words[word] = meant
				}
			}
		}
	}
	return newLexicon(words)
}
