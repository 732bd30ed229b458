package lookup

import (
	"net/url"
	"strings"
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
)

// FuzzAnswer reads any answer of a service.
func FuzzAnswer(f *testing.F) {
	f.Add([]byte(`{"items":[{"title":"Jar\u0000","pictures":[{"address":"/a.jpg"},{"address":"javascript:alert(1)"}]}]}`))
	f.Add([]byte(`[[[[`))
	at := &url.URL{Scheme: "https", Host: "codes.example", Path: "/v1"}
	f.Fuzz(func(t *testing.T, content []byte) {
		budget.Of(len(content)).Check(t, func() {
			s := &Service{pictures: "items.#.pictures.#.address", title: "items.0.title"}
			a, err := s.read(t.Context(), content, at)
			if err != nil {
				return
			}
			if !utf8.ValidString(a.Title) || strings.ContainsRune(a.Title, 0) || len(a.Pictures) > maxPictures {
				t.Fatalf("%q with %d pictures", a.Title, len(a.Pictures))
			}
			for _, address := range a.Pictures {
				if u, err := url.Parse(address); err != nil || u.Scheme != "http" && u.Scheme != "https" {
					t.Fatalf("the address %q", address)
				}
			}
		})
	})
}
