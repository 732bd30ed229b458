package upkeep

import (
	"math/bits"
	"math/rand/v2"
	"strings"
	"testing"
)

func TestLooksThatAreAlike(t *testing.T) {
	tint := func(shade byte) string { return strings.Repeat(string([]byte{shade}), TintBytes) }
	const print = 0x00ff_5a5a_1234_fedc
	first := Look{print, tint(100)}
	half := strings.Repeat(string([]byte{40}), TintBytes/2) + strings.Repeat(string([]byte{250}), TintBytes/2)
	for name, c := range map[string]struct {
		one, other Look
		like       bool
	}{
		"itself":             {first, first, true},
		"seven bits":         {first, Look{print ^ 0x7f, tint(100)}, true},
		"eight bits":         {first, Look{print ^ 0xff, tint(100)}, false},
		"a tenth brighter":   {first, Look{print, tint(110)}, true},
		"a quarter brighter": {first, Look{print, tint(125)}, false},
		"brighter, white stays": {Look{print, half}, Look{print, strings.NewReplacer("\xfa", "\xff", "(", "+").Replace(half)},
			true},
		"a cell of another colour":   {first, Look{print, tint(100)[1:] + string([]byte{130})}, false},
		"a cell that is a bit other": {first, Look{print, tint(100)[1:] + string([]byte{110})}, true},
		"black and nearly so":        {Look{print, tint(0)}, Look{print, tint(14)}, false},
		"no fingerprint":             {first, Look{0, tint(100)}, false},
		"no tint":                    {first, Look{print, ""}, false},
		"the tint of an old version": {first, Look{print, tint(100)[:12]}, false},
	} {
		if c.one.Like(c.other) != c.like || c.other.Like(c.one) != c.like {
			t.Errorf("%s: expected %v", name, c.like)
		}
	}
}

// TestPartsCoverAFingerprint expects every bit in just one part, so that of two
// fingerprints that differ in MostBits bits one part at least differs in one bit or none.
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
			shared = shared || bits.OnesCount64((a^b)>>p.Shift&(1<<p.Width-1)) <= 1
		}
		if !shared {
			t.Fatalf("%x and %x have no part alike", a, b)
		}
	}
}
