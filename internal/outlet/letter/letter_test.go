package letter

import (
	"strings"
	"testing"

	"ambrosa/internal/budget"
	"ambrosa/internal/mail"
)

// FuzzTo reads any list of addresses: those that are taken stand on one line, and can be written to.
func FuzzTo(f *testing.F) {
	for _, text := range []string{"name@example.com", "A <a@example.com>, b@example.com", "\"x\\\"y\"@example.com", "a@[127.0.0.1]",
		"group: a@example.com, b@example.com;", "=?utf-8?q?=0D=0A?= <a@example.com>", "a@example.com\r\nBcc: b@example.com",
		strings.Repeat("(", 2000), strings.Repeat("a@b, ", 500), "ü@example.com"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		budget.Of(len(text)).Check(t, func() {
			_ = mail.Check(text)
			addresses, err := To(map[string]string{to: text})
			if err != nil {
				return
			}
			if len(addresses) > mostTo {
				t.Errorf("%d addresses", len(addresses))
			}
			for _, address := range addresses {
				if strings.ContainsAny(address, "\r\n\x00") || !strings.Contains(address, "@") {
					t.Errorf("%q is an address", address)
				}
			}
		})
	})
}
