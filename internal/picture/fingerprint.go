package picture

import (
	"math"
	"math/bits"
	"slices"
)

// FingerprintSide is the side of the square that a fingerprint is computed
// from, pixels.
const FingerprintSide = 32

var cosines = func() (table [8][FingerprintSide]float64) {
	for u := range table {
		for x := range FingerprintSide {
			table[u][x] = math.Cos(math.Pi / FingerprintSide * (float64(x) + 0.5) * float64(u+1))
		}
	}
	return table
}()

// Fingerprint is a perceptual hash: the signs, about their median, of the 64
// lowest frequencies (the constant left out) of the cosine transform of the
// picture in 32 × 32 greys. The same picture in another size, format or
// quality differs in few bits (Zauner, Implementation and Benchmarking of
// Perceptual Image Hash Functions, 2010, section 3.2.1). It is computed from
// the thumbnail, so that it can be computed again without the original.
func Fingerprint(pixels []byte, bands int) uint64 {
	var rows [8][FingerprintSide]float64
	for y := range FingerprintSide {
		for u := range 8 {
			for x := range FingerprintSide {
				rows[u][y] += cosines[u][x] * float64(pixels[(y*FingerprintSide+x)*bands])
			}
		}
	}
	var values [64]float64
	for u := range 8 {
		for v := range 8 {
			for y := range FingerprintSide {
				values[8*u+v] += cosines[v][y] * rows[u][y]
			}
		}
	}
	sorted := values
	slices.Sort(sorted[:])
	median := (sorted[31] + sorted[32]) / 2
	var hash uint64
	for i, value := range values {
		if value > median {
			hash |= 1 << i
		}
	}
	return hash
}

// Distance is the number of bits in which two fingerprints differ, 0 to 64.
func Distance(a, b uint64) int { return bits.OnesCount64(a ^ b) }

// Tint returns the mean red, green and blue of a picture's quarters, row by row,
// from FingerprintSide × FingerprintSide pixels. Pictures that differ in colour
// alone have the same fingerprint, but not the same tint.
func Tint(pixels []byte, bands int) []byte {
	const half = FingerprintSide / 2
	tint := make([]byte, 0, 12)
	for quarter := range 4 {
		for channel := range 3 {
			sum := 0
			for i := range half * half {
				x, y := quarter%2*half+i%half, quarter/2*half+i/half
				sum += int(pixels[(y*FingerprintSide+x)*bands+min(channel, bands-1)])
			}
			tint = append(tint, byte(sum/(half*half)))
		}
	}
	return tint
}
