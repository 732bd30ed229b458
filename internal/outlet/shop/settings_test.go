package shop

import (
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/dispatch"
	"ambrosa/internal/budget"
)

// FuzzSettings reads any settings, and makes addresses of any picture: whatever is in either, a
// request goes to the host that the outlet says, with headers that can be sent.
func FuzzSettings(f *testing.F) {
	f.Add("https://shop.example/p/[sku]/[place]", "text = [text]\nname=[file]", "X-Kind: picture", "status = ok", "10", "A-1", "front")
	f.Add("https://shop.example/[sku]", "a", ": b", "x", "1e400", "..", "")
	f.Add("https://a@b/[sku slug]", "=[", "Host: x\r\n", "a.*|@this = 1", "-1", "//evil.example/", "\r\n\x00")
	f.Add("https://shop.example:99/[sku upper]?q=[text most 40]", "", "Content-Length: 5", "", "NaN", "?#@:", "[sku]")
	f.Fuzz(func(t *testing.T, address, values, headers, done, rate, sku, text string) {
		length := len(address) + len(values) + len(headers) + len(done) + len(rate) + len(sku) + len(text)
		budget.Of(length).Times(2).Check(t, func() {
			settings := map[string]string{"address": address, "values": values, "headers": headers, "done": done, "rate": rate,
				"remove": address, "key": text}
			s, err := read(settings)
			if err != nil {
				return
			}
			for _, h := range s.headers {
				if strings.ContainsAny(h.name, "\r\n\x00 :") {
					t.Errorf("a header is called %q", h.name)
				}
			}
			of := dispatch.Sent{SKU: sku, Code: sku, Name: text, Alt: text, Place: 3}
			slot(settings)(of)
			request, err := s.request(t.Context(), http.MethodPut, fill(s.address, of), nil)
			if err == nil && request.URL.Host != s.host {
				t.Errorf("%s leads to %s, not to %s", request.URL, request.URL.Host, s.host)
			}
		})
	})
}
