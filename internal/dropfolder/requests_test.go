package dropfolder

import (
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"ambrosa/internal/budget"
)

// FuzzConditions reads any If header (RFC 4918, section 10.4) and any XML.
func FuzzConditions(f *testing.F) {
	for _, header := range []string{`(["x"])`, `</a> (<urn:x> ["y"]) (Not <DAV:no-lock>)`, `(Not `, `(Not)[`, `<[`, `([`} {
		f.Add(header, `<D:propfind xmlns:D="DAV:"><D:allprop/></D:propfind>`)
	}
	f.Fuzz(func(t *testing.T, header, body string) {
		budget.Of(len(header)+len(body)).Check(t, func() {
			p := &person{}
			p.files, p.locks = newFiles(t.TempDir(), new(atomic.Int64)), newLocks()
			r := httptest.NewRequest("PROPFIND", "/", strings.NewReader(body))
			r.Header.Set("If", header)
			p.conditionsHold(httptest.NewRecorder(), r)
			if read, ok := wellFormed(httptest.NewRecorder(), r); ok {
				p.locksShared(httptest.NewRecorder(), httptest.NewRequest("LOCK", "/a", nil), read)
			}
		})
	})
}
