package decoder

import (
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
	"ambrosa/internal/picture"
)

// sharp draws what product pictures are made of: hard edges at all angles, and
// soft light.
func sharp(side int, seed uint64) *image.RGBA {
	r := rand.New(rand.NewPCG(seed, 1))
	drawn := image.NewRGBA(image.Rect(0, 0, side, side))
	type disc struct{ x, y, radius, grey float64 }
	var discs []disc
	for range 90 {
		discs = append(
			discs,
			disc{r.Float64() * float64(side), r.Float64() * float64(side), 4 + r.Float64()*float64(side)/12, r.Float64() * 255},
		)
	}
	for y := range side {
		for x := range side {
			grey := 200 - 40*float64(y)/float64(side)
			for _, d := range discs {
				if math.Hypot(float64(x)-d.x, float64(y)-d.y) < d.radius {
					grey = d.grey
				}
			}
			g := uint8(grey)
			drawn.Set(x, y, color.RGBA{g, uint8(float64(g) * 0.9), uint8(255 - g/2), 255})
		}
	}
	return drawn
}

func saved(t testing.TB, folder, name string, drawn image.Image) string {
	t.Helper()
	file, err := os.Create(filepath.Join(folder, name))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	if err := jpeg.Encode(file, drawn, &jpeg.Options{Quality: 90}); err != nil {
		t.Fatal(err)
	}
	return file.Name()
}

func command(t testing.TB, name string, args ...string) {
	t.Helper()
	if out, err := exec.Command(name, args...).CombinedOutput(); err != nil {
		t.Fatalf("%s %v: %v: %s", name, args, err, out)
	}
}

func examined(t *testing.T, p *picture.Pool, file string) picture.Result {
	t.Helper()
	result, err := p.Examine(t.Context(), file, 320)
	if err != nil || result.Problem != "" {
		t.Fatalf("%s: %v %s", filepath.Base(file), err, result.Problem)
	}
	return result
}

// TestEnlargedPictures enlarges pictures by vips' own command line, and expects
// that those are told from pictures as they are.
func TestEnlargedPictures(t *testing.T) {
	p := pool(t, "good", picturespec.Limits{})
	folder := t.TempDir()
	for seed := range uint64(4) {
		whole := saved(t, folder, fmt.Sprintf("whole%d.jpg", seed), sharp(1200, seed))
		if r := examined(t, p, whole); r.Detail != 1 {
			t.Errorf("as it is, %d: %v", seed, r.Detail)
		}
		for _, by := range []int{2, 4} {
			small, large := filepath.Join(folder, "small.png"), filepath.Join(folder, "large.jpg")
			command(t, "vips", "resize", whole, small, fmt.Sprint(1/float64(by)))
			command(t, "vips", "resize", small, large+"[Q=90]", fmt.Sprint(by))
			if r := examined(t, p, large); r.Width != 1200 || r.Detail != 0.5 && r.Detail != 0.25 {
				t.Errorf("enlarged %d times, %d: %v", by, seed, r.Detail)
			}
		}
	}
}

// TestPaddedPictures puts a picture on a large white ground, by vips.
func TestPaddedPictures(t *testing.T) {
	p := pool(t, "good", picturespec.Limits{})
	folder := t.TempDir()
	small := saved(t, folder, "small.jpg", sharp(300, 7))
	if r := examined(t, p, small); r.ContentWidth > 0 && r.ContentWidth < 250 {
		t.Errorf("as it is: %d × %d", r.ContentWidth, r.ContentHeight)
	}
	padded := filepath.Join(folder, "padded.jpg")
	command(t, "vips", "embed", small, padded, "400", "300", "1000", "900", "--extend", "white")
	r := examined(t, p, padded)
	if math.Abs(float64(r.ContentWidth-300)) > 8 || math.Abs(float64(r.ContentHeight-300)) > 8 {
		t.Errorf("the content is %d × %d, expected 300 × 300", r.ContentWidth, r.ContentHeight)
	}
}

// TestStatedRights reads what exiftool wrote into the fields of the IPTC Photo
// Metadata Standard, as XMP, as IPTC-IIM, and in two alphabets.
func TestStatedRights(t *testing.T) {
	p := pool(t, "good", picturespec.Limits{})
	folder := t.TempDir()
	want := rights.Stated{
		Creator: "Änne Föhn", Notice: "© 2026 Imkerei Föhn", Credit: "Föhn/Studio", Statement: "https://rights.example/föhn",
	}
	for name, c := range map[string]struct {
		args []string
		want rights.Stated
	}{
		"XMP": {[]string{"-XMP-dc:Creator=" + want.Creator, "-XMP-dc:Rights=" + want.Notice, "-XMP-photoshop:Credit=" + want.Credit,
			"-XMP-xmpRights:WebStatement=" + want.Statement}, want},
		"IIM in UTF-8": {[]string{"-codedcharacterset=utf8", "-IPTC:By-line=" + want.Creator, "-IPTC:CopyrightNotice=" + want.Notice,
			"-IPTC:Credit=" + want.Credit},
			rights.Stated{Creator: want.Creator, Notice: want.Notice, Credit: want.Credit}},
		"IIM in Latin": {[]string{"-IPTC:By-line=" + want.Creator, "-IPTC:CopyrightNotice=" + want.Notice},
			rights.Stated{Creator: want.Creator, Notice: want.Notice}},
		"both": {[]string{"-XMP-dc:Creator=" + want.Creator, "-IPTC:By-line=another", "-IPTC:Credit=desk"},
			rights.Stated{Creator: want.Creator, Credit: "desk"}},
		"two creators": {[]string{"-XMP-dc:Creator=One", "-XMP-dc:Creator=Two"}, rights.Stated{Creator: "One, Two"}},
		"Exif":         {[]string{"-Artist=Ada (Berlin)", "-Copyright=2026 Ada"}, rights.Stated{Creator: "Ada (Berlin)", Notice: "2026 Ada"}},
		"terms": {[]string{"-XMP-dc:Rights=2026", "-XMP-xmpRights:UsageTerms=Print only"},
			rights.Stated{Notice: "2026", Terms: "Print only"}},
		"where and with what": {[]string{"-GPSLatitude=52.5", "-GPSLatitudeRef=N", "-SerialNumber=0411"},
			rights.Stated{Located: true, Serial: true}},
		"where, in XMP": {[]string{"-XMP-exif:GPSLatitude=52.5"}, rights.Stated{Located: true}},
		"nothing":       {[]string{"-Comment=x"}, rights.Stated{}},
	} {
		file := saved(t, folder, "stated.jpg", sharp(64, 3))
		command(t, "exiftool", append(append([]string{"-q", "-overwrite_original", "-charset", "utf8"}, c.args...), file)...)
		if got := examined(t, p, file).Stated; got != c.want {
			t.Errorf("%s: %+v, expected %+v", name, got, c.want)
		}
	}
}
