package picture

import (
	"math"
	"math/bits"

	"ambrosa/core/upkeep"
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

// window returns weights of the cells of a line that fall to nothing over some cells at both ends, where a border that
// is cut a little wider or tighter, or a crop, changes most: a tapered cosine (Harris, On the Use of Windows for
// Harmonic Analysis with the Discrete Fourier Transform, 1978).
func window(taper float64) (w [FingerprintSide]float64) {
	for i := range w {
		w[i] = 1
		if edge := float64(min(i, FingerprintSide-1-i)) + 0.5; edge < taper {
			w[i] = 0.5 - 0.5*math.Cos(math.Pi*edge/taper)
		}
	}
	return w
}

var shadeWindow, tintWindow = window(8), window(4)

// clearly is how much of the root mean square of all frequencies one has to reach to be set. A frequency that a picture
// hardly has, as of two equal halves, is near nothing: by its sign alone it would be set by chance.
const clearly = 0.15

// Fingerprint is a perceptual hash: which of the 64 lowest frequencies (the constant left out) of the cosine transform
// of the picture's Square in greys are clearly above nothing. The same picture in another size, format or quality
// differs in few bits (after Zauner, Implementation and Benchmarking of Perceptual Image Hash Functions, 2010, section
// 3.2.1, where the signs about the median are taken). It is computed from the thumbnail, so that it can be computed
// again without the original. Each quarter of its bits has low and high frequencies, since pictures differ more in the
// low ones.
func Fingerprint(square []float64) uint64 {
	var greys [FingerprintSide * FingerprintSide]float64
	mean := 0.0
	for i := range greys {
		greys[i] = luma(square[3*i], square[3*i+1], square[3*i+2])
		mean += greys[i] / float64(len(greys))
	}
	var rows [8][FingerprintSide]float64
	for y := range FingerprintSide {
		for u := range 8 {
			for x := range FingerprintSide {
				rows[u][y] += cosines[u][x] * shadeWindow[x] * shadeWindow[y] * (greys[y*FingerprintSide+x] - mean)
			}
		}
	}
	var values [64]float64
	power := 0.0
	for i := range values {
		for y := range FingerprintSide {
			values[i] += cosines[i%8][y] * rows[i/8][y]
		}
		power += values[i] * values[i]
	}
	least := clearly * math.Sqrt(power/float64(len(values)))
	var hash uint64
	for i, value := range values {
		if value > least {
			hash |= 1 << (i%4*16 + i/4)
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

// tintCells is into how many rows and columns a picture is cut for its tint.
const tintCells = 4

// Tint returns the mean red, green and blue of a picture's cells, row by row, from its Square; what is near the edges
// counts less. Pictures that differ in colour alone have the same fingerprint, but not the same tint.
func Tint(square []float64) []byte {
	const side = FingerprintSide / tintCells
	tint := make([]byte, 0, upkeep.TintBytes)
	for cell := range tintCells * tintCells {
		var sums [3]float64
		weights := 0.0
		for i := range side * side {
			x, y := cell%tintCells*side+i%side, cell/tintCells*side+i/side
			weight := tintWindow[x] * tintWindow[y]
			weights += weight
			for channel := range sums {
				sums[channel] += weight * square[3*(y*FingerprintSide+x)+channel]
			}
		}
		for _, sum := range sums {
			tint = append(tint, byte(sum/weights+0.5))
		}
	}
	return tint
}
