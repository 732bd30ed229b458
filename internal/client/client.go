// Package client speaks to a running Ambrosa as its interface does: JSON to the
// operations, tus 1.0 for uploads. The sample data, the journeys and the
// benchmarks come in by it.
package client

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// Client asks the Ambrosa that serves at Address ("http://127.0.0.1:8080").
type Client struct{ Address string }

// Status is an answer that is no success.
type Status struct {
	Code int
	Text string // what was asked, and what the server said
}

func (s *Status) Error() string { return s.Text }

// chunk is how many bytes Upload sends at a time.
const chunk = 8 << 20

// Get asks for what is at a path and reads it into into.
func (c Client) Get(ctx context.Context, path string, into any) error {
	return c.Call(ctx, http.MethodGet, path, "", nil, into)
}

// Post sends body, unless it is nil, as JSON and reads the answer into into,
// unless that is nil.
func (c Client) Post(ctx context.Context, path string, body, into any) error {
	return c.send(ctx, http.MethodPost, path, body, into)
}

// Put is Post for what replaces.
func (c Client) Put(ctx context.Context, path string, body, into any) error {
	return c.send(ctx, http.MethodPut, path, body, into)
}

func (c Client) send(ctx context.Context, method, path string, body, into any) error {
	if body == nil {
		return c.Call(ctx, method, path, "", nil, into)
	}
	content, err := json.Marshal(body)
	if err != nil {
		return err
	}
	return c.Call(ctx, method, path, "application/json", bytes.NewReader(content), into)
}

// Apply applies a plan as it stands; the answer comes when its run is queued.
func (c Client) Apply(ctx context.Context, plan int64) error {
	path := fmt.Sprintf("/api/v1/plans/%d", plan)
	var seen struct{ Revision int }
	if err := c.Get(ctx, path, &seen); err != nil {
		return err
	}
	return c.Post(ctx, path+"/apply", map[string]int{"revision": seen.Revision}, nil)
}

// Call makes a request with a body of a media type. Answers outside 2xx are
// errors of type *Status.
func (c Client) Call(ctx context.Context, method, path, kind string, body io.Reader, into any) error {
	request, err := http.NewRequestWithContext(ctx, method, c.Address+path, body)
	if err != nil {
		return err
	}
	if kind != "" {
		request.Header.Set("Content-Type", kind)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	said, err := io.ReadAll(response.Body)
	if err != nil {
		return err
	}
	if response.StatusCode < 200 || response.StatusCode > 299 {
		return &Status{response.StatusCode, fmt.Sprintf("%s %s: %s: %s", method, path, response.Status, said)}
	}
	if into == nil {
		return nil
	}
	return json.Unmarshal(said, into)
}

// Gather makes a lot of one archive or picture, uploads it and returns the
// lot's id; the examination begins by itself.
func (c Client) Gather(ctx context.Context, name string, content io.Reader, size int64) (lot int64, err error) {
	var created struct{ ID int64 }
	if err := c.Post(ctx, "/api/v1/lots", map[string]any{"name": name, "uploads": 1}, &created); err != nil {
		return 0, err
	}
	return created.ID, c.Upload(ctx, created.ID, name, content, size)
}

// Upload sends a file of a lot, in chunks.
func (c Client) Upload(ctx context.Context, lot int64, path string, content io.Reader, size int64) error {
	location, err := c.Begin(ctx, lot, path, size)
	if err != nil {
		return err
	}
	return c.sendChunks(ctx, location, path, content, size)
}

// HandIn sends a file of a lot through a supplier's link, in chunks; link is
// what the link's address ends with.
func (c Client) HandIn(ctx context.Context, link string, lot int64, path string, content io.Reader, size int64) error {
	location, err := c.HandInBegin(ctx, link, lot, path, size)
	if err != nil {
		return err
	}
	return c.sendChunks(ctx, location, path, content, size)
}

// HandInBegin opens an upload through a supplier's link and returns its address.
func (c Client) HandInBegin(ctx context.Context, link string, lot int64, path string, size int64) (location string, err error) {
	return c.begin(ctx, "/hand-in/uploads/", size, map[string]string{"link": link, "lot": strconv.FormatInt(lot, 10), "path": path})
}

func (c Client) sendChunks(ctx context.Context, location, path string, content io.Reader, size int64) error {
	buffer := make([]byte, min(chunk, size))
	for at := int64(0); at < size; {
		n, err := io.ReadFull(content, buffer[:min(chunk, size-at)])
		if err != nil {
			return fmt.Errorf("upload %s: %w", path, err)
		}
		if err := c.Append(ctx, location, at, buffer[:n]); err != nil {
			return fmt.Errorf("upload %s: %w", path, err)
		}
		at += int64(n)
	}
	return nil
}

// Begin opens an upload (tus 1.0, creation) and returns its address.
func (c Client) Begin(ctx context.Context, lot int64, path string, size int64) (location string, err error) {
	return c.begin(ctx, "/uploads/", size, map[string]string{"lot": strconv.FormatInt(lot, 10), "path": path})
}

func (c Client) begin(ctx context.Context, at string, size int64, says map[string]string) (location string, err error) {
	var metadata []string
	for name, value := range says {
		metadata = append(metadata, name+" "+base64.StdEncoding.EncodeToString([]byte(value)))
	}
	headers, err := tus(ctx, http.MethodPost, c.Address+at, http.StatusCreated, nil, map[string]string{
		"Upload-Length": strconv.FormatInt(size, 10), "Upload-Metadata": strings.Join(metadata, ",")})
	return headers.Get("Location"), err
}

// Append sends the bytes of an upload that begin at an offset.
func (c Client) Append(ctx context.Context, location string, at int64, part []byte) error {
	_, err := tus(ctx, http.MethodPatch, location, http.StatusNoContent, part, map[string]string{
		"Upload-Offset": strconv.FormatInt(at, 10), "Content-Type": "application/offset+octet-stream"})
	return err
}

// Offset asks how many bytes of an upload the server has.
func (c Client) Offset(ctx context.Context, location string) (int64, error) {
	headers, err := tus(ctx, http.MethodHead, location, http.StatusOK, nil, nil)
	if err != nil {
		return 0, err
	}
	return strconv.ParseInt(headers.Get("Upload-Offset"), 10, 64)
}

func tus(ctx context.Context, method, address string, want int, body []byte, headers map[string]string) (http.Header, error) {
	request, err := http.NewRequestWithContext(ctx, method, address, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	request.Header.Set("Tus-Resumable", "1.0.0")
	for name, value := range headers {
		request.Header.Set(name, value)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return nil, err
	}
	said, err := io.ReadAll(response.Body)
	if err := errors.Join(err, response.Body.Close()); err != nil {
		return nil, err
	}
	if response.StatusCode != want {
		return nil, &Status{response.StatusCode, fmt.Sprintf("%s: %s: %s", method, response.Status, said)}
	}
	return response.Header, nil
}

// Until asks again and again until reached says so, fails, or ctx ends.
func Until(ctx context.Context, reached func() (bool, error)) error {
	for {
		if ok, err := reached(); ok || err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
}
