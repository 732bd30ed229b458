package robots

import (
	"net/url"
	"strings"
	"testing"
)

// TestRobotsSimpleExample is RFC 9309, section 5.1, from memory.
func TestRobotsSimpleExample(t *testing.T) {
	const content = "User-Agent: *\nDisallow: *.gif$\nDisallow: /example/\nAllow: /publications/\n\n" +
		"User-Agent: foobot\nDisallow:/\nAllow:/example/page.html\nAllow:/example/allowed.gif\n\n" +
		"User-Agent: barbot\nUser-Agent: bazbot\nDisallow: /example/page.html\n\nUser-Agent: quxbot\n"
	for _, c := range []struct {
		agent, path string
		want        bool
	}{
		{"ambrosa", "/example/page.html", false}, {"ambrosa", "/publications/a.html", true}, {"ambrosa", "/a/b.gif", false},
		{"ambrosa", "/a/b.gif?x", true}, {"ambrosa", "/other", true},
		{"foobot", "/", false}, {"foobot", "/example/page.html", true}, {"foobot", "/example/allowed.gif", true},
		{"foobot", "/example/other.gif", false},
		{"barbot", "/example/page.html", false}, {"barbot", "/example/other", true}, {"BazBot", "/example/page.html", false},
		{"quxbot", "/example/page.html", true}, {"quxbot", "/a.gif", true},
	} {
		if got := Read([]byte(content), c.agent).Allow(&url.URL{Path: c.path}); c.path != "/a/b.gif?x" && got != c.want {
			t.Errorf("%s at %s: %v", c.agent, c.path, got)
		}
	}
	if !Read([]byte(content), "ambrosa").Allow(&url.URL{Path: "/a/b.gif", RawQuery: "x"}) {
		t.Error("a $ that does not stand at the end of the address")
	}
}

// TestRobotsLongestMatch is RFC 9309, section 5.2, and the rules of 2.2.1 to
// 2.2.4.
func TestRobotsLongestMatch(t *testing.T) {
	for name, c := range map[string]struct {
		content, address string
		want             bool
	}{
		"5.2, the longer is disallowed": {"User-Agent: foobot\nAllow: /example/page/\nDisallow: /example/page/disallowed.gif",
			"/example/page/disallowed.gif", false},
		"5.2, the shorter is allowed": {"User-Agent: foobot\nAllow: /example/page/\nDisallow: /example/page/disallowed.gif",
			"/example/page/other.gif", true},
		"allow wins where both match alike": {"User-Agent: foobot\nDisallow: /a\nAllow: /a", "/a/b", true},
		"groups of one agent are combined": {"User-Agent: foobot\nDisallow: /a\nUser-Agent: x\nDisallow: /\nUser-Agent: FooBot\nDisallow: " +
			"/b", "/b", false},
		"its version does not matter":       {"User-Agent: foobot/2.0\nDisallow: /a", "/a", false},
		"the group for all is left alone":   {"User-Agent: foobot\nAllow: /x\nUser-Agent: *\nDisallow: /", "/a", true},
		"nothing disallowed":                {"User-Agent: *\nDisallow:", "/a", true},
		"a comment, spaces and line ends":   {"# hello\r\nuser-agent :  foobot # me\rDISALLOW:/a # this", "/ab", false},
		"lines of other kinds end no group": {"User-Agent: foobot\nSitemap: https://x.test/s.xml\nDisallow: /a", "/a", false},
		"an odd line stops nothing":         {"User-Agent: foobot\nCrawl-delay: soon\n???\nDisallow: /a", "/a", false},
		"a star within":                     {"User-Agent: foobot\nDisallow: /a*/b", "/a/x/y/b/c", false},
		"a path matches from its beginning": {"User-Agent: foobot\nDisallow: /b*c", "/a/b/c", true},
		"an encoded path, written plain":    {"User-Agent: foobot\nDisallow: /foo/bar/ツ", "/foo/bar/%E3%83%84", false},
		"a plain path, written encoded":     {"User-Agent: foobot\nDisallow: /foo/bar/%62%61%7A", "/foo/bar/baz", false},
		"small hexadecimal digits":          {"User-Agent: foobot\nDisallow: /foo/bar/%e3%83%84", "/foo/bar/%E3%83%84", false},
		"a query with encoded separators": {"User-Agent: foobot\nDisallow: /foo/bar?baz=https%3A%2F%2Ffoo.bar",
			"/foo/bar?baz=https%3A%2F%2Ffoo.bar", false},
		"robots.txt itself": {"User-Agent: *\nDisallow: /", "/robots.txt", true},
		"the start page":    {"User-Agent: *\nDisallow: /$", "", false},
	} {
		u, err := url.Parse("https://x.test" + c.address)
		if err != nil {
			t.Fatal(err)
		}
		if got := Read([]byte(c.content), "foobot").Allow(u); got != c.want {
			t.Errorf("%s: %v", name, got)
		}
	}
	if r := Read([]byte("User-Agent: *\nCrawl-delay: 2.5"), "foobot"); r.Pause != 2.5 {
		t.Errorf("%+v", r)
	}
	if (Rules{None: true}).Allow(&url.URL{Path: "/a"}) {
		t.Error("a site that could not say allows")
	}
	// What stands behind the first 512 KiB is not read.
	if !Read([]byte(strings.Repeat("#\n", 300<<10)+"User-Agent: *\nDisallow: /"), "foobot").Allow(&url.URL{Path: "/a"}) {
		t.Error("read on without end")
	}
}
