package sheet

import (
	"fmt"
	"net/netip"
	"net/url"
	"path"
	"strings"
)

// notAPicture says why a cell can name no picture; "" where it can. A name needs no
// ending.
func notAPicture(value string) string {
	if isAddress(value) {
		if u, err := url.Parse(value); err != nil || u.Hostname() == "" {
			return "The address cannot be read."
		}
		return ""
	}
	if len(value) > 1000 {
		return "The name is longer than 1,000 characters."
	}
	ending := strings.ToLower(path.Ext(value))
	switch ending {
	case ".doc", ".docx", ".xls", ".xlsx", ".csv", ".txt", ".pdf", ".zip", ".rar", ".7z", ".mp4", ".mov", ".html", ".htm", ".exe", ".xml":
		return fmt.Sprintf("A file that ends in %s is no picture.", ending)
	}
	return ""
}

// privateHost tells whether an address names a host inside a network by its
// number. What a name leads to is checked when it is fetched.
func privateHost(address string) bool {
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	host := strings.ToLower(u.Hostname())
	if host == "localhost" || strings.HasSuffix(host, ".localhost") || strings.HasSuffix(host, ".local") {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && (ip.IsPrivate() || ip.IsLoopback() || ip.IsLinkLocalUnicast() || ip.IsUnspecified() || ip.IsMulticast())
}
