package harvest

import (
	"net/url"
	"strings"

	"github.com/PuerkitoBio/goquery"
)

// Resolve returns the absolute address that a reference on a page means, after
// RFC 3986 section 5.2; ok is false for what is not an http or https address.
// Spaces around it, and tabs and line ends within, are dropped as browsers do.
func Resolve(base *url.URL, reference string) (address string, ok bool) {
	u := resolve(base, reference)
	if u == nil || u.Host == "" || (u.Scheme != "http" && u.Scheme != "https") {
		return "", false
	}
	u.Fragment, u.RawFragment, u.User = "", "", nil
	return u.String(), true
}

func resolve(base *url.URL, reference string) *url.URL {
	reference = strings.NewReplacer("\t", "", "\n", "", "\r", "").Replace(strings.Trim(reference, spaces))
	reference = strings.ReplaceAll(reference, " ", "%20")
	u, err := url.Parse(reference)
	if err != nil || len(reference) > maxAddress {
		return nil
	}
	return base.ResolveReference(u)
}

// maxAddress is how long an address may be, bytes.
const maxAddress = 8 << 10

// baseOf returns what a document's references are relative to: its first base
// element with an href, unless that is no address, or one of data or script
// (WHATWG HTML Standard, "set the frozen base URL").
func baseOf(doc *goquery.Document, address *url.URL) *url.URL {
	href, ok := doc.Find("base[href]").First().Attr("href")
	if !ok {
		return address
	}
	base := resolve(address, href)
	if base == nil || base.Scheme == "data" || base.Scheme == "javascript" || base.Host == "" {
		return address
	}
	return base
}
