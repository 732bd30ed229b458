// Package shop puts pictures into shops that speak HTTP, as the outlet describes them: where, by
// which method and in which headers, where SKU, place, text and file stand in the request, and
// what the answer says when it is done.
package shop

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/textproto"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/tidwall/gjson"
	"golang.org/x/time/rate"

	"ambrosa/core/catalog"
	"ambrosa/core/dispatch"
	"ambrosa/core/legible"
	"ambrosa/core/naming"
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
	if settings["done"] != "" {
		path, value, is := strings.Cut(settings["done"], "=")
		if s.donePath, s.done = strings.TrimSpace(path), strings.TrimSpace(value); !is || s.donePath == "" {
			return nil, origin.Faulty("what the answer says when it is done has to be like: status = ok", false, nil)
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
	request, err := http.NewRequestWithContext(ctx, s.method, address, body)
	if err != nil {
		return "", origin.Faulty("there is no address for it: "+address, false, err)
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
		raw, err := io.ReadAll(content)
		if err != nil {
			return nil, "", 0, err
		}
		values := map[string]string{s.field: base64.StdEncoding.EncodeToString(raw)}
		for _, v := range s.values {
			values[v.name], _ = v.value.Text(of, asItIs)
		}
		encoded, err := json.Marshal(values)
		return bytes.NewReader(encoded), "application/json", int64(len(encoded)), err
	}
	return content, p.Type, p.Size, nil
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
	request, err := http.NewRequestWithContext(ctx, http.MethodDelete, address, nil)
	if err != nil {
		return "", origin.Faulty("there is no address for it: "+address, false, err)
	}
	return s.ask(request)
}

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
	short := legible.Short(oneLine(string(said)), mostSaid)
	switch {
	case code >= 300 && code < 400:
		return "", origin.Faulty(fmt.Sprintf("%s leads to another address (%d), which is not followed: a picture goes where it was sent",
			s.host, code), false, nil)
	case code >= 400:
		fault := origin.Answered(code, response.Header.Get("Retry-After"), s.host, time.Now())
		return "", origin.Said(fault, short)
	case s.donePath != "" && request.Method == s.method: // how it says that one is gone, nobody described
		if !gjson.ValidBytes(said) {
			return "", origin.Faulty(fmt.Sprintf("%s answers %d, but not in JSON: %s", s.host, code, short), false, nil)
		}
		if got := gjson.GetBytes(said, s.donePath).String(); got != s.done {
			return "", origin.Faulty(fmt.Sprintf("%s does not say that it is done (%s is %q): %s", s.host, s.donePath, got, short), false, nil)
		}
	}
	return strings.TrimSpace(fmt.Sprintf("%d %s", code, short)), nil
}
