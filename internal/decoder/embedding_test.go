package decoder

import (
	"bytes"
	"testing"

	"ambrosa/core/rights"
	"ambrosa/internal/budget"
)

// FuzzEmbedding writes any statement into any bytes that begin as a picture does: what does not fit is
// refused, and nothing of the picture is lost but the encoder's own Exif.
func FuzzEmbedding(f *testing.F) {
	jpeg := []byte("\xff\xd8\xff\xe0\x00\x10JFIF\x00\x01\x01\x00\x00\x01\x00\x01\x00\x00\xff\xe1\x00\x0aExif\x00\x00xx\xff\xd9")
	png := append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\x0dIHDR"), bytes.Repeat([]byte{1}, 30)...)
	webp := []byte("RIFF\x30\x00\x00\x00WEBPVP8X\x0a\x00\x00\x00\x00\x00\x00\x00\x01\x00\x00\x01\x00\x00" +
		"EXIF\x03\x00\x00\x00abc\x00VP8 \x02\x00\x00\x00xy")
	for _, file := range [][]byte{jpeg, png, webp, webp[:30], jpeg[:5], append(webp[:20:20], 0xff, 0xff, 0xff, 0xff)} {
		f.Add(file, "Ada", "© 2026", "mug")
		f.Add(file, "", "", "")
	}
	f.Fuzz(func(t *testing.T, file []byte, creator, notice, text string) {
		budget.Of(len(file)+len(creator)+len(notice)+len(text)).Check(t, func() {
			w := rights.Write(rights.Stated{Creator: creator, Notice: notice}, text)
			before := bytes.Clone(file)
			for name, into := range map[string]func() ([]byte, error){
				"JPEG": func() ([]byte, error) { return intoJPEG(file, w.Exif(), w.XMP(), w.IIM()) },
				"PNG":  func() ([]byte, error) { return intoPNG(file, w.Exif(), w.XMP()) },
				"WebP": func() ([]byte, error) { return intoWebP(file, w.Exif(), w.XMP(), 2, 2, false) },
			} {
				out, err := into()
				if err == nil && (len(out) < 2 || !bytes.Equal(out[:2], before[:2])) {
					t.Errorf("%s begins otherwise: %q", name, out[:min(2, len(out))])
				}
				if !bytes.Equal(file, before) {
					t.Fatalf("%s changed what it was given", name)
				}
			}
		})
	})
}
