// Package picturespec says what an image must be to be used, judged from its
// first bytes and its measurements.
package picturespec

import (
	"bytes"
	"fmt"
	"path"
	"strings"
)

// Limits bound what is decoded at all.
type Limits struct {
	Pixels int64 // width times height of one frame
	Bytes  int64
}

// DefaultLimits let through what cameras and scanners make.
var DefaultLimits = Limits{Pixels: 250_000_000, Bytes: 1 << 30}

// Type is a file type told by content.
type Type string

// The types that are told apart. Picture types can be decoded.
const (
	JPEG    Type = "image/jpeg"
	PNG     Type = "image/png"
	WebP    Type = "image/webp"
	TIFF    Type = "image/tiff"
	GIF     Type = "image/gif"
	HEIC    Type = "image/heic"
	AVIF    Type = "image/avif"
	SVG     Type = "image/svg+xml"
	BMP     Type = "image/bmp"
	Layered Type = "application/x-layered"
	PDF     Type = "application/pdf"
	Zip     Type = "application/zip"
	Archive Type = "application/x-archive"
	HTML    Type = "text/html"
	Text    Type = "text/plain"
	Empty   Type = ""
	Unknown Type = "application/octet-stream"
)

// HeadBytes is how much of a file TypeOf looks at.
const HeadBytes = 1024

// TypeOf tells a file's type from its first bytes, whatever its name says.
// Signatures are those of the formats' specifications.
func TypeOf(head []byte) Type {
	has := func(prefix string) bool { return bytes.HasPrefix(head, []byte(prefix)) }
	switch {
	case len(head) == 0:
		return Empty
	case has("\xff\xd8\xff"):
		return JPEG
	case has("\x89PNG\r\n\x1a\n"):
		return PNG
	case has("RIFF") && len(head) >= 12 && string(head[8:12]) == "WEBP":
		return WebP
	case has("II*\x00"), has("MM\x00*"), has("II+\x00"), has("MM\x00+"):
		return TIFF
	case has("GIF87a"), has("GIF89a"):
		return GIF
	case len(head) >= 12 && string(head[4:8]) == "ftyp":
		return ofBrand(string(head[8:12]))
	case has("8BPS"):
		return Layered
	case has("BM"):
		return BMP
	case has("%PDF"):
		return PDF
	case has("PK\x03\x04"), has("PK\x05\x06"):
		return Zip
	case has("7z\xbc\xaf\x27\x1c"), has("Rar!\x1a\x07"), has("\x1f\x8b"), has("BZh"), has("\xfd7zXZ\x00"), has("\x28\xb5\x2f\xfd"),
		len(head) > 262 && string(head[257:262]) == "ustar":
		return Archive
	}
	return ofText(head)
}

func ofBrand(brand string) Type {
	switch brand {
	case "avif", "avis":
		return AVIF
	case "heic", "heix", "hevc", "mif1", "msf1":
		return HEIC
	}
	return Unknown
}

func ofText(head []byte) Type {
	text := bytes.ToLower(bytes.TrimLeft(bytes.TrimPrefix(head, []byte("\ufeff")), " \t\r\n"))
	switch {
	case bytes.Contains(text, []byte("<svg")):
		return SVG
	case bytes.HasPrefix(text, []byte("<!doctype html")), bytes.HasPrefix(text, []byte("<html")):
		return HTML
	case bytes.IndexByte(head, 0) < 0:
		return Text
	}
	return Unknown
}

// Picture tells whether files of the type are decoded.
func (t Type) Picture() bool {
	switch t {
	case JPEG, PNG, WebP, TIFF, GIF, HEIC, AVIF:
		return true
	}
	return false
}

// Drawn tells whether files of the type show something, though they are not
// decoded.
func (t Type) Drawn() bool { return t == SVG || t == BMP || t == Layered }

// Sheet tells whether a file of the type and name is read as a spreadsheet.
func (t Type) Sheet(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".csv", ".tsv":
		return t == Text || t == Unknown
	case ".xlsx":
		return t == Zip
	}
	return false
}

// Kept tells whether a file of the type and name is stored: pictures, whatever
// shows something, and sheets. Anything else is listed with its reason only.
func (t Type) Kept(name string) bool { return t.Picture() || t.Drawn() || t.Sheet(name) }

// Refusal says why files of a type are not used, in the user's words; "" for
// pictures.
func (t Type) Refusal() string {
	switch t {
	case Empty:
		return "the file is empty"
	case SVG:
		return "an SVG drawing, not a picture: export it as PNG"
	case BMP:
		return "a BMP picture, which is not read: save it as PNG"
	case Layered:
		return "a layered document of an image editor, which is not read: export it as TIFF or PNG"
	case PDF:
		return "a PDF document, not a picture"
	case Zip, Archive:
		return "an archive within an archive within an archive is not opened"
	case HTML:
		return "a web page, not a picture"
	case Text:
		return "a text file, not a picture"
	}
	if t.Picture() {
		return ""
	}
	return "not a picture that can be read"
}

// Name says in words what a type is.
func (t Type) Name() string {
	if t.Picture() {
		return "a picture (" + string(t) + ")"
	}
	return t.Refusal()
}

// endings are how names of pictures end, by type.
var endings = map[Type]string{JPEG: "jpg", PNG: "png", WebP: "webp", TIFF: "tif", GIF: "gif", HEIC: "heic", AVIF: "avif", SVG: "svg",
	BMP: "bmp"}

// Ending is how the name of a file of the type ends, without the dot.
func (t Type) Ending() string {
	if ending, known := endings[t]; known {
		return ending
	}
	return "bin"
}

// TypeOfEnding is the type of a file by the ending of its name, or Unknown.
func TypeOfEnding(name string) Type {
	ending := strings.ToLower(name[strings.LastIndexByte(name, '.')+1:])
	for t, e := range endings {
		if e == ending {
			return t
		}
	}
	return Unknown
}

// TooLarge means that a picture has more pixels than are decoded.
type TooLarge struct {
	Width, Height int
	Most          int64 // pixels
}

func (e TooLarge) Error() string {
	return fmt.Sprintf("%d × %d pixels are more than the limit of %d million", e.Width, e.Height, e.Most/1_000_000)
}

// CheckSize returns why a picture is too large to be decoded, a TooLarge, or nil.
func (l Limits) CheckSize(width, height int) error {
	if pixels := int64(width) * int64(height); pixels > l.Pixels {
		return TooLarge{width, height, l.Pixels}
	}
	return nil
}
