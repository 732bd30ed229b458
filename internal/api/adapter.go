package api

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/url"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/database"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// adapter lets huma's operations run on Fiber v3, for which huma has none.
//
// Fiber's context is reused as soon as a handler returns, and fasthttp sends a
// stream only after that. So the request is copied out first, the operation
// runs in a goroutine of its own, and Fiber's handler returns when the
// operation has either ended (its body is sent whole) or begun to stream (its
// body is sent as it comes).
type adapter struct {
	app  *fiber.App
	keep *store.Store // nil where only the description is wanted
}

func (a *adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	path := strings.NewReplacer("{", ":", "}", "").Replace(op.Path)
	a.app.Add([]string{op.Method}, path, func(c fiber.Ctx) error { return a.serve(c, op, handler) })
}

// ServeHTTP serves one request without a listener, for tests.
func (a *adapter) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	response, err := a.app.Test(r, fiber.TestConfig{Timeout: 0})
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	defer response.Body.Close()
	for name, values := range response.Header {
		for _, value := range values {
			w.Header().Add(name, value)
		}
	}
	w.WriteHeader(response.StatusCode)
	_, _ = io.Copy(w, response.Body)
}

var _ http.Handler = (*adapter)(nil)

func (a *adapter) serve(c fiber.Ctx, op *huma.Operation, handler func(huma.Context)) error {
	ctx, err := copyRequest(c, op)
	if err != nil {
		return err
	}
	if a.keep != nil && !endless(op) {
		gone := ctx.cancel
		there, end := a.keep.WhileThere(store.ForPage(ctx.ctx))
		ctx.ctx, ctx.cancel = there, func() { end(); gone() }
	}
	ended := make(chan any, 1)
	go func() {
		defer func() {
			failed := recover()
			if failed != nil {
				failed = fmt.Errorf("%v\n%s", failed, debug.Stack())
			}
			ctx.out.end(failed)
			ended <- failed
		}()
		handler(ctx)
	}()
	var failed any
	select {
	case failed = <-ended:
	case <-ctx.out.streams:
		select {
		case failed = <-ended: // it began to stream and ended at once
		default:
		}
	}
	if err, ok := failed.(error); ok {
		ctx.cancel()
		return err
	}
	if errors.Is(context.Cause(ctx.ctx), database.ErrAway) && !ctx.out.begun && ctx.out.status >= http.StatusBadRequest {
		ctx.cancel()
		return away(c)
	}
	if stream, streams := ctx.body.(*onceEnded); streams && stream.err == nil {
		// What the operation did not read must not be taken for the next request.
		c.RequestCtx().SetConnectionClose()
	}
	return ctx.out.send(c, ctx.cancel)
}

// humaContext is huma's view of a request that was copied out of Fiber's.
type humaContext struct {
	op      *huma.Operation
	ctx     context.Context
	cancel  context.CancelFunc
	method  string
	host    string
	remote  string
	proto   string
	url     url.URL
	query   url.Values
	params  map[string]string
	headers http.Header
	body    io.Reader
	tls     *tls.ConnectionState
	out     *response
	conn    net.Conn
}

var _ huma.Context = (*humaContext)(nil)

func copyRequest(c fiber.Ctx, op *huma.Operation) (*humaContext, error) {
	parsed, err := url.ParseRequestURI(string(c.Request().RequestURI()))
	if err != nil {
		return nil, fiber.NewError(http.StatusBadRequest, "the address cannot be read")
	}
	ctx := &humaContext{
		op:      op,
		method:  strings.Clone(c.Method()),
		host:    strings.Clone(c.Host()),
		remote:  c.RequestCtx().RemoteAddr().String(),
		proto:   strings.Clone(c.Protocol()),
		url:     *parsed,
		query:   parsed.Query(),
		params:  map[string]string{},
		headers: http.Header{},
		tls:     c.RequestCtx().TLSConnectionState(),
		conn:    c.RequestCtx().Conn(),
		out:     newResponse(),
	}
	ctx.ctx, ctx.cancel = untilGone(context.WithoutCancel(c.Context()), ctx.conn)
	if !endless(op) {
		gone := ctx.cancel
		bounded, end := context.WithTimeout(ctx.ctx, longest)
		ctx.ctx, ctx.cancel = bounded, func() { end(); gone() }
	}
	for _, name := range c.Route().Params {
		value, err := url.PathUnescape(c.Params(name))
		if err != nil {
			return nil, fiber.NewError(http.StatusBadRequest, "the address cannot be read")
		}
		ctx.params[name] = strings.Clone(value)
	}
	for name, value := range c.Request().Header.All() {
		ctx.headers.Add(string(name), string(value))
	}
	ctx.ctx = door.WithRequest(ctx.ctx, ctx.headers.Get(requestNumber))
	if stream := c.Request().BodyStream(); stream != nil {
		ctx.body = &onceEnded{source: stream}
	} else {
		ctx.body = bytes.NewReader(bytes.Clone(c.Body()))
	}
	return ctx, nil
}

// longest is how long an operation may take that does not stream.
const longest = time.Minute

// endless tells whether an operation goes on for as long as somebody listens or
// sends.
func endless(op *huma.Operation) bool {
	for _, answer := range op.Responses {
		if answer.Content["text/event-stream"] != nil {
			return true
		}
	}
	return op.OperationID == "import-products"
}

func (c *humaContext) Operation() *huma.Operation { return c.op }
func (c *humaContext) Context() context.Context   { return c.ctx }
func (c *humaContext) TLS() *tls.ConnectionState  { return c.tls }
func (c *humaContext) Version() huma.ProtoVersion {
	major, minor, _ := http.ParseHTTPVersion(c.proto)
	return huma.ProtoVersion{Proto: c.proto, ProtoMajor: major, ProtoMinor: minor}
}
func (c *humaContext) Method() string            { return c.method }
func (c *humaContext) Host() string              { return c.host }
func (c *humaContext) RemoteAddr() string        { return c.remote }
func (c *humaContext) URL() url.URL              { return c.url }
func (c *humaContext) Param(name string) string  { return c.params[name] }
func (c *humaContext) Query(name string) string  { return c.query.Get(name) }
func (c *humaContext) Header(name string) string { return c.headers.Get(name) }
func (c *humaContext) EachHeader(each func(name, value string)) {
	for name, values := range c.headers {
		for _, value := range values {
			each(name, value)
		}
	}
}
func (c *humaContext) BodyReader() io.Reader { return c.body }

// GetMultipartForm reads a form of at most 32 MiB in memory; the rest of it
// goes to files.
func (c *humaContext) GetMultipartForm() (*multipart.Form, error) {
	request := http.Request{Method: c.method, Header: c.headers, Body: io.NopCloser(c.body)}
	err := request.ParseMultipartForm(32 << 20)
	return request.MultipartForm, err
}

func (c *humaContext) SetReadDeadline(deadline time.Time) error {
	if c.conn == nil {
		return nil
	}
	return c.conn.SetReadDeadline(deadline)
}
func (c *humaContext) SetStatus(code int)              { c.out.status = code }
func (c *humaContext) Status() int                     { return c.out.status }
func (c *humaContext) SetHeader(name, value string)    { c.out.headers.Set(name, value) }
func (c *humaContext) AppendHeader(name, value string) { c.out.headers.Add(name, value) }
func (c *humaContext) BodyWriter() io.Writer           { return c.out }
func (c *humaContext) Unwrap() huma.Context            { return c }

// onceEnded stays at its end: fasthttp's stream of a chunked body would wait
// for another chunk when it is read again.
type onceEnded struct {
	source io.Reader
	err    error
}

func (o *onceEnded) Read(p []byte) (n int, err error) {
	if o.err == nil {
		n, o.err = o.source.Read(p)
	}
	return n, o.err
}

// streamFrom is how large a body may be before it is sent as it comes.
const streamFrom = 256 << 10

// response collects what an operation answers. Once it streams, its status and
// headers are not changed any more.
type response struct {
	status  int
	headers http.Header
	buffer  bytes.Buffer
	streams chan struct{}
	once    sync.Once
	reader  *io.PipeReader
	writer  *io.PipeWriter
	begun   bool
}

func newResponse() *response {
	r := &response{status: http.StatusOK, headers: http.Header{}, streams: make(chan struct{})}
	r.reader, r.writer = io.Pipe()
	return r
}

func (r *response) Write(p []byte) (int, error) {
	if !r.begun {
		r.buffer.Write(p)
		if r.buffer.Len() < streamFrom {
			return len(p), nil
		}
		return len(p), r.flush()
	}
	return r.writer.Write(p)
}

// Flush sends what was written so far, and from now on everything as it comes.
func (r *response) Flush() { _ = r.flush() }

func (r *response) flush() error {
	if r.begun {
		return nil
	}
	r.begun = true
	r.once.Do(func() { close(r.streams) })
	_, err := r.writer.Write(r.buffer.Bytes())
	return err
}

// SetWriteDeadline is there for huma's event streams; a client that is gone is
// noticed by the failing write.
func (r *response) SetWriteDeadline(time.Time) error { return nil }

func (r *response) end(failed any) {
	if err, ok := failed.(error); ok {
		_ = r.writer.CloseWithError(err)
		return
	}
	_ = r.writer.Close()
}

func (r *response) send(c fiber.Ctx, cancel context.CancelFunc) error {
	c.Status(r.status)
	for name, values := range r.headers {
		for i, value := range values {
			if i == 0 {
				c.Set(name, value)
			} else {
				c.Append(name, value)
			}
		}
	}
	select {
	case <-r.streams:
		c.RequestCtx().Response.SetBodyStream(&streamed{r.reader, cancel}, -1)
		return nil
	default:
	}
	cancel()
	if r.buffer.Len() > 0 || r.status != http.StatusNoContent {
		return c.Send(r.buffer.Bytes())
	}
	return nil
}

// streamed ends the operation when the client is gone.
type streamed struct {
	*io.PipeReader
	cancel context.CancelFunc
}

func (s *streamed) Close() error {
	s.cancel()
	return s.CloseWithError(errors.New("the client is gone"))
}
