// Package outgoing makes the connections that Ambrosa opens by itself. They go
// to public addresses, or to hosts that the steward listed: the address is checked
// when it is connected to, after its name was resolved and on every redirect,
// so that no page and no drive can lead inside a network.
package outgoing

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

// ErrPrivate means that an address is inside a network and nobody listed it.
var ErrPrivate = errors.New("leads to a private address, which nobody allowed")

// Guard says where connections may go.
type Guard struct {
	named map[string]bool // "host:port" or "host:*", lower case
}

// Allow returns a guard that lets connections through to public addresses and
// to the hosts listed ("nas.local:443", or "nas.local:*" for every port), inside a
// network as well.
func Allow(hosts ...string) Guard {
	g := Guard{map[string]bool{}}
	for _, host := range hosts {
		g.named[strings.ToLower(host)] = true
	}
	return g
}

// lists tells whether the steward listed an address ("host:port").
func (g Guard) lists(address string) bool {
	address = strings.ToLower(address)
	host, _, err := net.SplitHostPort(address)
	return err == nil && (g.named[address] || g.named[net.JoinHostPort(host, "*")])
}

// HostOf returns the "host:port" of an http or https address.
func HostOf(address *url.URL) string {
	port := address.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[address.Scheme]
	}
	return net.JoinHostPort(strings.ToLower(address.Hostname()), port)
}

// Dial connects to "host:port" over TCP.
func (g Guard) Dial(ctx context.Context, network, address string) (net.Conn, error) {
	dialer := net.Dialer{Timeout: 15 * time.Second, KeepAlive: 30 * time.Second}
	listed := g.lists(address)
	dialer.Control = func(_, resolved string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(resolved)
		if err != nil {
			return err
		}
		if never(at.Addr()) || !listed && !Public(at.Addr()) {
			return fmt.Errorf("%s %w", address, ErrPrivate)
		}
		return nil
	}
	return dialer.DialContext(ctx, network, address)
}

// special are the ranges of the IANA special-purpose address registries that
// net/netip does not tell by itself.
var special = func() (list []netip.Prefix) {
	for _, text := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15",
		"198.51.100.0/24", "203.0.113.0/24",
		"240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "5f00::/16"} {
		list = append(list, netip.MustParsePrefix(text))
	}
	return list
}()

// never tells whether an address is of a link, of many, or of none: there is
// nothing that files are fetched from, and clouds keep secrets there.
func never(address netip.Addr) bool {
	address = address.Unmap()
	return address.IsLinkLocalUnicast() || address.IsMulticast() || address.IsUnspecified() ||
		address == netip.AddrFrom4([4]byte{255, 255, 255, 255})
}

// Redirects follows at most so many redirects over HTTP, and keeps what was meant
// for one host from the next: keys in headers, and the address that was asked for.
// check, unless it is nil, may refuse each.
func Redirects(most int, check func(*http.Request) error, keys ...string) func(*http.Request, []*http.Request) error {
	return func(next *http.Request, via []*http.Request) error {
		if len(via) > most || next.URL.Scheme != "http" && next.URL.Scheme != "https" {
			return ErrRedirects
		}
		before := via[len(via)-1].URL
		next.Header.Del("Referer")
		if HostOf(next.URL) != HostOf(before) || before.Scheme == "https" && next.URL.Scheme == "http" {
			for _, key := range append([]string{"Authorization", "Cookie"}, keys...) {
				next.Header.Del(key)
			}
		}
		if check != nil {
			return check(next)
		}
		return nil
	}
}

// ErrRedirects means that an address leads to another that is not followed.
var ErrRedirects = errors.New("leads from one address to the next without end")

// Public tells whether an address is one of the public network: not of this
// machine, of a network of one's own, of a link, of many, or set apart.
func Public(address netip.Addr) bool {
	address = address.Unmap()
	if !address.IsGlobalUnicast() || address.IsPrivate() {
		return false
	}
	for _, prefix := range special {
		if prefix.Contains(address) {
			return false
		}
	}
	return true
}

// Transport returns an HTTP transport behind the guard. Answers have to begin
// within a minute, and to go on (Steady).
func (g Guard) Transport() *http.Transport {
	return &http.Transport{
		DialContext: g.Dial, ForceAttemptHTTP2: true, MaxIdleConnsPerHost: 8, IdleConnTimeout: 60 * time.Second,
		TLSHandshakeTimeout: 15 * time.Second, ResponseHeaderTimeout: 60 * time.Second, MaxResponseHeaderBytes: 1 << 20,
	}
}

// ErrSlow means that a server sends too little.
var ErrSlow = errors.New("sends too slowly")

// Steady returns a reader that fails with ErrSlow where a stream brings less
// than rate bytes a second over a window of time; stop is called then, to end
// the reading that waits.
func Steady(source io.ReadCloser, rate int64, window time.Duration, stop func()) io.ReadCloser {
	s := &steady{source: source, rate: rate, window: window, stop: stop, done: make(chan struct{})}
	go s.watch()
	return s
}

type steady struct {
	source io.ReadCloser
	rate   int64
	window time.Duration
	stop   func()
	moved  atomic.Int64
	slow   atomic.Bool
	done   chan struct{}
	once   sync.Once
}

func (s *steady) watch() {
	ticker := time.NewTicker(s.window)
	defer ticker.Stop()
	for {
		select {
		case <-ticker.C:
			if s.moved.Swap(0) < s.rate*int64(s.window/time.Second) {
				s.slow.Store(true)
				s.stop()
				return
			}
		case <-s.done:
			return
		}
	}
}

func (s *steady) Read(p []byte) (int, error) {
	n, err := s.source.Read(p)
	s.moved.Add(int64(n))
	if err != nil && s.slow.Load() {
		err = fmt.Errorf("%w: %w", ErrSlow, err)
	}
	return n, err
}

func (s *steady) Close() error {
	s.once.Do(func() { close(s.done) })
	return s.source.Close()
}

// Explain says in a person's words why a connection to host failed, and whether
// it is worth trying again. ok is false for errors of other kinds.
func Explain(err error, host string) (text string, again, ok bool) {
	var name *net.DNSError
	var unknown x509.UnknownAuthorityError
	var invalid x509.CertificateInvalidError
	var other x509.HostnameError
	var record tls.RecordHeaderError
	var network net.Error
	switch {
	case errors.Is(err, ErrPrivate):
		return host + " leads to a private address inside a network; the steward may list it, with its port, in AMBROSA_ALLOW", false, true
	case errors.As(err, &name) && name.IsNotFound:
		return "the name " + name.Name + " is not found", false, true
	case errors.Is(err, syscall.ECONNREFUSED):
		return host + " refuses the connection: nothing listens at that port", true, true
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return host + " cannot be reached from here", true, true
	case errors.As(err, &unknown):
		return "the certificate of " + host + " is signed by nobody this machine trusts", false, true
	case errors.As(err, &invalid):
		return "the certificate of " + host + " is not valid: " + invalid.Error(), false, true
	case errors.As(err, &other):
		return "the certificate of " + host + " is for another name: " + other.Error(), false, true
	case errors.As(err, &record):
		return host + " does not speak TLS at that port", false, true
	case errors.Is(err, ErrSlow):
		return host + " sends too slowly", true, true
	case errors.Is(err, syscall.ECONNRESET), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF), errors.Is(err, syscall.EPIPE):
		return "the connection to " + host + " broke off", true, true
	case errors.Is(err, os.ErrDeadlineExceeded), errors.As(err, &network) && network.Timeout():
		return host + " does not answer", true, true
	}
	return "", false, false
}
