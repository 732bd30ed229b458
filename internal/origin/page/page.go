// Package page reads pages of the web and the pictures they lead to, as a
// polite visitor: it holds to robots.txt (RFC 9309), waits between requests to
// a host, and stops at limits. What stands on a page is for core/harvest.
package page

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/html/charset"

	"ambrosa/core/legible"
	"ambrosa/core/picturespec"
	"ambrosa/core/robots"
	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// Agent is the product token that robots.txt names this visitor by.
const Agent = "ambrosa"

const userAgent = "Ambrosa/1.0 (gathers product pictures for a catalog)"

// Limits of what is read, bytes.
const (
	MaxPage = 10 << 20
	maxHead = 512 << 10 // of a picture, to measure it
)

// DefaultPause is waited between two requests for pages of one host unless a
// recipe or robots.txt says otherwise.
const DefaultPause = 500 * time.Millisecond

// Client reads pages. It may be used side by side.
type Client struct {
	http  *http.Client // for what robots.txt has to allow, on every redirect too
	plain *http.Client // for robots.txt itself
	pause time.Duration

	mu    sync.Mutex
	sites map[string]*site
}

// site is what is known of a host.
type site struct {
	once   sync.Once
	robots robots.Rules
	fault  error
	mu     sync.Mutex
	next   time.Time
}

// New returns a client that goes where guard lets it, with a pause between two
// pages of a host; 0 is DefaultPause.
func New(guard outgoing.Guard, pause time.Duration) *Client {
	if pause == 0 {
		pause = DefaultPause
	}
	c := &Client{pause: pause, sites: map[string]*site{}}
	transport := guard.Transport()
	c.plain = &http.Client{Transport: transport, CheckRedirect: outgoing.Redirects(maxRedirects, nil)}
	c.http = &http.Client{Transport: transport, CheckRedirect: outgoing.Redirects(maxRedirects, func(next *http.Request) error {
		return c.admit(next.Context(), next.URL, false)
	})}
	return c
}

// maxRedirects is how many redirects are followed (RFC 9309 section 2.3.1.2 asks
// for five at least).
const maxRedirects = 8

// Close lets the connections go.
func (c *Client) Close() error {
	c.http.CloseIdleConnections()
	return nil
}

// Pinned is for origins that remember the other side.
func (c *Client) Pinned() string { return "" }

// Page is a page as it came.
type Page struct {
	Address *url.URL // after redirects
	Content []byte   // as UTF-8
	Tag     string   // tells one state of the page from another; "" where the site has none
	Same    bool     // it is as the tag that was handed in says; there is no content
}

// Page reads the page at an address. known is the tag of what is known of it.
// What is wrong is an origin.Fault.
func (c *Client) Page(ctx context.Context, address, known string) (*Page, error) {
	u, err := origin.Address(address)
	if err != nil {
		return nil, err
	}
	if err := c.admit(ctx, u, true); err != nil {
		return nil, err
	}
	header := http.Header{"Accept": {"text/html,application/xhtml+xml;q=0.9,*/*;q=0.1"}}
	if tag, ok := strings.CutPrefix(known, "E"); ok {
		header.Set("If-None-Match", tag)
	} else if at, ok := strings.CutPrefix(known, "T"); ok {
		header.Set("If-Modified-Since", at)
	}
	response, body, err := get(ctx, c.http, u, header)
	if err != nil {
		return nil, err
	}
	defer body.Close()
	if response.StatusCode == http.StatusNotModified && known != "" {
		return &Page{Address: response.Request.URL, Tag: known, Same: true}, nil
	}
	if response.StatusCode != http.StatusOK {
		return nil, origin.Answered(response.StatusCode, response.Header.Get("Retry-After"), u.Host, time.Now())
	}
	content, err := io.ReadAll(io.LimitReader(body, MaxPage+1))
	if err != nil {
		return nil, err
	}
	if len(content) > MaxPage {
		return nil, origin.Faulty(fmt.Sprintf("the page is larger than %d MB", MaxPage>>20), false, nil)
	}
	kind := response.Header.Get("Content-Type")
	if !isPage(kind, content) {
		return nil, origin.Faulty(
			"what is at this address is not a page: "+picturespec.TypeOf(content[:min(len(content), picturespec.HeadBytes)]).Name(),
			false,
			nil,
		)
	}
	if reader, err := charset.NewReader(bytes.NewReader(content), kind); err == nil {
		if converted, err := io.ReadAll(io.LimitReader(reader, 3*MaxPage)); err == nil {
			content = converted
		}
	}
	return &Page{Address: response.Request.URL, Content: []byte(legible.Text(string(content))), Tag: tagOf(response.Header)}, nil
}

func tagOf(h http.Header) string {
	if tag := h.Get("ETag"); tag != "" {
		return "E" + tag
	}
	if at := h.Get("Last-Modified"); at != "" {
		return "T" + at
	}
	return ""
}

// isPage tells by content, since headers may say anything.
func isPage(kind string, content []byte) bool {
	head := content[:min(len(content), picturespec.HeadBytes)]
	switch picturespec.TypeOf(head) {
	case picturespec.HTML:
		return true
	case picturespec.Text, picturespec.SVG:
		media, _, _ := mime.ParseMediaType(kind)
		return media == "" || strings.Contains(media, "html") ||
			media == "text/plain" && bytes.Contains(bytes.ToLower(content), []byte("<body"))
	}
	return false
}

// get asks for an address; the body that comes is watched for its speed, and
// has to be closed.
func get(ctx context.Context, client *http.Client, u *url.URL, header http.Header) (*http.Response, io.ReadCloser, error) {
	ctx, stop := context.WithCancel(ctx)
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, u.String(), nil)
	if err != nil {
		stop()
		return nil, nil, origin.Faulty("this address cannot be asked for: "+err.Error(), false, err)
	}
	request.Header = header
	request.Header.Set("User-Agent", userAgent)
	response, err := client.Do(request)
	if err != nil {
		stop()
		return nil, nil, explain(u, err)
	}
	body := origin.Content(response.Body, stop, func(err error) error { return explain(u, err) })
	return response, &stopping{body, stop}, nil
}

type stopping struct {
	io.ReadCloser
	stop func()
}

func (s *stopping) Close() error {
	s.stop()
	return s.ReadCloser.Close()
}

func explain(u *url.URL, err error) error {
	var refused *origin.Fault
	if errors.As(err, &refused) {
		return refused // by robots.txt of where it leads to
	}
	if errors.Is(err, outgoing.ErrRedirects) {
		return origin.Faulty(u.Host+" "+outgoing.ErrRedirects.Error(), false, err)
	}
	var wrapped *url.Error
	host := u.Host
	if errors.As(err, &wrapped) {
		if at, parseErr := url.Parse(wrapped.URL); parseErr == nil && at.Host != "" {
			host = at.Host
		}
		err = wrapped.Err
	}
	return origin.Explained("ask for it", host, err)
}

// admit asks robots.txt, and waits for a page's turn.
func (c *Client) admit(ctx context.Context, u *url.URL, wait bool) error {
	s := c.site(u)
	s.once.Do(func() { s.robots, s.fault = c.robots(ctx, u) })
	if s.fault != nil {
		c.forget(u, s)
		return s.fault
	}
	if !s.robots.Allow(u) {
		return origin.Faulty("robots.txt of "+u.Host+" asks visitors not to look at "+u.EscapedPath(), false, nil)
	}
	if !wait {
		return nil
	}
	s.mu.Lock()
	at := s.next
	if now := time.Now(); at.Before(now) {
		at = now
	}
	s.next = at.Add(max(c.pause, time.Duration(s.robots.Pause*float64(time.Second))))
	s.mu.Unlock()
	timer := time.NewTimer(time.Until(at))
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-timer.C:
		return nil
	}
}

func (c *Client) site(u *url.URL) *site {
	c.mu.Lock()
	defer c.mu.Unlock()
	key := u.Scheme + "://" + outgoing.HostOf(u)
	s := c.sites[key]
	if s == nil {
		s = &site{}
		c.sites[key] = s
	}
	return s
}

// forget lets a site be asked anew that could not be reached.
func (c *Client) forget(u *url.URL, s *site) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if key := u.Scheme + "://" + outgoing.HostOf(u); c.sites[key] == s {
		delete(c.sites, key)
	}
}

// robots reads a site's rules. After RFC 9309 section 2.3.1, a site that has
// none (4xx) allows everything, and one that cannot say (5xx) nothing. Faults
// of the network are the error.
func (c *Client) robots(ctx context.Context, u *url.URL) (robots.Rules, error) {
	at := &url.URL{Scheme: u.Scheme, Host: u.Host, Path: "/robots.txt"}
	response, body, err := get(ctx, c.plain, at, http.Header{})
	if err != nil {
		return robots.Rules{}, err
	}
	defer body.Close()
	switch {
	case response.StatusCode >= 500:
		return robots.Rules{None: true}, nil
	case response.StatusCode != http.StatusOK:
		return robots.Rules{}, nil
	}
	content, err := io.ReadAll(io.LimitReader(body, 600<<10))
	if err != nil {
		return robots.Rules{}, err
	}
	return robots.Read(content, Agent), nil
}

// Read returns the bytes at an address. It asks robots.txt, but does not wait:
// who reads, says how many at a time.
func (c *Client) Read(ctx context.Context, address string) (io.ReadCloser, error) {
	u, err := origin.Address(address)
	if err != nil {
		return nil, err
	}
	if err := c.admit(ctx, u, false); err != nil {
		return nil, err
	}
	response, body, err := get(ctx, c.http, u, http.Header{"Accept": {pictureTypes}})
	if err != nil {
		return nil, err
	}
	if response.StatusCode != http.StatusOK {
		_ = body.Close()
		return nil, origin.Answered(response.StatusCode, response.Header.Get("Retry-After"), u.Host, time.Now())
	}
	return body, nil
}

const pictureTypes = "image/avif,image/webp,image/jpeg,image/png,image/*;q=0.8,*/*;q=0.1"

// Measured is what the first bytes of a picture tell.
type Measured struct {
	Type    string `json:"type" doc:"By content"`
	Width   int    `json:"width" doc:"Pixels; 0 where the first bytes do not tell"`
	Height  int    `json:"height"`
	Bytes   int64  `json:"bytes" doc:"0 where the site does not say"`
	Tag     string `json:"-"`
	Problem string `json:"problem" doc:"Why it is no picture that can be used"`
}

// Measure reads the first bytes of a picture, as few as tell its size. What is
// wrong with the picture is in its Problem; faults that may pass are the error.
func (c *Client) Measure(ctx context.Context, address string) (m Measured, err error) {
	u, err := origin.Address(address)
	if err != nil {
		return Measured{Problem: err.Error()}, nil
	}
	if err = c.admit(ctx, u, false); err == nil {
		m, err = c.measure(ctx, u)
	}
	var fault *origin.Fault
	if errors.As(err, &fault) && !fault.Again {
		return Measured{Problem: fault.Reason}, nil
	}
	return m, err
}

func (c *Client) measure(ctx context.Context, u *url.URL) (m Measured, err error) {
	response, body, err := get(ctx, c.http, u, http.Header{"Accept": {pictureTypes}, "Range": {fmt.Sprintf("bytes=0-%d", maxHead-1)}})
	if err != nil {
		return m, err
	}
	defer body.Close()
	switch response.StatusCode {
	case http.StatusOK:
		m.Bytes = max(0, response.ContentLength)
	case http.StatusPartialContent:
		// A total that is not said, or not as a number, stays unknown.
		if _, total, said := strings.Cut(response.Header.Get("Content-Range"), "/"); said {
			if n, err := strconv.ParseInt(total, 10, 64); err == nil && n > 0 {
				m.Bytes = n
			}
		}
	case http.StatusRequestedRangeNotSatisfiable:
		m.Problem = "the file is empty"
		return m, nil
	default:
		return m, origin.Answered(response.StatusCode, response.Header.Get("Retry-After"), u.Host, time.Now())
	}
	m.Tag = tagOf(response.Header)
	var head bytes.Buffer
	for _, enough := range []int64{4 << 10, 64 << 10, maxHead} {
		if _, err = io.CopyN(&head, body, enough-int64(head.Len())); err != nil && !errors.Is(err, io.EOF) {
			return m, err
		}
		kind := picturespec.TypeOf(head.Bytes()[:min(head.Len(), picturespec.HeadBytes)])
		m.Type = string(kind)
		if m.Problem = kind.Refusal(); m.Problem != "" {
			return m, nil
		}
		var known bool
		if m.Width, m.Height, known = picturespec.SizeOf(head.Bytes()); known || err != nil {
			break
		}
	}
	if m.Width == 0 && (m.Type == string(picturespec.JPEG) || m.Type == string(picturespec.PNG) || m.Type == string(picturespec.GIF)) {
		m.Problem = "the picture is damaged: its size cannot be read"
	}
	return m, nil
}
