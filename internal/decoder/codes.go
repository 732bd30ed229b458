package decoder

import (
	"image"
	"slices"
	"strings"

	"github.com/davidbyttow/govips/v2/vips"
	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/datamatrix"
	"github.com/makiuchi-d/gozxing/oned"
	"github.com/makiuchi-d/gozxing/qrcode"

	"ambrosa/core/gtin"
	"ambrosa/internal/picture"
)

// codeSide is the longer side, in pixels, at which barcodes are looked for.
const codeSide = 2000

// readCodes reads the barcodes in a picture: EAN-13, EAN-8, UPC-A, ITF-14, Code
// 128, QR and DataMatrix, of any turn. Bars are found first, by where the grey
// changes in one direction only, and read as if they stood upright; codes made
// of squares are looked for in the whole picture.
func readCodes(content []byte) ([]picture.Code, error) {
	grey, err := loadGrey(content, codeSide)
	if err != nil {
		return nil, err
	}
	readers := newCodeReaders()
	var found []picture.Code
	for _, b := range findBars(grey) {
		if code, ok := readers.readBars(grey, b); ok &&
			!slices.ContainsFunc(found, func(o picture.Code) bool { return o.Text == code.Text }) {
			found = append(found, code)
		}
	}
	if len(found) > 0 {
		return found, nil
	}
	if code, ok := readers.readSquares(halved(grey)); ok {
		return []picture.Code{code}, nil
	}
	return nil, nil
}

// halved returns a picture with half the width and height.
func halved(grey *image.Gray) *image.Gray {
	half := image.NewGray(image.Rect(0, 0, grey.Rect.Dx()/2, grey.Rect.Dy()/2))
	for y := range half.Rect.Dy() {
		one, two := grey.Pix[2*y*grey.Stride:], grey.Pix[(2*y+1)*grey.Stride:]
		for x := range half.Rect.Dx() {
			half.Pix[y*half.Stride+x] = byte((int(one[2*x]) + int(one[2*x+1]) + int(two[2*x]) + int(two[2*x+1])) / 4)
		}
	}
	return half
}

func loadGrey(content []byte, side int) (*image.Gray, error) {
	whole, err := vips.LoadThumbnailFromBuffer(content, side, side, vips.InterestingNone, vips.SizeDown, nil)
	if err != nil {
		return nil, err
	}
	defer whole.Close()
	if whole.HasAlpha() {
		if err := whole.Flatten(&vips.Color{R: 255, G: 255, B: 255}); err != nil {
			return nil, err
		}
	}
	if err := whole.ToColorSpace(vips.InterpretationBW); err != nil {
		return nil, err
	}
	if err := whole.Cast(vips.BandFormatUchar); err != nil {
		return nil, err
	}
	bytes, err := whole.ToBytes()
	if err != nil {
		return nil, err
	}
	grey := image.NewGray(image.Rect(0, 0, whole.Width(), whole.Height()))
	for p := range grey.Pix {
		grey.Pix[p] = bytes[p*whole.Bands()]
	}
	return grey, nil
}

// codeReaders are the readers of all kinds of codes.
type codeReaders struct {
	bars    []gozxing.Reader
	squares []gozxing.Reader
}

var harder = map[gozxing.DecodeHintType]any{gozxing.DecodeHintType_TRY_HARDER: true}

func newCodeReaders() *codeReaders {
	return &codeReaders{
		bars:    []gozxing.Reader{oned.NewCode128Reader(), oned.NewITFReader(), oned.NewMultiFormatUPCEANReader(harder)},
		squares: []gozxing.Reader{qrcode.NewQRCodeReader(), datamatrix.NewDataMatrixReader()},
	}
}

// readBars reads one code that was found. What does not take the length of the
// bars has to be read twice, in two ways, to be no chance.
func (r *codeReaders) readBars(grey *image.Gray, b bars) (picture.Code, bool) {
	once := map[string]bool{}
	for _, scale := range b.scales() {
		upright := b.upright(grey, scale)
		for _, binarize := range []func(gozxing.LuminanceSource) gozxing.Binarizer{gozxing.NewGlobalHistgramBinarizer,
			gozxing.NewHybridBinarizer} {
			code, ok := decodeWith(r.bars, upright, binarize)
			if !ok {
				continue
			}
			if b.filledBy(code.Points, scale) || once[code.Format+code.Text] {
				code.Points = b.corners(grey.Rect)
				return code, true
			}
			once[code.Format+code.Text] = true
		}
	}
	return picture.Code{}, false
}

func (r *codeReaders) readSquares(grey *image.Gray) (picture.Code, bool) {
	code, ok := decodeWith(r.squares, grey, gozxing.NewHybridBinarizer)
	for i, p := range code.Points {
		code.Points[i] = [2]float64{p[0] / float64(grey.Rect.Dx()), p[1] / float64(grey.Rect.Dy())}
	}
	return code, ok
}

func decodeWith(
	readers []gozxing.Reader,
	grey *image.Gray,
	binarize func(gozxing.LuminanceSource) gozxing.Binarizer,
) (code picture.Code, ok bool) {
	// This source cannot be turned, so that no reader tries the bars lengthwise:
	// they stand upright already.
	source, err := gozxing.NewPlanarYUVLuminanceSource(grey.Pix, grey.Stride, grey.Rect.Dy(), 0, 0, grey.Rect.Dx(), grey.Rect.Dy(), false)
	if err != nil {
		return code, false
	}
	bitmap, err := gozxing.NewBinaryBitmap(binarize(source))
	if err != nil {
		return code, false
	}
	for _, reader := range readers {
		result, err := reader.Decode(bitmap, harder)
		reader.Reset()
		if err != nil || !sound(result) {
			continue
		}
		code = picture.Code{
			Text:   result.GetText(),
			Format: strings.ReplaceAll(strings.ToLower(result.GetBarcodeFormat().String()), "_", "-"),
		}
		for _, p := range result.GetResultPoints() {
			code.Points = append(code.Points, [2]float64{p.GetX(), p.GetY()})
		}
		return code, true
	}
	return code, false
}

// sound tells whether what was read is no chance: what has no check of its own,
// or a weak one, is left out.
func sound(result *gozxing.Result) bool {
	text := result.GetText()
	switch result.GetBarcodeFormat() {
	case gozxing.BarcodeFormat_ITF:
		_, err := gtin.Normalise(text)
		return len(text) == 14 && err == nil
	case gozxing.BarcodeFormat_EAN_8, gozxing.BarcodeFormat_EAN_13, gozxing.BarcodeFormat_UPC_A:
		return true
	case gozxing.BarcodeFormat_UPC_E:
		return false
	}
	return len(text) >= 4
}
