package upkeep

import (
	"math/bits"
	"math/rand/v2"
	"strings"
	"testing"
)

func TestLooksThatAreAlike(t *testing.T) {
	tint := func(shade byte) string { return strings.Repeat(string([]byte{shade}), 12) }
	const print = 0x00ff_5a5a_1234_fedc
	first := Look{print, tint(100)}
	for name, c := range map[string]struct {
		other Look
		like  bool
	}{
		"itself":                 {first, true},
		"four bits":              {Look{print ^ 0xf, tint(100)}, true},
		"five bits":              {Look{print ^ 0x1f, tint(100)}, false},
		"nine shades darker":     {Look{print, tint(91)}, true},
		"ten shades lighter":     {Look{print, tint(110)}, false},
		"one quarter of another": {Look{print, tint(100)[:11] + string([]byte{200})}, false},
		"no fingerprint":         {Look{0, tint(100)}, false},
		"no tint":                {Look{print, ""}, false},
	} {
		if first.Like(c.other) != c.like || c.other.Like(first) != c.like {
			t.Errorf("%s: expected %v", name, c.like)
		}
	}
}

// TestPartsCoverAFingerprint expects every bit in just one part, so that of two
// fingerprints that differ in MostBits bits one part at least is equal.
func TestPartsCoverAFingerprint(t *testing.T) {
	covered := uint64(0)
	for _, p := range Parts() {
		mask := (uint64(1)<<p.Width - 1) << p.Shift
		if covered&mask != 0 {
			t.Errorf("the part at %d overlaps another", p.Shift)
		}
		covered |= mask
	}
	if covered != ^uint64(0) {
		t.Errorf("the parts cover %064b", covered)
	}
	r := rand.New(rand.NewPCG(1, 2))
	for range 10_000 {
		a := r.Uint64()
		b := a
		for bits.OnesCount64(a^b) < MostBits {
			b ^= 1 << r.IntN(64)
		}
		shared := false
		for _, p := range Parts() {
			shared = shared || a>>p.Shift&(1<<p.Width-1) == b>>p.Shift&(1<<p.Width-1)
		}
		if !shared {
			t.Fatalf("%x and %x share no part", a, b)
		}
	}
}
