// Package origin says what a place is that files are fetched from. Each kind is
// a package below it and a line in package kinds. What becomes of the files is
// for internal/run; which of them are taken is for core/harvest.
package origin

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"ambrosa/core/legible"
	"ambrosa/internal/contained"
	"ambrosa/internal/outgoing"
)

// Field is a setting that a kind of origin asks for.
type Field struct {
	Name     string `json:"name"`
	Label    string `json:"label"`
	Hint     string `json:"hint"`
	Type     string `json:"type" enum:"text,lines,secret,secret lines" doc:"Secrets are stored encrypted and never shown again"`
	Required bool   `json:"required"`

	Choices []string `json:"choices,omitempty" doc:"What can stand in it; left out for anything"`
}

// Kind is a kind of origin.
type Kind struct {
	Name   string // in the database and the interface: webdav
	Label  string
	Fields []Field
	// Host returns the host that settings lead to. Secrets are for it alone.
	Host func(settings map[string]string) string
	// Open connects to a drive with settings by field name; nil for kinds that
	// have no folders. What cannot be used is a Fault.
	Open func(ctx context.Context, settings map[string]string, guard outgoing.Guard) (Drive, error)
}

// HostIn returns what tells the host of the address in a setting.
func HostIn(setting string) func(map[string]string) string {
	return func(settings map[string]string) string {
		text := strings.TrimSpace(settings[setting])
		if address, err := url.Parse(text); err == nil && address.Host != "" {
			return address.Scheme + "://" + outgoing.HostOf(address)
		}
		return strings.ToLower(text)
	}
}

// Drive is an open connection. Its methods may be called side by side.
type Drive interface {
	// List returns what is in a folder, folders too; "" is the top.
	List(ctx context.Context, folder string) ([]Entry, error)
	// Read returns a file's bytes.
	Read(ctx context.Context, path string) (io.ReadCloser, error)
	// Pinned is what shall be remembered of the other side, to tell it by the
	// next time (a host key); "" for nothing.
	Pinned() string
	Close() error
}

// Writable is a drive that can be written to, too. Folders above a file are made as they are
// needed.
type Writable interface {
	Drive
	// Write writes a file of a size, in bytes. When it breaks off, what there is of it may be there.
	Write(ctx context.Context, path string, content io.ReadSeeker, size int64) error
	// Move gives a file another name, in the stead of one that has it.
	Move(ctx context.Context, from, to string) error
	// Remove removes a file; one that is not there is gone already.
	Remove(ctx context.Context, path string) error
	// Whole tells whether a file that is written is there whole or not at all.
	Whole() bool
}

// Entry is a file or a folder of a drive.
type Entry struct {
	Path     string // with slashes, from the top
	Folder   bool
	Bytes    int64
	Modified time.Time
	Tag      string // changes when the bytes change; "" where the drive has none
}

// PinnedSetting is the name under which Open finds what Pinned returned before.
const PinnedSetting = "pinned"

// Fault is what is wrong with an origin, in the user's words.
type Fault struct {
	Reason string
	Again  bool          // it may go by itself: worth another try
	After  time.Duration // how long to wait before it, as the other side asks; 0 where it does not
	cause  error
}

func (f *Fault) Error() string { return f.Reason }

func (f *Fault) Unwrap() error { return f.cause }

// maxReason bounds what is said of a fault, bytes: some of it comes from the other
// side.
const maxReason = 600

// Faulty makes a fault of an error that a kind understands.
func Faulty(reason string, again bool, cause error) error {
	return &Fault{Reason: legible.Short(legible.Text(reason), maxReason), Again: again, cause: cause}
}

// MaxWait is how long is waited at most because the other side asks for it; who
// asks for more is left for another day.
const MaxWait = 5 * time.Minute

// Answered makes a fault of an HTTP status that is not a success, and of what
// its Retry-After says (RFC 9110 section 10.2.3).
func Answered(status int, retryAfter, host string, now time.Time) error {
	switch {
	case status == http.StatusTooManyRequests, status == http.StatusServiceUnavailable:
		f := &Fault{Reason: fmt.Sprintf("%s asks to wait (%d)", host, status), Again: true, After: waitOf(retryAfter, now)}
		if f.After > MaxWait {
			f.Reason, f.Again = fmt.Sprintf("%s asks to come back in %s (%d)", host, f.After.Round(time.Second), status), false
		}
		return f
	case status >= 500:
		return Faulty(fmt.Sprintf("%s cannot answer now (%d)", host, status), true, nil)
	case status == http.StatusNotFound, status == http.StatusGone:
		return Faulty("it is not there ("+strconv.Itoa(status)+")", false, nil)
	case status == http.StatusUnauthorized, status == http.StatusForbidden:
		return Faulty(fmt.Sprintf("%s does not let us have it (%d)", host, status), false, nil)
	}
	return Faulty(fmt.Sprintf("%s answers with the status %d", host, status), false, nil)
}

// Said adds to a fault what the other side said.
func Said(fault error, words string) error {
	var known *Fault
	if words == "" || !errors.As(fault, &known) {
		return fault
	}
	return &Fault{Reason: legible.Short(known.Reason+": "+words, maxReason), Again: known.Again, After: known.After, cause: known.cause}
}

func waitOf(retryAfter string, now time.Time) time.Duration {
	if seconds, err := strconv.Atoi(retryAfter); err == nil && seconds >= 0 && seconds < 1<<30 {
		return time.Duration(seconds) * time.Second
	}
	if at, err := http.ParseTime(retryAfter); err == nil && at.After(now) {
		return at.Sub(now)
	}
	return 0
}

// Address reads the address of a drive over HTTP. What cannot be used is a Fault.
func Address(text string) (*url.URL, error) {
	address, err := url.Parse(text)
	if err != nil || address.Host == "" || (address.Scheme != "http" && address.Scheme != "https") {
		return nil, Faulty(fmt.Sprintf("%q is not an address that begins with http:// or https://", text), false, err)
	}
	return address, NoUser(text)
}

// NoUser refuses an address with a user and a password in it: it is shown and logged as it is.
func NoUser(text string) error {
	address, err := url.Parse(text)
	if err == nil && address.User != nil || err != nil && strings.Contains(text, "@") {
		return Faulty("an address has no user and no password in it, as it is shown to everybody: a password goes in its own field", false, nil)
	}
	return nil
}

// Content gives out a file's bytes as they come. What goes wrong on the way is
// put through explain; a server that hardly sends is given up, with stop.
func Content(source io.ReadCloser, stop func(), explain func(error) error) io.ReadCloser {
	return &content{outgoing.Steady(source, leastRate, leastWindow, stop), explain}
}

// leastRate is how many bytes a second have to come, looked at over leastWindow.
const (
	leastRate   = 1024
	leastWindow = 30 * time.Second
)

type content struct {
	io.ReadCloser
	explain func(error) error
}

func (c *content) Read(p []byte) (int, error) {
	n, err := c.ReadCloser.Read(p)
	if err != nil && !errors.Is(err, io.EOF) {
		err = c.explain(err)
	}
	return n, err
}

// Explained makes a fault of an error of the network, as far as it can be told;
// other errors keep their own words, behind what was being done.
func Explained(doing, host string, err error) error {
	var known *Fault
	if err == nil || errors.As(err, &known) || errors.Is(err, context.Canceled) && !errors.Is(err, outgoing.ErrSlow) {
		return err
	}
	var failed *contained.Panic
	if errors.As(err, &failed) {
		return Faulty("what "+host+" answers cannot be read", false, err)
	}
	if text, again, ok := outgoing.Explain(err, host); ok {
		return Faulty(text, again, err)
	}
	return Faulty(doing+": "+err.Error(), false, err)
}
