// Package codephoto draws photographs of barcodes for tests and benchmarks: a
// code that zint drew lies somewhere in a picture, turned, small or large, a
// little out of focus and with the grain of a phone.
package codephoto

import (
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"

	"ambrosa/core/gtin"
)

// Photo is a photograph and what its code says.
type Photo struct {
	Path string
	Text string // of UPC-A, with the nought before it, as the GTIN has it
}

// Draw writes n photographs into a folder. seed chooses them; the same seed
// gives the same.
func Draw(folder string, n int, seed uint64) ([]Photo, error) {
	r := rand.New(rand.NewPCG(seed, 17))
	photos := make([]Photo, 0, n)
	for i := range n {
		kind, data, text := code(r)
		drawn := filepath.Join(folder, "code.png")
		if out, err := exec.Command("zint", "-b", kind, "-d", data, "-o", drawn, "--scale=4", "--quietzones", "-w",
			"6").CombinedOutput(); err != nil {
			return nil, fmt.Errorf("zint: %w: %s", err, out)
		}
		label, err := load(drawn)
		if err != nil {
			return nil, err
		}
		path := filepath.Join(folder, fmt.Sprintf("photo-%03d.jpg", i))
		if err := write(path, photograph(r, label)); err != nil {
			return nil, err
		}
		photos = append(photos, Photo{path, text})
	}
	return photos, os.Remove(filepath.Join(folder, "code.png"))
}

// code chooses a kind of code, as zint names it, and what it says.
func code(r *rand.Rand) (kind, data, text string) {
	digits := func(first string, n int) string {
		for range n {
			first += string(rune('0' + r.IntN(10)))
		}
		return first
	}
	checked := func(digits string) string { return digits + string(gtin.CheckDigit(digits)) }
	switch r.IntN(5) {
	case 0:
		data = digits("2", 11)
		return "EANX", data, checked(data)
	case 1:
		data = digits("2", 6)
		return "EANX", data, checked(data)
	case 2:
		data = digits("7", 10)
		return "UPCA", data, "0" + checked(data)
	case 3:
		data = digits("1", 12)
		return "ITF14", data, checked(data)
	}
	data = digits("HB-", 6)
	return "CODE128", data, data
}

func load(path string) (*image.Gray, error) {
	file, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	decoded, err := png.Decode(file)
	if err != nil {
		return nil, err
	}
	grey := image.NewGray(decoded.Bounds())
	for y := range grey.Rect.Dy() {
		for x := range grey.Rect.Dx() {
			grey.Set(x, y, decoded.At(x, y))
		}
	}
	return grey, nil
}

// photograph lays a label on a table, 8 to 40 % as wide as the picture, turned
// by any angle.
func photograph(r *rand.Rand, label *image.Gray) *image.Gray {
	width, height := 1600, 1200
	if r.IntN(2) == 0 {
		width, height = height, width
	}
	scale := float64(label.Rect.Dx()) / (float64(width) * (0.08 + 0.32*r.Float64()))
	sin, cos := math.Sincos(2 * math.Pi * r.Float64())
	x0, y0 := float64(width)*(0.4+0.2*r.Float64()), float64(height)*(0.4+0.2*r.Float64())
	grain, light := 2+6*r.Float64(), 150+60*r.Float64()
	sharp := image.NewGray(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			u, v := (float64(x)-x0)*scale, (float64(y)-y0)*scale
			value, on := sample(label, u*cos+v*sin+float64(label.Rect.Dx())/2, v*cos-u*sin+float64(label.Rect.Dy())/2, scale)
			if !on {
				value = light - 60*float64(y)/float64(height)
			} else {
				value = 25 + value*(light+20-25)/255
			}
			sharp.Pix[y*sharp.Stride+x] = uint8(max(0, min(255, value)))
		}
	}
	photo := image.NewGray(sharp.Rect)
	centre := 4 + r.IntN(12) // of a kernel that softens: the smaller, the softer
	for y := range height {
		for x := range width {
			sum, weight := centre*int(sharp.GrayAt(x, y).Y), centre
			for _, d := range [][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				if p := image.Pt(x+d[0], y+d[1]); p.In(sharp.Rect) {
					sum += int(sharp.GrayAt(p.X, p.Y).Y)
					weight++
				}
			}
			photo.SetGray(x, y, color.Gray{Y: uint8(max(0, min(255, float64(sum)/float64(weight)+grain*r.NormFloat64())))})
		}
	}
	return photo
}

// sample returns the mean grey of the pixels of a label that one pixel of the
// photograph shows.
func sample(label *image.Gray, x, y, scale float64) (value float64, on bool) {
	if x < 0 || y < 0 || x >= float64(label.Rect.Dx()) || y >= float64(label.Rect.Dy()) {
		return 0, false
	}
	half := max(0, int(scale/2))
	sum, n := 0, 0
	for j := int(y) - half; j <= int(y)+half; j++ {
		for i := int(x) - half; i <= int(x)+half; i++ {
			if p := image.Pt(i, j); p.In(label.Rect) {
				sum += int(label.GrayAt(i, j).Y)
				n++
			}
		}
	}
	return float64(sum) / float64(max(1, n)), true
}

func write(path string, picture image.Image) error {
	file, err := os.Create(path)
	if err != nil {
		return err
	}
	if err := jpeg.Encode(file, picture, &jpeg.Options{Quality: 88}); err != nil {
		return err
	}
	return file.Close()
}

// Zbar reads a photograph with zbarimg, the reference; "" when it reads nothing.
// A UPC-A gets its nought.
func Zbar(path string) string {
	out, _ := exec.Command("zbarimg", "-q", "--raw", path).Output() // it fails when it reads nothing
	for i, b := range out {
		if b == '\n' {
			return string(out[:i])
		}
	}
	return ""
}
