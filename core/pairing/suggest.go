package pairing

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"ambrosa/core/gtin"
)

// Suggestion is a key near to what a name says. It is never paired by itself.
type Suggestion struct {
	Target   Target
	Key      string
	Distance int
	Read     string // what the name says
	Edits    []Edit // the key against what was read, character by character
}

// nearestIndex finds keys by the pairs of characters they hold; it is built
// when the first suggestion is asked for.
type nearestIndex struct {
	once   sync.Once
	pairs  map[[2]byte][]int32
	forms  []string
	counts sync.Pool // of *[]uint8, all nought
}

// PrepareNearest builds what Nearest searches in; without it, its first call does.
func (c *Catalog) PrepareNearest() { c.nearest.once.Do(c.buildNearest) }

func (c *Catalog) buildNearest() {
	c.nearest.pairs = map[[2]byte][]int32{}
	c.nearest.forms = make([]string, len(c.keys))
	var f folded
	for i := range c.keys {
		f.fold(c.keys[i].text)
		form := f.joined(0)
		c.nearest.forms[i] = form
		for _, pair := range pairsOf(form) {
			c.nearest.pairs[pair] = append(c.nearest.pairs[pair], int32(i))
		}
	}
}

func pairsOf(form string) (pairs [][2]byte) {
	for i := 0; i+1 < len(form); i++ {
		if pair := [2]byte{form[i], form[i+1]}; !slices.Contains(pairs, pair) {
			pairs = append(pairs, pair)
		}
	}
	return pairs
}

// Nearest returns up to n keys, barcodes among them, that differ least from a token of the path's
// base name or nearest folder, by edit distance (Levenshtein) on letters and
// digits, at most a third of the key's length. Of equally near keys, longer ones come first, since
// they explain more of the name, then in the order of their spelling.
func (c *Catalog) Nearest(path string, n int) []Suggestion {
	c.PrepareNearest()
	r := newReader(c, nil, &compiled{}, english, false)
	r.open(path)
	best := map[Target]Suggestion{}
	offer := func(s Suggestion) {
		if known, ok := best[s.Target]; !ok || s.Distance < known.Distance || (s.Distance == known.Distance && s.Key < known.Key) {
			best[s.Target] = s
		}
	}
	for _, read := range r.tokens() {
		for _, s := range c.nearBarcodes(read) {
			offer(s)
		}
		for _, k := range c.near(read.form) {
			form := c.nearest.forms[k]
			limit := max(1, len(form)/3)
			distance := levenshtein(form, read.form, limit)
			if distance > limit {
				continue
			}
			offer(Suggestion{Target: c.keys[k].target(), Key: c.keys[k].text, Distance: distance, Read: read.text})
		}
	}
	list := make([]Suggestion, 0, len(best))
	for _, s := range best {
		list = append(list, s)
	}
	slices.SortFunc(list, func(a, b Suggestion) int {
		return cmp.Or(
			cmp.Compare(a.Distance, b.Distance),
			cmp.Compare(len(b.Key), len(a.Key)),
			cmp.Compare(a.Key, b.Key),
			cmp.Compare(a.Target.Item, b.Target.Item),
		)
	})
	list = list[:min(n, len(list))]
	for i := range list {
		list[i].Edits = Align(list[i].Read, list[i].Key)
	}
	return list
}

// nearBarcodes returns the items whose GTIN differs from the digits that were
// read in one figure, in one that is missing or too much, or in two neighbours
// that changed places: the slips that a check digit is there to find (GS1 General
// Specifications, section 7.9).
func (c *Catalog) nearBarcodes(read token) (near []Suggestion) {
	digits := read.form
	if len(digits) < 7 || len(digits) > 15 || strings.Trim(digits, "0123456789") != "" {
		return nil
	}
	tried := map[uint64]bool{}
	try := func(changed string) {
		number, ok := gtin.Number(changed)
		if !ok || tried[number] {
			return
		}
		tried[number] = true
		for _, item := range c.gtins[number] {
			key := gtin.Pad(c.items[item].GTIN)[14-len(changed):] // as many digits as the name gives of it
			near = append(near, Suggestion{Target: c.TargetOf(int(item)), Key: key, Distance: levenshtein(key, digits, 2), Read: read.text})
		}
	}
	for i := range len(digits) + 1 {
		for figure := '0'; figure <= '9'; figure++ {
			try(digits[:i] + string(figure) + digits[i:])
			if i < len(digits) {
				try(digits[:i] + string(figure) + digits[i+1:])
			}
		}
		if i < len(digits) {
			try(digits[:i] + digits[i+1:])
		}
		if i+1 < len(digits) {
			try(digits[:i] + digits[i+1:i+2] + digits[i:i+1] + digits[i+2:])
		}
	}
	return near
}

type token struct{ form, text string }

// tokens returns what could be a key in the base name: every run of up to four
// tokens between separators.
func (r *reader) tokens() (found []token) {
	for i := r.base; i < min(r.end, r.base+24); i++ {
		if r.f.atoms[i].glued && i > r.base {
			continue
		}
		for j, count := i, 0; j < r.end && count < 4; count++ {
			_, to := r.token(j, r.base, r.end)
			text := r.written(i, to)
			form := ""
			for n := i; n < to; n++ {
				form += string(r.text(n))
			}
			if len(form) >= 3 && len(form) <= maxKey {
				found = append(found, token{form, text})
			}
			j = to
		}
	}
	return found
}

// mostNear is how many keys that share pairs of characters are compared.
const mostNear = 400

// near returns the keys that share the most pairs of characters with form, at
// most mostNear, those that share more first, then in their order.
func (c *Catalog) near(form string) []int32 {
	pairs := pairsOf(form)
	var counts []uint8
	if used, ok := c.nearest.counts.Get().(*[]uint8); ok {
		counts = *used
	} else {
		counts = make([]uint8, len(c.keys))
	}
	defer func() { c.nearest.counts.Put(&counts) }()
	var of [256]int // how many keys share so many pairs
	for _, pair := range pairs[:min(len(pairs), 255)] {
		for _, k := range c.nearest.pairs[pair] {
			of[counts[k]]--
			counts[k]++
			of[counts[k]]++
		}
	}
	// One edit touches at most two pairs, so a key within the distance shares
	// at least this many.
	least := max(1, len(pairs)-2*max(1, (len(form)+2)/3))
	above, n := 255, 0
	for ; above >= least && n < mostNear; above-- {
		n += max(0, of[above])
	}
	keys := make([]int32, 0, n)
	for k := range counts[:len(c.keys)] {
		if int(counts[k]) > above && counts[k] > 0 {
			keys = append(keys, int32(k))
		}
	}
	slices.SortStableFunc(keys, func(a, b int32) int { return cmp.Compare(counts[b], counts[a]) })
	clear(counts)
	return keys[:min(len(keys), mostNear)]
}

// levenshtein returns the edit distance of two texts, or limit+1 when it is
// larger than limit.
func levenshtein(a, b string, limit int) int {
	if d := len(a) - len(b); d > limit || -d > limit {
		return limit + 1
	}
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := 1; i <= len(a); i++ {
		diagonal, least := row[0], i
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := diagonal
			if a[i-1] != b[j-1] {
				cost = 1 + min(diagonal, row[j], row[j-1])
			}
			diagonal, row[j] = row[j], cost
			least = min(least, cost)
		}
		if least > limit {
			return limit + 1
		}
	}
	return row[len(b)]
}
