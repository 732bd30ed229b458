package picture

import "image"

// border is how far a channel may be from the border's colour and still belong
// to it, of 255: compression leaves that much.
const border = 14

// ContentBox returns the box around what is not border, from width × height
// pixels of bands channels of 8 bits; it is empty where the corners differ
// in colour, so that there is no border, or where there is nothing but border.
// A line counts when two of its pixels differ, so that a speck does not.
func ContentBox(pixels []byte, width, height, bands int) image.Rectangle {
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
		return image.Rectangle{}
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
	extent := func(counts []int) (first, end int) {
		for i, n := range counts {
			if n < 2 {
				continue
			}
			if end == 0 {
				first = i
			}
			end = i + 1
		}
		return first, end
	}
	left, right := extent(columns)
	top, bottom := extent(rows)
	return image.Rect(left, top, right, bottom)
}

// leastContent is how wide and high content is at least, in pixels of a thumbnail, for a picture to be compared by it.
const leastContent = FingerprintSide / 2

// Look returns what a picture is compared by, from width × height pixels of bands channels, of which the first three are
// red, green and blue: the fingerprint and the tint of its content, so that a border around it, or one that was cut
// away, changes nothing.
func Look(pixels []byte, width, height, bands int) (fingerprint uint64, tint []byte) {
	if box := ContentBox(pixels, width, height, bands); box.Dx() >= leastContent && box.Dy() >= leastContent {
		content := make([]byte, 0, box.Dx()*box.Dy()*bands)
		for y := box.Min.Y; y < box.Max.Y; y++ {
			content = append(content, pixels[(y*width+box.Min.X)*bands:(y*width+box.Max.X)*bands]...)
		}
		pixels, width, height = content, box.Dx(), box.Dy()
	}
	square := Square(pixels, width, height, bands)
	return Fingerprint(square), Tint(square)
}
