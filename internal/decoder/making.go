package decoder

import (
	"errors"
	"fmt"
	"os"

	"github.com/davidbyttow/govips/v2/vips"

	"ambrosa/core/dispatch"
	"ambrosa/internal/picture"
)

// makeRendition makes a picture by a recipe and writes it to the file that is asked for: fitted
// in its box, upright, in 8 bits of sRGB, on its canvas. Where it has to fit in bytes, the best
// quality is taken of those tried at which it does.
func makeRendition(content []byte, measured *picture.Result, making picture.Making) (*picture.Made, error) {
	recipe := making.Recipe
	for _, quality := range recipe.Qualities() {
		encoded, made, err := encode(content, measured, making, quality)
		if err != nil {
			return nil, err
		}
		if recipe.Most > 0 && int64(len(encoded)) > recipe.Most {
			continue
		}
		made.Bytes = int64(len(encoded))
		return made, os.WriteFile(making.To, encoded, 0o600)
	}
	return nil, tooLarge(fmt.Sprintf("it cannot be brought below %d kB at a quality that is fit to be seen", (recipe.Most+999)/1000))
}

// tooLarge says that a picture cannot be brought to its most bytes.
type tooLarge string

func (e tooLarge) Error() string { return string(e) }

// encode makes a picture at a quality. Its pixels are read in one pass, so each quality decodes
// anew.
func encode(content []byte, measured *picture.Result, making picture.Making, quality int) ([]byte, *picture.Made, error) {
	width, height := making.Recipe.Box()
	image, err := vips.LoadThumbnailFromBuffer(content, width, height, vips.InterestingNone, vips.SizeDown, vips.NewImportParams())
	if err != nil {
		return nil, nil, err
	}
	defer image.Close()
	if err := toScreen(image, measured); err != nil {
		return nil, nil, err
	}
	made := &picture.Made{PictureWidth: image.Width(), PictureHeight: image.Height(), Quality: quality}
	if making.Recipe.Format == dispatch.PNG {
		made.Quality = 0
	}
	if err := lay(image, making.Recipe); err != nil {
		return nil, nil, err
	}
	made.Width, made.Height = image.Width(), image.Height()
	encoded, err := written(image, making, quality)
	return encoded, made, err
}

// written exports an image, with what it is to say written into it where that is wanted.
func written(image *vips.ImageRef, making picture.Making, quality int) ([]byte, error) {
	recipe, xmp, exif := making.Recipe, making.Write.XMP(), making.Write.Exif()
	if recipe.Metadata == dispatch.Written {
		if err := image.RemoveMetadata(); err != nil {
			return nil, err
		}
	}
	if recipe.Metadata != dispatch.Written || xmp == nil {
		return export(image, recipe, quality)
	}
	if recipe.Format == dispatch.AVIF {
		recipe.Format = dispatch.PNG // which libvips hands on what is written in
	}
	encoded, err := export(image, recipe, quality)
	if err != nil {
		return nil, err
	}
	switch making.Recipe.Format {
	case dispatch.JPEG:
		return intoJPEG(encoded, exif, xmp, making.Write.IIM())
	case dispatch.WebP:
		return intoWebP(encoded, exif, xmp, image.Width(), image.Height(), image.HasAlpha())
	}
	if encoded, err = intoPNG(encoded, exif, xmp); err != nil || making.Recipe.Format == dispatch.PNG {
		return encoded, err
	}
	again, err := vips.NewImageFromBuffer(encoded)
	if err != nil {
		return nil, err
	}
	defer again.Close()
	return export(again, making.Recipe, quality)
}

// lay puts an image on its canvas, and on the colour what can be looked through.
func lay(image *vips.ImageRef, recipe dispatch.RenditionRecipe) error {
	back := recipe.Background()
	colour := &vips.Color{R: back[0], G: back[1], B: back[2]}
	if image.HasAlpha() && recipe.Opaque() {
		if err := image.Flatten(colour); err != nil {
			return err
		}
	}
	width, height := recipe.Canvas(image.Width(), image.Height())
	if width == image.Width() && height == image.Height() {
		return nil
	}
	left, top := (width-image.Width())/2, (height-image.Height())/2
	if image.HasAlpha() {
		return image.EmbedBackgroundRGBA(left, top, width, height, &vips.ColorRGBA{R: back[0], G: back[1], B: back[2]})
	}
	return image.EmbedBackground(left, top, width, height, colour)
}

func export(image *vips.ImageRef, recipe dispatch.RenditionRecipe, quality int) (encoded []byte, err error) {
	strip := recipe.Metadata == dispatch.Stripped
	switch recipe.Format {
	case dispatch.JPEG:
		params := vips.NewJpegExportParams()
		params.StripMetadata, params.Quality, params.Interlace, params.OptimizeCoding = strip, quality, false, true
		encoded, _, err = image.ExportJpeg(params)
	case dispatch.WebP:
		params := vips.NewWebpExportParams()
		params.StripMetadata, params.Quality = strip, quality
		encoded, _, err = image.ExportWebp(params)
	case dispatch.PNG:
		params := vips.NewPngExportParams()
		params.StripMetadata = strip
		encoded, _, err = image.ExportPng(params)
	case dispatch.AVIF:
		params := vips.NewAvifExportParams()
		params.StripMetadata, params.Quality, params.Effort = strip, quality, 2
		encoded, _, err = image.ExportAvif(params)
	default:
		err = errors.New("there is no such format: " + recipe.Format)
	}
	return encoded, err
}
