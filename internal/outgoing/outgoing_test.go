package outgoing

import (
	"errors"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"strings"
	"testing"
	"time"
)

// TestPublic reads addresses of the IANA special-purpose address registries (RFC
// 6890) and of networks that everyone may reach.
func TestPublic(t *testing.T) {
	for text, want := range map[string]bool{
		"127.0.0.1": false, "::1": false, "10.1.2.3": false, "172.16.0.1": false, "172.32.0.1": true, "192.168.1.1": false,
		"169.254.169.254": false,
		"100.64.0.1":      false, "100.128.0.1": true, "0.0.0.0": false, "255.255.255.255": false, "224.0.0.1": false, "198.18.0.1": false,
		"192.0.2.7":   false,
		"203.0.113.9": false, "198.51.100.1": false, "9.9.9.9": true, "::ffff:10.0.0.1": false, "::ffff:9.9.9.9": true, "fe80::1": false,
		"fc00::1": false,
		"fd12::1": false, "ff02::1": false, "2001:db8::1": false, "64:ff9b::7f00:1": false, "2002:7f00:1::": false, "2606:4700::1111": true,
		"::": false,
	} {
		if got := Public(netip.MustParseAddr(text)); got != want {
			t.Errorf("%s: %v", text, got)
		}
	}
}

func TestTheGuardLooksAtTheAddressAndAtRedirects(t *testing.T) {
	inner := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("inner")) }))
	defer inner.Close()
	outer := httptest.NewServer(http.RedirectHandler(inner.URL, http.StatusFound))
	defer outer.Close()
	host := func(address string) string { u, _ := url.Parse(address); return HostOf(u) }
	get := func(g Guard, address string) error {
		transport := g.Transport()
		defer transport.CloseIdleConnections()
		response, err := (&http.Client{Transport: transport}).Get(address)
		if err == nil {
			_ = response.Body.Close()
		}
		return err
	}
	if err := get(Allow(), inner.URL); !errors.Is(err, ErrPrivate) {
		t.Errorf("by address: %v", err)
	}
	if err := get(Allow(), strings.Replace(inner.URL, "127.0.0.1", "localhost", 1)); !errors.Is(err, ErrPrivate) {
		t.Errorf("by name: %v", err)
	}
	if err := get(Allow(host(outer.URL)), outer.URL); !errors.Is(err, ErrPrivate) {
		t.Errorf("by a redirect: %v", err)
	}
	if err := get(Allow(host(outer.URL), host(inner.URL)), outer.URL); err != nil {
		t.Errorf("both are listed: %v", err)
	}
	if err := get(Allow("127.0.0.1:*"), outer.URL); err != nil {
		t.Errorf("every port is listed: %v", err)
	}
	for _, address := range []string{"http://169.254.169.254/latest", "http://[fe80::1]/", "http://0.0.0.0/", "http://224.0.0.1/"} {
		if err := get(Allow(host(address), "169.254.169.254:*"), address); !errors.Is(err, ErrPrivate) {
			t.Errorf("%s is listed and reached: %v", address, err)
		}
	}
}

func TestAServerThatTrickles(t *testing.T) {
	ours, theirs := net.Pipe()
	go func() {
		for {
			if _, err := theirs.Write([]byte("x")); err != nil {
				return
			}
			time.Sleep(20 * time.Millisecond)
		}
	}()
	slow := Steady(ours, 1<<20, time.Second, func() { _ = ours.Close() })
	if _, err := io.Copy(io.Discard, slow); !errors.Is(err, ErrSlow) {
		t.Errorf("ended with %v", err)
	}
	if text, again, ok := Explain(ErrSlow, "host"); !ok || !again || text != "host sends too slowly" {
		t.Errorf("%q %v %v", text, again, ok)
	}
	_ = slow.Close()
	quick := Steady(io.NopCloser(strings.NewReader("all of it")), 1, time.Second, func() { t.Error("a stream that ended was stopped") })
	if text, err := io.ReadAll(quick); string(text) != "all of it" || err != nil {
		t.Errorf("%q %v", text, err)
	}
	if err := errors.Join(quick.Close(), quick.Close()); err != nil {
		t.Error(err)
	}
}

// TestKeysDoNotCrossHosts follows a redirect to another host, which sees neither
// the key nor the address that was asked for.
func TestKeysDoNotCrossHosts(t *testing.T) {
	seen := make(chan http.Header, 1)
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { seen <- r.Header }))
	defer other.Close()
	first := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/here" {
			seen <- r.Header
			return
		}
		to := map[string]string{"/same": "/here", "/other": other.URL}[r.URL.Path]
		http.Redirect(w, r, to, http.StatusFound)
	}))
	defer first.Close()
	client := &http.Client{CheckRedirect: Redirects(3, nil, "X-Key")}
	ask := func(path string) http.Header {
		request, err := http.NewRequest(http.MethodGet, first.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("X-Key", "secret")
		response, err := client.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		_ = response.Body.Close()
		return <-seen
	}
	if h := ask("/same?key=secret"); h.Get("X-Key") != "secret" || h.Get("Referer") != "" {
		t.Errorf("the same host sees %v", h)
	}
	if h := ask("/other?key=secret"); h.Get("X-Key") != "" || h.Get("Referer") != "" {
		t.Errorf("another host sees %v", h)
	}
}
