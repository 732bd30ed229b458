package upkeep

import "math/bits"

// Look is what pictures are compared by.
type Look struct {
	Fingerprint uint64 // of 64 bits, from the shades of its parts; 0 where there is none
	Tint        string // mean colours of its quarters, three bytes each
}

// MostTint is how far the mean colours of look-alikes' quarters may be apart,
// of 255: the same jar with another lid is another product.
const MostTint = 9

// Like tells whether two pictures are the same but for size or quality.
func (l Look) Like(o Look) bool {
	return l.Fingerprint != 0 && o.Fingerprint != 0 && bits.OnesCount64(l.Fingerprint^o.Fingerprint) <= MostBits && l.SameTint(o)
}

// SameTint tells whether two pictures have the same colours, as far as that can
// be told of pictures in other sizes and qualities.
func (l Look) SameTint(o Look) bool {
	if len(l.Tint) != len(o.Tint) {
		return false
	}
	for i := range len(l.Tint) {
		if d := int(l.Tint[i]) - int(o.Tint[i]); d > MostTint || -d > MostTint {
			return false
		}
	}
	return true
}
