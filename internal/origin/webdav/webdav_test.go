package webdav

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/studio-b12/gowebdav"

	"ambrosa/internal/budget"
	"ambrosa/internal/origin"
)

// answers is the other side: it says the same to every request.
type answers struct {
	status int
	header http.Header
	body   string
}

func (a answers) RoundTrip(r *http.Request) (*http.Response, error) {
	return &http.Response{
		StatusCode: a.status,
		Status:     http.StatusText(a.status),
		Header:     a.header.Clone(),
		Body:       io.NopCloser(strings.NewReader(a.body)),
		Request:    r,
		ProtoMajor: 1,
		ProtoMinor: 1,
	}, nil
}

// FuzzAnswers lists a drive that answers anything: with files, or with a fault in
// words.
func FuzzAnswers(f *testing.F) {
	const files = `<D:multistatus xmlns:D="DAV:"><D:response><D:href>/a%FF.jpg</D:href><D:propstat><D:prop>` +
		`<D:getcontentlength>9</D:getcontentlength><D:getlastmodified>x</D:getlastmodified></D:prop><D:status>HTTP/1.1 200 OK</D:status>` +
		`</D:propstat></D:response></D:multistatus>`
	f.Add(207, "", files)
	f.Add(401, "Digest realm, nonce", "")
	f.Add(401, "Basic realm=x", "")
	f.Add(301, "", "")
	f.Add(200, "Digest", "<html>")
	f.Fuzz(func(t *testing.T, status int, challenge, body string) {
		budget.Of(len(challenge)+len(body)).Check(t, func() {
			if status < 100 || status > 999 || strings.ContainsAny(challenge, "\r\n") {
				return
			}
			d := &drive{
				transport: &http.Transport{},
				host:      "drive.example",
				client:    gowebdav.NewClient("https://drive.example", "user", "password"),
			}
			d.client.SetTransport(answers{status, http.Header{"Www-Authenticate": {challenge}, "Location": {"/elsewhere"}}, body})
			ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
			defer cancel()
			entries, err := d.List(ctx, "")
			var fault *origin.Fault
			if err != nil && !errors.As(err, &fault) {
				t.Fatalf("%v is no fault", err)
			}
			if fault != nil && (fault.Reason == "" || strings.Contains(fault.Reason, "goroutine ")) {
				t.Fatalf("it says %q", fault.Reason)
			}
			for _, e := range entries {
				if strings.HasPrefix(e.Path, "../") {
					t.Fatalf("the path %q leads out", e.Path)
				}
			}
		})
	})
}

// endless is a side whose list of a folder never stops.
type endless struct{ answers }

func (e endless) RoundTrip(r *http.Request) (*http.Response, error) {
	response, err := e.answers.RoundTrip(r)
	if r.Method == "PROPFIND" {
		response.Body = io.NopCloser(io.MultiReader(strings.NewReader(`<D:multistatus xmlns:D="DAV:">`), again{}))
	}
	return response, err
}

// again is what stands in the list of a folder, again and again.
type again struct{}

func (again) Read(p []byte) (int, error) {
	const one = `<D:response><D:href>/sets/a.jpg</D:href><D:propstat><D:prop/><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>`
	n := 0
	for n+len(one) <= len(p) {
		n += copy(p[n:], one)
	}
	if n == 0 {
		n = copy(p, strings.Repeat(" ", len(p)))
	}
	return n, nil
}

func TestAListWithoutEndEnds(t *testing.T) {
	d := &drive{transport: &http.Transport{}, host: "drive.example", client: gowebdav.NewClient("https://drive.example", "user", "password")}
	d.client.SetTransport(boundedLists{endless{answers{status: http.StatusMultiStatus}}})
	if _, err := d.List(t.Context(), "sets"); err == nil || !strings.Contains(err.Error(), "has no end") {
		t.Errorf("it says %v", err)
	}
}
