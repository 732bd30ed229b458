package catalog

import (
	"math/rand/v2"
	"slices"
	"testing"
)

func shape(parents ...int64) *Levels {
	l := &Levels{}
	for i, parent := range parents {
		l.Add(int64(i+1), parent)
	}
	return l
}

func TestLevelsGoDownAsFarAsTheyFit(t *testing.T) {
	//     1 ─ 3, 4 ─ 5     2
	l := shape(0, 0, 1, 1, 4)
	for _, c := range []struct {
		name string
		top  int64
		most int
		want []int64
	}{
		{"all", 0, 5, []int64{1, 2, 3, 4, 5}},
		{"whole levels only", 0, 3, []int64{1, 2}},
		{"two levels", 0, 4, []int64{1, 2, 3, 4}},
		{"the first level always", 0, 1, []int64{1, 2}},
		{"below one", 1, 10, []int64{3, 4, 5}},
		{"below one without any", 5, 10, nil},
		{"below an unknown one", 99, 10, nil},
	} {
		if got := l.Down(c.top, c.most); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

// TestTotalsAreOwnAndBelow compares with adding each category to all above it, on random trees of 8,000
// categories.
func TestTotalsAreOwnAndBelow(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 7))
	for range 20 {
		const n = 8000
		parents := make([]int64, n)
		own := map[int64]int{0: random.IntN(5)}
		for i := range parents {
			parents[i] = random.Int64N(int64(min(i+1, 1+i/3+random.IntN(3)))) // never itself or one behind it
			own[int64(i+1)] = random.IntN(5)
		}
		want := map[int64]int{0: own[0]}
		for i := range parents {
			id := int64(i + 1)
			for at := id; ; at = parents[at-1] {
				want[at] += own[id]
				if at == 0 {
					break
				}
			}
		}
		got := Totals(shape(parents...), own, func(a, b int) int { return a + b })
		for id, total := range want {
			if got[id] != total {
				t.Fatalf("category %d has %d, want %d", id, got[id], total)
			}
		}
	}
}
