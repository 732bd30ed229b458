package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/gofiber/fiber/v3"
)

type echo struct {
	Body struct {
		Path, Query, Header, Text string
		Numbers                   []int
	}
}

type tick struct {
	N int `json:"n"`
}

// testAPI has one operation for each thing that huma expects of an adapter.
func testAPI() *fiber.App {
	app := fiber.New(fiber.Config{StreamRequestBody: true})
	api := huma.NewAPI(huma.DefaultConfig("test", "1"), &adapter{app: app})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/echo/{name}"}, func(_ context.Context, in *struct {
		Name    string `path:"name"`
		Query   string `query:"q"`
		Numbers []int  `query:"n"`
		Header  string `header:"X-Word"`
		Body    struct {
			Text string `json:"text" minLength:"2"`
		}
	}) (*echo, error) {
		out := &echo{}
		out.Body.Path, out.Body.Query, out.Body.Header, out.Body.Text, out.Body.Numbers = in.Name, in.Query, in.Header, in.Body.Text, in.Numbers
		return out, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodGet, Path: "/large"}, func(context.Context, *struct{}) (*Body[string], error) {
		return &Body[string]{strings.Repeat("x", 3<<20)}, nil
	})
	huma.Register(
		api,
		huma.Operation{Method: http.MethodGet, Path: "/empty", DefaultStatus: http.StatusNoContent},
		func(context.Context, *struct{}) (*struct{}, error) { return nil, nil },
	)
	huma.Register(api, huma.Operation{Method: http.MethodGet, Path: "/headers"}, func(context.Context, *struct{}) (*struct {
		Many []string `header:"X-Many"`
		Body string
	}, error) {
		return &struct {
			Many []string `header:"X-Many"`
			Body string
		}{[]string{"a", "b"}, "ok"}, nil
	})
	huma.Register(
		api,
		huma.Operation{Method: http.MethodGet, Path: "/panics"},
		func(context.Context, *struct{}) (*struct{}, error) { panic("as a bug would") },
	)
	huma.Register(api, huma.Operation{Method: http.MethodGet, Path: "/conflict"}, func(context.Context, *struct{}) (*struct{}, error) {
		return nil, huma.Error409Conflict("changed in between")
	})
	sse.Register(
		api,
		huma.Operation{Method: http.MethodGet, Path: "/events"},
		map[string]any{"tick": tick{}},
		func(ctx context.Context, _ *struct{}, send sse.Sender) {
			for n := 0; ; n++ {
				if send.Data(tick{n}) != nil {
					gone <- n
					return
				}
				select {
				case <-ctx.Done():
					gone <- n
					return
				case <-time.After(5 * time.Millisecond):
				}
			}
		},
	)
	return app
}

var gone = make(chan int, 8)

// answer is ask with what the operations of testAPI read.
func answer(t *testing.T, app *fiber.App, method, path, body string) (int, string, http.Header) {
	t.Helper()
	headers := []string{"X-Word", "grüß"}
	if body != "" {
		headers = append(headers, "Content-Type", "application/json")
	}
	return ask(t, app, method, path, body, headers...)
}

func TestAdapterPathQueryHeaderBody(t *testing.T) {
	app := testAPI()
	status, text, _ := answer(t, app, "POST", "/echo/a%2Fb%20c?q=x%26y&n=1,2,3", `{"text":"hello"}`)
	var got echo
	if err := json.Unmarshal([]byte(text), &got.Body); err != nil {
		t.Fatalf("%d %s: %v", status, text, err)
	}
	if status != 200 || got.Body.Path != "a/b c" || got.Body.Query != "x&y" || got.Body.Header != "grüß" || got.Body.Text != "hello" ||
		fmt.Sprint(got.Body.Numbers) != "[1 2 3]" {
		t.Errorf("%d %+v", status, got.Body)
	}
}

// Problems are those of RFC 9457, also for what huma refuses by itself.
func TestAdapterProblems(t *testing.T) {
	app := testAPI()
	for _, c := range []struct {
		method, path, body string
		status             int
		says               string
	}{
		{"POST", "/echo/x", `{"text":"h"}`, 422, "expected length >= 2"},
		{"POST", "/echo/x?n=word", `{"text":"hello"}`, 422, "invalid integer"},
		{"POST", "/echo/x", `{"text":`, 400, ""},
		{"GET", "/conflict", "", 409, "changed in between"},
	} {
		status, text, headers := answer(t, app, c.method, c.path, c.body)
		if status != c.status || !strings.Contains(text, c.says) || headers.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s %s: %d %s %s", c.method, c.path, status, headers.Get("Content-Type"), text)
		}
	}
	if status, _, _ := answer(t, app, "GET", "/panics", ""); status != 500 {
		t.Errorf("a panic is answered with %d", status)
	}
}

func TestAdapterBodies(t *testing.T) {
	app := testAPI()
	if status, text, _ := answer(t, app, "GET", "/large", ""); status != 200 || len(text) < 3<<20 {
		t.Errorf("large: %d with %d bytes", status, len(text))
	}
	if status, text, _ := answer(t, app, "GET", "/empty", ""); status != 204 || text != "" {
		t.Errorf("empty: %d %q", status, text)
	}
	if _, _, headers := answer(t, app, "GET", "/headers", ""); strings.Join(headers.Values("X-Many"), ",") != "a,b" &&
		headers.Get("X-Many") != "a, b" {
		t.Errorf("headers: %q", headers.Values("X-Many"))
	}
}

// TestAdapterStreams reads events as they come over a real connection, and
// sees the operation end when the client goes.
func TestAdapterStreams(t *testing.T) {
	app := testAPI()
	listener := listen(t)
	go func() { _ = app.Listener(listener, fiber.ListenConfig{DisableStartupMessage: true}) }()
	t.Cleanup(func() { _ = app.Shutdown() })
	ctx, leave := context.WithCancel(context.Background())
	defer leave()
	request, err := http.NewRequestWithContext(ctx, "GET", "http://"+listener.Addr().String()+"/events", nil)
	if err != nil {
		t.Fatal(err)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	head := make([]byte, 90)
	if _, err := io.ReadFull(response.Body, head); err != nil {
		t.Fatal(err)
	}
	if response.Header.Get("Content-Type") != "text/event-stream" || !strings.Contains(string(head), `event: tick`) ||
		!strings.Contains(string(head), `{"n":1}`) {
		t.Errorf("%s: %q", response.Header.Get("Content-Type"), head)
	}
	leave()
	select {
	case <-gone:
	case <-time.After(10 * time.Second):
		t.Error("the operation goes on though its client is gone")
	}
}
