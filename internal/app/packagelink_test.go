package app

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
)

// TestALinkToAPackage takes a package by its link, whole and in ranges (RFC 9110, section 14); the link ends
// when a person ends it, and with its outlet, and its token is in no log.
func TestALinkToAPackage(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	outlet := l.outlet("package", nil, nil)
	d := l.handedOn(outlet)
	link := func() (path string) {
		t.Helper()
		var given struct{ Path string }
		l.post(fmt.Sprintf("/api/v1/dispatches/%d/link", d.ID), map[string]any{"days": 3}, &given)
		return given.Path
	}
	get := func(path, ranged string) (status int, content []byte, about string) {
		t.Helper()
		request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, l.URL+path, nil)
		l.do(err)
		if ranged != "" {
			request.Header.Set("Range", ranged)
		}
		response, err := http.DefaultClient.Do(request)
		l.do(err)
		defer response.Body.Close()
		content, err = io.ReadAll(response.Body)
		l.do(err)
		return response.StatusCode, content, response.Header.Get("Content-Range")
	}
	path := link()
	status, whole, _ := get(path, "")
	if status != http.StatusOK || int64(len(whole)) != d.Size {
		t.Fatalf("the whole package: %d, %d bytes of %d", status, len(whole), d.Size)
	}
	size := len(whole)
	for ranged, want := range map[string]struct {
		status   int
		from, to int
	}{
		"bytes=0-9":          {http.StatusPartialContent, 0, 10},
		"bytes=10-":          {http.StatusPartialContent, 10, size},
		"bytes=-7":           {http.StatusPartialContent, size - 7, size},
		"bytes=5-9999999999": {http.StatusPartialContent, 5, size},
		"bytes=9-2":          {http.StatusOK, 0, size},
		"bytes=0-1,3-4":      {http.StatusOK, 0, size},
		"lines=1-2":          {http.StatusOK, 0, size},
		"bytes=9999999999-":  {http.StatusRequestedRangeNotSatisfiable, 0, 0},
	} {
		status, part, about := get(path, ranged)
		if status != want.status || status != http.StatusRequestedRangeNotSatisfiable && !bytes.Equal(part, whole[want.from:want.to]) {
			t.Errorf("%s: %d, %d bytes, expected %d with %d", ranged, status, len(part), want.status, want.to-want.from)
		}
		if status == http.StatusPartialContent && about != fmt.Sprintf("bytes %d-%d/%d", want.from, want.to-1, size) {
			t.Errorf("%s: Content-Range %q", ranged, about)
		}
	}
	l.do(l.Call(t.Context(), http.MethodDelete, fmt.Sprintf("/api/v1/dispatches/%d/link", d.ID), "", nil, nil))
	if status, _, _ := get(path, ""); status != http.StatusNotFound {
		t.Errorf("a link that was ended answers %d", status)
	}
	l.refused(l.Call(t.Context(), http.MethodDelete, fmt.Sprintf("/api/v1/dispatches/%d/link", d.ID), "", nil, nil), http.StatusNotFound)
	second := link()
	l.do(l.Call(t.Context(), http.MethodDelete, fmt.Sprintf("/api/v1/outlets/%d", outlet), "", nil, nil))
	if status, _, _ := get(second, ""); status != http.StatusNotFound {
		t.Errorf("the link of an outlet that is gone answers %d", status)
	}
	for _, token := range []string{path, second} {
		if strings.Contains(l.log.String(), strings.TrimPrefix(token, "/packages/")) {
			t.Error("the token of a link is in the log")
		}
	}
}

// TestHostileAddresses asks for addresses and values that cannot be: each is refused as that, and none is told
// as something that went wrong inside.
func TestHostileAddresses(t *testing.T) {
	t.Parallel()
	l := start(t)
	for _, path := range []string{"/media/%00/thumb", "/media/%ff%fe/original", "/media/origins/1/peek?path=%00", "/media/lots/%00/list",
		"/media/lots/99999999999999999999/list", "/media/catalog?q=%00&format=csv", "/media/dispatches/%ff", "/packages/%00", "/packages/%ff",
		"/media/hand-in/%00/missing.csv", "/uploads/%00", "/uploads/%ff", "/uploads/..%2f..%2fkey", "/api/v1/products?q=%00",
		"/api/v1/products?offset=99999999999", "/api/v1/lots/3000000000", "/api/v1/search?q=%ff%00", "/api/v1/categories?q=%00"} {
		for _, method := range []string{http.MethodGet, http.MethodPost, http.MethodHead, http.MethodPatch} {
			request, err := http.NewRequestWithContext(t.Context(), method, l.URL+path, nil)
			if err != nil {
				continue
			}
			request.Header.Set("Tus-Resumable", "1.0.0")
			response, err := http.DefaultClient.Do(request)
			l.do(err)
			said, _ := io.ReadAll(response.Body)
			_ = response.Body.Close()
			if response.StatusCode >= http.StatusInternalServerError {
				t.Errorf("%s %s: %d %s", method, path, response.StatusCode, said)
			}
		}
	}
	for path, body := range map[string]string{
		"/api/v1/sweeps":                    `{"kinds":[["orphans"],["orphans"]]}`,
		"/api/v1/lots/1/together":           `{"do":"place","files":[{"id":99999999999999999999,"version":1}]}`,
		"/api/v1/lots/1/together ":          `{"do":"place","files":[{"id":1,"version":3000000000}],"place":1}`,
		"/api/v1/sheets/1/retire":           `{"variants":[[1],[1]]}`,
		"/api/v1/products/1/pictures":       `{"version":1,"pictures":[{"id":1,"view":"` + "\\u0000" + `"}]}`,
		"/api/v1/files/3000000000/decision": `{"verdict":"set aside","reason":"` + "\\u0000" + `","version":3000000000}`,
	} {
		response, err := http.Post(l.URL+strings.TrimSpace(path), "application/json", strings.NewReader(body))
		l.do(err)
		said, _ := io.ReadAll(response.Body)
		_ = response.Body.Close()
		if response.StatusCode >= http.StatusInternalServerError {
			t.Errorf("POST %s %s: %d %s", path, body, response.StatusCode, said)
		}
	}
}
