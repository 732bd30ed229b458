package harvest

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/PuerkitoBio/goquery"
	"golang.org/x/net/html"
)

// Where on a page an address of a picture stood.
const (
	InImage      = "picture element"
	InSet        = "set of sizes"
	InLink       = "link"
	InMeta       = "page description"
	InStructured = "structured data"
	InAttribute  = "attribute"
	InStyle      = "style"
	InScript     = "script"
)

// Found is an address of a picture that a page knows.
type Found struct {
	Address string `json:"address"` // absolute
	Where   string `json:"where"`
	Width   int    `json:"width"`  // as the page says, pixels; 0 where it does not
	Height  int    `json:"height"` // likewise
	Text    string `json:"text"`   // alternative text
	element int    // addresses on one element are renditions of one picture
}

// Page is a page that was read.
type Page struct {
	Address  *url.URL // where it was found
	Title    string
	doc      *goquery.Document
	base     *url.URL
	numbers  map[*html.Node]int // of elements, in document order, from 1
	elements []*html.Node
}

// maxElements bounds what is read of a page.
const maxElements = 200_000

// TooLong means that a page has more elements than are read.
type TooLong struct{ Most int }

func (e TooLong) Error() string { return fmt.Sprintf("the page has more than %d elements", e.Most) }

// ReadPage reads the HTML of a page, as UTF-8, found at an address. The error is
// a TooLong, or what the parser says.
func ReadPage(address *url.URL, content []byte) (*Page, error) {
	root, err := html.Parse(bytes.NewReader(content))
	if err != nil {
		return nil, fmt.Errorf("read the page: %w", err)
	}
	p := &Page{Address: address, doc: goquery.NewDocumentFromNode(root), numbers: map[*html.Node]int{}}
	for n := range root.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		if p.elements = append(p.elements, n); len(p.elements) > maxElements {
			return nil, TooLong{maxElements}
		}
		p.numbers[n] = len(p.elements)
	}
	p.base = baseOf(p.doc, address)
	p.Title = tidy(p.doc.Find("title").First().Text())
	return p, nil
}

func tidy(text string) string { return strings.Join(strings.Fields(text), " ") }

// finder collects addresses, each once a place.
type finder struct {
	page  *Page
	found []Found
	seen  map[string]bool
}

func (f *finder) add(reference, where string, element int, width, height int, text string) {
	address, ok := Resolve(f.page.base, reference)
	if !ok {
		return
	}
	if key := fmt.Sprint(address, " ", element); !f.seen[key] {
		f.seen[key] = true
		f.found = append(f.found, Found{address, where, width, height, tidy(text), element})
	}
}

// Pictures returns every address of a picture that the page knows, in the order
// of the page: of img, srcset, picture, links to pictures, meta, JSON-LD, data
// attributes, inline styles and inline JSON.
func (p *Page) Pictures() []Found {
	f := &finder{page: p, seen: map[string]bool{}}
	for _, n := range p.elements {
		f.element(n, f.owner(n))
	}
	return f.found
}

// owner returns the number of the element that stands for a picture: of an img
// or source, the picture or link around it.
func (f *finder) owner(n *html.Node) int {
	owner := f.page.numbers[n]
	if n.Data == "img" || n.Data == "source" {
		for up := n.Parent; up != nil && up.Type == html.ElementNode; up = up.Parent {
			if up.Data == "picture" || up.Data == "a" && looksLikePicture(attr(up, "href")) {
				owner = f.page.numbers[up]
			} else if up.Data != "span" && up.Data != "div" && up.Data != "figure" || up.FirstChild != up.LastChild {
				break
			}
		}
	}
	return owner
}

func attr(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// element reads one element.
func (f *finder) element(n *html.Node, owner int) {
	switch n.Data {
	case "img":
		width, _ := natural(attr(n, "width"))
		height, _ := natural(attr(n, "height"))
		f.add(attr(n, "src"), InImage, owner, width, height, attr(n, "alt"))
	case "a":
		if href := attr(n, "href"); looksLikePicture(href) {
			f.add(href, InLink, owner, 0, 0, attr(n, "title"))
		}
	case "link":
		if rel := strings.ToLower(attr(n, "rel")); rel == "image_src" || rel == "preload" && attr(n, "as") == "image" {
			f.add(attr(n, "href"), InMeta, owner, 0, 0, "")
		}
	case "meta":
		f.meta(n, owner)
	case "script":
		f.script(n, owner)
	case "style":
		f.style(textOf(n), owner)
	case "video":
		return // its poster is a still of a film, not a picture of the product
	}
	for _, a := range n.Attr {
		switch {
		case a.Key == "srcset" || a.Key == "imagesrcset" || strings.HasPrefix(a.Key, "data-") && strings.HasSuffix(a.Key, "srcset"):
			for _, c := range ReadSrcset(a.Val) {
				f.add(c.Address, InSet, owner, c.Width, 0, attr(n, "alt"))
			}
		case a.Key == "style":
			f.style(a.Val, owner)
		case strings.HasPrefix(a.Key, "data-"):
			if text := strings.TrimSpace(a.Val); strings.HasPrefix(text, "{") || strings.HasPrefix(text, "[") {
				f.json(text, InAttribute, owner)
			} else if looksLikePicture(text) {
				f.add(text, InAttribute, owner, 0, 0, attr(n, "alt"))
			}
		}
	}
}

// looksLikePicture tells by its path whether an address may be a picture's.
func looksLikePicture(reference string) bool {
	if reference == "" || len(reference) > maxAddress || strings.ContainsAny(reference, "<>{}\n") {
		return false
	}
	path, _, _ := strings.Cut(strings.TrimSpace(reference), "#")
	path, _, _ = strings.Cut(path, "?")
	dot := strings.LastIndexByte(path, '.')
	return dot >= 0 && slices.Contains(pictureExtensions, strings.ToLower(path[dot+1:]))
}

var pictureExtensions = []string{"jpg", "jpeg", "jpe", "png", "webp", "avif", "gif", "tif", "tiff", "heic", "heif"}

// meta reads the pictures of a page's description.
func (f *finder) meta(n *html.Node, owner int) {
	name := strings.ToLower(attr(n, "property") + attr(n, "name") + attr(n, "itemprop"))
	switch name {
	case "og:image", "og:image:url", "og:image:secure_url", "twitter:image", "twitter:image:src", "image", "thumbnailurl":
		f.add(attr(n, "content"), InMeta, owner, 0, 0, "")
	}
}

var scriptAddress = regexp.MustCompile(
	`(?i)["']((?:https?:)?(?:\\?/|[\w.-]+\\?/)[^"'\s<>{}]{1,900}?\.(?:jpe?g|png|webp|avif|gif|tiff?)(?:\?[^"'\s<>{}]{0,900})?)["']`,
)

// script reads structured data and inline JSON; of other scripts, the texts in
// quotes that end like a picture's name.
func (f *finder) script(n *html.Node, owner int) {
	text := strings.TrimSpace(textOf(n))
	kind := strings.ToLower(attr(n, "type"))
	switch {
	case strings.HasPrefix(kind, "application/ld+json"):
		f.json(text, InStructured, owner)
	case strings.Contains(kind, "json"):
		f.json(text, InScript, owner)
	default:
		for _, m := range scriptAddress.FindAllStringSubmatch(text, 2000) {
			f.add(strings.ReplaceAll(m[1], `\/`, "/"), InScript, 0, 0, 0, "")
		}
	}
}

// json reads the addresses in JSON: of pictures by their names, and those under
// a key that says so.
func (f *finder) json(text, where string, owner int) {
	decoder := json.NewDecoder(strings.NewReader(text))
	var value any
	if decoder.Decode(&value) != nil {
		return
	}
	f.jsonValue(value, "", where, owner)
}

func (f *finder) jsonValue(value any, key, where string, owner int) {
	switch v := value.(type) {
	case string:
		pictureKey := key == "image" || key == "contenturl" || key == "thumbnailurl"
		if looksLikePicture(v) || where == InStructured && pictureKey && strings.Contains(v, "/") {
			f.add(v, where, 0, 0, 0, "")
		}
	case []any:
		for _, each := range v {
			f.jsonValue(each, key, where, owner)
		}
	case map[string]any:
		if strings.EqualFold(fmt.Sprint(v["@type"]), "VideoObject") {
			return
		}
		names := make([]string, 0, len(v))
		for name := range v {
			names = append(names, name)
		}
		slices.Sort(names)
		for _, name := range names {
			below := strings.ToLower(name)
			if below == "url" && key == "image" {
				below = "image"
			}
			f.jsonValue(v[name], below, where, owner)
		}
	}
}

var styleAddress = regexp.MustCompile(`(?i)url\(\s*(?:"([^"]*)"|'([^']*)'|([^'")\s]*))\s*\)`)

func (f *finder) style(text string, owner int) {
	for _, m := range styleAddress.FindAllStringSubmatch(text, 1000) {
		f.add(m[1]+m[2]+m[3], InStyle, owner, 0, 0, "")
	}
}

func textOf(n *html.Node) string {
	var b strings.Builder
	for child := range n.ChildNodes() {
		if child.Type == html.TextNode {
			b.WriteString(child.Data)
		}
	}
	return b.String()
}

// Picture is one picture of a page in all renditions that the page knows.
type Picture struct {
	Renditions []Found `json:"renditions"`
	Text       string  `json:"text"`
}

// Group brings the renditions of one picture together: those on one element,
// and those whose addresses differ only in what says a size. Pictures keep the
// order in which the page first names them.
func Group(found []Found) (pictures []Picture) {
	parent := make([]int, len(found))
	root := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	byElement, byAddress := map[int]int{}, map[string]int{}
	for i, f := range found {
		parent[i] = i
		key := withoutSize(f.Address)
		if first, ok := byAddress[key]; ok {
			parent[root(i)] = root(first)
		} else {
			byAddress[key] = i
		}
		if f.element == 0 || f.Where == InStyle {
			continue
		}
		if first, ok := byElement[f.element]; ok {
			parent[root(i)] = root(first)
		} else {
			byElement[f.element] = i
		}
	}
	at := map[int]int{}
	for i, f := range found {
		r := root(i)
		n, ok := at[r]
		if !ok {
			n = len(pictures)
			at[r] = n
			pictures = append(pictures, Picture{})
		}
		p := &pictures[n]
		if p.Text == "" {
			p.Text = f.Text
		}
		if !slices.ContainsFunc(p.Renditions, func(o Found) bool { return o.Address == f.Address }) {
			p.Renditions = append(p.Renditions, f)
		}
	}
	return pictures
}

var (
	wordsOfSize = regexp.MustCompile(
		`^(?:thumb(?:nail)?s?|tiny|mini|small|medium|large|big|huge|full|orig(?:inal)?s?|zoom|preview|lowres|hires|highres|` +
			`xs|sm|md|lg|xl|xxl|x?\d{2,4}x\d{0,4}|[wh]_?\d{2,4}|\d{2,4}(?:px|w|h)|\d(?:\.\d)?x)$`,
	)
	parameters = []string{
		"w", "h", "width", "height", "size", "sz", "q", "quality", "fit", "crop", "dpr", "format", "fmt", "auto", "resize",
		"scale", "mode", "v",
	}
	separators = regexp.MustCompile(`[/._@,-]+`)
)

// withoutSize returns an address without what tells one rendition from another.
func withoutSize(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return address
	}
	path := strings.ToLower(u.EscapedPath())
	if dot := strings.LastIndexByte(path, '.'); dot > strings.LastIndexByte(path, '/') {
		path = path[:dot]
	}
	kept := []string{strings.ToLower(u.Host)}
	for _, part := range separators.Split(path, -1) {
		if part != "" && !wordsOfSize.MatchString(part) {
			kept = append(kept, part)
		}
	}
	if len(kept) == 1 {
		return address
	}
	query := u.Query()
	for name := range query {
		if slices.Contains(parameters, strings.ToLower(name)) {
			query.Del(name)
		}
	}
	return strings.Join(kept, "/") + "?" + query.Encode()
}

// NameFor fills a template for a file's name: {page} {sku} {barcode} {name} {n}
// {file} and the recipe's attributes. What names may not hold is replaced, and
// the extension of kind (jpg, png …) is added.
func NameFor(template string, fields map[string]string, n int, extension string) string {
	if strings.TrimSpace(template) == "" {
		template = "{page}-{n}"
	}
	name := field.ReplaceAllStringFunc(template, func(name string) string {
		name = strings.ToLower(strings.Trim(name, "{}"))
		if name == "n" {
			return strconv.Itoa(n)
		}
		return strings.ReplaceAll(asName(fields[name]), "/", "-")
	})
	var parts []string
	for _, part := range strings.Split(name, "/") {
		if part = strings.Trim(asName(part), " .-_"); part != "" {
			parts = append(parts, part)
		}
	}
	if len(parts) == 0 {
		parts = []string{"picture-" + strconv.Itoa(n)}
	}
	name = strings.Join(parts, "/")
	if extension != "" && !strings.HasSuffix(strings.ToLower(name), "."+extension) {
		name += "." + extension
	}
	return name
}

var field = regexp.MustCompile(`\{[\p{L}\p{N} _-]{1,60}\}`)

// asName makes a part of a file's name of a text: no separators of folders, no
// characters that file systems refuse, no more than 120 characters.
func asName(text string) string {
	clean := strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune(`\:*?"<>|`+"\u007f\ufffd", r) {
			return '-'
		}
		return r
	}, tidy(text))
	if runes := []rune(clean); len(runes) > 120 {
		clean = string(runes[:120])
	}
	return clean
}

// FileOf returns the last part of an address's path without its extension.
func FileOf(address string) string {
	u, err := url.Parse(address)
	if err != nil {
		return ""
	}
	name := u.Path[strings.LastIndexByte(u.Path, '/')+1:]
	if dot := strings.LastIndexByte(name, '.'); dot > 0 {
		name = name[:dot]
	}
	return name
}

// ExtensionOf returns the extension an address ends on when it is a picture's,
// else jpg.
func ExtensionOf(address string) string {
	if u, err := url.Parse(address); err == nil && looksLikePicture(u.Path) {
		return strings.ToLower(u.Path[strings.LastIndexByte(u.Path, '.')+1:])
	}
	return "jpg"
}
