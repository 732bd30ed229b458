package picturespec

import (
	"bytes"
	"image"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"
)

func TestSizesFromTheFirstBytes(t *testing.T) {
	var asJPEG, asPNG, asGIF bytes.Buffer
	grey := image.NewGray(image.Rect(0, 0, 321, 123))
	for _, err := range []error{jpeg.Encode(&asJPEG, grey, nil), png.Encode(&asPNG, grey), gif.Encode(&asGIF, grey, nil)} {
		if err != nil {
			t.Fatal(err)
		}
	}
	// Two items of a HEIF file: a thumbnail and the picture.
	heif := []byte(
		"\x00\x00\x00\x1cftypavif\x00\x00\x00\x00avifmif1miaf\x00\x00\x00\x14ispe\x00\x00\x00\x00\x00\x00\x00\x40\x00\x00\x00\x20\x00\x00" +
			"\x00\x14ispe\x00\x00\x00\x00\x00\x00\x01\x41\x00\x00\x00\x7b",
	)
	for name, head := range map[string][]byte{"JPEG": asJPEG.Bytes()[:min(700, asJPEG.Len())], "PNG": asPNG.Bytes()[:60],
		"GIF": asGIF.Bytes()[:min(900, asGIF.Len())], "AVIF": heif} {
		if w, h, ok := SizeOf(head); w != 321 || h != 123 || !ok {
			t.Errorf("%s: %d × %d %v", name, w, h, ok)
		}
	}
	for _, head := range [][]byte{nil, []byte("\xff\xd8\xff"), asPNG.Bytes()[:12], []byte("<html>"), heif[:40]} {
		if _, _, ok := SizeOf(head); ok {
			t.Errorf("%q has a size", head)
		}
	}
}
