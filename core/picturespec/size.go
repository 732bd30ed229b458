package picturespec

import (
	"bytes"
	"encoding/binary"
	"image"
	_ "image/gif"  // sizes of GIF
	_ "image/jpeg" // sizes of JPEG
	_ "image/png"  // sizes of PNG

	_ "golang.org/x/image/webp" // sizes of WebP
)

// SizeOf returns a picture's width and height in pixels, as its first bytes tell
// them, before any rotation that its metadata asks for; ok is false where they
// do not tell.
func SizeOf(head []byte) (width, height int, ok bool) {
	switch TypeOf(head[:min(len(head), HeadBytes)]) {
	case AVIF, HEIC:
		return largestExtent(head)
	}
	config, _, err := image.DecodeConfig(bytes.NewReader(head))
	if err != nil {
		return 0, 0, false
	}
	return config.Width, config.Height, true
}

// largestExtent reads the image spatial extents ("ispe", ISO/IEC 23008-12
// section 6.5.3) of a HEIF file: of all its items, the largest is the picture.
func largestExtent(head []byte) (width, height int, ok bool) {
	for {
		at := bytes.Index(head, []byte("ispe"))
		if at < 0 || at+16 > len(head) {
			return width, height, ok
		}
		w, h := binary.BigEndian.Uint32(head[at+8:]), binary.BigEndian.Uint32(head[at+12:])
		if w < 1<<20 && h < 1<<20 && uint64(w)*uint64(h) > uint64(width)*uint64(height) {
			width, height, ok = int(w), int(h), true
		}
		head = head[at+4:]
	}
}
