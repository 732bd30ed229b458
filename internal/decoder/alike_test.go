package decoder

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"ambrosa/core/picturespec"
	"ambrosa/core/upkeep"
	"ambrosa/internal/picture"
)

// paint is a motif: the colour at a place, both from 0 to 1; ground is what a border around it is made of.
type paint struct {
	name   string
	ground string // "white", "grey", or "" for a motif that fills its frame
	at     func(x, y float64) color.RGBA
}

func shade(c color.RGBA, by float64) color.RGBA {
	f := func(v uint8) uint8 { return uint8(min(255, max(0, float64(v)*by))) }
	return color.RGBA{f(c.R), f(c.G), f(c.B), 255}
}

func anyColour(r *rand.Rand) color.RGBA {
	return color.RGBA{uint8(30 + r.IntN(200)), uint8(30 + r.IntN(200)), uint8(30 + r.IntN(200)), 255}
}

// vessel is a jar, bottle or box on a plain ground: a body, a lid and a label, lit from a side; and those of its family,
// in which one of them has another colour.
func vessel(r *rand.Rand, ground string) []paint {
	half, top, bottom, neck := 0.1+0.2*r.Float64(), 0.1+0.2*r.Float64(), 0.75+0.15*r.Float64(), 0.3+0.7*r.Float64()
	lid := top + 0.05 + 0.12*r.Float64()
	labelTop, labelBottom, labelHalf := lid+0.1, lid+0.15+0.3*r.Float64(), half*(0.5+0.5*r.Float64())
	parts := [4]color.RGBA{anyColour(r), anyColour(r), anyColour(r), anyColour(r)} // body, lid, label, ink
	light, stripes, back := 0.3+0.4*r.Float64(), 2+r.IntN(6), color.RGBA{255, 255, 255, 255}
	if ground == "grey" {
		back = color.RGBA{236, 238, 240, 255}
	}
	with := func(name string, parts [4]color.RGBA) paint {
		return paint{name: name, ground: ground, at: func(x, y float64) color.RGBA {
			dx := math.Abs(x - 0.5)
			lit := 1.25 - 1.1*math.Abs(x-0.5-half*(light-0.5))/half
			switch {
			case y > labelTop && y < labelBottom && dx < labelHalf:
				if int((y-labelTop)/(labelBottom-labelTop)*float64(2*stripes))%2 == 1 && dx < labelHalf*0.7 {
					return parts[3]
				}
				return parts[2]
			case y > top && y < lid && dx < half*neck:
				return shade(parts[1], lit)
			case y >= lid && y < bottom && dx < half:
				return shade(parts[0], lit)
			}
			return back
		}}
	}
	family := []paint{with("", parts)}
	for i, name := range []string{", another body", ", another lid", ", another label"} {
		other := parts
		for unlike(other[i], parts[i]) < 60 {
			other[i] = anyColour(r)
		}
		family = append(family, with(name, other))
	}
	return family
}

// unlike is how far two colours are apart in the channel in which they differ most.
func unlike(a, b color.RGBA) int {
	d := func(x, y uint8) int { return max(int(x)-int(y), int(y)-int(x)) }
	return max(d(a.R, b.R), d(a.G, b.G), d(a.B, b.B))
}

// landscape fills its frame: a room or landscape of soft and hard areas.
func landscape(r *rand.Rand) paint {
	type spot struct {
		x, y, w, h float64
		round      bool
		colour     color.RGBA
	}
	sky, floor, line := anyColour(r), anyColour(r), 0.4+0.3*r.Float64()
	var spots []spot
	for range 14 + r.IntN(14) {
		spots = append(spots, spot{r.Float64(), r.Float64(), 0.04 + 0.2*r.Float64(), 0.04 + 0.2*r.Float64(), r.IntN(2) == 0, anyColour(r)})
	}
	return paint{at: func(x, y float64) color.RGBA {
		c := shade(sky, 0.8+0.4*y)
		if y > line {
			c = shade(floor, 1.3-0.5*y)
		}
		for _, s := range spots {
			dx, dy := math.Abs(x-s.x)/s.w, math.Abs(y-s.y)/s.h
			if s.round && dx*dx+dy*dy < 1 || !s.round && max(dx, dy) < 1 {
				c = shade(s.colour, 1.1-0.3*dy)
			}
		}
		return c
	}}
}

// cloth fills its frame with a pattern, lit from a corner.
func cloth(r *rand.Rand) paint {
	one, two := anyColour(r), anyColour(r)
	fx, fy, bend := 2+6*r.Float64(), 2+6*r.Float64(), 3*r.Float64()
	return paint{at: func(x, y float64) color.RGBA {
		w := math.Sin(2*math.Pi*(fx*x+0.3*math.Sin(bend*y*5))) * math.Sin(2*math.Pi*fy*y)
		if w > 0.1 {
			return shade(one, 0.7+0.5*x+0.1*y)
		}
		return shade(two, 1.2-0.4*y)
	}}
}

// motifs are so many of each kind; strangers are others of their families.
func motifs(seed uint64, each int) (all, strangers []paint) {
	for n := range each {
		rnd := func(kind uint64) *rand.Rand { return rand.New(rand.NewPCG(seed*1000+uint64(n), kind)) }
		for name, ones := range map[string][]paint{"vessel": vessel(rnd(1), "white"), "vessel on grey": vessel(rnd(2), "grey"),
			"landscape": {landscape(rnd(3))}, "cloth": {cloth(rnd(4))}} {
			for i, one := range ones {
				one.name = fmt.Sprintf("%s %d%s", name, n, one.name)
				if i == 0 {
					all = append(all, one)
				} else {
					strangers = append(strangers, one)
				}
			}
		}
	}
	return all, strangers
}

func (p paint) drawn(width, height int) image.Image {
	img := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			img.SetRGBA(x, y, p.at((float64(x)+0.5)/float64(width), (float64(y)+0.5)/float64(height)))
		}
	}
	return img
}

// changes are what suppliers do to a picture, by vips' own commands: from, to, width, height, and the ground.
var changes = map[string]func(t *testing.T, from, to string, w, h int, ground string){
	"half the size": func(t *testing.T, from, to string, _, _ int, _ string) {
		command(t, "vips", "resize", from, to+"[Q=85]", "0.5")
	},
	"odd size": func(t *testing.T, from, to string, _, _ int, _ string) {
		command(t, "vips", "resize", from, to+"[Q=85]", "0.61")
	},
	"low quality": func(t *testing.T, from, to string, _, _ int, _ string) { command(t, "vips", "copy", from, to+"[Q=45]") },
	"enlarged": func(t *testing.T, from, to string, _, _ int, _ string) {
		command(t, "vips", "resize", from, to+"[Q=85]", "1.4")
	},
	"padded": func(t *testing.T, from, to string, w, h int, ground string) {
		command(t, "vips", "embed", from, to+"[Q=90]", fmt.Sprint(w/4), fmt.Sprint(h/4), fmt.Sprint(3*w/2), fmt.Sprint(3*h/2), "--extend",
			"background", "--background", backgrounds[ground])
	},
	"padded to one side": func(t *testing.T, from, to string, w, h int, ground string) {
		command(t, "vips", "embed", from, to+"[Q=90]", fmt.Sprint(w/2), fmt.Sprint(h/8), fmt.Sprint(2*w), fmt.Sprint(5*h/4), "--extend",
			"background", "--background", backgrounds[ground])
	},
	"brighter": func(t *testing.T, from, to string, _, _ int, _ string) {
		command(t, "vips", "linear", from, to+"[Q=90]", "1.08", "0")
	},
	"darker": func(t *testing.T, from, to string, _, _ int, _ string) {
		command(t, "vips", "linear", from, to+"[Q=90]", "0.92", "0")
	},
	"cropped": func(t *testing.T, from, to string, w, h int, _ string) {
		command(t, "vips", "crop", from, to+"[Q=90]", fmt.Sprint(w/50), fmt.Sprint(h/50), fmt.Sprint(w*24/25), fmt.Sprint(h*24/25))
	},
	"cropped at a side": func(t *testing.T, from, to string, w, h int, _ string) {
		command(t, "vips", "crop", from, to+"[Q=90]", "0", "0", fmt.Sprint(w*24/25), fmt.Sprint(h))
	},
	"sharpened": func(t *testing.T, from, to string, _, _ int, _ string) {
		command(t, "vips", "sharpen", from, to+"[Q=90]")
	},
}

var backgrounds = map[string]string{"": "255 255 255", "white": "255 255 255", "grey": "236 238 240"}

func lookOf(r picture.Result) upkeep.Look {
	return upkeep.Look{Fingerprint: r.Fingerprint, Tint: string(r.Tint)}
}

// TestLookAlikesAreFound changes pictures as suppliers do, and expects that most are found again, each kind of change as
// often as it was measured, less some; and never another picture, or one of its family. The motifs are drawn by chance;
// AMBROSA_LOOKS draws others, of which the same is expected.
func TestLookAlikesAreFound(t *testing.T) {
	p := pool(t, "good", picturespec.Limits{})
	folder := t.TempDir()
	seed, of := uint64(1), 2
	if text := os.Getenv("AMBROSA_LOOKS"); text != "" {
		if _, err := fmt.Sscan(text, &seed); err != nil {
			t.Fatal(err)
		}
	}
	all, strangers := motifs(seed, of)
	firsts := make([]upkeep.Look, len(all))
	found, missed := map[string]int{}, map[string][]string{}
	looks := map[string][]upkeep.Look{}
	for n, m := range all {
		w, h := 640, 640
		if n%3 == 1 {
			w, h = 720, 500
		}
		first := saved(t, folder, "first.jpg", m.drawn(w, h))
		firsts[n] = lookOf(examined(t, p, first))
		for name, change := range changes {
			to := filepath.Join(folder, "changed.jpg")
			change(t, first, to, w, h, m.ground)
			look := lookOf(examined(t, p, to))
			looks[name] = append(looks[name], look)
			if firsts[n].Like(look) {
				found[name]++
			} else {
				missed[name] = append(missed[name], fmt.Sprintf("%s, %d bits", m.name, picture.Distance(firsts[n].Fingerprint, look.Fingerprint)))
			}
		}
	}
	for name, those := range looks {
		for n := range all {
			for o := range all {
				if n != o && firsts[o].Like(those[n]) {
					t.Errorf("%s, %s, looks like %s", all[n].name, name, all[o].name)
				}
			}
		}
	}
	taken := 0
	for _, m := range strangers {
		look := lookOf(examined(t, p, saved(t, folder, "stranger.jpg", m.drawn(640, 640))))
		for n := range all {
			if firsts[n].Like(look) {
				taken++
				t.Logf("%s looks like %s", m.name, all[n].name)
			}
		}
	}
	if taken > len(strangers)/12 {
		t.Errorf("%d of %d of the families look like another of theirs", taken, len(strangers))
	}
	for name := range changes {
		least := len(all) * 3 / 4
		if strings.HasPrefix(name, "cropped") || strings.HasPrefix(name, "padded") {
			least = len(all) * 7 / 12
		}
		t.Logf("%s: %d of %d; not %s", name, found[name], len(all), strings.Join(missed[name], "; "))
		if found[name] < least {
			t.Errorf("%s: %d of %d are found, expected %d", name, found[name], len(all), least)
		}
	}
}

// TestPicturesOfNothingLookLikeNone examines pictures that show nothing, or next to it: they are examined like others, and
// one that is all of one colour looks like no other.
func TestPicturesOfNothingLookLikeNone(t *testing.T) {
	p := pool(t, "good", picturespec.Limits{})
	folder := t.TempDir()
	all := func(grey uint8) func(x, y float64) color.RGBA {
		return func(float64, float64) color.RGBA { return color.RGBA{grey, grey, grey, 255} }
	}
	black := func(where func(x, y float64) bool) func(x, y float64) color.RGBA {
		return func(x, y float64) color.RGBA {
			if where(x, y) {
				return color.RGBA{0, 0, 0, 255}
			}
			return color.RGBA{255, 255, 255, 255}
		}
	}
	var looks []upkeep.Look
	for name, c := range map[string]struct {
		width, height int
		at            func(x, y float64) color.RGBA
		none          bool
	}{
		"one pixel":    {1, 1, all(255), true},
		"a line":       {1, 700, all(255), true},
		"white":        {600, 600, all(255), true},
		"grey":         {600, 600, all(90), true},
		"a dot":        {600, 600, black(func(x, y float64) bool { return math.Hypot(x-0.5, y-0.5) < 0.02 }), false},
		"a wide one":   {3000, 40, black(func(x, y float64) bool { return math.Abs(x-0.5) < 0.2 && math.Abs(y-0.5) < 0.3 }), false},
		"a chessboard": {512, 512, black(func(x, y float64) bool { return (int(x*256)+int(y*256))%2 == 0 }), false},
	} {
		r := examined(t, p, saved(t, folder, "nothing.jpg", paint{at: c.at}.drawn(c.width, c.height)))
		if c.none && r.Fingerprint != 0 || len(r.Tint) != upkeep.TintBytes {
			t.Errorf("%s: fingerprint %x, tint of %d bytes", name, r.Fingerprint, len(r.Tint))
		}
		for _, other := range looks {
			if c.none && other.Like(lookOf(r)) {
				t.Errorf("%s looks like another", name)
			}
		}
		looks = append(looks, lookOf(r))
	}
}
