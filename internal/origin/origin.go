// Package origin says what a place is that files are fetched from. Each kind is
// a package below it and a line in package kinds. What becomes of the files is
// for internal/run; which of them are taken is for core/harvest.
package origin

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"time"

	"ambrosa/internal/outgoing"
)

// Field is a setting that a kind of origin asks for.
type Field struct {
	Name     string `json:"name"`
	Label    string `json:"label"`
	Hint     string `json:"hint"`
	Type     string `json:"type" enum:"text,secret,secret lines" doc:"Secrets are stored encrypted and never shown again"`
	Required bool   `json:"required"`
}

// Kind is a kind of origin that is a drive with folders.
type Kind struct {
	Name   string // in the database and the interface: webdav
	Label  string
	Fields []Field
	// Open connects with settings by field name. What cannot be used is a Fault.
	Open func(ctx context.Context, settings map[string]string, guard outgoing.Guard) (Drive, error)
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
	Again  bool // it may go by itself: worth another try
	cause  error
}

func (f *Fault) Error() string { return f.Reason }

func (f *Fault) Unwrap() error { return f.cause }

// Faulty makes a fault of an error that a kind understands.
func Faulty(reason string, again bool, cause error) error {
	return &Fault{reason, again, cause}
}

// Address reads the address of a drive over HTTP. What cannot be used is a Fault.
func Address(text string) (*url.URL, error) {
	address, err := url.Parse(text)
	if err != nil || address.Host == "" || (address.Scheme != "http" && address.Scheme != "https") {
		return nil, Faulty(fmt.Sprintf("%q is not an address that begins with http:// or https://", text), false, err)
	}
	address.User = nil
	return address, nil
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
	if text, again, ok := outgoing.Explain(err, host); ok {
		return &Fault{text, again, err}
	}
	return &Fault{doing + ": " + err.Error(), false, err}
}
