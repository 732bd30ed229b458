package decoder

import (
	"bytes"
	"image"
	"image/draw"
	"math"
	"regexp"
	"strconv"
	"strings"

	"golang.org/x/image/webp"

	"github.com/davidbyttow/govips/v2/vips"

	"ambrosa/core/rights"
	"ambrosa/internal/picture"
)

// stated reads what a picture says of its rights, and what it reveals; only its header is read.
func stated(image *vips.ImageRef) rights.Stated {
	var xmp, iim, exif rights.Stated
	for _, field := range image.ImageFields() {
		switch field {
		case "xmp-data":
			xmp = rights.FromXMP(image.GetBlob(field))
		case "iptc-data":
			iim = rights.FromIIM(image.GetBlob(field))
		case "exif-ifd0-Artist":
			exif.Creator = exifText(image.GetString(field))
		case "exif-ifd0-Copyright":
			exif.Notice = exifText(image.GetString(field))
		case "exif-ifd3-GPSLatitude", "exif-ifd3-GPSLongitude":
			exif.Located = true
		case "exif-ifd2-BodySerialNumber", "exif-ifd2-LensSerialNumber":
			exif.Serial = true
		}
	}
	return xmp.Or(iim).Or(exif) // XMP is the newest of the three
}

// toldText is libvips' way of telling a text of Exif, which ends with how many bytes it has, the
// last of them 0: "text (text, ASCII, 5 components, 5 bytes)".
var toldText = regexp.MustCompile(`, ASCII, (\d+) components, \d+ bytes\)$`)

func exifText(told string) string {
	found := toldText.FindStringSubmatch(told)
	if found == nil {
		return ""
	}
	count, err := strconv.Atoi(found[1])
	if err != nil || count < 1 || count > len(told) {
		return ""
	}
	return strings.TrimSpace(told[:count-1])
}

// lookAtRendition fills what is told from a picture's rendition: the box around
// what is not border, whether any of it can be looked through (WebP keeps an
// alpha channel only then), and what look-alikes are found by. It is decoded
// here, not by libvips, whose set-up for a picture so small takes longer than
// reading it.
func lookAtRendition(result *picture.Result) error {
	small, err := webp.Decode(bytes.NewReader(result.Rendition))
	if err != nil {
		return err
	}
	_, result.Transparent = small.(*image.NYCbCrA)
	seen := image.NewRGBA(small.Bounds())
	if result.Transparent {
		draw.Draw(seen, seen.Rect, image.White, image.Point{}, draw.Src)
	}
	draw.Draw(seen, seen.Rect, small, small.Bounds().Min, draw.Over)
	w, h := seen.Rect.Dx(), seen.Rect.Dy()
	box := picture.ContentBox(seen.Pix, w, h, 4)
	result.ContentWidth = int(math.Round(float64(box.Dx()) / float64(w) * float64(result.Width)))
	result.ContentHeight = int(math.Round(float64(box.Dy()) / float64(h) * float64(result.Height)))
	result.Fingerprint, result.Tint = picture.Look(seen.Pix, w, h, 4)
	return nil
}

// Only pictures that hold little for their size are looked at in full: detail
// costs bytes, and an enlarged picture has none. That spares most of them the
// decoding of all their pixels.
const (
	suspectBits   = 1.2 // a pixel
	detailPixels  = 30_000_000
	detailLongest = 600 // a picture with a shorter longer side is small anyway
)

func suspect(bytes int, r *picture.Result) bool {
	pixels := r.Width * r.Height
	return r.Frames == 1 && pixels > 0 && pixels <= detailPixels && max(r.Width, r.Height) >= detailLongest &&
		min(r.Width, r.Height) >= picture.DetailSide &&
		float64(8*bytes)/float64(pixels) < suspectBits*lossless(r)
}

// lossless formats take more bytes for the same detail.
func lossless(r *picture.Result) float64 {
	switch r.Type {
	case "image/png", "image/tiff":
		return 8
	}
	return 1
}

// detail judges the square in the middle of the picture.
func detail(content []byte) (float64, error) {
	image, err := vips.NewImageFromBuffer(content)
	if err != nil {
		return 0, err
	}
	defer image.Close()
	const side = picture.DetailSide
	if err := image.ExtractArea((image.Width()-side)/2, (image.Height()-side)/2, side, side); err != nil {
		return 0, err
	}
	if image.HasAlpha() {
		if err := image.Flatten(&vips.Color{R: 255, G: 255, B: 255}); err != nil {
			return 0, err
		}
	}
	if image.Interpretation() != vips.InterpretationSRGB || image.BandFormat() != vips.BandFormatUchar {
		if err := image.ToColorSpace(vips.InterpretationSRGB); err != nil {
			return 0, err
		}
	}
	pixels, err := image.ToBytes()
	bands := image.Bands()
	if err != nil || len(pixels) < side*side*bands {
		return 0, err
	}
	return picture.Detail(picture.Greys(pixels, bands), side), nil
}
