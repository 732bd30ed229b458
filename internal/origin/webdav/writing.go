package webdav

import (
	"context"
	"errors"
	"io"
	"net/http"

	"github.com/studio-b12/gowebdav"
)

// none is what calls of the client return that return only an error.
type none = struct{}

func (d *drive) Whole() bool { return false }

func (d *drive) Write(ctx context.Context, name string, content io.ReadSeeker, size int64) error {
	// The client asks first how it is to say who it is: not with every file that it writes at once.
	d.greeting.Do(func() {
		_, _ = do(ctx, func() (none, error) { return none{}, d.client.Connect() }) // what is wrong shows when it writes
	})
	_, err := do(ctx, func() (none, error) {
		return none{}, d.client.WriteStreamWithLength("/"+name, stopping{ctx, content}, size, 0)
	})
	return d.explain("write /"+name, name, err)
}

func (d *drive) Move(ctx context.Context, from, to string) error {
	_, err := do(ctx, func() (none, error) { return none{}, d.client.Rename("/"+from, "/"+to, true) })
	return d.explain("rename /"+from, from, err)
}

func (d *drive) Remove(ctx context.Context, name string) error {
	_, err := do(ctx, func() (none, error) { return none{}, d.client.Remove("/" + name) })
	var status gowebdav.StatusError
	if errors.As(err, &status) && status.Status == http.StatusNotFound {
		return nil
	}
	return d.explain("remove /"+name, name, err)
}

// stopping is a content that ends when its context does. It can be sought, so that a client that
// is asked for its password can begin again.
type stopping struct {
	ctx context.Context
	io.ReadSeeker
}

func (s stopping) Read(p []byte) (int, error) {
	if err := s.ctx.Err(); err != nil {
		return 0, err
	}
	return s.ReadSeeker.Read(p)
}
