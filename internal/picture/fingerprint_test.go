package picture

import (
	"math"
	"math/rand/v2"
	"testing"

	"ambrosa/core/upkeep"
)

// pixels makes a picture of a colour for each place.
func pixels(width, height, bands int, colour func(x, y, channel int) byte) []byte {
	p := make([]byte, 0, width*height*bands)
	for y := range height {
		for x := range width {
			for c := range bands {
				p = append(p, colour(x, y, c))
			}
		}
	}
	return p
}

// TestASquareIsTheMeanOfWhatIsUnderIt shrinks pictures of any size: the mean of
// the whole stays, and so does every plain area.
func TestASquareIsTheMeanOfWhatIsUnderIt(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	for _, size := range [][2]int{{32, 32}, {320, 320}, {320, 213}, {211, 141}, {33, 31}, {7, 90}, {1, 1}} {
		for _, bands := range []int{3, 4} {
			p := pixels(size[0], size[1], bands, func(_, _, _ int) byte { return byte(r.IntN(256)) })
			square := Square(p, size[0], size[1], bands)
			if len(square) != 3*FingerprintSide*FingerprintSide {
				t.Fatalf("%v: %d values", size, len(square))
			}
			for channel := range 3 {
				var whole, shrunk float64
				for i := channel; i < len(p); i += bands {
					whole += float64(p[i]) / float64(size[0]*size[1])
				}
				for i := channel; i < len(square); i += 3 {
					shrunk += square[i] / (FingerprintSide * FingerprintSide)
				}
				if math.Abs(whole-shrunk) > 1e-6 {
					t.Errorf("%v of %d bands: the mean was %.3f and is %.3f", size, bands, whole, shrunk)
				}
			}
		}
	}
	// Left black, right white: the border falls between two cells.
	square := Square(pixels(96, 40, 3, func(x, _, _ int) byte { return byte(255 * (x / 48)) }), 96, 40, 3)
	for i := range FingerprintSide * FingerprintSide {
		if want := float64(255 * (i % FingerprintSide / (FingerprintSide / 2))); math.Abs(square[3*i]-want) > 1e-6 {
			t.Fatalf("cell %d is %.2f, not %.0f", i, square[3*i], want)
		}
	}
}

// TestFingerprintsOfOneLook compares a picture with itself in other sizes,
// lighter and darker, with other pictures, and in other colours.
func TestFingerprintsOfOneLook(t *testing.T) {
	picture := func(width, height, seed, light int) []float64 {
		return Square(pixels(width, height, 3, func(x, y, c int) byte {
			u, v := float64(x)/float64(width), float64(y)/float64(height)
			shade := 0.0
			for k := range 9 {
				cx, cy := float64((k*37+seed*11)%100)/100, float64((k*61+seed*29)%100)/100
				if math.Hypot(u-cx, v-cy) < 0.05+float64((k+seed)%5)/30 {
					shade += float64(40 + 17*k%90)
				}
			}
			return byte(min(255, 30+shade+float64(light)))
		}), width, height, 3)
	}
	first := Fingerprint(picture(160, 160, 1, 0))
	for name, other := range map[string][]float64{"smaller": picture(90, 90, 1, 0), "another shape": picture(160, 110, 1, 0),
		"lighter": picture(160, 160, 1, 20)} {
		if d := Distance(first, Fingerprint(other)); d > upkeep.MostBits {
			t.Errorf("%s: %d bits apart", name, d)
		}
	}
	for seed := 2; seed < 12; seed++ {
		if d := Distance(first, Fingerprint(picture(160, 160, seed, 0))); d < 10 {
			t.Errorf("picture %d is only %d bits apart", seed, d)
		}
	}
	// A fingerprint is of the greys: colours are told apart by the tint.
	red := Square(pixels(64, 64, 3, func(x, _, c int) byte { return byte(200 * (1 - c%2) * (1 + x/64)) }), 64, 64, 3)
	if tint := Tint(red); len(tint) != upkeep.TintBytes || tint[0] != 200 || tint[1] != 0 || tint[2] != 200 {
		t.Errorf("tint %v", Tint(red))
	}
}

func TestGreysOfOneAndOfThreeChannels(t *testing.T) {
	if got := Greys([]byte{7, 200}, 1); len(got) != 2 || got[0] != 7 || got[1] != 200 {
		t.Errorf("one channel: %v", got)
	}
	// White is as light as it gets whatever the weights are (ITU-R BT.601: they add up to 1).
	got := Greys([]byte{255, 255, 255, 0, 0, 0, 0, 255, 0}, 3)
	if math.Abs(got[0]-255) > 1e-9 || got[1] != 0 || math.Abs(got[2]-0.587*255) > 1e-9 {
		t.Errorf("three channels: %v", got)
	}
}
