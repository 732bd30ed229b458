package webdav

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"
	"testing/iotest"
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
			d.lists = &lists{RoundTripper: answers{status, http.Header{"Www-Authenticate": {challenge}, "Location": {"/elsewhere"}}, body}}
			d.client.SetTransport(d.lists)
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

// unfinished is a side whose list of a folder begins well, and goes on with something else.
type unfinished struct {
	answers
	then io.Reader
}

func (u unfinished) RoundTrip(r *http.Request) (*http.Response, error) {
	response, err := u.answers.RoundTrip(r)
	if r.Method == "PROPFIND" {
		const begin = `<D:multistatus xmlns:D="DAV:"><D:response><D:href>/sets/</D:href><D:propstat><D:prop><D:resourcetype><D:collection/>` +
			`</D:resourcetype></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response>` + listedFile
		response.Body = io.NopCloser(io.MultiReader(strings.NewReader(begin), u.then))
	}
	return response, err
}

const listedFile = `<D:response><D:href>/sets/a.jpg</D:href><D:propstat><D:prop/><D:status>HTTP/1.1 200 OK</D:status></D:propstat>` +
	`</D:response>`

// again is what stands in the list of a folder, again and again.
type again struct{}

func (again) Read(p []byte) (n int, err error) {
	for n+len(listedFile) <= len(p) {
		n += copy(p[n:], listedFile)
	}
	if n == 0 {
		n = copy(p, strings.Repeat(" ", len(p)))
	}
	return n, nil
}

// TestAListIsWholeOrTold: of a list that has no end, or whose connection breaks off in it, nothing is taken for the whole.
func TestAListIsWholeOrTold(t *testing.T) {
	for name, c := range map[string]struct {
		then io.Reader
		want string
	}{
		"whole":      {strings.NewReader("</D:multistatus>"), ""},
		"endless":    {again{}, "is longer than"},
		"broken off": {iotest.ErrReader(io.ErrUnexpectedEOF), "broke off"},
		"cut":        {strings.NewReader("<D:response><D:href>/sets/b.j"), "broke off"},
		"malformed":  {strings.NewReader("<D:response></D:href>" + listedFile + "</D:multistatus>"), "broke off"},
	} {
		d := &drive{transport: &http.Transport{}, host: "drive.example", client: gowebdav.NewClient("https://drive.example", "user", "password")}
		d.lists = &lists{RoundTripper: unfinished{answers{status: http.StatusMultiStatus}, c.then}, most: 1 << 20}
		d.client.SetTransport(d.lists)
		entries, err := d.List(t.Context(), "sets")
		if c.want == "" && (err != nil || len(entries) != 1 || entries[0].Path != "sets/a.jpg") {
			t.Errorf("%s: %v, %v", name, entries, err)
		}
		if c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: it says %v", name, err)
		}
	}
}
