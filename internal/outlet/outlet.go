// Package outlet says what a place is that pictures are handed on to. Each kind is a package
// below it and a line in package kinds. What goes, and under which name, is for core/dispatch.
package outlet

import (
	"context"
	"io"

	"ambrosa/core/dispatch"
	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// Kind is a kind of outlet.
type Kind struct {
	Name   string // in the database and the interface: webdav
	Label  string
	Fields []origin.Field
	// Packed says that it is no place that anybody connects to: pictures are packed for it.
	Packed bool
	// Host returns the host that settings lead to; secrets are for it alone.
	Host func(settings map[string]string) string
	// Check says what of the settings cannot be used, before anybody connects; nil for nothing.
	// The error is an origin.Fault.
	Check func(settings map[string]string) error
	// Slot tells where a picture stands at an outlet of settings: another one in its slot takes
	// its stead. nil where that is its name.
	Slot func(settings map[string]string) func(dispatch.Sent) string
	// Open connects with settings by field name; nil for packages, which are taken. What cannot
	// be used is an origin.Fault.
	Open func(ctx context.Context, settings map[string]string, guard outgoing.Guard) (Outlet, error)
}

// Outlet is an open connection. Its methods may be called side by side; what goes wrong at the
// other side is an origin.Fault.
type Outlet interface {
	// Test tells whether pictures could be put there; it leaves nothing behind.
	Test(ctx context.Context) error
	// Put puts a picture there, in the stead of what has its name, so that half of it is never
	// seen, and returns what the other side said. To put the same again changes nothing.
	Put(ctx context.Context, p Picture) (answer string, err error)
	// Remove takes away a picture that went there before; one that is not there is gone already.
	Remove(ctx context.Context, s dispatch.Sent) (answer string, err error)
	// Pinned is what shall be remembered of the other side, to tell it by the next time.
	Pinned() string
	Close() error
}

// Picture is what is put somewhere.
type Picture struct {
	dispatch.Item
	Name string // there, with slashes between folders
	Was  string // the name that it had there; empty where it is new
	Type string // IANA media type
	Sum  string // SHA-256 of the bytes that go, hexadecimal
	Size int64
	Open func(context.Context) (io.ReadSeekCloser, error)
}
