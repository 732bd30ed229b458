package decoder

import (
	"cmp"
	"image"
	"math"
	"slices"
)

// bars is a rectangle in a picture, turned, in which the grey changes along one
// direction only, as it does in the bars of a barcode.
type bars struct {
	x, y         float64 // its middle, pixels
	angle        float64 // of the direction across the bars, radians
	along, aside float64 // half its length across the bars and along them, pixels
	weight       float64
}

// blockSide is the side of the squares that directions are told of, pixels.
const blockSide = 16

// What makes a block one of bars: how strong its changes are, in greys a pixel,
// and how much they agree in direction, of 1.
const (
	leastChange = 10
	leastAgreed = 0.55
	bendAllowed = math.Pi / 8 // between neighbours
	mostBars    = 6
	fewestBlock = 3
)

type block struct {
	angle, change float64
	seen          bool
}

// findBars finds what may be barcodes, the likeliest first: neighbouring blocks
// whose structure tensors (Bigun and Granlund, Optimal Orientation Detection of
// Linear Symmetry, 1987) agree in direction.
func findBars(grey *image.Gray) (found []bars) {
	wide, high := grey.Rect.Dx()/blockSide, grey.Rect.Dy()/blockSide
	blocks := make([]block, wide*high)
	for by := range high {
		for bx := range wide {
			blocks[by*wide+bx] = lookAt(grey, bx*blockSide, by*blockSide)
		}
	}
	for at := range blocks {
		if !blocks[at].seen && blocks[at].change > 0 {
			if members := spread(blocks, wide, at); len(members) >= fewestBlock {
				found = append(found, around(blocks, wide, members))
			}
		}
	}
	slices.SortFunc(found, func(a, b bars) int { return cmp.Compare(b.weight, a.weight) })
	return found[:min(len(found), mostBars)]
}

// lookAt tells in which direction the grey changes in a block; change is 0 where
// it does not do so in one direction.
func lookAt(grey *image.Gray, x0, y0 int) block {
	var xx, yy, xy float64
	for y := max(1, y0); y < min(y0+blockSide, grey.Rect.Dy()-1); y++ {
		row := grey.Pix[y*grey.Stride:]
		above, below := grey.Pix[(y-1)*grey.Stride:], grey.Pix[(y+1)*grey.Stride:]
		var rxx, ryy, rxy int
		for x := max(1, x0); x < min(x0+blockSide, grey.Rect.Dx()-1); x++ {
			gx, gy := int(row[x+1])-int(row[x-1]), int(below[x])-int(above[x])
			rxx += gx * gx
			ryy += gy * gy
			rxy += gx * gy
		}
		xx, yy, xy = xx+float64(rxx), yy+float64(ryy), xy+float64(rxy)
	}
	change := math.Sqrt((xx + yy) / (blockSide * blockSide))
	agreed := math.Hypot(xx-yy, 2*xy) / (xx + yy + 1)
	if change < leastChange || agreed < leastAgreed {
		return block{seen: true}
	}
	return block{angle: math.Atan2(2*xy, xx-yy) / 2, change: change}
}

// apart is how far two directions are apart, without regard to their sense.
func apart(a, b float64) float64 {
	d := math.Abs(math.Mod(a-b, math.Pi))
	return math.Min(d, math.Pi-d)
}

// spread returns the blocks that hang together with one and agree with their
// neighbours.
func spread(blocks []block, wide, from int) (members []int) {
	open := []int{from}
	blocks[from].seen = true
	for len(open) > 0 {
		at := open[len(open)-1]
		open = open[:len(open)-1]
		members = append(members, at)
		for dy := -1; dy <= 1; dy++ {
			for dx := -1; dx <= 1; dx++ {
				x, next := at%wide+dx, at+dy*wide+dx
				if x < 0 || x >= wide || next < 0 || next >= len(blocks) || blocks[next].seen ||
					apart(blocks[at].angle, blocks[next].angle) > bendAllowed {
					continue
				}
				blocks[next].seen = true
				open = append(open, next)
			}
		}
	}
	return members
}

// around returns the rectangle about blocks, turned as they are.
func around(blocks []block, wide int, members []int) (b bars) {
	var sin, cos float64
	for _, at := range members {
		w := blocks[at].change
		s, c := math.Sincos(2 * blocks[at].angle)
		sin, cos = sin+w*s, cos+w*c
		b.x += w * (float64(at%wide) + 0.5) * blockSide
		b.y += w * (float64(at/wide) + 0.5) * blockSide
		b.weight += w
	}
	b.x, b.y, b.angle = b.x/b.weight, b.y/b.weight, math.Atan2(sin, cos)/2
	s, c := math.Sincos(b.angle)
	low, high := [2]float64{math.Inf(1), math.Inf(1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	for _, at := range members {
		x, y := (float64(at%wide)+0.5)*blockSide-b.x, (float64(at/wide)+0.5)*blockSide-b.y
		for i, v := range [2]float64{x*c + y*s, y*c - x*s} {
			low[i], high[i] = math.Min(low[i], v), math.Max(high[i], v)
		}
	}
	u, v := (low[0]+high[0])/2, (low[1]+high[1])/2
	b.x, b.y = b.x+u*c-v*s, b.y+u*s+v*c
	b.along, b.aside = (high[0]-low[0])/2+2.5*blockSide, (high[1]-low[1])/2+blockSide/2
	return b
}

// scales are how much larger the bars are drawn to be read: those of small codes
// are hardly wider than a pixel.
func (b bars) scales() []float64 {
	if b.along < 150 {
		return []float64{3, 2}
	}
	if b.along < 320 {
		return []float64{2, 1}
	}
	return []float64{1, 0.5}
}

// upright draws the rectangle with its bars upright.
func (b bars) upright(grey *image.Gray, scale float64) *image.Gray {
	to := image.NewGray(image.Rect(0, 0, int(2*b.along*scale), max(24, int(2*b.aside*scale))))
	s, c := math.Sincos(b.angle)
	for j := range to.Rect.Dy() {
		v := (float64(j)+0.5)/float64(to.Rect.Dy())*2*b.aside - b.aside
		row := to.Pix[j*to.Stride : j*to.Stride+to.Rect.Dx()]
		for i := range row {
			u := (float64(i)+0.5)/scale - b.along
			row[i] = between(grey, b.x+u*c-v*s, b.y+u*s+v*c)
		}
	}
	return to
}

// between returns the grey at a point between four pixels.
func between(from *image.Gray, x, y float64) byte {
	if x < 0 || y < 0 || x >= float64(from.Rect.Dx()-1) || y >= float64(from.Rect.Dy()-1) {
		return 255
	}
	i, j := int(x), int(y)
	fx, fy := int(256*(x-float64(i))), int(256*(y-float64(j)))
	at := from.Pix[j*from.Stride+i:]
	top := int(at[0])*(256-fx) + int(at[1])*fx
	bottom := int(at[from.Stride])*(256-fx) + int(at[from.Stride+1])*fx
	return byte((top*(256-fy) + bottom*fy) >> 16)
}

// leastFilled is the part of its bars that a code takes: one that is read from
// a few bars of another is a chance.
const leastFilled = 0.7

// filledBy tells whether a code that begins and ends at points of the upright
// drawing takes the bars' length.
func (b bars) filledBy(points [][2]float64, scale float64) bool {
	low, high := math.Inf(1), math.Inf(-1)
	for _, p := range points {
		low, high = math.Min(low, p[0]), math.Max(high, p[0])
	}
	return high-low >= leastFilled*(2*b.along-5*blockSide)*scale
}

// corners returns the rectangle's corners in parts of a picture's width and
// height.
func (b bars) corners(picture image.Rectangle) (points [][2]float64) {
	s, c := math.Sincos(b.angle)
	for _, at := range [][2]float64{{-1, -1}, {1, -1}, {1, 1}, {-1, 1}} {
		u, v := at[0]*b.along, at[1]*b.aside
		points = append(points, [2]float64{(b.x + u*c - v*s) / float64(picture.Dx()), (b.y + u*s + v*c) / float64(picture.Dy())})
	}
	return points
}
