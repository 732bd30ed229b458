package harvest

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

// Proposal is a selector that finds an element a person pointed at.
type Proposal struct {
	Selector string `json:"selector"`
	Matches  int    `json:"matches" doc:"Elements it finds on this page"`
}

// proposals is how many selectors are proposed at most.
const proposals = 6

// Propose returns selectors that find the element with a number (see Safe), the
// fittest first: those that find it alone, or, where many is set, it and others
// of its kind.
func (p *Page) Propose(number int, many bool) []Proposal {
	if number < 1 || number > len(p.elements) {
		return nil
	}
	n := p.elements[number-1]
	var list []Proposal
	for _, text := range selectorsFor(n) {
		selector, err := cascadia.ParseGroup(text)
		if err != nil || slices.ContainsFunc(list, func(known Proposal) bool { return known.Selector == text }) {
			continue
		}
		found := cascadia.QueryAll(p.doc.Get(0), selector)
		if slices.Contains(found, n) {
			list = append(list, Proposal{text, len(found)})
		}
	}
	fit := func(a Proposal) int {
		switch {
		case many && a.Matches > 1 && a.Matches <= 300, !many && a.Matches == 1:
			return 0
		case many:
			return 1
		}
		return a.Matches
	}
	slices.SortStableFunc(list, func(a, b Proposal) int {
		if d := fit(a) - fit(b); d != 0 {
			return d
		}
		return brittle(a.Selector) - brittle(b.Selector)
	})
	return list[:min(len(list), proposals)]
}

// brittle counts what makes a selector likely to fail on the next page.
func brittle(selector string) int {
	cost := len(selector) + 20*strings.Count(selector, ">") + 60*strings.Count(selector, ":nth") + 15*strings.Count(selector, ":contains")
	if !strings.ContainsAny(selector, ".#[:") && selector != "h1" {
		cost += 50 // a mere kind of element
	}
	return cost
}

var steadyName = regexp.MustCompile(`^[A-Za-z_][\w-]{0,40}$`)

// steady tells whether a class or id looks as if a person chose it, so that it
// is the same on the next page.
func steady(name string) bool {
	digits := 0
	for _, c := range name {
		if c >= '0' && c <= '9' {
			digits++
		}
	}
	return steadyName.MatchString(name) && digits <= 2
}

// own returns selectors for an element alone, without what is around it.
func own(n *html.Node) (list []string) {
	if id := attr(n, "id"); steady(id) {
		list = append(list, "#"+id)
	}
	for _, name := range []string{"itemprop", "property", "name", "data-role", "rel"} {
		if value := attr(n, name); value != "" && len(value) < 60 && !strings.ContainsAny(value, "\"\\\n") {
			list = append(list, fmt.Sprintf(`%s[%s="%s"]`, n.Data, name, value))
		}
	}
	for _, class := range strings.Fields(attr(n, "class")) {
		if steady(class) {
			list = append(list, n.Data+"."+class)
		}
	}
	return append(list, n.Data)
}

// selectorsFor returns candidates, among them by what the cell before says.
func selectorsFor(n *html.Node) (list []string) {
	mine := own(n)
	list = append(list, mine...)
	if before := previous(n); before != nil && (n.Data == "td" || n.Data == "dd") {
		if label := tidy(valueOf(before, "")); label != "" && len(label) < 60 && !strings.ContainsAny(label, `"\`) {
			list = append(list, fmt.Sprintf(`%s:contains("%s") + %s`, before.Data, label, n.Data))
		}
	}
	depth := 0
	for up := n.Parent; up != nil && up.Type == html.ElementNode && depth < 5; up = up.Parent {
		depth++
		for _, around := range own(up) {
			if around == up.Data && around != "main" && around != "h1" && around != "nav" && around != "header" {
				continue
			}
			for _, m := range mine {
				list = append(list, around+" "+m)
			}
			if depth == 1 {
				list = append(list, around+" > "+n.Data, fmt.Sprintf("%s > %s:nth-of-type(%d)", around, n.Data, place(n)))
			}
		}
	}
	return list
}

func previous(n *html.Node) *html.Node {
	for n = n.PrevSibling; n != nil && n.Type != html.ElementNode; n = n.PrevSibling {
	}
	return n
}

func place(n *html.Node) int {
	count := 1
	for before := n.PrevSibling; before != nil; before = before.PrevSibling {
		if before.Type == html.ElementNode && before.Data == n.Data {
			count++
		}
	}
	return count
}

// kept are the elements that a safe rendering shows as they are; others are
// shown as plain boxes, and those that are dropped not at all.
var (
	kept = map[string]bool{
		"a": true, "p": true, "h1": true, "h2": true, "h3": true, "h4": true, "h5": true, "h6": true, "ul": true, "ol": true,
		"li": true, "dl": true, "dt": true, "dd": true, "table": true, "thead": true, "tbody": true, "tr": true, "td": true,
		"th": true, "img": true, "span": true, "b": true, "strong": true, "i": true, "em": true, "nav": true, "main": true,
		"header": true, "footer": true, "section": true, "article": true, "figure": true, "figcaption": true, "br": true,
		"hr": true, "small": true,
	}
	dropped = map[string]bool{
		"script": true, "style": true, "noscript": true, "template": true, "iframe": true, "object": true, "embed": true,
		"svg": true, "math": true, "canvas": true, "head": true, "link": true, "meta": true, "base": true, "source": true,
		"track": true, "audio": true, "param": true, "area": true,
	}
)

// Safe renders a page's body without scripts, styles, forms, frames and
// addresses: text, boxes, and pictures whose addresses source gives. Each
// element carries its number as data-element, which Propose takes.
func (p *Page) Safe(source func(address string) string) string {
	var b strings.Builder
	var write func(n *html.Node, depth int)
	write = func(n *html.Node, depth int) {
		if depth > 200 {
			return
		}
		switch n.Type {
		case html.TextNode:
			b.WriteString(html.EscapeString(n.Data))
			return
		case html.ElementNode:
		default:
			return
		}
		if dropped[n.Data] {
			return
		}
		tag := n.Data
		if !kept[tag] {
			tag = "div"
		}
		fmt.Fprintf(&b, `<%s data-element="%d"`, tag, p.numbers[n])
		if tag == "img" {
			if address := p.shown(n); address != "" {
				fmt.Fprintf(&b, ` src="%s"`, html.EscapeString(source(address)))
			}
			fmt.Fprintf(&b, ` alt="%s" loading="lazy">`, html.EscapeString(attr(n, "alt")))
			return
		}
		b.WriteByte('>')
		if tag == "br" || tag == "hr" {
			return
		}
		for child := range n.ChildNodes() {
			write(child, depth+1)
		}
		b.WriteString("</" + tag + ">")
	}
	for child := range p.doc.Find("body").First().Get(0).ChildNodes() {
		write(child, 0)
	}
	return b.String()
}

// shown returns an address for an img: its own, or that of a lazy one.
func (p *Page) shown(n *html.Node) string {
	f := &finder{page: p, seen: map[string]bool{}}
	f.element(n, 0)
	lazy := ""
	for _, found := range f.found {
		if found.Where == InImage && looksLikePicture(found.Address) && !strings.HasSuffix(found.Address, ".gif") {
			return found.Address
		}
		if lazy == "" || found.Where != InImage {
			lazy = found.Address
		}
	}
	return lazy
}
