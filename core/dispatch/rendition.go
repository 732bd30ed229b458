package dispatch

import (
	"encoding/hex"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"ambrosa/core/rights"
)

// The formats that pictures go in.
const (
	Original = "original" // as they came, to the byte
	JPEG     = "jpeg"
	WebP     = "webp"
	PNG      = "png"
	AVIF     = "avif"
)

// What becomes of what is written in a picture's file beside its pixels.
const (
	Kept     = "kept"
	Stripped = "stripped"
	Written  = "written" // nothing but its creator, credit, rights and licence, and what it shows
)

// RenditionRecipe is how the pictures that go to an outlet are made of what came. They are
// brought to 8 bits of sRGB and turned upright, and never enlarged.
type RenditionRecipe struct {
	Format   string `json:"format" enum:"original,jpeg,webp,png,avif" doc:"original: as it came; the rest does not count then"`
	Width    int    `json:"width" minimum:"0" maximum:"20000" doc:"At most, in pixels; 0 for any"`
	Height   int    `json:"height" minimum:"0" maximum:"20000" doc:"At most, in pixels; 0 for any"`
	Ratio    string `json:"ratio" maxLength:"11" doc:"Of the canvas that it is put on, as 4:5; empty for no canvas"`
	Colour   string `json:"colour" maxLength:"7" doc:"Of the canvas, and behind what can be looked through, as #ffffff; empty for white"`
	Quality  int    `json:"quality" minimum:"0" maximum:"100" doc:"Of JPEG, WebP and AVIF; 0 for what is common"`
	Most     int64  `json:"most" minimum:"0" maximum:"1000000000" doc:"Bytes at most: the quality is lowered until it fits; 0 for any"`
	Metadata string `json:"metadata" enum:"kept,stripped,written" doc:"written: whose it is and what it shows, nothing else"`
}

// BadRecipe says what is wrong with a recipe.
type BadRecipe string

func (e BadRecipe) Error() string { return string(e) }

var (
	ratio  = regexp.MustCompile(`^\s*(\d{1,4})\s*:\s*(\d{1,4})\s*$`)
	colour = regexp.MustCompile(`^#[0-9a-fA-F]{6}$`)
)

// mostRatio is how much longer than wide a canvas may be.
const mostRatio = 20

// Check tells what cannot be made of a recipe; the error is a BadRecipe.
func (r RenditionRecipe) Check() error {
	if r.AsItCame() {
		return nil
	}
	if r.Ratio != "" {
		w, h := r.ratio()
		if w == 0 || h == 0 {
			return BadRecipe(fmt.Sprintf("the ratio %q is not two numbers as 4:5", r.Ratio))
		}
		if w > mostRatio*h || h > mostRatio*w {
			return BadRecipe(fmt.Sprintf("the ratio %s is longer than %d to 1", r.Ratio, mostRatio))
		}
	}
	if r.Colour != "" && !colour.MatchString(r.Colour) {
		return BadRecipe(fmt.Sprintf("the colour %q is not six digits as #ffffff", r.Colour))
	}
	if r.Most > 0 && r.Format == PNG {
		return BadRecipe("a PNG has no quality that could be lowered to a most size")
	}
	return nil
}

// AsItCame tells whether nothing is made: the bytes go that came.
func (r RenditionRecipe) AsItCame() bool { return r.Format == Original || r.Format == "" }

// Key is equal for recipes that make the same. It is short, and fit for a name in a store.
// made is what the making itself is at, so that what was made by another is made anew.
func (r RenditionRecipe) Key() string {
	if r.AsItCame() {
		return ""
	}
	w, h := r.ratio()
	return fmt.Sprintf("v%d-%s-%dx%d-%d.%d-%s-q%d-b%d-%s", made, r.Format, r.Width, r.Height, w, h, hex.EncodeToString(r.Background()),
		r.quality(), r.Most, r.Metadata)
}

// made counts the ways in which renditions were ever made.
const made = 1

// Common qualities: about what each format needs to be seen as the same (common practice).
var qualities = map[string]int{JPEG: 85, WebP: 82, AVIF: 60}

func (r RenditionRecipe) quality() int {
	if r.Quality > 0 {
		return r.Quality
	}
	return qualities[r.Format]
}

// LeastQuality is below what no picture is brought to make it fit.
const LeastQuality = 35

// Qualities returns the qualities to try, the best first, until what is made fits.
func (r RenditionRecipe) Qualities() []int {
	best := r.quality()
	if r.Most == 0 || best <= LeastQuality {
		return []int{best}
	}
	tried := []int{best}
	for q := best - best%10; q > LeastQuality; q -= 10 {
		if q < best {
			tried = append(tried, q)
		}
	}
	return append(tried, LeastQuality)
}

// Background is the colour of the canvas: red, green, blue.
func (r RenditionRecipe) Background() []byte {
	raw, err := hex.DecodeString(strings.TrimPrefix(r.Colour, "#"))
	if err != nil || len(raw) != 3 {
		return []byte{255, 255, 255}
	}
	return raw
}

// Opaque tells whether what can be looked through is laid on the colour.
func (r RenditionRecipe) Opaque() bool { return r.Format == JPEG || r.Colour != "" }

func (r RenditionRecipe) ratio() (w, h int) {
	found := ratio.FindStringSubmatch(r.Ratio)
	if found == nil {
		return 0, 0
	}
	w, _ = strconv.Atoi(found[1])
	h, _ = strconv.Atoi(found[2])
	return w, h
}

// mostSide stands for any size, in pixels.
const mostSide = 100_000

// Box is what the picture itself has to fit in, in pixels: the largest of the canvas' ratio
// within the sizes asked for.
func (r RenditionRecipe) Box() (width, height int) {
	width, height = r.Width, r.Height
	if width == 0 {
		width = mostSide
	}
	if height == 0 {
		height = mostSide
	}
	if w, h := r.ratio(); w > 0 && h > 0 {
		width, height = min(width, max(1, height*w/h)), min(height, max(1, width*h/w))
	}
	return width, height
}

// Canvas is how large the whole is on which a picture of a size that fits in the box stands.
func (r RenditionRecipe) Canvas(width, height int) (canvasWidth, canvasHeight int) {
	w, h := r.ratio()
	if w == 0 || h == 0 {
		return width, height
	}
	most, high := r.Box()
	up := func(n, by, of int) int { return (n*by + of - 1) / of }
	return max(width, min(most, up(height, w, h))), max(height, min(high, up(width, h, w)))
}

// Fit says how a picture of a size, in pixels, comes out: itself, and the whole with the canvas.
func (r RenditionRecipe) Fit(width, height int) (picture, whole [2]int) {
	if r.AsItCame() || width <= 0 || height <= 0 {
		return [2]int{width, height}, [2]int{width, height}
	}
	w, h := r.Box()
	scale := min(1, float64(w)/float64(width), float64(h)/float64(height))
	side := func(n int) int { return max(1, int(math.Round(float64(n)*scale))) }
	picture = [2]int{side(width), side(height)}
	whole[0], whole[1] = r.Canvas(picture[0], picture[1])
	return picture, whole
}

// Ending is the ending of names of what is made; as is that of what came.
func (r RenditionRecipe) Ending(as string) string {
	switch r.Format {
	case JPEG:
		return "jpg"
	case WebP, PNG, AVIF:
		return r.Format
	}
	return as
}

// Words say in which form a picture goes that came out at sizes.
func (r RenditionRecipe) Words(picture, whole [2]int) string {
	if r.AsItCame() {
		return "as it came"
	}
	words := fmt.Sprintf("%d × %d %s", whole[0], whole[1], map[string]string{JPEG: "JPEG", WebP: "WebP", PNG: "PNG", AVIF: "AVIF"}[r.Format])
	if picture != whole {
		words += fmt.Sprintf(", padded from %d × %d", picture[0], picture[1])
	}
	return words
}

// of returns what tells how an item is made and what is written into it, and its form in words.
func (r RenditionRecipe) of(i Item) (made, form string) {
	if r.AsItCame() {
		return "", r.Words([2]int{}, [2]int{})
	}
	picture, whole := r.Fit(i.Width, i.Height)
	form = r.Words(picture, whole)
	if i.Frames > 1 {
		form += fmt.Sprintf(", the first of %d frames", i.Frames)
	}
	made = r.Key()
	if written := r.Writes(i).Key(); written != "" {
		made += "-w" + written
	}
	return made, form
}

// Reveals tells whether an item goes with what its file says beside its rights: where it was
// taken, and the serial number of its camera.
func (r RenditionRecipe) Reveals(i Item) (place, number bool) {
	keeps := r.AsItCame() || r.Metadata == Kept
	return keeps && i.Stated.Located, keeps && i.Stated.Serial
}

// Writes returns what is written into the picture of an item.
func (r RenditionRecipe) Writes(i Item) (w rights.Written) {
	if r.AsItCame() || r.Metadata != Written {
		return w
	}
	w = rights.Write(i.Stated, i.Alt)
	if i.Credit != "" { // what a person states goes before what the file does
		w.Credit = i.Credit
	}
	if i.Licence != "" {
		w.Terms = i.Licence
	}
	return w
}
