package decoder

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"io/fs"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"ambrosa/core/dispatch"
	"ambrosa/core/picturespec"
	"ambrosa/internal/contained"
	"ambrosa/internal/picture"
)

// TestMain lets the test binary be its own decoder, also bad ones.
func TestMain(m *testing.M) {
	behaviour, err := os.ReadFile(os.Getenv("AMBROSA_TEST_BEHAVIOUR"))
	if err != nil {
		os.Exit(m.Run())
	}
	switch string(behaviour) {
	case "good":
		if err := Serve(os.Stdin, os.Stdout); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	case "hangs":
		time.Sleep(time.Hour)
	case "crashes":
		_, _ = os.Stdin.Read(make([]byte, 1))
		panic("as a broken decoder would")
	}
	os.Exit(m.Run())
}

func pool(t testing.TB, behaviour string, limits picturespec.Limits) *picture.Pool {
	t.Helper()
	behave(t, behaviour)
	timeout := 4 * time.Second
	if behaviour == "good" {
		timeout = time.Minute
	}
	program, err := contained.Find([]string{"env", "AMBROSA_TEST_BEHAVIOUR=" + behaviourOf(t), os.Args[0]})
	if err != nil {
		t.Fatal(err)
	}
	p := picture.NewPool(picture.PoolOptions{Program: program, Decoders: 2, Timeout: timeout, Limits: limits})
	t.Cleanup(p.Close)
	return p
}

// behaviours are the files that say how a test's decoders behave from now on.
var behaviours = map[string]string{}

func behaviourOf(t testing.TB) string {
	t.Helper()
	if behaviours[t.Name()] == "" {
		behaviours[t.Name()] = filepath.Join(t.TempDir(), "behaviour")
	}
	return behaviours[t.Name()]
}

func behave(t testing.TB, how string) {
	t.Helper()
	if err := os.WriteFile(behaviourOf(t), []byte(how), 0o600); err != nil {
		t.Fatal(err)
	}
}

// scene is a picture that is not symmetric, so that turning it shows.
func scene(width, height int) *image.RGBA {
	picture := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			c := color.RGBA{uint8(255 * x / width), uint8(255 * y / height), 90, 255}
			if x < width/3 && y < height/4 {
				c = color.RGBA{250, 250, 250, 255}
			}
			picture.Set(x, y, c)
		}
	}
	return picture
}

func asJPEG(t testing.TB, picture image.Image) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := jpeg.Encode(&out, picture, &jpeg.Options{Quality: 92}); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func asPNG(t testing.TB, picture image.Image) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := png.Encode(&out, picture); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// oriented puts an Exif orientation (tag 0x0112) into a JPEG.
func oriented(content []byte, orientation uint16) []byte {
	exif := []byte("Exif\x00\x00MM\x00*\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01")
	exif = binary.BigEndian.AppendUint16(exif, orientation)
	exif = append(exif, 0, 0, 0, 0, 0, 0)
	segment := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(exif)+2))
	return append(append(append(bytes.Clone(content[:2]), segment...), exif...), content[2:]...)
}

func examine(t testing.TB, p *picture.Pool, content []byte, size int) picture.Result {
	t.Helper()
	path := filepath.Join(t.TempDir(), "picture")
	if err := os.WriteFile(path, content, 0o600); err != nil {
		t.Fatal(err)
	}
	result, err := p.Examine(context.Background(), path, size)
	if err != nil {
		t.Fatal(err)
	}
	return result
}

func TestMeasurements(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	var animation bytes.Buffer
	frame := image.NewPaletted(image.Rect(0, 0, 40, 30), color.Palette{color.Black, color.White})
	other := image.NewPaletted(frame.Bounds(), frame.Palette)
	for i := range other.Pix {
		other.Pix[i] = 1
	}
	if err := gif.EncodeAll(&animation, &gif.GIF{Image: []*image.Paletted{frame, other}, Delay: []int{5, 5}}); err != nil {
		t.Fatal(err)
	}
	see := image.NewNRGBA(image.Rect(0, 0, 60, 50))
	see.Set(3, 3, color.NRGBA{200, 0, 0, 90})
	deep := image.NewRGBA64(image.Rect(0, 0, 64, 48))
	deep.Set(1, 1, color.RGBA64{65535, 9, 9, 65535})
	for i := 7; i < len(deep.Pix); i += 8 {
		deep.Pix[i-1], deep.Pix[i] = 255, 255
	}
	for name, c := range map[string]struct {
		content []byte
		want    picture.Result
	}{
		"JPEG": {asJPEG(t, scene(640, 480)), picture.Result{Type: picturespec.JPEG, Width: 640, Height: 480, Frames: 1, Colour: "RGB",
			Bits: 8}},
		"PNG": {asPNG(t, scene(30, 40)), picture.Result{Type: picturespec.PNG, Width: 30, Height: 40, Frames: 1, Colour: "RGB", Bits: 8}},
		"transparent": {asPNG(t, see), picture.Result{Type: picturespec.PNG, Width: 60, Height: 50, Frames: 1, Colour: "RGB", Bits: 8,
			Alpha: true, Transparent: true}},
		"16 bits":  {asPNG(t, deep), picture.Result{Type: picturespec.PNG, Width: 64, Height: 48, Frames: 1, Colour: "RGB", Bits: 16}},
		"animated": {animation.Bytes(), picture.Result{Type: picturespec.GIF, Width: 40, Height: 30, Frames: 2, Colour: "RGB", Bits: 8}},
		"grey": {asJPEG(t, image.NewGray(image.Rect(0, 0, 50, 20))), picture.Result{Type: picturespec.JPEG, Width: 50, Height: 20,
			Frames: 1, Colour: "grey", Bits: 8}},
	} {
		got := examine(t, p, c.content, 320)
		if len(got.Rendition) == 0 || got.Problem != "" {
			t.Errorf("%s: no rendition: %s", name, got.Problem)
		}
		got.Rendition, got.Fingerprint, got.Orientation, got.Tint = nil, 0, 0, nil
		if fmt.Sprint(got) != fmt.Sprint(c.want) {
			t.Errorf("%s: %+v, want %+v", name, got, c.want)
		}
	}
}

// TestPrintColoursAndProfiles reads a CMYK JPEG and one with an embedded
// profile, both written by vips' own command.
func TestPrintColoursAndProfiles(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	folder := t.TempDir()
	source := filepath.Join(folder, "in.png")
	if err := os.WriteFile(source, asPNG(t, scene(300, 200)), 0o600); err != nil {
		t.Fatal(err)
	}
	for name, args := range map[string][]string{
		"cmyk":    {"icc_transform", source, filepath.Join(folder, "cmyk.jpg"), "cmyk", "--input-profile", "srgb"},
		"profile": {"icc_transform", source, filepath.Join(folder, "profile.jpg"), "p3", "--input-profile", "srgb"},
	} {
		if out, err := exec.Command("vips", args...).CombinedOutput(); err != nil {
			t.Fatalf("vips %v: %v: %s", args, err, out)
		}
		content, err := os.ReadFile(filepath.Join(folder, name+".jpg"))
		if err != nil {
			t.Fatal(err)
		}
		got := examine(t, p, content, 320)
		if got.Problem != "" || !got.Profile || (got.Colour == "CMYK") != (name == "cmyk") {
			t.Errorf("%s: %s, profile %v, colour %s", name, got.Problem, got.Profile, got.Colour)
			continue
		}
		theirs := filepath.Join(folder, name+".png")
		if out, err := exec.Command("vips", "icc_transform", filepath.Join(folder, name+".jpg"), theirs, "srgb",
			"--embedded").CombinedOutput(); err != nil {
			t.Fatalf("vips: %v: %s", err, out)
		}
		if d := difference(t, decoded(t, got.Rendition), readPNG(t, theirs)); d > 3 {
			t.Errorf("%s: the rendition differs from vips' own by %.1f", name, d)
		}
	}
}

// decoded reads a WebP with vips' own command.
func decoded(t testing.TB, content []byte) image.Image {
	t.Helper()
	folder := t.TempDir()
	source, target := filepath.Join(folder, "a.webp"), filepath.Join(folder, "a.png")
	if err := os.WriteFile(source, content, 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("vips", "copy", source, target).CombinedOutput(); err != nil {
		t.Fatalf("vips copy: %v: %s", err, out)
	}
	return readPNG(t, target)
}

// difference is the mean absolute difference a channel, of 255, between the
// averages of 24 × 24 fields.
func difference(t testing.TB, a, b image.Image) float64 {
	t.Helper()
	const grid = 24
	sum := 0.0
	for i := range grid {
		for j := range grid {
			one, two := fieldMean(a, i, j, grid), fieldMean(b, i, j, grid)
			for c := range 3 {
				sum += math.Abs(one[c]-two[c]) / (3 * grid * grid)
			}
		}
	}
	return sum
}

func fieldMean(m image.Image, i, j, grid int) (mean [3]float64) {
	size := m.Bounds()
	n := 0.0
	for y := size.Dy() * j / grid; y < size.Dy()*(j+1)/grid; y++ {
		for x := size.Dx() * i / grid; x < size.Dx()*(i+1)/grid; x++ {
			r, g, b, _ := m.At(size.Min.X+x, size.Min.Y+y).RGBA()
			mean[0] += float64(r >> 8)
			mean[1] += float64(g >> 8)
			mean[2] += float64(b >> 8)
			n++
		}
	}
	for c := range mean {
		mean[c] /= n
	}
	return mean
}

func readPNG(t testing.TB, path string) image.Image {
	t.Helper()
	file, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	picture, err := png.Decode(file)
	if err != nil {
		t.Fatal(err)
	}
	return picture
}

// TestExifOrientations turns a picture in all eight ways of the Exif standard
// (2.32, tag 0x0112) and finds it upright in the rendition.
func TestExifOrientations(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	upright := scene(240, 160)
	// What a camera stores so that, shown with the orientation, it is upright.
	stored := map[uint16]func(x, y int) (int, int){
		1: func(x, y int) (int, int) { return x, y },
		2: func(x, y int) (int, int) { return 239 - x, y },
		3: func(x, y int) (int, int) { return 239 - x, 159 - y },
		4: func(x, y int) (int, int) { return x, 159 - y },
		5: func(x, y int) (int, int) { return y, x },
		6: func(x, y int) (int, int) { return y, 239 - x },
		7: func(x, y int) (int, int) { return 159 - y, 239 - x },
		8: func(x, y int) (int, int) { return 159 - y, x },
	}
	for orientation := uint16(1); orientation <= 8; orientation++ {
		width, height := 240, 160
		if orientation >= 5 {
			width, height = height, width
		}
		turned := image.NewRGBA(image.Rect(0, 0, width, height))
		for y := range 160 {
			for x := range 240 {
				sx, sy := stored[orientation](x, y)
				turned.Set(sx, sy, upright.At(x, y))
			}
		}
		got := examine(t, p, oriented(asJPEG(t, turned), orientation), 320)
		if got.Problem != "" || got.Width != 240 || got.Height != 160 || got.Orientation != int(orientation) {
			t.Errorf("orientation %d: %d × %d, orientation %d, %s", orientation, got.Width, got.Height, got.Orientation, got.Problem)
			continue
		}
		if d := difference(t, decoded(t, got.Rendition), upright); d > 3 {
			t.Errorf("orientation %d: the rendition differs by %.1f", orientation, d)
		}
	}
}

// TestThumbnailsAgainstVips compares with vips' own command.
func TestThumbnailsAgainstVips(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	folder := t.TempDir()
	content := asJPEG(t, scene(1800, 1200))
	if err := os.WriteFile(filepath.Join(folder, "a.jpg"), content, 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("vipsthumbnail", "-s", "320x320", "-o", filepath.Join(folder, "a.png"),
		filepath.Join(folder, "a.jpg")).CombinedOutput(); err != nil {
		t.Fatalf("vipsthumbnail: %v: %s", err, out)
	}
	theirs := readPNG(t, filepath.Join(folder, "a.png"))
	ours := decoded(t, examine(t, p, content, 320).Rendition)
	if ours.Bounds() != theirs.Bounds() {
		t.Errorf("ours is %v, theirs %v", ours.Bounds(), theirs.Bounds())
	}
	if d := difference(t, ours, theirs); d > 3 {
		t.Errorf("they differ by %.1f", d)
	}
}

func TestBadPicturesSayWhy(t *testing.T) {
	p := pool(t, "good", picturespec.Limits{Pixels: 1_000_000, Bytes: 1 << 20})
	good := asJPEG(t, scene(640, 480))
	for name, c := range map[string]struct {
		content []byte
		want    string
	}{
		"empty":         {nil, "empty"},
		"cut off":       {good[:len(good)/2], "ends early"},
		"too large":     {asJPEG(t, scene(1300, 900)), "pixels are more than the limit"},
		"too heavy":     {make([]byte, 2<<20), "more than the limit of 1 MB"},
		"SVG":           {[]byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`), "SVG"},
		"web page":      {[]byte("<!DOCTYPE html><html></html>"), "web page"},
		"text":          {[]byte("hello"), "text file"},
		"PDF":           {[]byte("%PDF-1.7"), "PDF"},
		"noise":         {append([]byte("\xff\xd8\xff\xe0"), bytes.Repeat([]byte{7}, 500)...), "broken"},
		"no PNG at all": {append([]byte("\x89PNG\r\n\x1a\n"), bytes.Repeat([]byte{7}, 90)...), "broken"},
	} {
		if got := examine(t, p, c.content, 320); !strings.Contains(got.Problem, c.want) || strings.Contains(got.Problem, "\n") {
			t.Errorf("%s: %q, want %q", name, got.Problem, c.want)
		}
	}
	if got := examine(t, p, good, 320); got.Problem != "" {
		t.Errorf("after all that, a good picture: %s", got.Problem)
	}
}

func TestADecoderThatHangsOrCrashesCostsOneFile(t *testing.T) {
	for behaviour, want := range map[string]string{"hangs": "could not be decoded within", "crashes": "makes its decoder fail"} {
		p := pool(t, behaviour, picturespec.DefaultLimits)
		for range 3 {
			if got := examine(t, p, asJPEG(t, scene(20, 20)), 320); !strings.Contains(got.Problem, want) || got.Type != picturespec.JPEG {
				t.Errorf("%s: %+v", behaviour, got)
			}
		}
		behave(t, "good")
		if got := examine(t, p, asJPEG(t, scene(20, 20)), 320); got.Problem != "" {
			t.Errorf("after one that %s: %s", behaviour, got.Problem)
		}
	}
}

// discs is a picture with something of every size in it, as photographs have; a
// plain gradient has nothing in most of the frequencies that are compared.
func discs(width, height int) *image.RGBA {
	picture := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			c := color.RGBA{236, 232, 224, 255}
			for i := range 14 {
				cx, cy, r := float64(i*37%100)/100, float64(i*61%100)/100, 0.04+float64(i*i%7)/40
				dx, dy := (float64(x)+.5)/float64(width)-cx, ((float64(y)+.5)/float64(height)-cy)*2/3
				if dx*dx+dy*dy < r*r {
					c = color.RGBA{uint8(i * 53), uint8(i * 97), uint8(i * 31), 255}
				}
			}
			picture.Set(x, y, c)
		}
	}
	return picture
}

func TestFingerprintsOfLookAlikesAreNear(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	first := examine(t, p, asJPEG(t, discs(900, 600)), 320)
	again := examine(t, p, asPNG(t, discs(450, 300)), 320)
	odd := examine(t, p, asJPEG(t, discs(211, 141)), 320)
	if d := picture.Distance(first.Fingerprint, odd.Fingerprint); d > 4 {
		t.Errorf("the same picture, smaller than its rendition would be, is %d apart", d)
	}
	flat := image.NewRGBA(image.Rect(0, 0, 300, 300))
	for y := range 300 {
		for x := range 300 {
			flat.Set(x, y, color.RGBA{uint8(128 + 100*math.Sin(float64(x)/9)), uint8(128 + 100*math.Cos(float64(y)/7)), 40, 255})
		}
	}
	other := examine(t, p, asJPEG(t, flat), 320)
	if d := picture.Distance(first.Fingerprint, again.Fingerprint); d > 4 {
		t.Errorf("the same picture in two sizes is %d apart", d)
	}
	if d := picture.Distance(first.Fingerprint, other.Fingerprint); d < 16 {
		t.Errorf("two different pictures are only %d apart", d)
	}
}

// TestManySegmentsAreRefused: 60,000 segments take libjpeg over a minute, since it walks a list for each.
func TestManySegmentsAreRefused(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	plain := asJPEG(t, scene(64, 48))
	for count, refused := range map[int]bool{picturespec.MostSegments / 2: false, 60_000: true} {
		began := time.Now()
		got := examine(t, p, slices.Concat(plain[:2], bytes.Repeat([]byte("\xff\xe1\x00\x04ab"), count), plain[2:]), 320)
		if strings.Contains(got.Problem, "segments") != refused || time.Since(began) > 30*time.Second {
			t.Errorf("%d segments: %q, after %s", count, got.Problem, time.Since(began))
		}
	}
}

// TestAFaultOfTheMachineIsNoProblemOfThePicture reads a file that is gone, and writes a rendition where there is no folder.
func TestAFaultOfTheMachineIsNoProblemOfThePicture(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	path := filepath.Join(t.TempDir(), "picture.jpg")
	if got, err := p.Examine(t.Context(), path, 320); !errors.Is(err, fs.ErrNotExist) || got.Problem != "" {
		t.Errorf("a file that is gone: %+v, %v", got, err)
	}
	if err := os.WriteFile(path, asJPEG(t, scene(64, 48)), 0o600); err != nil {
		t.Fatal(err)
	}
	nowhere := picture.Making{To: filepath.Join(t.TempDir(), "no", "folder.jpg"),
		Recipe: dispatch.RenditionRecipe{Format: dispatch.JPEG, Quality: 80}}
	if _, problem, err := p.Make(t.Context(), path, nowhere); !errors.Is(err, fs.ErrNotExist) || problem != "" {
		t.Errorf("a folder that is not there: %q, %v", problem, err)
	}
}

// TestProblemsAreInPlainWords breaks pictures in many ways: what is said has no word of the library and no path.
func TestProblemsAreInPlainWords(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	jpegs, pngs := asJPEG(t, scene(200, 150)), asPNG(t, scene(200, 150))
	for _, content := range [][]byte{jpegs, pngs} {
		for at := 3; at < len(content); at += max(1, len(content)/40) {
			broken := bytes.Clone(content)
			for i := at; i < min(len(broken), at+30); i++ {
				broken[i] ^= 0x5a
			}
			got := examine(t, p, broken, 64)
			for _, word := range []string{"vips", "VIPS", "libspng", "jpeg", "Vips", "/", "buffer"} {
				if strings.Contains(got.Problem, word) {
					t.Errorf("broken at %d: %q", at, got.Problem)
				}
			}
		}
	}
}
