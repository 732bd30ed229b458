package robots

import (
	"net/url"
	"testing"

	"ambrosa/internal/budget"
)

// FuzzRobots reads any rules and asks them about any address.
func FuzzRobots(f *testing.F) {
	f.Add([]byte("User-agent: *\nDisallow: /a*b$\nAllow: /\nCrawl-delay: 1e309"), "/a%zz")
	f.Add([]byte("\ufeffuser-agent:ambrosa\ndisallow:/%41"), "/A?b")
	f.Fuzz(func(t *testing.T, content []byte, path string) {
		budget.Of(len(content)+len(path)).Check(t, func() {
			r := Read(content, "ambrosa")
			if r.Pause < 0 || r.Pause != r.Pause {
				t.Fatalf("a pause of %g", r.Pause)
			}
			r.Allow(&url.URL{Scheme: "https", Host: "example.com", Path: path, RawQuery: path})
		})
	})
}
