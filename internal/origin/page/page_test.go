package page

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// TestRobotsHoldOnRedirects is led, by a page and by a picture that may be looked
// at, to what robots.txt asks visitors to leave alone (RFC 9309), on the same host
// and on another.
func TestRobotsHoldOnRedirects(t *testing.T) {
	seen := map[string]bool{}
	site := func(rules string, routes map[string]string) *httptest.Server {
		var server *httptest.Server
		server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			switch to := routes[r.URL.Path]; {
			case r.URL.Path == "/robots.txt":
				_, _ = w.Write([]byte(rules))
			case to != "":
				http.Redirect(w, r, to, http.StatusFound)
			default:
				seen[server.URL+r.URL.Path] = true
				_, _ = w.Write([]byte("<!doctype html><title>secret</title>"))
			}
		}))
		t.Cleanup(server.Close)
		return server
	}
	other := site("User-agent: *\nDisallow: /", nil)
	first := site("User-agent: *\nDisallow: /closed", map[string]string{"/a": "/closed/page", "/b": other.URL + "/page", "/c": "/open"})
	client := New(outgoing.Allow("127.0.0.1:*"), time.Millisecond)
	t.Cleanup(func() { _ = client.Close() })
	for _, path := range []string{"/a", "/b"} {
		_, err := client.Page(t.Context(), first.URL+path, "")
		var fault *origin.Fault
		if !errors.As(err, &fault) || !strings.Contains(fault.Reason, "robots.txt") {
			t.Errorf("the page %s: %v", path, err)
		}
		if content, err := client.Read(t.Context(), first.URL+path); !errors.As(err, &fault) ||
			!strings.Contains(fault.Reason, "robots.txt") {
			t.Errorf("the picture %s: %v, %v", path, content, err)
		}
	}
	if page, err := client.Page(t.Context(), first.URL+"/c", ""); err != nil || page.Address.Path != "/open" {
		t.Errorf("what is open: %+v, %v", page, err)
	}
	if seen[first.URL+"/closed/page"] || seen[other.URL+"/page"] || !seen[first.URL+"/open"] {
		t.Errorf("asked for: %v", seen)
	}
}
