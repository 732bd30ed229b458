package picturespec

import (
	"testing"

	"ambrosa/internal/budget"
)

// FuzzHead tells type and size from any first bytes.
func FuzzHead(f *testing.F) {
	for _, head := range []string{"\xff\xd8\xff\xe0\x00\x10JFIF", "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", "GIF89a\x01\x00\x01\x00",
		"RIFF\x00\x00\x00\x00WEBPVP8X", "II*\x00\x08\x00\x00\x00", "\x00\x00\x00\x18ftypavif", "<svg"} {
		f.Add([]byte(head))
	}
	f.Fuzz(func(t *testing.T, head []byte) {
		budget.Of(len(head)).Check(t, func() {
			kind := TypeOf(head)
			if kind.Picture() == (kind.Refusal() != "") {
				t.Fatalf("%s is a picture and refused, or neither", kind)
			}
			if width, height, ok := SizeOf(head); ok && (width < 0 || height < 0) {
				t.Fatalf("%d by %d pixels", width, height)
			}
		})
	})
}
