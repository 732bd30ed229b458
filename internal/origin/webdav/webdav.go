// Package webdav reads drives that speak WebDAV (RFC 4918).
package webdav

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"path"
	"strconv"
	"strings"
	"sync"

	"github.com/studio-b12/gowebdav"

	"ambrosa/internal/contained"
	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// Kind is the kind of origin.
var Kind = origin.Kind{
	Name: "webdav", Label: "WebDAV",
	Host: origin.HostIn("address"),
	Fields: []origin.Field{
		{Name: "address", Label: "Address", Hint: "https://files.example.com/dav/", Type: "text", Required: true},
		{Name: "user", Label: "User name", Type: "text"},
		{Name: "password", Label: "Password", Type: "secret"},
	},
	Open: open,
}

type drive struct {
	client     *gowebdav.Client
	transport  *http.Transport
	lists      *lists
	host, base string
	greeting   sync.Once
}

func open(_ context.Context, settings map[string]string, guard outgoing.Guard) (origin.Drive, error) {
	address, err := origin.Address(settings["address"])
	if err != nil {
		return nil, err
	}
	d := &drive{transport: guard.Transport(), host: address.Host, base: strings.TrimSuffix(address.Path, "/")}
	d.client = gowebdav.NewClient(address.String(), settings["user"], settings["password"])
	d.lists = &lists{RoundTripper: d.transport}
	d.client.SetTransport(d.lists)
	return d, nil
}

// lists is the transport of a drive. It ends the list of a folder that has no end, and remembers lists that broke
// off: gowebdav takes what has come of one for the whole.
type lists struct {
	http.RoundTripper
	most   int64    // bytes of a list; 0 for origin.MostListed
	broken sync.Map // error by the path of a folder
}

var errEndless = errors.New("the list is too long")

func (l *lists) RoundTrip(request *http.Request) (*http.Response, error) {
	response, err := l.RoundTripper.RoundTrip(request)
	if err == nil && request.Method == "PROPFIND" && response.StatusCode == http.StatusMultiStatus {
		asked := request
		for asked.Response != nil { // it was redirected here
			asked = asked.Response.Request
		}
		response.Body = &list{ReadCloser: response.Body, left: cmp.Or(l.most, origin.MostListed), broke: func(err error) {
			l.broken.LoadOrStore(path.Clean(asked.URL.Path), err)
		}}
	}
	return response, err
}

// broke returns why the list of a folder, by its path, broke off, and forgets it.
func (l *lists) broke(folder string) error {
	if err, broke := l.broken.LoadAndDelete(path.Clean(folder)); broke {
		return err.(error)
	}
	return nil
}

// list is the list of a folder as it comes.
type list struct {
	io.ReadCloser
	left  int64
	tail  []byte // of what came
	begun bool   // somebody reads it: gowebdav sends a request twice when it logs in
	whole bool   // it came to its end
	broke func(error)
}

func (l *list) Read(p []byte) (int, error) {
	l.begun = true
	n, err := l.ReadCloser.Read(p)
	if l.left -= int64(n); l.left < 0 {
		n, err = 0, errEndless
	}
	l.tail = append(l.tail, p[:n]...)
	l.tail = l.tail[max(0, len(l.tail)-200):]
	switch {
	case errors.Is(err, io.EOF):
		l.whole = bytes.Contains(l.tail, []byte("multistatus>")) // else it breaks off without a fault
	case err != nil:
		l.broke(err)
	}
	return n, err
}

func (l *list) Close() error {
	if l.begun && !l.whole {
		l.broke(io.ErrUnexpectedEOF)
	}
	return l.ReadCloser.Close()
}

func (d *drive) Pinned() string { return "" }

func (d *drive) Close() error {
	d.transport.CloseIdleConnections()
	return nil
}

// do runs a call of the client, which takes no context, and gives it up when
// ctx ends.
func do[T any](ctx context.Context, call func() (T, error)) (T, error) {
	type answer struct {
		value T
		err   error
	}
	answers := make(chan answer, 1)
	go func() {
		var a answer
		a.err = contained.Safely(func() (err error) {
			a.value, err = call()
			return err
		})()
		answers <- a
	}()
	select {
	case a := <-answers:
		return a.value, a.err
	case <-ctx.Done():
		var none T
		return none, ctx.Err()
	}
}

func (d *drive) List(ctx context.Context, folder string) ([]origin.Entry, error) {
	infos, err := do(ctx, func() ([]os.FileInfo, error) {
		_ = d.lists.broke(d.base + "/" + folder) // of before
		infos, err := d.client.ReadDir("/" + folder)
		return infos, errors.Join(err, d.lists.broke(d.base+"/"+folder))
	})
	if err != nil {
		return nil, d.explain("list /"+folder, folder, err)
	}
	tags := map[string]string{}
	for _, info := range infos {
		if file, ok := info.(gowebdav.File); ok {
			tags[path.Join(folder, info.Name())] = file.ETag()
		}
	}
	entries := origin.Listed(folder, infos)
	for i := range entries {
		entries[i].Tag = tags[entries[i].Path]
	}
	return entries, nil
}

func (d *drive) Read(ctx context.Context, name string) (io.ReadCloser, error) {
	content, err := do(ctx, func() (io.ReadCloser, error) { return d.client.ReadStream("/" + name) })
	if err != nil {
		return nil, d.explain("read /"+name, name, err)
	}
	// Closing the body ends a reading that waits.
	return origin.Content(
		content,
		func() { _ = content.Close() },
		func(err error) error { return d.explain("read /"+name, name, err) },
	), nil
}

func (d *drive) explain(doing, name string, err error) error {
	if err == nil {
		return nil
	}
	if errors.Is(err, errEndless) {
		return origin.TooLong(name, d.host, err)
	}
	var status gowebdav.StatusError
	if !errors.As(err, &status) {
		return origin.Explained(doing, d.host, err)
	}
	switch code := status.Status; {
	case code == http.StatusUnauthorized:
		return origin.Faulty("the user name or the password is wrong", false, err)
	case code == http.StatusForbidden:
		return origin.Faulty("this user may not "+doing, false, err)
	case code == http.StatusInsufficientStorage:
		return origin.Faulty(d.host+" is full", false, err)
	case code == http.StatusNotFound:
		return origin.Faulty("there is no /"+name+" at "+d.host+d.base, false, err)
	case code == http.StatusMethodNotAllowed, code == http.StatusOK:
		return origin.Faulty(d.host+" answers, but does not speak WebDAV at this address", false, err)
	case code == http.StatusTooManyRequests, code == http.StatusLocked, code >= 500:
		return origin.Faulty(d.host+" cannot answer now ("+strconv.Itoa(code)+")", true, err)
	}
	return origin.Faulty(d.host+" refuses to "+doing+" ("+strconv.Itoa(status.Status)+")", false, err)
}
