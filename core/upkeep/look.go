package upkeep

import (
	"math"
	"math/bits"
)

// Look is what pictures are compared by.
type Look struct {
	Fingerprint uint64 // of 64 bits, from the shades of its parts; 0 where there is none
	Tint        string // mean colours of its cells, three bytes each
}

// TintBytes is how long a tint is: sixteen cells.
const TintBytes = 48

// MostTint is how far the mean colours of look-alikes' cells may be apart, of 255, once one is as bright as the other:
// the same jar with another lid is another product.
const MostTint = 12

// MostGain is how many times as bright one of two look-alikes may be as the other.
const MostGain = 1.12

// Like tells whether two pictures are the same but for size, quality, border and brightness.
func (l Look) Like(o Look) bool {
	return l.Fingerprint != 0 && o.Fingerprint != 0 && bits.OnesCount64(l.Fingerprint^o.Fingerprint) <= MostBits && l.SameTint(o)
}

// SameTint tells whether two pictures have the same colours, as far as that can be told of pictures in other sizes and
// qualities: one is the other made brighter throughout, by what fits all cells best (the least squares), and no cell
// differs by more than MostTint then.
func (l Look) SameTint(o Look) bool {
	if len(l.Tint) != len(o.Tint) {
		return false
	}
	var mine, others, both float64
	for i := range len(l.Tint) {
		a, b := float64(l.Tint[i]), float64(o.Tint[i])
		mine, others, both = mine+a*a, others+b*b, both+a*b
	}
	dark, light, gain := l.Tint, o.Tint, both/max(mine, 1)
	if others < mine {
		dark, light, gain = o.Tint, l.Tint, both/max(others, 1)
	}
	if gain = max(gain, 1); gain > MostGain {
		return false
	}
	for i := range len(dark) {
		if d := min(255, gain*float64(dark[i])) - float64(light[i]); math.Abs(d) > MostTint {
			return false
		}
	}
	return true
}
