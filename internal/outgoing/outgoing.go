// Package outgoing makes the connections that Ambrosa opens by itself. They go
// to public addresses, or to hosts that a person named: the address is checked
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

// ErrPrivate means that an address is inside a network and nobody named it.
var ErrPrivate = errors.New("leads to a private address, which nobody allowed")

// Guard says where connections may go.
type Guard struct {
	named map[string]bool // "host:port", lower case
}

// Allow returns a guard that lets connections through to public addresses and
// to the hosts named ("nas.local:443"), wherever these are.
func Allow(hosts ...string) Guard {
	g := Guard{map[string]bool{}}
	for _, host := range hosts {
		g.named[strings.ToLower(host)] = true
	}
	return g
}

// And returns a guard that lets through what either does.
func (g Guard) And(hosts ...string) Guard {
	all := Allow(hosts...)
	for host := range g.named {
		all.named[host] = true
	}
	return all
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
	if !g.named[strings.ToLower(address)] {
		dialer.Control = func(_, resolved string, _ syscall.RawConn) error {
			at, err := netip.ParseAddrPort(resolved)
			if err != nil {
				return err
			}
			if !Public(at.Addr()) {
				return fmt.Errorf("%s %w", address, ErrPrivate)
			}
			return nil
		}
	}
	return dialer.DialContext(ctx, network, address)
}

// special are the ranges of the IANA special-purpose address registries that
// net/netip does not tell by itself.
var special = func() (list []netip.Prefix) {
	for _, text := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24",
		"240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "5f00::/16"} {
		list = append(list, netip.MustParsePrefix(text))
	}
	return list
}()

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
		return host + " leads to a private address inside a network; only hosts that are named in an origin or in AMBROSA_ALLOW may be reached there", false, true
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
	case errors.Is(err, syscall.ECONNRESET), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, syscall.EPIPE):
		return "the connection to " + host + " broke off", true, true
	case errors.Is(err, os.ErrDeadlineExceeded), errors.As(err, &network) && network.Timeout():
		return host + " does not answer", true, true
	}
	return "", false, false
}
