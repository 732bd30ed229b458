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
// picture's Square in greys. The same picture in another size, format or
// quality differs in few bits (Zauner, Implementation and Benchmarking of
// Perceptual Image Hash Functions, 2010, section 3.2.1). It is computed from
// the thumbnail, so that it can be computed again without the original.
func Fingerprint(square []float64) uint64 {
	var rows [8][FingerprintSide]float64
	for y := range FingerprintSide {
		for u := range 8 {
			for x := range FingerprintSide {
				p := square[3*(y*FingerprintSide+x):]
				rows[u][y] += cosines[u][x] * luma(p[0], p[1], p[2])
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

// luma is the grey of a colour as JPEG and WebP keep it (ITU-R BT.601): with other
// weights, what they lose of the colours would show in the grey.
func luma(red, green, blue float64) float64 { return 0.299*red + 0.587*green + 0.114*blue }

// Greys returns the luma of pixels of one or more channels, of which the first
// three are red, green and blue.
func Greys(pixels []byte, bands int) []float64 {
	greys := make([]float64, len(pixels)/bands)
	for i := range greys {
		if bands < 3 {
			greys[i] = float64(pixels[i*bands])
		} else {
			p := pixels[i*bands:]
			greys[i] = luma(float64(p[0]), float64(p[1]), float64(p[2]))
		}
	}
	return greys
}

// Square shrinks width × height pixels, of bands channels of which the first
// three are red, green and blue, to FingerprintSide × FingerprintSide pixels of
// three channels, each the mean of the area under it; they are not rounded, since
// of smooth pictures little else would be left than what rounding adds.
func Square(pixels []byte, width, height, bands int) []float64 {
	across, down := shares(width), shares(height)
	rows := make([]float64, 3*FingerprintSide*height) // shrunk across
	for y := range height {
		line := pixels[y*width*bands : (y+1)*width*bands]
		for x, cell := range across {
			for k, share := range cell.shares {
				for channel := range 3 {
					rows[3*(y*FingerprintSide+x)+channel] += share * float64(line[(cell.first+k)*bands+channel])
				}
			}
		}
	}
	square := make([]float64, 0, 3*FingerprintSide*FingerprintSide)
	for _, cell := range down {
		for i := range 3 * FingerprintSide {
			sum := 0.0
			for k, share := range cell.shares {
				sum += share * rows[3*FingerprintSide*(cell.first+k)+i]
			}
			square = append(square, sum)
		}
	}
	return square
}

// cell is a part of a line of pixels: from the first on, how much each of them
// counts; all together 1.
type cell struct {
	first  int
	shares []float64
}

// shares cuts a line of so many pixels into FingerprintSide equal cells.
func shares(length int) (cells [FingerprintSide]cell) {
	each := float64(length) / FingerprintSide
	for i := range cells {
		from, to := float64(i)*each, float64(i+1)*each
		c := cell{first: int(from)}
		for p := c.first; p < length && float64(p) < to-1e-9; p++ {
			c.shares = append(c.shares, (min(to, float64(p+1))-max(from, float64(p)))/each)
		}
		cells[i] = c
	}
	return cells
}

// Distance is the number of bits in which two fingerprints differ, 0 to 64.
func Distance(a, b uint64) int { return bits.OnesCount64(a ^ b) }

// Tint returns the mean red, green and blue of a picture's quarters, row by row,
// from its Square. Pictures that differ in colour
// alone have the same fingerprint, but not the same tint.
func Tint(square []float64) []byte {
	const half = FingerprintSide / 2
	tint := make([]byte, 0, 12)
	for quarter := range 4 {
		for channel := range 3 {
			sum := 0.0
			for i := range half * half {
				x, y := quarter%2*half+i%half, quarter/2*half+i/half
				sum += square[3*(y*FingerprintSide+x)+channel]
			}
			tint = append(tint, byte(sum/(half*half)+0.5))
		}
	}
	return tint
}
