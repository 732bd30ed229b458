package upkeep

import (
	"math/bits"
	"math/rand/v2"
	"slices"
	"testing"
)

// clustered makes fingerprints of which many are near to another one.
func clustered(r *rand.Rand, n int) []uint64 {
	values := make([]uint64, n)
	for i := range values {
		values[i] = r.Uint64()
		if i > 0 && i%3 == 0 {
			values[i] = values[r.IntN(i)]
			for range r.IntN(7) {
				values[i] ^= 1 << r.IntN(64)
			}
		}
	}
	return values
}

// TestNearAgainstComparingWithAll expects the same as comparing with every
// fingerprint.
func TestNearAgainstComparingWithAll(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	values := clustered(r, 20_000)
	f := NewFingerprints(values)
	found := 0
	for range 400 {
		v := values[r.IntN(len(values))] ^ 1<<r.IntN(64)
		for _, most := range []int{0, 2, MostBits} {
			var want []Near
			for i, o := range values {
				if d := bits.OnesCount64(o ^ v); d <= most {
					want = append(want, Near{i, d})
				}
			}
			slices.SortStableFunc(want, func(a, b Near) int { return a.Bits - b.Bits })
			if got := f.Near(v, most); !slices.Equal(got, want) {
				t.Fatalf("near %x by %d: %v, comparing with all gives %v", v, most, got, want)
			}
			found += len(want)
		}
	}
	if found < 400 {
		t.Errorf("only %d were found: the test says little", found)
	}
}

func TestNoFingerprints(t *testing.T) {
	if near := NewFingerprints(nil).Near(5, MostBits); near != nil {
		t.Errorf("near nothing: %v", near)
	}
}

// BenchmarkNear searches among a million; the measure is 5 ms a file.
func BenchmarkNear(b *testing.B) {
	r := rand.New(rand.NewPCG(9, 9))
	values := clustered(r, 1_000_000)
	f := NewFingerprints(values)
	for b.Loop() {
		f.Near(values[r.IntN(len(values))]^3, MostBits)
	}
}
