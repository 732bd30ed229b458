package decoder

import (
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"ambrosa/core/dispatch"
	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
	"ambrosa/internal/picture"
)

func made(t *testing.T, p *picture.Pool, file string, recipe dispatch.RenditionRecipe, write rights.Written) (string, picture.Made) {
	t.Helper()
	to := filepath.Join(t.TempDir(), "made."+recipe.Ending(""))
	got, problem, err := p.Make(t.Context(), file, picture.Making{To: to, Recipe: recipe, Write: write})
	if err != nil || problem != "" {
		t.Fatalf("%s by %+v: %s, %v", file, recipe, problem, err)
	}
	return to, got
}

func output(t *testing.T, name string, args ...string) string {
	t.Helper()
	out, err := exec.Command(name, args...).Output()
	if err != nil {
		t.Fatalf("%s %s: %v", name, strings.Join(args, " "), err)
	}
	return strings.TrimSpace(string(out))
}

// sources writes a scene in the ways in which suppliers send them: with and without profile, in
// CMYK, in 16 bits, grey, turned by its Exif orientation, and with parts to look through.
func sources(t *testing.T) map[string]string {
	t.Helper()
	folder := t.TempDir()
	in := func(name string) string { return filepath.Join(folder, name) }
	plain := in("plain.png")
	keep := func(name string, content []byte) {
		if err := os.WriteFile(in(name), content, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	keep("plain.png", asPNG(t, scene(900, 600)))
	for _, args := range [][]string{
		{"copy", plain, in("srgb.jpg") + "[Q=95]"},
		{"icc_transform", plain, in("p3.jpg") + "[Q=95]", "p3", "--input-profile", "srgb"},
		{"icc_transform", plain, in("cmyk.jpg") + "[Q=95]", "cmyk", "--input-profile", "srgb"},
		{"colourspace", plain, in("deep.png"), "rgb16"},
		{"colourspace", plain, in("grey.png"), "b-w"},
	} {
		command(t, "vips", args...)
	}
	content, err := os.ReadFile(in("srgb.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	keep("turned.jpg", oriented(content, 6))
	glass := scene(900, 600)
	for y := range 600 {
		for x := range 300 {
			glass.Set(x, y, color.RGBA{})
		}
	}
	keep("glass.png", asPNG(t, glass))
	all := map[string]string{}
	for _, name := range []string{"srgb.jpg", "p3.jpg", "cmyk.jpg", "deep.png", "grey.png", "turned.jpg", "glass.png"} {
		all[name] = in(name)
	}
	return all
}

// TestMadeAgainstVips compares renditions with those of vips' own thumbnail command, by the
// embedded profile where there is one: no pixel is further off than what rounding does, by CIEDE2000 (ISO/CIE
// 11664-6) as vips computes it.
func TestMadeAgainstVips(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	for name, file := range sources(t) {
		ours, got := made(t, p, file, dispatch.RenditionRecipe{Format: dispatch.PNG, Width: 400, Height: 400, Metadata: dispatch.Stripped},
			rights.Written{})
		theirs := filepath.Join(t.TempDir(), "theirs.png")
		args := []string{"thumbnail", file, theirs, "400", "--height", "400", "--size", "down"}
		if name == "p3.jpg" || name == "cmyk.jpg" { // what says no profile is sRGB
			args = append(args, "--export-profile", "srgb")
		}
		command(t, "vips", args...)
		a, b := readPNG(t, ours), readPNG(t, theirs)
		if a.Bounds() != b.Bounds() || got.Width != b.Bounds().Dx() {
			t.Errorf("%s: ours is %v, vips' %v", name, a.Bounds(), b.Bounds())
			continue
		}
		off := filepath.Join(t.TempDir(), "off.v")
		command(t, "vips", "dE00", flat(t, ours), flat(t, theirs), off)
		if most, err := strconv.ParseFloat(output(t, "vips", "max", off), 64); err != nil || most > 2 {
			t.Errorf("%s: a pixel is off by ΔE %.2f, %v", name, most, err)
		}
		if mean, err := strconv.ParseFloat(output(t, "vips", "avg", off), 64); err != nil || mean > 0.3 {
			t.Errorf("%s: pixels are off by ΔE %.2f in the mean, %v", name, mean, err)
		}
	}
}

// flat is a picture without what can be looked through, in three colours.
func flat(t *testing.T, file string) string {
	t.Helper()
	out := strings.TrimSuffix(file, ".png") + "-flat.png"
	if output(t, "vipsheader", "-f", "bands", file) != "3" && output(t, "vipsheader", "-f", "bands", file) != "1" {
		command(t, "vips", "flatten", file, out)
		file = out
	}
	rgb := strings.TrimSuffix(file, ".png") + "-rgb.png"
	command(t, "vips", "colourspace", file, rgb, "srgb")
	return rgb
}

// TestFormatsAndCanvas makes each format, has vips read it, and looks at the canvas.
func TestFormatsAndCanvas(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	all := sources(t)
	for _, format := range []string{dispatch.JPEG, dispatch.WebP, dispatch.PNG, dispatch.AVIF} {
		recipe := dispatch.RenditionRecipe{Format: format, Width: 500, Height: 500, Ratio: "1:1", Colour: "#204060", Metadata: dispatch.Stripped}
		file, got := made(t, p, all["glass.png"], recipe, rights.Written{})
		if got.Width != 500 || got.Height != 500 || got.PictureWidth != 500 || got.PictureHeight != 333 {
			t.Errorf("%s: %+v", format, got)
		}
		if size := output(t, "vipsheader", "-f", "width", file) + output(t, "vipsheader", "-f", "height", file); size != "500500" {
			t.Errorf("%s: vips reads %s", format, size)
		}
		png := filepath.Join(t.TempDir(), "seen.png")
		command(t, "vips", "copy", file, png)
		for _, at := range []image.Point{{250, 20}, {250, 480}, {40, 250}} { // above, below, and where it can be looked through
			r, g, b, _ := readPNG(t, png).At(at.X, at.Y).RGBA()
			if off := max(away(r>>8, 0x20), away(g>>8, 0x40), away(b>>8, 0x60)); off > 6 {
				t.Errorf("%s: at %v it is %02x%02x%02x", format, at, r>>8, g>>8, b>>8)
			}
		}
	}
	see := dispatch.RenditionRecipe{Format: dispatch.PNG, Ratio: "1:1", Metadata: dispatch.Stripped}
	clear, _ := made(t, p, all["glass.png"], see, rights.Written{})
	if _, _, _, alpha := readPNG(t, clear).At(5, 5).RGBA(); alpha != 0 {
		t.Error("a canvas without a colour around what can be looked through cannot be looked through")
	}
}

func away(a uint32, b int) int { return max(int(a)-b, b-int(a)) }

// TestMostBytes: the quality goes down until it fits, and what cannot fit says so.
func TestMostBytes(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	file := saved(t, t.TempDir(), "sharp.png", sharp(600, 5))
	recipe := dispatch.RenditionRecipe{Format: dispatch.JPEG, Quality: 95, Metadata: dispatch.Stripped}
	_, free := made(t, p, file, recipe, rights.Written{})
	recipe.Most = free.Bytes / 2
	to, bound := made(t, p, file, recipe, rights.Written{})
	info, err := os.Stat(to)
	if err != nil || info.Size() > recipe.Most || bound.Bytes != info.Size() || bound.Quality >= 95 {
		t.Errorf("of at most %d it has %+v, %v", recipe.Most, bound, err)
	}
	recipe.Most = 500
	_, problem, err := p.Make(t.Context(), file, picture.Making{To: filepath.Join(t.TempDir(), "x"), Recipe: recipe})
	if err != nil || !strings.Contains(problem, "cannot be brought below 1 kB") {
		t.Errorf("%q, %v", problem, err)
	}
}

// TestWrittenAgainstExiftool reads what was written with exiftool, in the fields of the IPTC
// Photo Metadata Standard; nothing else of what the file said stays.
func TestWrittenAgainstExiftool(t *testing.T) {
	p := pool(t, "good", picturespec.DefaultLimits)
	file := saved(t, t.TempDir(), "in.jpg", sharp(80, 7))
	command(t, "exiftool", "-q", "-overwrite_original", "-Artist=Somebody", "-GPSLatitude=52", "-GPSLatitudeRef=N", "-XMP-dc:Title=Secret",
		file)
	write := rights.Written{Stated: rights.Stated{Creator: "Änne Föhn", Notice: "© 2026 Imkerei Föhn", Credit: "Föhn & Studio",
		Statement: "https://rights.example/föhn", Terms: "Nur im Druck (bis 2027)"}, Description: "Ein Glas <Honig>"}
	for _, format := range []string{dispatch.JPEG, dispatch.WebP, dispatch.PNG, dispatch.AVIF} {
		written, _ := made(t, p, file, dispatch.RenditionRecipe{Format: format, Metadata: dispatch.Written}, write)
		var read []map[string]any
		told := output(t, "exiftool", "-j", "-G1", "-charset", "utf8", "-charset", "exif=utf8", written)
		if err := json.Unmarshal([]byte(told), &read); err != nil {
			t.Fatal(err)
		}
		want := map[string]string{"XMP-dc:Creator": write.Creator, "XMP-dc:Rights": write.Notice, "XMP-photoshop:Credit": write.Credit,
			"XMP-xmpRights:WebStatement": write.Statement, "XMP-dc:Description": write.Description,
			"XMP-xmpRights:UsageTerms": write.Terms, "XMP-xmpRights:Marked": "true",
			"IFD0:Artist": write.Creator, "IFD0:Copyright": write.Notice, "IFD0:ImageDescription": write.Description}
		if parts := strings.Count(output(t, "exiftool", "-v2", written), "IFD0 directory"); parts != 1 {
			t.Errorf("%s: its Exif stands there %d times", format, parts)
		}
		if valid := output(t, "exiftool", "-validate", "-warning", "-a", "-s3", written); !strings.HasPrefix(valid, "OK") {
			t.Errorf("%s: exiftool says: %s", format, valid)
		}
		if format == dispatch.JPEG {
			want["IPTC:By-line"], want["IPTC:CopyrightNotice"], want["IPTC:Caption-Abstract"] = write.Creator, write.Notice, write.Description
		}
		for field, text := range want { // what is true or false is so in JSON as well
			if got := fmt.Sprint(read[0][field]); !strings.EqualFold(got, text) {
				t.Errorf("%s: %s is %q, not %q", format, field, got, text)
			}
		}
		for _, field := range []string{"GPS:GPSLatitude", "XMP-dc:Title"} {
			if _, is := read[0][field]; is {
				t.Errorf("%s: %s is still in it", format, field)
			}
		}
	}
	kept, _ := made(t, p, file, dispatch.RenditionRecipe{Format: dispatch.JPEG, Metadata: dispatch.Kept}, rights.Written{})
	if got := output(t, "exiftool", "-s3", "-Artist", kept); got != "Somebody" {
		t.Errorf("kept: the artist is %q", got)
	}
	if got := output(t, "exiftool", "-s3", "-Orientation", "-n", kept); got != "" && got != "1" {
		t.Errorf("kept: the orientation is %q", got)
	}
}
