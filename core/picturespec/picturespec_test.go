package picturespec

import (
	"bytes"
	"image"
	"image/gif"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"
)

// encoded returns what Go's own encoders write for a small picture.
func encoded(t *testing.T, encode func(out *bytes.Buffer, picture image.Image) error) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := encode(&out, image.NewGray(image.Rect(0, 0, 3, 2))); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func TestTypesByContent(t *testing.T) {
	box := func(brand string) []byte { return []byte("\x00\x00\x00\x20ftyp" + brand + "\x00\x00\x00\x00mif1miaf") }
	tar := append(bytes.Repeat([]byte{0}, 257), "ustar\x0000"...)
	for _, c := range []struct {
		name string
		head []byte
		want Type
	}{
		{"JPEG by Go's encoder", encoded(t, func(o *bytes.Buffer, p image.Image) error { return jpeg.Encode(o, p, nil) }), JPEG},
		{"PNG by Go's encoder", encoded(t, func(o *bytes.Buffer, p image.Image) error { return png.Encode(o, p) }), PNG},
		{"GIF by Go's encoder", encoded(t, func(o *bytes.Buffer, p image.Image) error { return gif.Encode(o, p, nil) }), GIF},
		{"WebP (RFC 9649, section 2.4)", []byte("RIFF\x1a\x00\x00\x00WEBPVP8L"), WebP},
		{"RIFF of another kind", []byte("RIFF\x1a\x00\x00\x00WAVEfmt "), Unknown},
		{"TIFF, little-endian (TIFF 6.0, section 2)", []byte("II*\x00\x08\x00\x00\x00"), TIFF},
		{"TIFF, big-endian", []byte("MM\x00*\x00\x00\x00\x08"), TIFF},
		{"BigTIFF", []byte("II+\x00\x08\x00\x00\x00"), TIFF},
		{"AVIF (ISO/IEC 23000-22)", box("avif"), AVIF},
		{"HEIC (ISO/IEC 23008-12)", box("heic"), HEIC},
		{"a film in the same container", box("isom"), Unknown},
		{"ZIP (APPNOTE.TXT 4.3.7)", []byte("PK\x03\x04\x14\x00\x00\x00"), Zip},
		{"an empty ZIP (APPNOTE.TXT 4.3.16)", []byte("PK\x05\x06\x00\x00\x00\x00"), Zip},
		{"gzip (RFC 1952, section 2.3.1)", []byte("\x1f\x8b\x08\x00"), Archive},
		{"TAR (POSIX.1-1988 ustar)", tar, Archive},
		{"SVG behind a declaration", []byte("<?xml version=\"1.0\"?>\n<!-- drawn -->\n<svg xmlns=\"http://www.w3.org/2000/svg\">"), SVG},
		{"a web page that says it is a picture", []byte("  <!DOCTYPE html><html><body>403 Forbidden"), HTML},
		{"text", []byte("sku,title\nHB-10,Hive body\n"), Text},
		{"bytes", []byte{1, 2, 0, 3}, Unknown},
		{"nothing", nil, Empty},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := TypeOf(c.head); got != c.want {
				t.Errorf("%s, expected %s", got, c.want)
			}
		})
	}
}

func TestEveryTypeIsAPictureOrIsRefusedInWords(t *testing.T) {
	for _, kind := range []Type{JPEG, PNG, WebP, TIFF, GIF, HEIC, AVIF, SVG, BMP, Layered, PDF, Zip, Archive, HTML, Text, Empty, Unknown} {
		if kind.Picture() != (kind.Refusal() == "") {
			t.Errorf("%q: a picture %v, refused with %q", kind, kind.Picture(), kind.Refusal())
		}
		if kind.Name() == "" || strings.HasSuffix(kind.Refusal(), ".") {
			t.Errorf("%q is named %q, refused with %q", kind, kind.Name(), kind.Refusal())
		}
	}
}

func TestLimitOfPixels(t *testing.T) {
	limits := Limits{Pixels: 12_000_000}
	if err := limits.CheckSize(4000, 3000); err != nil {
		t.Errorf("at the limit: %v", err)
	}
	err := limits.CheckSize(4001, 3000)
	if err == nil || !strings.Contains(err.Error(), "4001 × 3000") {
		t.Errorf("above the limit: %v", err)
	}
	if limits.CheckSize(1<<31-1, 1<<31-1) == nil {
		t.Error("sides whose product does not fit in 32 bits are let through")
	}
}
