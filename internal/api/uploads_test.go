package api

import (
	"path"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/tus/tusd/v2/pkg/handler"

	"ambrosa/internal/budget"
	"ambrosa/internal/store"
)

// FuzzUploadMetadata begins uploads with any metadata (tus 1.0, Upload-Metadata): one that is taken
// has a name within its lot, and nothing is kept beside it but its lot and that name.
func FuzzUploadMetadata(f *testing.F) {
	f.Add("1", "a/b.jpg", "secret")
	f.Add("-1", "../../etc/passwd", "")
	f.Add("99999999999999999999", "x", "")
	f.Add("1", "C:\\pictures\\..\\..\\a.jpg", "\x00")
	f.Add("1", strings.Repeat("../", 3000)+"a", "")
	f.Add("1", "\u202egpj.exe\xff\x00\n", "")
	f.Fuzz(func(t *testing.T, lot, name, token string) {
		budget.Of(len(lot)+len(name)+len(token)).Check(t, func() {
			var event handler.HookEvent
			event.Upload.MetaData = handler.MetaData{"lot": lot, "path": name, "token": token}
			var taken store.Upload
			changes, err := beginUpload(event, func(_ handler.HookEvent, u store.Upload) error { taken = u; return nil })
			if err != nil {
				return
			}
			if at := taken.Path; at == "" || at != changes.MetaData["path"] || path.Clean(at) != at || strings.HasPrefix(at, "/") ||
				at == ".." || strings.HasPrefix(at, "../") || strings.ContainsAny(at, "\x00\n\r") || !utf8.ValidString(at) || len(at) > 4096 {
				t.Errorf("%q is taken as %q", name, at)
			}
			if len(changes.MetaData) != 2 {
				t.Errorf("kept beside it: %q", changes.MetaData)
			}
		})
	})
}
