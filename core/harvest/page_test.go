package harvest

import (
	"fmt"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

func parsed(t *testing.T, address string) *url.URL {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	return u
}

func page(t *testing.T, address, content string) *Page {
	t.Helper()
	p, err := ReadPage(parsed(t, address), []byte(content))
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// TestRelativeAddresses is the whole table of RFC 3986, section 5.4.1 and 5.4.2
// (strict), as far as the results are addresses of the web.
func TestRelativeAddresses(t *testing.T) {
	base := parsed(t, "http://a/b/c/d;p?q")
	for reference, want := range map[string]string{
		"g": "http://a/b/c/g", "./g": "http://a/b/c/g", "g/": "http://a/b/c/g/", "/g": "http://a/g", "//g": "http://g",
		"?y":  "http://a/b/c/d;p?y",
		"g?y": "http://a/b/c/g?y", "#s": "http://a/b/c/d;p?q", "g#s": "http://a/b/c/g", "g?y#s": "http://a/b/c/g?y", ";x": "http://a/b/c/;x",
		"g;x": "http://a/b/c/g;x", "g;x?y#s": "http://a/b/c/g;x?y", "": "http://a/b/c/d;p?q", ".": "http://a/b/c/", "./": "http://a/b/c/",
		"..":  "http://a/b/",
		"../": "http://a/b/", "../g": "http://a/b/g", "../..": "http://a/", "../../": "http://a/", "../../g": "http://a/g",
		"../../../g": "http://a/g", "../../../../g": "http://a/g", "/./g": "http://a/g", "/../g": "http://a/g", "g.": "http://a/b/c/g.",
		".g":  "http://a/b/c/.g",
		"g..": "http://a/b/c/g..", "..g": "http://a/b/c/..g", "./../g": "http://a/b/g", "./g/.": "http://a/b/c/g/", "g/./h": "http://a/b/c/g/h",
		"g/../h": "http://a/b/c/h", "g;x=1/./y": "http://a/b/c/g;x=1/y", "g;x=1/../y": "http://a/b/c/y", "g?y/./x": "http://a/b/c/g?y/./x",
		"g?y/../x": "http://a/b/c/g?y/../x", "g#s/./x": "http://a/b/c/g", "g#s/../x": "http://a/b/c/g",
		"g:h": "", "http:g": "", "javascript:alert(1)": "", "data:image/png;base64,AA": "",
		" \n/a b.jpg\t": "http://a/a%20b.jpg", "/pic\ntures/1.jpg": "http://a/pictures/1.jpg", // the WHATWG URL Standard's stripping
	} {
		got, ok := Resolve(base, reference)
		if ok != (want != "") || got != want {
			t.Errorf("%q: %q %v, expected %q", reference, got, ok, want)
		}
	}
}

// TestBase holds to the WHATWG HTML Standard: the first base with an href counts,
// relative to the document, and one of data or script does not.
func TestBase(t *testing.T) {
	for content, want := range map[string]string{
		`<img src=1.jpg>`:                                                             "http://shop.test/a/1.jpg",
		`<base href="/media/"><img src=1.jpg>`:                                        "http://shop.test/media/1.jpg",
		`<base target=x><base href="http://cdn.test/"><img src=1.jpg>`:                "http://cdn.test/1.jpg",
		`<base href="http://one.test/"><base href="http://two.test/"><img src=1.jpg>`: "http://one.test/1.jpg",
		`<base href="data:text/html,x"><img src=1.jpg>`:                               "http://shop.test/a/1.jpg",
		`<base href="javascript:0"><img src=1.jpg>`:                                   "http://shop.test/a/1.jpg",
		`<body><img src=1.jpg><base href="/late/">`:                                   "http://shop.test/late/1.jpg",
	} {
		found := page(t, "http://shop.test/a/b.html", content).Pictures()
		if len(found) != 1 || found[0].Address != want {
			t.Errorf("%s: %+v, expected %s", content, found, want)
		}
	}
}

// TestSrcset takes its cases from the rules of the WHATWG HTML Standard's
// "parse a srcset attribute" and the cases of its conformance tests, from
// memory.
func TestSrcset(t *testing.T) {
	for text, want := range map[string]string{
		"":                              "",
		",":                             "",
		",,,":                           "",
		"  data:,a  1x  ":               "data:,a 0 1",
		"data:,a , data:,b":             "data:,a 0 0|data:,b 0 0",
		"a.jpg 1x, b.jpg 2x":            "a.jpg 0 1|b.jpg 0 2",
		"a.jpg 320w,b.jpg 640w":         "a.jpg 320 0|b.jpg 640 0",
		"a,b.jpg 1x":                    "a,b.jpg 0 1",
		"a.jpg,":                        "a.jpg 0 0",
		"a.jpg, b.jpg":                  "a.jpg 0 0|b.jpg 0 0",
		"a.jpg,b.jpg":                   "a.jpg,b.jpg 0 0",
		"a.jpg 1x 2x":                   "",
		"a.jpg 1w 1x":                   "",
		"a.jpg 0w":                      "",
		"a.jpg -1w":                     "",
		"a.jpg 1.5w":                    "",
		"a.jpg +1x":                     "",
		"a.jpg -1x":                     "",
		"a.jpg 1e1x":                    "a.jpg 0 10",
		"a.jpg .5x":                     "a.jpg 0 0.5",
		"a.jpg 1.x":                     "",
		"a.jpg NaNx":                    "",
		"a.jpg 100h":                    "",
		"a.jpg 100w 100h":               "a.jpg 100 0",
		"a.jpg 100h 100w":               "a.jpg 100 0",
		"a.jpg 1x 100h":                 "",
		"a.jpg (1x), b.jpg 2x":          "b.jpg 0 2",
		"a.jpg foo(1,2), b.jpg 2x":      "b.jpg 0 2",
		"a.jpg foo(, b.jpg 2x":          "",
		"a.jpg\t1x\n,\fb.jpg\r2x":       "a.jpg 0 1|b.jpg 0 2",
		"data:image/png;base64,AA== 1x": "data:image/png;base64,AA== 0 1",
	} {
		var got []string
		for _, c := range ReadSrcset(text) {
			got = append(got, fmt.Sprintf("%s %d %v", c.Address, c.Width, c.Density))
		}
		if strings.Join(got, "|") != want {
			t.Errorf("%q: %q, expected %q", text, got, want)
		}
	}
}

const jarPage = `<!doctype html><html><head><title>  Hexagon jar
 250 ml </title><meta property="og:image" content="/img/jar-lead_1600.jpg">
<script type="application/ld+json">{"@type":"Product","image":["https://cdn.test/ld/jar-1.jpg",
 {"@type":"ImageObject","url":"/ld/resize?id=2"}],
 "video":{"@type":"VideoObject","thumbnailUrl":"/still.jpg"}}</script></head><body>
<a href="/img/jar-1_1600.jpg"><img src="/img/jar-1_120.jpg" alt="jar, front" width=120 height=120></a>
<picture><source srcset="/img/jar-2_400.webp 400w, /img/jar-2_900.webp 900w"><img src="/img/jar-2_400.jpg" alt="jar, back"></picture>
<img src="/blank.gif" data-src="/img/lid.png" data-zoom='{"large":"\/img\/lid_2000.png"}'>
<div style="background-image: url('/img/mood.jpg')"></div>
<video poster="/img/still.jpg"></video>
<script>window.pics = {"a":"\/img\/scripted.jpg", "b": "not one.jpg"}</script>
<a href="/terms.pdf">terms</a>
</body></html>`

func TestEveryPictureThatAPageKnows(t *testing.T) {
	p := page(t, "https://shop.test/jar", jarPage)
	if p.Title != "Hexagon jar 250 ml" {
		t.Errorf("title %q", p.Title)
	}
	var got []string
	for _, f := range p.Pictures() {
		got = append(got, f.Where+" "+strings.TrimPrefix(f.Address, "https://"))
	}
	want := []string{
		"page description shop.test/img/jar-lead_1600.jpg", "structured data cdn.test/ld/jar-1.jpg",
		"structured data shop.test/ld/resize?id=2", "link shop.test/img/jar-1_1600.jpg",
		"picture element shop.test/img/jar-1_120.jpg", "set of sizes shop.test/img/jar-2_400.webp",
		"set of sizes shop.test/img/jar-2_900.webp", "picture element shop.test/img/jar-2_400.jpg",
		"picture element shop.test/blank.gif", "attribute shop.test/img/lid.png", "attribute shop.test/img/lid_2000.png",
		"style shop.test/img/mood.jpg", "script shop.test/img/scripted.jpg",
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("found\n%s\nexpected\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestRenditionsOfOnePicture(t *testing.T) {
	for name, c := range map[string]struct {
		content string
		want    []int // renditions of each picture
	}{
		"a link around a thumbnail": {`<a href=/zoom/9f.jpg><img src=/t/1.jpg></a><img src=/t/2.jpg>`, []int{2, 1}},
		"one picture element":       {`<picture><source srcset="/a.webp 1x, /b.webp 2x"><img src=/c.jpg></picture>`, []int{3}},
		"sizes in the name": {`<img src=/p/jar-1_300x300.jpg><img src=/p/jar-1_1200x1200.jpg><img src=/p/jar-2_300x300.jpg>`,
			[]int{2, 1}},
		"words for sizes": {`<img src=/p/thumb/jar.jpg><img src=/p/large/jar.jpg><img src=/p/full/lid.jpg>`, []int{2, 1}},
		"sizes in the query": {`<img src="/p?id=7&amp;w=100"><img src="/p?w=900&amp;id=7"><img src="/p?id=8&amp;w=100">`,
			[]int{2, 1}},
		"numbers of pictures are no size": {`<img src=/p/jar-1.jpg><img src=/p/jar-2.jpg><img src=/p/10234.jpg><img src=/p/10235.jpg>`,
			[]int{1, 1, 1, 1}},
	} {
		var got []int
		for _, g := range Group(page(t, "https://shop.test/", c.content).Pictures()) {
			got = append(got, len(g.Renditions))
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, expected %v", name, got, c.want)
		}
	}
}

func TestNamesFromATemplate(t *testing.T) {
	fields := map[string]string{"page": `Jar: "Hexagon"/250`, "sku": "JR/25", "colour": "  amber  "}
	for template, want := range map[string]string{
		"":                       "Jar- -Hexagon--250-3.jpg",
		"{sku}/{colour}-{n}":     "JR-25/amber-3.jpg",
		"{SKU} {none}":           "JR-25.jpg",
		"../../{sku}":            "JR-25.jpg",
		"{none}":                 "picture-3.jpg",
		"{n}.jpg":                "3.jpg",
		"a\x00b<>|{n}":           "a-b---3.jpg",
		strings.Repeat("x", 400): strings.Repeat("x", 120) + ".jpg",
	} {
		if got := NameFor(template, fields, 3, "jpg"); got != want {
			t.Errorf("%q: %q, expected %q", template, got, want)
		}
	}
	if FileOf("https://x.test/a/jar%201.large.jpg?x=1") != "jar 1.large" || ExtensionOf("https://x.test/a.PNG?x") != "png" ||
		ExtensionOf("https://x.test/a?b.png") != "jpg" {
		t.Error("names of addresses")
	}
}

// TestSafeRendering leaves nothing that runs or loads.
func TestSafeRendering(t *testing.T) {
	p := page(
		t,
		"https://shop.test/",
		`<body onload=x()><script>x()</script><h1 class=t onclick="x()">Jar &lt;b&gt;</h1><iframe src=//evil></iframe>
		<svg><script>x()</script></svg><form action=/x><input value=1><button formaction=javascript:x()>Buy</button></form>
		<a href="javascript:x()">go</a><img src=/a.jpg onerror=x() srcset="/b.jpg 2x">
		<img src="data:image/gif;base64,R0" data-src="/lazy.jpg"><style>@import "//evil"</style><math><mtext></math>`,
	)
	safe := p.Safe(func(address string) string { return "/seen?" + address })
	for _, bad := range []string{"x()", "evil", "javascript", "script", "style", "srcset", "<form", "<input", "href", "data:"} {
		if strings.Contains(safe, bad) {
			t.Errorf("holds %q: %s", bad, safe)
		}
	}
	for _, good := range []string{`<h1 data-element=`, "Jar &lt;b&gt;</h1>", `src="/seen?https://shop.test/a.jpg"`,
		`src="/seen?https://shop.test/lazy.jpg"`, "Buy"} {
		if !strings.Contains(safe, good) {
			t.Errorf("lacks %q: %s", good, safe)
		}
	}
}

func FuzzSrcset(f *testing.F) {
	f.Add("a.jpg 1x, b.jpg 2x")
	f.Add("a (,) 1w,,")
	f.Fuzz(func(t *testing.T, text string) {
		budget.Of(len(text)).Check(t, func() {
			for _, c := range ReadSrcset(text) {
				if c.Address == "" || strings.ContainsAny(c.Address, spaces) || !strings.Contains(text, c.Address) || c.Width < 0 ||
					c.Density < 0 {
					t.Errorf("%q: %+v", text, c)
				}
			}
		})
	})
}

func FuzzPage(f *testing.F) {
	f.Add(jarPage)
	f.Add(`<table><base href="//x"><img srcset=",a 1x">`)
	address := &url.URL{Scheme: "https", Host: "shop.test", Path: "/"}
	f.Fuzz(func(t *testing.T, content string) {
		budget.Of(len(content)).Check(t, func() {
			p, err := ReadPage(address, []byte(content))
			if err != nil {
				return
			}
			found := p.Pictures()
			for _, each := range found {
				if u, err := url.Parse(each.Address); err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
					t.Errorf("%q is no address", each.Address)
				}
			}
			for _, g := range Group(found) {
				if len(g.Renditions) == 0 {
					t.Error("a picture without renditions")
				}
			}
			safe := strings.ToLower(p.Safe(func(string) string { return "" }))
			if strings.Contains(safe, "<script") || strings.Contains(safe, "<style") || strings.Contains(safe, "<iframe") {
				t.Errorf("not safe: %s", safe)
			}
			for n := range min(len(p.elements), 20) {
				for _, proposal := range p.Propose(n+1, n%2 == 0) {
					if proposal.Matches < 1 {
						t.Errorf("%+v", proposal)
					}
				}
			}
		})
	})
}
