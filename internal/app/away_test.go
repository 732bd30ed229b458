package app

import (
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"ambrosa/internal/testdb"
)

// between stands between Ambrosa and its database, and can keep back what either says.
type between struct {
	net.Listener
	mu     sync.Mutex
	paused chan struct{} // closed when it goes on; nil while it does
}

// pauseableDatabase returns the address of a database of the test's own, and what is between.
func pauseableDatabase(t *testing.T) (string, *between) {
	t.Helper()
	u, err := url.Parse(testdb.Create(t))
	if err != nil {
		t.Fatal(err)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	b := &between{Listener: listener}
	to := u.Host
	u.Host = listener.Addr().String()
	go func() {
		for {
			from, err := listener.Accept()
			if err != nil {
				return
			}
			go b.carry(from, to)
		}
	}()
	t.Cleanup(func() { b.resume(); _ = listener.Close() })
	return u.String(), b
}

func (b *between) carry(from net.Conn, to string) {
	defer from.Close()
	b.wait()
	other, err := net.Dial("tcp", to)
	if err != nil {
		return
	}
	defer other.Close()
	go func() { _, _ = io.Copy(held{other, b}, from); _ = other.Close() }()
	_, _ = io.Copy(held{from, b}, other)
}

// held writes as soon as nothing is kept back.
type held struct {
	io.Writer
	between *between
}

func (h held) Write(p []byte) (int, error) {
	h.between.wait()
	return h.Writer.Write(p)
}

func (b *between) wait() {
	b.mu.Lock()
	paused := b.paused
	b.mu.Unlock()
	if paused != nil {
		<-paused
	}
}

func (b *between) pause() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.paused = make(chan struct{})
}

func (b *between) resume() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.paused != nil {
		close(b.paused)
	}
	b.paused = nil
}

// TestTheDatabaseIsPaused asks while the database does not answer: each request is told so within five
// seconds, and answered again as soon as the database is there.
func TestTheDatabaseIsPaused(t *testing.T) {
	t.Parallel()
	address, b := pauseableDatabase(t)
	l := startOn(t, address)
	l.products(2)
	b.pause()
	paths := []string{"/api/v1/today", "/api/v1/products?limit=10", "/api/v1/lots", "/api/v1/waiting", "/api/v1/coverage",
		"/media/catalog?format=csv", "/media/" + strings.Repeat("ab", 32) + "/original"}
	var asking sync.WaitGroup
	for _, path := range paths {
		for range 4 { // more than there are connections
			asking.Go(func() {
				began := time.Now()
				response, err := http.Get(l.URL + path)
				if err != nil {
					t.Error(err)
					return
				}
				defer response.Body.Close()
				said, _ := io.ReadAll(response.Body)
				if response.StatusCode != http.StatusServiceUnavailable || !strings.Contains(string(said), "database does not answer") {
					t.Errorf("%s: %d %s", path, response.StatusCode, said)
				}
				if took := time.Since(began); took > 5*time.Second {
					t.Errorf("%s took %s to say that", path, took)
				}
			})
		}
	}
	asking.Wait()
	b.resume()
	l.until("answers", func() bool {
		response, err := http.Get(l.URL + "/api/v1/today")
		if err != nil {
			return false
		}
		defer response.Body.Close()
		return response.StatusCode == http.StatusOK
	})
}
