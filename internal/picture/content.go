package picture

// border is how far a channel may be from the border's colour and still belong
// to it, of 255: compression leaves that much.
const border = 14

// ContentBox returns the size of the box around what is not border, from
// width × height pixels of bands channels of 8 bits; 0 where the corners differ
// in colour, so that there is no border, or where there is nothing but border.
// A line counts when two of its pixels differ, so that a speck does not.
func ContentBox(pixels []byte, width, height, bands int) (boxWidth, boxHeight int) {
	at := func(x, y int) []byte { i := (y*width + x) * bands; return pixels[i : i+bands] }
	corner := at(0, 0)
	differs := func(p []byte) bool {
		for c := range p {
			if d := int(p[c]) - int(corner[c]); d > border || d < -border {
				return true
			}
		}
		return false
	}
	if differs(at(width-1, 0)) || differs(at(0, height-1)) || differs(at(width-1, height-1)) {
		return 0, 0
	}
	rows, columns := make([]int, height), make([]int, width)
	for y := range height {
		for x := range width {
			if differs(at(x, y)) {
				rows[y]++
				columns[x]++
			}
		}
	}
	extent := func(counts []int) int {
		first, last := -1, -1
		for i, n := range counts {
			if n >= 2 {
				if first < 0 {
					first = i
				}
				last = i
			}
		}
		if first < 0 {
			return 0
		}
		return last - first + 1
	}
	return extent(columns), extent(rows)
}
