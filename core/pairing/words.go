package pairing

import "strings"

// meaning is what a word in a name says beside the key.
type meaning struct {
	role  role
	what  string // the view's name, or what kind of noise it is
	place int    // for words that mean a place
}

type role uint8

const (
	unread role = iota
	asKey
	asPlace
	asView
	asNoise
	asOption
	asExtra   // "additional": the number after it is a place, counted from the second
	asVersion // the number after it is a version, not a place
	asCamera  // the number after it is a camera's counter
	asPicture // "picture 6": the number after it is the place
	asLayer   // a program's word for a part of what it wrote: the numbers beside it are its own
	asCrop    // a program's word for what it did
	asMonth   // the number after it is a year
)

// lexicon is a set of words with what they mean. Most words in names stand in
// no lexicon: a filter over length, first and last byte answers for them.
type lexicon[M any] struct {
	words  map[string]M
	filter [64]uint64
}

func newLexicon[M any](words map[string]M) *lexicon[M] {
	l := &lexicon[M]{words: words}
	for word := range words {
		bit := filterBit([]byte(word))
		l.filter[bit/64] |= 1 << (bit % 64)
	}
	return l
}

func filterBit(word []byte) uint {
	return (uint(len(word))*67 + uint(word[0])*29 + uint(word[len(word)-1])) % (64 * 64)
}

// of returns what a word means; the zero meaning when it is not known.
func (l *lexicon[M]) of(word []byte) (m M) {
	if len(word) == 0 {
		return m
	}
	if bit := filterBit(word); l.filter[bit/64]&(1<<(bit%64)) == 0 {
		return m
	}
	return l.words[string(word)]
}

// andWord is what a word is that only joins others.
const andWord = "and"

// english holds the words that are always understood. The views are those of
// the trade's shot lists, with their usual short forms (common practice).
var english = newLexicon(func() map[string]meaning {
	words := map[string]meaning{}
	add := func(m meaning, list ...string) {
		for _, word := range list {
			words[word] = m
		}
	}
	view := func(name string, list ...string) { add(meaning{role: asView, what: name}, append(list, name)...) }
	view("front", "frnt", "fr")
	view("back", "rear", "bck", "bk")
	view("left", "lft", "lt")
	view("right", "rgt", "rt")
	view("side", "sd", "profile")
	view("top", "tp", "above")
	view("bottom", "btm", "bot", "underside", "base")
	view("detail", "det", "dtl", "closeup", "close", "macro", "zoom")
	view("label", "lbl")
	view("pack", "packaging", "packshot", "package", "pkg", "box", "boxed")
	view("in use", "inuse", "use", "lifestyle", "ambient", "ambiance", "mood")
	view("swatch", "swt", "sw", "colorchip", "colourchip")
	view("scale", "dims", "dimensions", "size")
	view("inside", "interior", "open")
	view("angle", "perspective", "threequarter")
	add(meaning{role: asPlace, place: 1}, "main", "primary", "hero", "lead", "cover", "featured")
	add(meaning{role: asExtra}, "add", "addl", "additional", "alt", "alternate", "alternative", "extra", "ext", "more")
	add(meaning{role: asVersion, what: "version"}, "v", "ver", "version", "rev", "revision")
	add(meaning{role: asCamera, what: "camera counter"},
		"img", "dsc", "dscf", "dscn", "pict", "mvi", "sam", "gopr", "dji", "pxl", "cimg", "imgp", "kif", "hpim", "mg", "wa", "pano")
	add(meaning{role: asNoise, what: andWord}, "and")
	add(meaning{role: asNoise, what: "working name"},
		"copy", "final", "finals", "web", "hires", "hi", "high", "low", "res", "lowres", "edit", "retouched", "retouch",
		"new", "original", "orig", "shot", "scan",
		"rgb", "srgb", "cmyk", "cutout", "print", "master", "approved", "of", "px", "dpi", "x")
	add(meaning{role: asPicture}, "p", "pos", "position", "image", "images", "photo", "photos", "pic", "pics", "picture", "pictures")
	add(meaning{role: asLayer, what: "exporter's layer"}, "layer", "layers", "artboard", "artboards", "frame", "background", "ebene",
		"hintergrund", "calque", "livello", "slide")
	add(meaning{role: asCrop, what: "exporter's crop"}, "crop", "cropped", "square", "portrait", "landscape", "resized", "scaled", "preview",
		"export", "exported", "edited", "render", "screenshot")
	add(meaning{role: asMonth, what: "date"}, strings.Fields("jan feb mar apr may jun jul aug sep sept oct nov dec january february "+
		"march april june july august september october november december")...)
	return words
}())

// singleViews are the letters that name a view when a lot uses several of them
// for one product and not as a sequence.
var singleViews = map[byte]string{'f': "front", 'b': "back", 'l': "left", 'r': "right", 't': "top", 's': "side", 'd': "detail"}

var units = wordSet("mm", "cm", "m", "km", "g", "kg", "mg", "ml", "cl", "l", "lt", "ltr", "oz", "lb", "lbs", "in", "inch", "ft",
	"pcs", "pc", "pk", "pack", "stk", "er", "w", "v", "kw", "hz", "bar", "gal", "frame", "frames", "way", "ply", "pt", "qt")

var extensions = wordSet("jpg", "jpeg", "jpe", "jfif", "png", "webp", "tif", "tiff", "gif", "bmp", "heic", "heif", "avif", "svg",
	"psd", "psb", "eps", "ai", "pdf", "raw", "cr2", "cr3", "nef", "arw", "dng", "jp2", "jxl", "txt", "csv", "xlsx", "doc", "docx",
	"zip", "7z", "rar", "tar", "gz", "html", "htm", "mp4", "mov", "db", "ini", "xml", "json")

func wordSet(list ...string) *lexicon[bool] {
	set := make(map[string]bool, len(list))
	for _, word := range list {
		set[word] = true
	}
	return newLexicon(set)
}

func vocabulary(switchedOn []string) *lexicon[meaning] {
	if len(switchedOn) == 0 {
		return english
	}
	all := make(map[string]meaning, len(english.words)+64)
	for word, m := range english.words {
		all[word] = m
	}
	for _, language := range switchedOn {
		for word, m := range tongues[language].meanings() {
			if _, taken := all[word]; !taken {
				all[word] = m
			}
		}
	}
	return newLexicon(all)
}

// gs1View reads the code that the GS1 Product Image Specification puts after a
// GTIN: kind of picture, facing, angle, packaging state (as in "A1C1"). The
// facing gives the view; the order is that of the codes. From memory of the
// specification's table of facings.
func gs1View(code []byte) (view string, ok bool) {
	if len(code) != 4 || code[0] < 'a' || code[0] > 'h' || code[1] < '0' || code[1] > '9' {
		return "", false
	}
	switch code[2] {
	case 'c', 'l', 'r', 'n', 'd', 'p':
	default:
		return "", false
	}
	view, ok = map[byte]string{'1': "front", '2': "left", '3': "top", '7': "back", '8': "right", '9': "bottom", '0': ""}[code[1]]
	return view, ok
}
