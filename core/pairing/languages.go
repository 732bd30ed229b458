package pairing

import (
	"maps"
	"slices"
	"strings"
)

// tongue is what the words of a language mean in names. Words are given in lower
// case, separated by blanks, with and without their accents where people leave
// them out.
type tongue struct {
	views   map[string]string // words of each view
	main    string            // the first picture
	extra   string            // "additional": the number behind is a place, counted from the second
	picture string            // the number behind is the place
	copy    string            // working names
	and     string
	months  string
}

// tongues are what a clue list can switch on beside English. From memory; common
// practice of product photography in those languages.
var tongues = map[string]tongue{
	"de": {
		views: map[string]string{
			"front": "vorne vorn vorderseite vorderansicht frontansicht",
			"back":  "hinten rueckseite rückseite rueckansicht rückansicht",
			"left":  "links", "right": "rechts", "side": "seite seitlich seitenansicht", "top": "oben draufsicht",
			"bottom": "unten unterseite",
			"detail": "nahaufnahme detailansicht ausschnitt", "label": "etikett", "pack": "verpackung verpackt karton",
			"in use": "anwendung milieu ambiente", "swatch": "farbmuster muster", "inside": "innen innenansicht",
			"scale": "maße masse abmessungen",
		},
		main: "haupt hauptbild hauptfoto titelbild", extra: "zusatz zusatzbild weiteres weitere zusätzlich zusaetzlich",
		picture: "bild bilder foto fotos abbildung abb aufnahme", copy: "kopie neu freigestellt freisteller druck", and: "und",
		months: "januar jänner februar märz maerz april mai juni juli august september oktober november dezember",
	},
	"fr": {
		views: map[string]string{
			"front": "face avant devant", "back": "dos arriere arrière", "left": "gauche", "right": "droite droit",
			"side": "cote côté profil",
			"top":  "dessus haut", "bottom": "dessous bas", "detail": "détail zoom gros", "label": "etiquette étiquette",
			"pack": "emballage boite boîte", "in use": "ambiance situation", "swatch": "echantillon échantillon",
			"inside": "interieur intérieur",
		},
		main: "principale principal", extra: "supplementaire supplémentaire autre", picture: "image photo visuel vue",
		copy: "copie detouré detoure", and: "et",
		months: "janvier février fevrier mars avril mai juin juillet août aout septembre octobre novembre décembre decembre",
	},
	"es": {
		views: map[string]string{
			"front": "frente frontal delante", "back": "atras atrás trasera detras detrás", "left": "izquierda", "right": "derecha",
			"side": "lado lateral",
			"top":  "arriba superior", "bottom": "abajo inferior", "detail": "detalle", "label": "etiqueta", "pack": "embalaje caja",
			"in use": "ambiente uso",
			"inside": "interior dentro",
		},
		main: "principal portada", extra: "adicional extra otra", picture: "imagen foto fotografia fotografía", copy: "copia",
		months: "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
	},
	"it": {
		views: map[string]string{
			"front": "fronte davanti", "back": "retro dietro", "left": "sinistra", "right": "destra", "side": "lato laterale",
			"top":    "sopra alto",
			"bottom": "sotto basso", "detail": "dettaglio particolare", "label": "etichetta", "pack": "confezione scatola imballo",
			"in use": "ambientata ambiente", "inside": "interno dentro",
		},
		main: "principale copertina", extra: "aggiuntiva aggiuntivo altra", picture: "immagine foto", copy: "copia",
		months: "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
	},
	"nl": {
		views: map[string]string{
			"front": "voor voorkant vooraanzicht", "back": "achter achterkant", "right": "rechterkant rechts",
			"left": "linkerkant links",
			"side": "zijkant zijaanzicht", "top": "boven bovenkant", "bottom": "onder onderkant", "label": "etiket",
			"pack":   "verpakking doos",
			"in use": "sfeer sfeerfoto", "inside": "binnen binnenkant",
		},
		main: "hoofd hoofdfoto hoofdafbeelding", extra: "aanvullend aanvullende extra", picture: "afbeelding foto beeld plaatje",
		copy: "kopie", and: "en",
		months: "januari februari maart april mei juni juli augustus september oktober november december",
	},
	"pl": {
		views: map[string]string{
			"front": "przód przod", "back": "tył tyl", "left": "lewy lewa", "right": "prawy prawa", "side": "bok", "top": "góra gora",
			"bottom": "dół dol spód spod",
			"detail": "detal szczegół szczegol zbliżenie zblizenie", "label": "etykieta", "pack": "opakowanie",
			"in use": "aranżacja aranzacja",
			"inside": "wnętrze wnetrze",
		},
		main: "główne glowne główny glowny", extra: "dodatkowe dodatkowy", picture: "zdjęcie zdjecie obraz foto", copy: "kopia",
		months: "styczeń luty marzec kwiecień maj czerwiec lipiec sierpień wrzesień październik listopad grudzień",
	},
	"tr": {
		views: map[string]string{
			"front": "ön on", "back": "arka", "left": "sol", "right": "sağ sag", "side": "yan", "top": "üst ust", "bottom": "alt",
			"detail": "detay yakın yakin",
			"label":  "etiket", "pack": "ambalaj kutu", "in use": "kullanım kullanim", "inside": "iç",
		},
		main: "ana kapak", extra: "ek", picture: "resim fotoğraf fotograf görsel gorsel", copy: "kopya", and: "ve",
		months: "ocak şubat mart nisan mayıs haziran temmuz ağustos eylül ekim kasım aralık",
	},
	"pt": {
		views: map[string]string{
			"front": "frente frontal", "back": "costas atras atrás traseira verso", "left": "esquerda", "right": "direita",
			"side": "lado lateral",
			"top":  "cima topo", "bottom": "baixo fundo", "detail": "detalhe pormenor", "label": "etiqueta rotulo rótulo",
			"pack":   "embalagem caixa",
			"in use": "ambiente uso", "inside": "interior dentro",
		},
		main: "principal capa", extra: "adicional extra", picture: "imagem foto fotografia", copy: "copia cópia",
		months: "janeiro fevereiro março abril maio junho julho agosto setembro outubro novembro dezembro",
	},
	"sv": {
		views: map[string]string{
			"front": "fram framsida framifrån", "back": "bak baksida bakifrån", "left": "vänster vanster", "right": "höger hoger",
			"side": "sida",
			"top":  "ovan ovansida", "bottom": "under undersida", "detail": "detalj närbild narbild", "label": "etikett",
			"pack":   "förpackning forpackning",
			"in use": "miljö miljo", "inside": "insida",
		},
		main: "huvudbild huvud", extra: "extra ytterligare", picture: "bild foto", copy: "kopia", and: "och",
		months: "januari februari mars april maj juni juli augusti september oktober november december",
	},
	"da": {
		views: map[string]string{
			"front": "forside forfra", "back": "bagside bagfra", "left": "venstre", "right": "højre hoejre", "side": "side",
			"top":    "ovenfra top",
			"bottom": "bund underside", "detail": "detalje nærbillede", "label": "etiket", "pack": "emballage æske",
			"in use": "miljø miljoe",
			"inside": "inderside",
		},
		main: "hovedbillede hoved", extra: "ekstra", picture: "billede foto", copy: "kopi", and: "og",
		months: "januar februar marts april maj juni juli august september oktober november december",
	},
	"cs": {
		views: map[string]string{
			"front": "přední predni zepředu zepredu", "back": "zadní zadni zezadu", "left": "levá leva zleva",
			"right": "pravá prava zprava",
			"side":  "bok boční bocni", "top": "shora horní horni", "bottom": "zdola spodní spodni", "detail": "detail",
			"label": "etiketa štítek",
			"pack":  "balení baleni obal krabice", "in use": "prostředí prostredi", "inside": "uvnitř uvnitr vnitřek",
		},
		main: "hlavní hlavni", extra: "další dalsi doplňkový", picture: "obrázek obrazek foto snímek", copy: "kopie",
		months: "leden únor březen duben květen červen červenec srpen září říjen listopad prosinec",
	},
	"ja": {
		views: map[string]string{
			"front": "正面 前面 表", "back": "背面 後面 裏", "left": "左 左側", "right": "右 右側", "side": "側面 横", "top": "上面 上", "bottom": "底面 下",
			"detail": "詳細 拡大 アップ", "label": "ラベル", "pack": "パッケージ 箱", "in use": "使用例 使用", "inside": "内側 中",
		},
		main: "メイン メイン画像", extra: "サブ 追加", picture: "画像 写真", copy: "コピー",
	},
}

// languageNames returns the languages that can be switched on, in their order.
func languageNames() []string { return slices.Sorted(maps.Keys(tongues)) }

// meanings returns what the words of a language mean.
func (t tongue) meanings() map[string]meaning {
	words := map[string]meaning{}
	add := func(m meaning, list string) {
		for word := range strings.FieldsSeq(list) {
			words[word] = m
		}
	}
	for _, view := range slices.Sorted(maps.Keys(t.views)) {
		add(meaning{role: asView, what: view}, t.views[view])
	}
	add(meaning{role: asNoise, what: "working name"}, t.copy)
	add(meaning{role: asNoise, what: andWord}, t.and)
	add(meaning{role: asMonth, what: "date"}, t.months)
	add(meaning{role: asPicture}, t.picture)
	add(meaning{role: asExtra}, t.extra)
	add(meaning{role: asPlace, place: 1}, t.main)
	return words
}
