// Package lookup asks services over HTTP for the pictures of a barcode.
package lookup

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"ambrosa/core/legible"
	"ambrosa/internal/foreignjson"
	"ambrosa/internal/origin"
	"ambrosa/internal/outgoing"
)

// Kind is the kind of origin. It is no drive: nothing is opened.
var Kind = origin.Kind{
	Name: "lookup", Label: "Barcode service",
	Host: origin.HostIn("address"),
	Fields: []origin.Field{
		{Name: "address", Label: "Address, with {gtin}", Hint: "https://codes.example.com/v1/items/{gtin}", Type: "text", Required: true},
		{Name: "header", Label: "Header of the key", Hint: "X-Key", Type: "text"},
		{Name: "key", Label: "Key", Type: "secret"},
		{
			Name: "pictures", Label: "Where the pictures stand in the answer", Hint: "items.#.pictures.#.address", Type: "text",
			Required: true,
		},
		{Name: "title", Label: "Where the title stands", Hint: "items.0.title", Type: "text"},
		{Name: "digits", Label: "Digits it is asked with", Hint: "13; 14 where it wants them all", Type: "text"},
		{Name: "quota", Label: "Requests a day", Hint: "no limit", Type: "text"},
		{Name: "pause", Label: "Pause between requests, ms", Hint: "500", Type: "text"},
	},
}

// Service answers barcodes. It may be used side by side.
type Service struct {
	http            *http.Client
	template        string
	header, key     string
	pictures, title string
	digits          int
	Quota           int           // requests a day; 0 for no limit
	Pause           time.Duration // between two requests
}

// maxTitle bounds a title, bytes, and maxPictures how many pictures are taken of
// an answer.
const (
	maxTitle    = 500
	maxPictures = 200
	maxAddress  = 8000 // bytes of the address of a picture
)

// maxAnswer bounds an answer, bytes.
const maxAnswer = 4 << 20

// Open returns the service that settings describe. What cannot be used is an
// origin.Fault.
func Open(settings map[string]string, guard outgoing.Guard) (*Service, error) {
	client := &http.Client{Transport: guard.Transport(), CheckRedirect: outgoing.Redirects(5, nil, strings.TrimSpace(settings["header"]))}
	s := &Service{
		http:     client,
		template: strings.TrimSpace(settings["address"]),
		header:   strings.TrimSpace(settings["header"]),
		key:      settings["key"],
		pictures: strings.TrimSpace(settings["pictures"]),
		title:    strings.TrimSpace(settings["title"]),
		digits:   13,
		Pause:    500 * time.Millisecond,
	}
	if !strings.Contains(s.template, "{gtin}") {
		return nil, origin.Faulty("the address has no {gtin}, where the barcode would stand", false, nil)
	}
	if _, err := origin.Address(s.address("04012345123456")); err != nil {
		return nil, err
	}
	for _, path := range []string{s.pictures, s.title} {
		if err := foreignjson.CheckPath(path); err != nil {
			return nil, origin.Faulty(err.Error(), false, err)
		}
	}
	pause := 500
	for _, number := range []struct {
		name, label string
		into        *int
	}{{"digits", "digits", &s.digits}, {"quota", "requests a day", &s.Quota}, {"pause", "pause", &pause}} {
		text := strings.TrimSpace(settings[number.name])
		if text == "" {
			continue
		}
		n, err := strconv.Atoi(text)
		if err != nil || n < 0 {
			return nil, origin.Faulty(fmt.Sprintf("%s: %q is not a number", number.label, text), false, err)
		}
		*number.into = n
	}
	s.Pause = time.Duration(pause) * time.Millisecond
	return s, nil
}

// Close lets the connections go.
func (s *Service) Close() { s.http.CloseIdleConnections() }

// address puts a normalised GTIN into the template: without the zeros that pad
// it beyond the digits that the service wants.
func (s *Service) address(gtin string) string {
	for len(gtin) > s.digits && strings.HasPrefix(gtin, "0") {
		gtin = gtin[1:]
	}
	return strings.ReplaceAll(s.template, "{gtin}", url.PathEscape(gtin))
}

var errRefused = errors.New("the key is refused")

// Refused tells whether a fault means that no other barcode will be answered
// either.
func Refused(err error) bool { return errors.Is(err, errRefused) }

// Answer is what a service knows of a barcode.
type Answer struct {
	Title    string
	Pictures []string // addresses
}

// Ask asks for a barcode in its 14-digit form. A service that does not know it
// answers with nothing. What is wrong is an origin.Fault.
func (s *Service) Ask(ctx context.Context, gtin string) (a Answer, err error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	address, err := origin.Address(s.address(gtin))
	if err != nil {
		return a, err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address.String(), nil)
	if err != nil {
		return a, origin.Faulty("this address cannot be asked for: "+err.Error(), false, err)
	}
	request.Header.Set("Accept", "application/json")
	if s.header != "" {
		request.Header.Set(s.header, s.key)
	}
	response, err := s.http.Do(request)
	if err != nil {
		return a, origin.Explained("ask the service", address.Host, err)
	}
	defer response.Body.Close()
	switch code := response.StatusCode; {
	case code == http.StatusNotFound:
		return a, nil
	case code == http.StatusUnauthorized, code == http.StatusForbidden:
		return a, origin.Faulty(fmt.Sprintf("the service refuses the key (%d)", code), false, errRefused)
	case code != http.StatusOK:
		return a, origin.Answered(code, response.Header.Get("Retry-After"), address.Host, time.Now())
	}
	content, err := io.ReadAll(io.LimitReader(response.Body, maxAnswer+1))
	if err != nil {
		return a, origin.Explained("read the answer", address.Host, err)
	}
	if len(content) > maxAnswer {
		return a, origin.Faulty("the answer is larger than 4 MB", false, nil)
	}
	return s.read(ctx, content, address)
}

// read finds the pictures in an answer.
func (s *Service) read(ctx context.Context, content []byte, address *url.URL) (a Answer, err error) {
	if err := foreignjson.Check(content); err != nil {
		return a, origin.Faulty(err.Error(), false, err)
	}
	if s.title != "" {
		a.Title = legible.Short(legible.Name(foreignjson.Text(content, s.title)), maxTitle)
	}
	seen := map[string]bool{}
	err = foreignjson.Texts(ctx, content, s.pictures, func(text string) bool {
		if len(text) > maxAddress {
			return true
		}
		u, err := url.Parse(strings.TrimSpace(text))
		if err != nil || text == "" {
			return true
		}
		if u = address.ResolveReference(u); (u.Scheme == "http" || u.Scheme == "https") && !seen[u.String()] {
			seen[u.String()] = true
			a.Pictures = append(a.Pictures, u.String())
		}
		return len(a.Pictures) < maxPictures
	})
	return a, err
}
