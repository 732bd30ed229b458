package picture

import "slices"

// DetailSide is the side of the square that Detail looks at, pixels; a multiple
// of four blocks.
const DetailSide = 512

const block = 16 // of the square's side, at half its size

// Detail tells from a square of greys, side × side, whether a picture carries
// the detail that its size promises. It returns 1 where it does, 0.5 or 0.25
// where it looks enlarged twofold or fourfold, and 0 where the square is too
// flat to tell. Natural pictures, and drawn ones with sharp edges, have about as
// much energy in each octave of detail as in the next (Field, Relations between
// the statistics of natural images, 1987); interpolation puts little into the
// octaves that it adds. The octaves are levels of a pyramid (Burt and Adelson,
// The Laplacian pyramid, 1983), compared in the blocks that have most detail.
// Enlarging by linear interpolation, or by less than two, is not told.
func Detail(greys []float64, side int) float64 {
	levels := 3
	energies := make([][]float64, levels) // of a level, by block of the coarsest grid
	current := greys
	for level, width := 0, side; level < levels; level, width = level+1, width/2 {
		energies[level] = blockEnergies(current, width, block<<(levels-1-level)/2)
		current = halved(current, width)
	}
	ratio := func(level int) (float64, bool) {
		order := make([]int, len(energies[level+1]))
		for i := range order {
			order[i] = i
		}
		slices.SortFunc(order, func(a, b int) int {
			if energies[level+1][a] > energies[level+1][b] {
				return -1
			}
			return 1
		})
		fine, coarse := 0.0, 0.0
		for _, i := range order[:max(1, len(order)/6)] {
			fine, coarse = fine+energies[level][i], coarse+energies[level+1][i]
		}
		n := float64(max(1, len(order)/6))
		return fine / max(coarse, 1e-9), coarse/n > leastContrast
	}
	first, sure := ratio(0)
	second, sureToo := ratio(1)
	switch {
	case sureToo && second < fourfold:
		return 0.25
	case !sure:
		return 0
	case first < twofold:
		return 0.5
	}
	return 1
}

// Limits found on 94 of the drawn sample pictures, scaled down (Lanczos) and
// enlarged again (cubic) by vips: as they are, the finest octave has 0.67 to 3.0
// times the energy of the next, enlarged twofold 0.13 to 0.32; the second has
// 0.26 to 2.6 of the third, enlarged fourfold 0.07 to 0.39, so that some are
// told as twofold. The limit for twofold lies low between the two, since a lens
// leaves less in the finest octave than a drawing has: what was drawn without
// smooth edges and then enlarged is not told.
const (
	twofold       = 0.45
	fourfold      = 0.21
	leastContrast = 0.2 // mean square of the fourth differences, greys
)

// halved returns a square at half its size, smoothed by the binomial filter
// 1 4 6 4 1 before, so that nothing of the finer octave is left.
func halved(greys []float64, width int) []float64 {
	half := width / 2
	rows := make([]float64, width*half)
	small := make([]float64, half*half)
	at := func(i int) int { return min(max(i, 0), width-1) }
	for y := range width {
		line, out := greys[y*width:(y+1)*width], rows[y*half:(y+1)*half]
		for x := range out {
			if c := 2 * x; c >= 2 && c+2 < width {
				out[x] = (line[c-2] + 4*line[c-1] + 6*line[c] + 4*line[c+1] + line[c+2]) / 16
			} else {
				out[x] = (line[at(c-2)] + 4*line[at(c-1)] + 6*line[c] + 4*line[at(c+1)] + line[at(c+2)]) / 16
			}
		}
	}
	for y := range half {
		c := 2 * y
		for x := range half {
			small[y*half+x] = (rows[at(c-2)*half+x] + 4*rows[at(c-1)*half+x] + 6*rows[c*half+x] + 4*rows[at(c+1)*half+x] + rows[at(c+2)*half+x]) / 16
		}
	}
	return small
}

// blockEnergies returns the mean square of the fourth differences along rows
// and columns, the filter 1 -4 6 -4 1, for each block of side pixels. It lets
// the finest octave through, and of the next no more than a sixteenth.
func blockEnergies(greys []float64, width, side int) []float64 {
	across := width / side
	energies := make([]float64, across*across)
	for y := 2; y < width-2; y++ {
		var rows [5][]float64
		for k := range rows {
			rows[k] = greys[(y+k-2)*width : (y+k-1)*width]
		}
		here := rows[2]
		for from := 0; from < across; from++ {
			sum := 0.0
			for x := max(from*side, 2); x < min((from+1)*side, width-2); x++ {
				dx := here[x-2] - 4*here[x-1] + 6*here[x] - 4*here[x+1] + here[x+2]
				dy := rows[0][x] - 4*rows[1][x] + 6*here[x] - 4*rows[3][x] + rows[4][x]
				sum += dx*dx + dy*dy
			}
			energies[y/side*across+from] += sum / (16 * 16)
		}
	}
	for i := range energies {
		energies[i] /= float64(side * side)
	}
	return energies
}
