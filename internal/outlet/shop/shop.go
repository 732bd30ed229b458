// Package shop puts pictures into shops that speak HTTP, as the outlet describes them: where, by
// which method and in which headers, where SKU, place, text and file stand in the request, and
// what the answer says when it is done.
package shop

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"io"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/net/http/httpguts"
	"golang.org/x/time/rate"

	"ambrosa/core/catalog"
	"ambrosa/core/dispatch"
	"ambrosa/core/legible"
	"ambrosa/core/naming"
	"ambrosa/internal/foreignjson"
	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/outlet"
)

// The ways in which a picture stands in a request.
const (
	asBody = "the body"
	asForm = "a form (multipart)"
	asJSON = "JSON, with the file in base64"
)

// fields are what addresses and values can name beside what names can.
var fields = []string{"text", "file", "sum", "type", "before"}

// Kind is the kind of outlet.
var Kind = outlet.Kind{
	Name: "shop", Label: "Shop interface",
	Host: origin.HostIn("address"),
	Fields: []origin.Field{
		{Name: "address", Label: "Address of a picture", Hint: "https://shop.example.com/products/[sku]/pictures/[place]", Type: "text",
			Required: true},
		{Name: "method", Label: "Method", Type: "text", Choices: []string{"PUT", "POST", "PATCH"}},
		{Name: "body", Label: "The file goes in", Type: "text", Choices: []string{asBody, asForm, asJSON}},
		{Name: "field", Label: "Field of the file", Hint: "file", Type: "text"},
		{Name: "values", Label: "Other fields, one a line", Hint: "alt = [text]", Type: "lines"},
		{Name: "headers", Label: "Headers, one a line", Hint: "X-Alt: [text]", Type: "lines"},
		{Name: "keyHeader", Label: "Header of the key", Hint: "Authorization", Type: "text"},
		{Name: "key", Label: "Key", Hint: "as it stands in the header: Bearer …", Type: "secret"},
		{Name: "done", Label: "It is done when the answer says", Hint: "status = ok; any success when empty", Type: "text"},
		{Name: "remove", Label: "Address to remove one", Hint: "none: nothing is removed", Type: "text"},
		{Name: "test", Label: "Address to try the key with", Hint: "asked with GET", Type: "text"},
		{Name: "rate", Label: "Requests a second at most", Hint: "10", Type: "text"},
	},
	Check: func(settings map[string]string) error {
		_, err := read(settings)
		return err
	},
	Slot: slot,
	Open: func(_ context.Context, settings map[string]string, guard outgoing.Guard) (outlet.Outlet, error) {
		s, err := read(settings)
		if err != nil {
			return nil, err
		}
		s.transport = guard.Transport()
		s.http = &http.Client{Transport: s.transport, Timeout: patience,
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		return s, nil
	},
}

// patience is how long a shop may take for a picture.
const patience = 2 * time.Minute

// named is a value by template, of a field or a header.
type named struct {
	name  string
	value naming.Template
}

type shop struct {
	host            string
	address, remove naming.Template
	removes         bool
	method, body    string
	field           string
	values, headers []named
	keyHeader, key  string
	donePath, done  string
	test            string
	pace            *rate.Limiter
	transport       *http.Transport
	http            *http.Client
}

func read(settings map[string]string) (*shop, error) {
	s := &shop{method: settings["method"], body: settings["body"], field: settings["field"], keyHeader: settings["keyHeader"],
		key: settings["key"], test: settings["test"]}
	usual := map[*string]string{&s.method: http.MethodPut, &s.body: asBody, &s.field: "file", &s.keyHeader: "Authorization"}
	for to, otherwise := range usual {
		if *to == "" {
			*to = otherwise
		}
	}
	at, err := origin.Address(settings["address"])
	if err != nil {
		return nil, err
	}
	s.host = at.Host
	for _, name := range []string{"address", "remove", "test"} {
		if err := origin.NoUser(settings[name]); err != nil {
			return nil, err
		}
	}
	if s.address, err = template("the address", settings["address"]); err != nil {
		return nil, err
	}
	if s.removes = settings["remove"] != ""; s.removes {
		if s.remove, err = template("the address to remove one", settings["remove"]); err != nil {
			return nil, err
		}
		if !knownLater(s.remove) || !tellsApart(s.remove) {
			return nil, origin.Faulty("the address to remove one has to tell it from others, by [place], [file] or [sum] and by what is known "+
				"of it later: sku, code and text beside these", false, nil)
		}
	}
	for _, other := range []string{settings["remove"], settings["test"]} {
		if to, err := url.Parse(other); other != "" && (err != nil || to.Scheme != at.Scheme || to.Host != at.Host) {
			return nil, origin.Faulty(other+" leads elsewhere than the address of a picture does, and the key is for that host alone", false, err)
		}
	}
	if s.values, err = lines("field", settings["values"], "="); err != nil {
		return nil, err
	}
	if s.headers, err = lines("header", settings["headers"], ":"); err != nil {
		return nil, err
	}
	for _, h := range append([]named{{name: s.keyHeader}}, s.headers...) {
		if err := fitHeader(h.name); err != nil {
			return nil, err
		}
	}
	if !httpguts.ValidHeaderFieldValue(s.key) {
		return nil, origin.Faulty("the key has a line break or another character that cannot stand in a header", false, nil)
	}
	if s.body == asJSON || s.body == asForm {
		for _, v := range s.values {
			if v.name == s.field {
				return nil, origin.Faulty(fmt.Sprintf("the field %q is the one that the file goes in: give the other value another name", v.name),
					false, nil)
			}
		}
	}
	if settings["done"] != "" {
		path, value, is := strings.Cut(settings["done"], "=")
		if s.donePath, s.done = strings.TrimSpace(path), strings.TrimSpace(value); !is || s.donePath == "" {
			return nil, origin.Faulty("what the answer says when it is done has to be like: status = ok", false, nil)
		}
		if err := foreignjson.CheckPath(s.donePath); err != nil {
			return nil, origin.Faulty(err.Error(), false, err)
		}
	}
	a := 10.0
	if settings["rate"] != "" {
		if a, err = strconv.ParseFloat(settings["rate"], 64); err != nil || a <= 0 || a > 1000 {
			return nil, origin.Faulty("the requests a second are not a number from 0.01 to 1000", false, err)
		}
	}
	s.pace = rate.NewLimiter(rate.Limit(a), max(1, int(a)))
	return s, nil
}

// ownHeaders are those that belong to the connection or to the request itself (RFC 9110, RFC 9112).
var ownHeaders = []string{"Host", "Content-Length", "Content-Type", "Transfer-Encoding", "Connection", "Te", "Trailer", "Upgrade",
	"Keep-Alive", "Proxy-Connection", "Expect", "Idempotency-Key"}

// fitHeader refuses names of headers that could not be sent.
func fitHeader(name string) error {
	if !httpguts.ValidHeaderFieldName(name) {
		return origin.Faulty(fmt.Sprintf("%q cannot be the name of a header: letters, digits and hyphens can", name), false, nil)
	}
	if slices.Contains(ownHeaders, textproto.CanonicalMIMEHeaderKey(name)) {
		return origin.Faulty(fmt.Sprintf("the header %s is set by the request itself: leave it out", name), false, nil)
	}
	return nil
}

func template(what, text string) (naming.Template, error) {
	t, err := naming.ParseText(text, fields...)
	if err != nil {
		return t, origin.Faulty(what+" cannot be read "+err.Error(), false, err)
	}
	return t, nil
}

// knownLater tells whether an address names only what is known of a picture that went before.
func knownLater(address naming.Template) bool {
	of := naming.Picture{SKU: "s", Code: "c", Place: 1, More: map[string]string{"text": "t", "file": "f", "sum": "m"}}
	more := of
	more.ID, more.Category, more.Title, more.GTIN, more.View, more.Number, more.Name = "i", "k", "t", "g", "v", 7, "n"
	more.Options = []catalog.Option{{Name: "Colour", Value: "red"}}
	less, _ := address.Text(of, url.PathEscape)
	full, _ := address.Text(more, url.PathEscape)
	return less == full
}

// mostLines bounds the fields and the headers of a request.
const mostLines = 50

func lines(what, text, between string) (all []named, err error) {
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		name, value, is := strings.Cut(line, between)
		if name = strings.TrimSpace(name); !is || name == "" || strings.ContainsAny(name, "\r\n\x00") || len(all) == mostLines {
			return nil, origin.Faulty(fmt.Sprintf("%q is no %s: write its name, %s and its value", line, what, between), false, nil)
		}
		t, err := template("the "+what+" "+name, strings.TrimSpace(value))
		if err != nil {
			return nil, err
		}
		all = append(all, named{name, t})
	}
	return all, nil
}

func (s *shop) Pinned() string { return "" }

func (s *shop) Close() error {
	s.transport.CloseIdleConnections()
	return nil
}

// Test asks the address to try, where there is one.
func (s *shop) Test(ctx context.Context) error {
	if s.test == "" {
		return nil
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, s.test, nil)
	if err != nil {
		return origin.Faulty("the address to try cannot be asked", false, err)
	}
	_, err = s.ask(request)
	return err
}

// Put sends a picture. Its Idempotency-Key (IETF draft-ietf-httpapi-idempotency-key-header) is
// the same for the same picture at the same place.
func (s *shop) Put(ctx context.Context, p outlet.Picture) (string, error) {
	of := p.Item.Picture
	of.More = map[string]string{"text": p.Alt, "file": p.Name, "sum": p.Item.Sum, "type": p.Type, "before": p.Was}
	content, err := p.Open(ctx)
	if err != nil {
		return "", err
	}
	defer content.Close()
	body, kind, size, err := s.bodyOf(of, p, content)
	if err != nil {
		return "", err
	}
	address, _ := s.address.Text(of, url.PathEscape)
	request, err := s.request(ctx, s.method, address, body)
	if err != nil {
		return "", err
	}
	request.ContentLength = size
	request.Header.Set("Content-Type", kind)
	request.Header.Set("Idempotency-Key", p.Sum[:32]+"-"+strconv.Itoa(p.Place))
	for _, h := range s.headers {
		value, _ := h.value.Text(of, oneLine)
		request.Header.Set(h.name, value)
	}
	return s.ask(request)
}

// oneLine keeps a value within its header.
func oneLine(value string) string { return strings.Join(strings.Fields(legible.Text(value)), " ") }

func asItIs(value string) string { return value }

// bodyOf is a request's body with the file in it, its media type, and its size in bytes.
func (s *shop) bodyOf(of naming.Picture, p outlet.Picture, content io.Reader) (body io.Reader, kind string, size int64, err error) {
	switch s.body {
	case asForm:
		var head bytes.Buffer
		form := multipart.NewWriter(&head)
		for _, v := range s.values {
			text, _ := v.value.Text(of, asItIs)
			if err := form.WriteField(v.name, text); err != nil {
				return nil, "", 0, err
			}
		}
		part := textproto.MIMEHeader{}
		part.Set("Content-Disposition", multipart.FileContentDisposition(s.field, p.Name[strings.LastIndexByte(p.Name, '/')+1:]))
		part.Set("Content-Type", p.Type)
		if _, err := form.CreatePart(part); err != nil {
			return nil, "", 0, err
		}
		tail := "\r\n--" + form.Boundary() + "--\r\n"
		return io.MultiReader(&head, content, strings.NewReader(tail)), form.FormDataContentType(),
			int64(head.Len()+len(tail)) + p.Size, nil
	case asJSON:
		return s.jsonBody(of, p, content)
	}
	return content, p.Type, p.Size, nil
}

// jsonBody is an object of the values with the file, in base64, as its last field. The file is encoded
// as it is sent.
func (s *shop) jsonBody(of naming.Picture, p outlet.Picture, content io.Reader) (body io.Reader, kind string, size int64, err error) {
	values := map[string]string{}
	for _, v := range s.values {
		values[v.name], _ = v.value.Text(of, asItIs)
	}
	head, err := json.Marshal(values)
	if err != nil {
		return nil, "", 0, err
	}
	field, err := json.Marshal(s.field)
	if err != nil {
		return nil, "", 0, err
	}
	before := string(head[:len(head)-1])
	if len(values) > 0 {
		before += ","
	}
	before += string(field) + `:"`
	const after = `"}`
	size = int64(len(before)+len(after)) + int64(base64.StdEncoding.EncodedLen(int(p.Size)))
	return io.MultiReader(strings.NewReader(before), &encoding{source: content}, strings.NewReader(after)), "application/json", size, nil
}

// encoding reads a source in base64 (RFC 4648).
type encoding struct {
	source io.Reader
	raw    [3 << 10]byte
	text   [4 << 10]byte
	ready  []byte
	end    error
}

// Read encodes what comes next.
func (e *encoding) Read(p []byte) (int, error) {
	if len(e.ready) == 0 {
		if e.end != nil {
			return 0, e.end
		}
		n, err := io.ReadFull(e.source, e.raw[:])
		if errors.Is(err, io.ErrUnexpectedEOF) {
			err = io.EOF
		}
		e.end = err
		base64.StdEncoding.Encode(e.text[:], e.raw[:n])
		e.ready = e.text[:base64.StdEncoding.EncodedLen(n)]
	}
	n := copy(p, e.ready)
	e.ready = e.ready[n:]
	if n == 0 && len(e.ready) == 0 && e.end != nil {
		return 0, e.end
	}
	return n, nil
}

// fill makes an address of a picture that went before.
func fill(t naming.Template, p dispatch.Sent) string {
	of := naming.Picture{SKU: p.SKU, Code: p.Code, Place: p.Place, More: map[string]string{"text": p.Alt, "file": p.Name, "sum": p.Sum}}
	address, _ := t.Text(of, url.PathEscape)
	return address
}

// slot tells pictures by the address that they are removed at, or else that they are put at;
// where that is one address for many, by their names.
func slot(settings map[string]string) func(dispatch.Sent) string {
	s, err := read(settings)
	if err != nil {
		return func(p dispatch.Sent) string { return p.Name }
	}
	address := s.address
	if s.removes {
		address = s.remove
	}
	if !tellsApart(address) {
		return func(p dispatch.Sent) string { return p.Name }
	}
	return func(p dispatch.Sent) string { return fill(address, p) }
}

// tellsApart tells whether an address is another for another place, name or file.
func tellsApart(address naming.Template) bool {
	one := dispatch.Sent{Key: dispatch.Key{Sum: "1"}, SKU: "A", Code: "A", Name: "1", Place: 1}
	place, name, sum := one, one, one
	place.Place, name.Name, sum.Sum = 2, "2", "2"
	at := fill(address, one)
	return at != fill(address, place) || at != fill(address, name) || at != fill(address, sum)
}

// Remove takes away a picture that went before, where the outlet says how.
func (s *shop) Remove(ctx context.Context, p dispatch.Sent) (string, error) {
	if !s.removes {
		return "", origin.Faulty("this outlet does not say how a picture is removed", false, nil)
	}
	address := fill(s.remove, p)
	request, err := s.request(ctx, http.MethodDelete, address, nil)
	if err != nil {
		return "", err
	}
	return s.ask(request)
}

// request makes a request to an address that a template made. One with a part of "." or ".." would be
// taken for another address (RFC 3986, section 5.2.4), and is a Fault, escaped or not.
func (s *shop) request(ctx context.Context, method, address string, body io.Reader) (*http.Request, error) {
	request, err := http.NewRequestWithContext(ctx, method, address, body)
	if err != nil || request.URL.Host != s.host {
		return nil, origin.Faulty("there is no address for it: "+address, false, err)
	}
	for part := range strings.SplitSeq(request.URL.Path, "/") {
		if part == "." || part == ".." {
			return nil, origin.Faulty(fmt.Sprintf("its address would lead to another one, as a value in it is %q: %s", part, address), false, nil)
		}
	}
	return request, nil
}

// blackened is what a shop said without the key, should it repeat it: what it said is kept in receipts
// and logs.
func (s *shop) blackened(said string) string {
	for _, secret := range append(strings.Fields(s.key), s.key) {
		if len(secret) < leastSecret {
			continue
		}
		for _, form := range []string{secret, url.QueryEscape(secret), url.PathEscape(secret), html.EscapeString(secret),
			base64.StdEncoding.EncodeToString([]byte(secret))} {
			said = strings.ReplaceAll(said, form, "•••")
		}
	}
	return said
}

// leastSecret is how long a word of a key is that is kept secret: “Bearer” is none.
const leastSecret = 7

// mostAnswer bounds what is read of an answer, and mostSaid what is kept of it, bytes.
const (
	mostAnswer = 1 << 20
	mostSaid   = 200
)

// ask sends a request in the shop's pace, and says what it answered; what is not done is a Fault.
func (s *shop) ask(request *http.Request) (answer string, err error) {
	if err := s.pace.Wait(request.Context()); err != nil {
		return "", err
	}
	if s.key != "" {
		request.Header.Set(s.keyHeader, s.key)
	}
	response, err := s.http.Do(request)
	if err != nil {
		return "", origin.Explained("send it", s.host, err)
	}
	defer response.Body.Close()
	said, err := io.ReadAll(io.LimitReader(response.Body, mostAnswer))
	if err != nil {
		return "", origin.Explained("read the answer", s.host, err)
	}
	code := response.StatusCode
	short := legible.Short(oneLine(s.blackened(string(said))), mostSaid)
	switch {
	case code >= 300 && code < 400:
		return "", origin.Faulty(fmt.Sprintf("%s leads to another address (%d), which is not followed: a picture goes where it was sent",
			s.host, code), false, nil)
	case code >= 400:
		fault := origin.Answered(code, response.Header.Get("Retry-After"), s.host, time.Now())
		return "", origin.Said(fault, short)
	case s.donePath != "" && request.Method == s.method: // how it says that one is gone, nobody described
		if err := foreignjson.Check(said); err != nil {
			return "", origin.Faulty(fmt.Sprintf("%s answers %d, but %s: %s", s.host, code, err, short), false, err)
		}
		if got := foreignjson.Text(said, s.donePath); got != s.done {
			return "", origin.Faulty(fmt.Sprintf("%s does not say that it is done (%s is %.100q): %s", s.host, s.donePath,
				s.blackened(got), short), false, nil)
		}
	}
	return strings.TrimSpace(fmt.Sprintf("%d %s", code, short)), nil
}
