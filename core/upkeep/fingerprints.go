// Package upkeep finds what is alike and, in time, what nothing needs. It
// computes only.
package upkeep

import (
	"math/bits"
	"slices"
)

// Fingerprints finds pictures whose fingerprints differ in few of 64 bits. It is
// built once and may be read by many goroutines.
//
// A fingerprint is cut into four parts: of two that differ in at most MostBits
// bits, one part at least differs in one bit or none (the pigeonhole principle;
// Norouzi, Punjani and Fleet, Fast Search in Hamming Space with Multi-Index
// Hashing, 2012), so that only those that have such a part are compared, and none
// is missed.
type Fingerprints struct {
	values []uint64
	parts  [64 / partBits]part
}

// partBits is how long a part is.
const partBits = 16

// MostBits is the largest difference that is searched for.
const MostBits = 7

type part struct {
	shift, width uint
	starts       []int32 // of each value of the part, in order; one more at the end
	order        []int32 // fingerprints, by the value of the part
}

// Part is some neighbouring bits of a fingerprint.
type Part struct{ Shift, Width uint }

// Parts returns the parts that a fingerprint is cut into. Of two fingerprints that
// differ in at most MostBits bits, one part at least differs in one bit or none.
func Parts() (parts [64 / partBits]Part) {
	for n := range parts {
		parts[n] = Part{uint(n * partBits), partBits}
	}
	return parts
}

// NewFingerprints indexes fingerprints; they are told by their position.
func NewFingerprints(values []uint64) *Fingerprints {
	f := &Fingerprints{values: values}
	for n, cut := range Parts() {
		p := &f.parts[n]
		p.shift, p.width = cut.Shift, cut.Width
		p.starts = make([]int32, 1<<p.width+1)
		for _, v := range values {
			p.starts[p.of(v)+1]++
		}
		for i := 1; i < len(p.starts); i++ {
			p.starts[i] += p.starts[i-1]
		}
		p.order = make([]int32, len(values))
		next := slices.Clone(p.starts)
		for i, v := range values {
			p.order[next[p.of(v)]] = int32(i)
			next[p.of(v)]++
		}
	}
	return f
}

func (p *part) of(v uint64) uint64 { return v >> p.shift & (1<<p.width - 1) }

// Near is a fingerprint that is found, and in how many bits it differs.
type Near struct {
	At   int
	Bits int
}

// Near returns all fingerprints that differ from v in at most most bits (itself
// at most MostBits), the nearest first, then in their order.
func (f *Fingerprints) Near(v uint64, most int) (near []Near) {
	most = min(most, MostBits)
	for n := range f.parts {
		p := &f.parts[n]
		for _, value := range beside(p.of(v)) {
			for _, i := range p.order[p.starts[value]:p.starts[value+1]] {
				distance := bits.OnesCount64(f.values[i] ^ v)
				if distance <= most && !f.foundBefore(n, f.values[i], v) {
					near = append(near, Near{int(i), distance})
				}
			}
		}
	}
	slices.SortFunc(near, func(a, b Near) int {
		if a.Bits != b.Bits {
			return a.Bits - b.Bits
		}
		return a.At - b.At
	})
	return near
}

// beside returns a part, and all that differ from it in one bit.
func beside(value uint64) (all [partBits + 1]uint64) {
	all[partBits] = value
	for bit := range partBits {
		all[bit] = value ^ 1<<bit
	}
	return all
}

// foundBefore tells whether an earlier part than n differs in one bit or none, too.
func (f *Fingerprints) foundBefore(n int, a, b uint64) bool {
	for i := range n {
		if bits.OnesCount64(f.parts[i].of(a)^f.parts[i].of(b)) <= 1 {
			return true
		}
	}
	return false
}
