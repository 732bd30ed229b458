package harvest

import (
	"errors"
	"reflect"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/rendition"
)

const listing = `<nav><a class=go href="?page=2">older</a></nav><ul class=goods>
<li><a href="/p/jar">Jar</a><li><a href="/p/lid#top">Lid</a><li><a href="/p/jar">Jar again</a><li>
<a href="http://elsewhere.test/p">Partner</a><li><a>no link</a></ul>`

const product = `<h1>Hexagon jar</h1><dl><dt>Article no.</dt><dd>Art. JR-250</dd><dt>EAN</dt><dd>4012345 123456</dd><dt>Colour</dt>
	<dd>clear</dd></dl>
<div class=stage><img src="/m/thumb/jar-1_120.jpg" alt=front></div>
<div class=strip><a href="/m/full/odd.jpg"><img src="/m/thumb/jar-2_120.jpg"></a><img src="/m/thumb/jar-1_120.jpg">
<img class=film src="/m/thumb/still_120.jpg">
<img src=/blank.gif data-large="/m/raw/jar-3.jpg"></div>`

var recipe = Recipe{Start: []string{"https://shop.test/list"}, Next: Pick{Selector: "a.go"}, Product: Pick{Selector: ".goods a"},
	Name: Pick{
		Selector: "h1",
	}, SKU: Pick{Selector: "dd:nth-of-type(1)", Pattern: `Art\. (\S+)`}, Barcode: Pick{Selector: `dt:contains("EAN") + dd`},
	Attributes: []NamedPick{{"Colour", Pick{Selector: `dt:contains("Colour") + dd`}}},
	Pictures:   Pick{Selector: ".stage img, .strip"}, Exclude: []string{".film"},
	Rewriting: rendition.Rewriting{{Find: "/thumb/", With: "/zoom/"}, {Find: `_\d+\.`, With: "_1600.", Pattern: true}}}

func TestARecipeReads(t *testing.T) {
	r, err := NewReader(recipe)
	if err != nil {
		t.Fatal(err)
	}
	links := r.Links(page(t, "https://shop.test/list", listing))
	if want := (Links{[]string{"https://shop.test/list?page=2"}, []string{"https://shop.test/p/jar",
		"https://shop.test/p/lid"}}); !reflect.DeepEqual(links, want) {
		t.Errorf("links %+v", links)
	}
	p := r.Product(page(t, "https://shop.test/p/jar", product))
	if p.Name != "Hexagon jar" || p.SKU != "JR-250" || p.Barcode != "4012345 123456" || p.Attributes["colour"] != "clear" {
		t.Errorf("%+v", p)
	}
	var got []string
	for _, s := range p.Shots {
		got = append(got, strings.Join(s.Candidates(), " "))
	}
	const m = "https://shop.test/m/"
	want := []string{m + "zoom/jar-1_1600.jpg " + m + "thumb/jar-1_120.jpg",
		m + "zoom/jar-2_1600.jpg " + m + "full/odd.jpg " + m + "thumb/jar-2_120.jpg",
		m + "raw/jar-3.jpg"}
	if !slices.Equal(got, want) {
		t.Errorf("shots\n%s\nexpected\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if said := p.Said("https://shop.test/p/jar"); said["sku"] != "JR-250" || said["address"] != "https://shop.test/p/jar" ||
		said["colour"] != "clear" {
		t.Errorf("%v", said)
	}
}

// TestARecipeThatFindsNothingSaysWhy asks the reports what is wrong.
func TestARecipeThatFindsNothingSaysWhy(t *testing.T) {
	for says, p := range map[string]Pick{
		"the selector finds no element on this page":                 {Selector: ".gone"},
		"1 element found, but none has a usable attribute data-zoom": {Selector: ".strip", Attribute: "data-zoom"},
		"1 element found, but no address of a picture in any":        {Selector: "h1"},
	} {
		changed := recipe
		changed.Pictures = p
		r, err := NewReader(changed)
		if err != nil {
			t.Fatal(err)
		}
		reports := r.Reports(page(t, "https://shop.test/p/jar", product))
		if last := reports[len(reports)-1]; last.Step != StepPictures || last.Problem != says {
			t.Errorf("%+v: %+v", p, last)
		}
	}
	for step, change := range map[string]func(*Recipe){
		StepSKU:      func(r *Recipe) { r.SKU.Selector = "dd::" },
		StepName:     func(r *Recipe) { r.Name.Pattern = "(" },
		StepExclude:  func(r *Recipe) { r.Exclude = []string{"["} },
		StepRewrite:  func(r *Recipe) { r.Rewriting = rendition.Rewriting{{Find: "*", Pattern: true}} },
		StepPictures: func(r *Recipe) { r.Pictures.Selector = "img:nope(" },
	} {
		changed := recipe
		change(&changed)
		_, err := NewReader(changed)
		var problem *Problem
		if !errors.As(err, &problem) || problem.Step != step {
			t.Errorf("%s: %v", step, err)
		}
	}
}

func TestProposals(t *testing.T) {
	p := page(
		t,
		"https://shop.test/p/jar",
		`<div id=main><h1 class=t>Jar</h1><h2>Jar</h2><table><tr><th>SKU</th><td>JR-1</td><tr><th>EAN</th><td>40</td></table>
		<ul class="strip a81723641"><li><img class=small src=1.jpg><li><img class=small src=2.jpg></ul><img src=3.jpg></div>`,
	)
	number := func(tag string, n int) int {
		for i, e := range p.elements {
			if e.Data == tag {
				if n--; n < 0 {
					return i + 1
				}
			}
		}
		t.Fatalf("no %s", tag)
		return 0
	}
	for _, c := range []struct {
		tag  string
		n    int
		many bool
		want string
		hits int
	}{
		{"h1", 0, false, "h1", 1},
		{"td", 0, false, `th:contains("SKU") + td`, 1},
		{"img", 0, true, "img.small", 2},
		{"img", 2, false, "#main > img", 1},
	} {
		list := p.Propose(number(c.tag, c.n), c.many)
		if len(list) == 0 || !slices.Contains(list, Proposal{c.want, c.hits}) || c.many && list[0].Matches < 2 ||
			!c.many && list[0].Matches != 1 {
			t.Errorf("%s %d: %+v, expected among them %s", c.tag, c.n, list, c.want)
		}
		for _, each := range list {
			if strings.Contains(each.Selector, "a81723641") {
				t.Errorf("a class made by a machine: %s", each.Selector)
			}
		}
	}
	if p.Propose(0, false) != nil || p.Propose(1<<30, true) != nil {
		t.Error("elements that are not there")
	}
}
