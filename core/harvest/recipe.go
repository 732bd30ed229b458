package harvest

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"

	"ambrosa/core/rendition"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

// Pick says where on a page something stands.
type Pick struct {
	Selector  string `json:"selector" maxLength:"1000" doc:"CSS selector"`
	Attribute string `json:"attribute,omitempty" maxLength:"100" doc:"Attribute to read; without one, what the element shows or leads to"`
	Pattern   string `json:"pattern,omitempty" maxLength:"500" doc:"RE2 pattern whose first group is the part that counts"`
}

// NamedPick is a pick of an attribute that a recipe's author names.
type NamedPick struct {
	Name string `json:"name" minLength:"1" maxLength:"60"`
	Pick
}

// Recipe says how a supplier's site is read, page by page.
type Recipe struct {
	Start      []string            `json:"start" maxItems:"50" doc:"Pages to begin with"`
	Next       Pick                `json:"next" doc:"Links to further listing pages"`
	Product    Pick                `json:"product" doc:"Links to products' pages; without one the listing pages are products' pages"`
	Name       Pick                `json:"name"`
	SKU        Pick                `json:"sku"`
	Barcode    Pick                `json:"barcode"`
	Attributes []NamedPick         `json:"attributes,omitempty" maxItems:"30"`
	Pictures   Pick                `json:"pictures" doc:"Elements that show or know the pictures"`
	Exclude    []string            `json:"exclude,omitempty" maxItems:"30" doc:"Selectors of elements whose pictures are left out"`
	Rewriting  rendition.Rewriting `json:"rewriting,omitempty" maxItems:"20"`
	MinWidth   int                 `json:"minWidth,omitempty" minimum:"0" maximum:"100000" doc:"Pixels; both least measures must hold"`
	MinHeight  int                 `json:"minHeight,omitempty" minimum:"0" maximum:"100000"`
	Template   string              `json:"template,omitempty" maxLength:"300" doc:"{sku} {barcode} {name} {page} {file} {n}, attributes"`
	PauseMS    int                 `json:"pauseMs,omitempty" minimum:"0" maximum:"600000" doc:"Between two requests, milliseconds"`
	MaxPages   int                 `json:"maxPages,omitempty" minimum:"0" maximum:"1000000"`
	MaxFiles   int                 `json:"maxFiles,omitempty" minimum:"0" maximum:"1000000"`
}

// Steps of a recipe, as they are named to a person.
const (
	StepNext     = "next page"
	StepProduct  = "product pages"
	StepName     = "name"
	StepSKU      = "SKU"
	StepBarcode  = "barcode"
	StepPictures = "pictures"
	StepExclude  = "left out"
	StepRewrite  = "rewriting"
)

// Reader is a recipe made ready to read pages; it may be used side by side.
type Reader struct {
	Recipe  Recipe
	picks   map[string]*pick
	exclude []cascadia.SelectorGroup
	rewrite func(string) string
}

type pick struct {
	step string
	Pick
	selector cascadia.SelectorGroup // nil where the step has none
	pattern  *regexp.Regexp
}

// Problem is what is wrong with one step of a recipe.
type Problem struct{ Step, Reason string }

func (p *Problem) Error() string { return p.Step + ": " + p.Reason }

// NewReader makes a recipe ready; the error is a *Problem.
func NewReader(r Recipe) (*Reader, error) {
	reader := &Reader{Recipe: r, picks: map[string]*pick{}}
	steps := []NamedPick{
		{StepNext, r.Next},
		{StepProduct, r.Product},
		{StepName, r.Name},
		{StepSKU, r.SKU},
		{StepBarcode, r.Barcode},
		{StepPictures, r.Pictures},
	}
	for _, a := range r.Attributes {
		steps = append(steps, NamedPick{attributeStep(a.Name), a.Pick})
	}
	for _, s := range steps {
		p := &pick{step: s.Name, Pick: s.Pick}
		var err error
		if strings.TrimSpace(s.Selector) != "" {
			if p.selector, err = cascadia.ParseGroup(s.Selector); err != nil {
				return nil, &Problem{s.Name, fmt.Sprintf("%q is not a selector: %v", s.Selector, err)}
			}
		}
		if s.Pattern != "" {
			if p.pattern, err = regexp.Compile(s.Pattern); err != nil {
				return nil, &Problem{s.Name, fmt.Sprintf("%q is not a pattern: %v", s.Pattern, err)}
			}
		}
		reader.picks[s.Name] = p
	}
	for _, text := range r.Exclude {
		if strings.TrimSpace(text) == "" {
			continue
		}
		selector, err := cascadia.ParseGroup(text)
		if err != nil {
			return nil, &Problem{StepExclude, fmt.Sprintf("%q is not a selector: %v", text, err)}
		}
		reader.exclude = append(reader.exclude, selector)
	}
	var err error
	if reader.rewrite, err = r.Rewriting.Compile(); err != nil {
		return nil, &Problem{StepRewrite, err.Error()}
	}
	return reader, nil
}

func attributeStep(name string) string { return "attribute " + name }

// find returns the elements that a step selects on a page.
func (p *pick) find(page *Page) []*html.Node {
	if p.selector == nil {
		return nil
	}
	return cascadia.QueryAll(page.doc.Get(0), p.selector)
}

// texts returns what the elements of a step say, the empty ones left out.
func (p *pick) texts(page *Page) (list []string) {
	for _, n := range p.find(page) {
		if text := p.cut(valueOf(n, p.Attribute)); text != "" {
			list = append(list, text)
		}
	}
	return list
}

func (p *pick) cut(text string) string {
	text = tidy(text)
	if p.pattern == nil {
		return text
	}
	m := p.pattern.FindStringSubmatch(text)
	switch {
	case m == nil:
		return ""
	case len(m) > 1:
		return tidy(m[1])
	}
	return tidy(m[0])
}

// maxText bounds what is kept of one value, characters.
const maxText = 500

func valueOf(n *html.Node, attribute string) string {
	text := ""
	switch {
	case attribute != "":
		text = attr(n, attribute)
	case n.Data == "meta":
		text = attr(n, "content")
	case n.Data == "input":
		text = attr(n, "value")
	case n.Data == "img":
		text = attr(n, "alt")
	default:
		var b strings.Builder
		for below := range n.Descendants() {
			if below.Type == html.TextNode && below.Parent.Data != "script" && below.Parent.Data != "style" {
				b.WriteString(below.Data + " ")
			}
		}
		text = b.String()
	}
	if runes := []rune(text); len(runes) > 4*maxText {
		text = string(runes[:4*maxText])
	}
	return text
}

// links returns where the elements of a step lead, each address once.
func (p *pick) links(page *Page) (list []string) {
	for _, n := range p.find(page) {
		href := attr(n, p.Attribute)
		if p.Attribute == "" {
			if href = attr(n, "href"); href == "" {
				for below := range n.Descendants() {
					if below.Type == html.ElementNode && below.Data == "a" {
						href = attr(below, "href")
						break
					}
				}
			}
		}
		if address, ok := Resolve(page.base, href); ok && href != "" && !slices.Contains(list, address) {
			list = append(list, address)
		}
	}
	return list
}

// Links are where a listing page leads.
type Links struct{ Next, Products []string }

// Links reads a listing page. Links to other hosts than the page's own are left
// out.
func (r *Reader) Links(page *Page) Links {
	same := func(list []string) (kept []string) {
		for _, address := range list {
			if u, err := url.Parse(address); err == nil && strings.EqualFold(u.Host, page.Address.Host) {
				kept = append(kept, address)
			}
		}
		return kept
	}
	return Links{same(r.picks[StepNext].links(page)), same(r.picks[StepProduct].links(page))}
}

// Shot is a picture that a recipe finds on a page.
type Shot struct {
	Before string   `json:"before"`                  // the address on the page
	After  string   `json:"after"`                   // rewritten
	Others []string `json:"others" nullable:"false"` // other renditions that the page knows, those that promise more first
	Text   string   `json:"text"`
}

// Candidates returns the addresses of a shot, the one that promises most first.
func (s Shot) Candidates() []string {
	list := []string{s.After}
	for _, other := range append(slices.Clone(s.Others), s.Before) {
		if !slices.Contains(list, other) {
			list = append(list, other)
		}
	}
	return list
}

// Finding is what a recipe reads on a product's page.
type Finding struct {
	Name       string            `json:"name"`
	SKU        string            `json:"sku"`
	Barcode    string            `json:"barcode"`
	Attributes map[string]string `json:"attributes"`
	Shots      []Shot            `json:"shots" nullable:"false"`
}

// Said returns what the page said of its files, by name of the field.
func (p Finding) Said(address string) map[string]string {
	said := map[string]string{"address": address}
	for name, text := range p.Attributes {
		said[name] = text
	}
	for name, text := range map[string]string{"name": p.Name, "sku": p.SKU, "barcode": p.Barcode} {
		if text != "" {
			said[name] = text
		}
	}
	return said
}

// Product reads a product's page.
func (r *Reader) Product(page *Page) Finding {
	first := func(step string) string {
		if found := r.picks[step].texts(page); len(found) > 0 {
			text := []rune(found[0])
			return string(text[:min(len(text), maxText)])
		}
		return ""
	}
	p := Finding{
		Name:       first(StepName),
		SKU:        first(StepSKU),
		Barcode:    first(StepBarcode),
		Attributes: map[string]string{},
		Shots:      r.shots(page),
	}
	for _, a := range r.Recipe.Attributes {
		if text := first(attributeStep(a.Name)); text != "" {
			p.Attributes[strings.ToLower(a.Name)] = text
		}
	}
	return p
}

// shots returns the pictures that the recipe's step finds; one that is named
// again, as a lead in the strip below it is, counts once.
func (r *Reader) shots(page *Page) (shots []Shot) {
	left := map[*html.Node]bool{}
	for _, selector := range r.exclude {
		for _, n := range cascadia.QueryAll(page.doc.Get(0), selector) {
			left[n] = true
		}
	}
	step := r.picks[StepPictures]
	f := &finder{page: page, seen: map[string]bool{}}
	taken := map[*html.Node]bool{}
	for _, n := range step.find(page) {
		if step.Attribute != "" {
			if !inside(n, left) {
				f.attribute(n, step)
			}
			continue
		}
		f.below(n, left, taken)
	}
	for _, group := range Group(f.found) {
		shots = append(shots, r.shot(group))
	}
	return shots
}

// attribute reads the addresses in one attribute of an element.
func (f *finder) attribute(n *html.Node, step *pick) {
	text, owner := strings.TrimSpace(attr(n, step.Attribute)), f.page.numbers[n]
	switch {
	case strings.HasSuffix(step.Attribute, "srcset"):
		for _, c := range ReadSrcset(text) {
			f.add(c.Address, InSet, owner, c.Width, 0, attr(n, "alt"))
		}
	case strings.HasPrefix(text, "{"), strings.HasPrefix(text, "["):
		f.json(text, InAttribute, owner)
	default:
		if text = step.cut(text); text != "" {
			f.add(text, InAttribute, owner, 0, 0, attr(n, "alt"))
		}
	}
}

// below reads an element and all in it, but for what is left out.
func (f *finder) below(n *html.Node, left, taken map[*html.Node]bool) {
	if taken[n] || inside(n, left) {
		return
	}
	for each := range n.Descendants() {
		if each.Type == html.ElementNode && !taken[each] && !inside(each, left) {
			taken[each] = true
			f.element(each, f.owner(each))
		}
	}
	taken[n] = true
	f.element(n, f.owner(n))
}

func inside(n *html.Node, left map[*html.Node]bool) bool {
	for ; n != nil; n = n.Parent {
		if left[n] {
			return true
		}
	}
	return false
}

// promise orders places on a page by how large the picture behind an address
// tends to be where nothing tells its size.
var promise = map[string]int{InLink: 5, InAttribute: 4, InStructured: 3, InMeta: 3, InScript: 2, InSet: 1}

func (r *Reader) shot(group Picture) Shot {
	shown := group.Renditions[0]
	for _, f := range group.Renditions {
		if f.Where == InImage && !isPlaceholder(f.Address) || isPlaceholder(shown.Address) {
			shown = f
		}
		if f.Where == InImage && !isPlaceholder(f.Address) {
			break
		}
	}
	shot := Shot{Before: shown.Address, After: r.rewritten(shown.Address), Text: group.Text, Others: []string{}}
	others := slices.Clone(group.Renditions)
	slices.SortStableFunc(others, func(a, b Found) int {
		if a.Width != b.Width && a.Width > 0 && b.Width > 0 {
			return b.Width - a.Width
		}
		return promise[b.Where] - promise[a.Where]
	})
	for _, f := range others {
		if isPlaceholder(f.Address) {
			continue
		}
		for _, address := range []string{r.rewritten(f.Address), f.Address} {
			if address != shot.Before && address != shot.After && !slices.Contains(shot.Others, address) {
				shot.Others = append(shot.Others, address)
			}
		}
	}
	return shot
}

// rewritten returns an address put through the rewriting; one that is no
// address any more is left as it was.
func (r *Reader) rewritten(address string) string {
	if after, ok := Resolve(&url.URL{}, r.rewrite(address)); ok {
		return after
	}
	return address
}

var placeholder = regexp.MustCompile(`(?i)(?:^|[/_.-])(?:blank|spacer|placeholder|pixel|loading|loader|transparent|lazy|1x1)(?:[/_.-]|$)`)

// isPlaceholder tells by its name whether a picture stands for one that is
// loaded later.
func isPlaceholder(address string) bool {
	return placeholder.MatchString(address[strings.LastIndexByte(address, '/')+1:])
}

// Report is what one step of a recipe finds on a page.
type Report struct {
	Step    string   `json:"step"`
	Found   int      `json:"found"`
	Samples []string `json:"samples" nullable:"false"`
	Problem string   `json:"problem" doc:"Why it finds nothing; empty when it does"`
	// Elements are the numbers of the elements its selector finds (see Safe).
	Elements []int `json:"elements" nullable:"false"`
}

// Limits of what a report shows: values, and elements.
const (
	samples   = 8
	maxMarked = 400
)

// Reports says what each step of the recipe that has a selector finds on a page.
func (r *Reader) Reports(page *Page) (reports []Report) {
	add := func(step string, found []string) {
		report := Report{Step: step, Found: len(found), Samples: append([]string{}, found[:min(len(found), samples)]...), Elements: []int{}}
		p := r.picks[step]
		for _, n := range p.find(page) {
			if report.Elements = append(report.Elements, page.numbers[n]); len(report.Elements) == maxMarked {
				break
			}
		}
		if len(found) == 0 {
			switch elements := len(p.find(page)); {
			case elements == 0:
				report.Problem = "the selector finds no element on this page"
			case p.Attribute != "":
				report.Problem = fmt.Sprintf("%s found, but none has a usable attribute %s", count(elements, "element"), p.Attribute)
			case p.Pattern != "":
				report.Problem = fmt.Sprintf("%s found, but the pattern matches in none", count(elements, "element"))
			case step == StepPictures:
				report.Problem = fmt.Sprintf("%s found, but no address of a picture in any", count(elements, "element"))
			case step == StepNext || step == StepProduct:
				report.Problem = fmt.Sprintf("%s found, but no link in any", count(elements, "element"))
			default:
				report.Problem = fmt.Sprintf("%s found, but without text", count(elements, "element"))
			}
		}
		reports = append(reports, report)
	}
	for _, step := range []string{StepNext, StepProduct} {
		if p := r.picks[step]; p.selector != nil {
			add(step, p.links(page))
		}
	}
	steps := []string{StepName, StepSKU, StepBarcode}
	for _, a := range r.Recipe.Attributes {
		steps = append(steps, attributeStep(a.Name))
	}
	for _, step := range steps {
		if p := r.picks[step]; p.selector != nil {
			add(step, p.texts(page))
		}
	}
	if r.picks[StepPictures].selector != nil {
		var addresses []string
		for _, s := range r.shots(page) {
			addresses = append(addresses, s.Before)
		}
		add(StepPictures, addresses)
	}
	return reports
}

func count(n int, of string) string {
	if n == 1 {
		return "1 " + of
	}
	return fmt.Sprintf("%d %ss", n, of)
}
