package pairing

import (
	"cmp"
	"iter"
	"maps"
	"slices"
	"strings"
	"sync"

	"ambrosa/core/gtin"
)

// Suggestion is a key or a title near to what a name says. It is never paired by
// itself.
type Suggestion struct {
	Target   Target
	Key      string  // or the title
	Distance int     // how many characters are marked
	Read     string  // what the name says
	Edits    []Edit  // the key or title against what was read, character by character
	Fit      float64 // how much of it stands in the name, 0 to 1
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
func (c *Catalog) PrepareNearest() {
	c.nearest.once.Do(c.buildNearest)
	c.titles.once.Do(c.buildTitles)
}

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

// pairsOf returns the pairs of characters in a form, letters that are taken for
// figures being those.
func pairsOf(form string) (pairs [][2]byte) {
	for i := 0; i+1 < len(form); i++ {
		if pair := [2]byte{figureOf(form[i]), figureOf(form[i+1])}; !slices.Contains(pairs, pair) {
			pairs = append(pairs, pair)
		}
	}
	return pairs
}

// Nearest returns up to n keys, barcodes and titles that come nearest to what a path
// says in its base name or its folders. A key is nearer the fewer of its letters and
// digits differ (edit distance with neighbours that changed places, at most a third
// of its length; figures and letters that look alike count a quarter); a title, the more
// of its words stand in the name, rare ones before common ones and misspelt ones
// among them. Where key and title are of one product, both count. Each product stands
// once before any stands again; of equally near ones, those with longer keys come
// first, since they explain more of the name, then in the order of their spelling.
func (c *Catalog) Nearest(path string, n int) []Suggestion {
	c.PrepareNearest()
	r := newReader(c, nil, &compiled{optionWords: englishOptionWords()}, english, false)
	r.open(path)
	best := map[Target]Suggestion{}
	offer := func(s Suggestion) {
		if known, ok := best[s.Target]; !ok || s.Fit > known.Fit || s.Fit == known.Fit && s.Key < known.Key {
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
			cost := slipCost(form, read.form, slip*limit)
			if cost > slip*limit {
				continue
			}
			fit := read.weight * (1 - float64(cost)/float64(slip*len(form)))
			offer(Suggestion{Target: c.keys[k].target(), Key: c.keys[k].text, Read: read.text, Fit: fit})
		}
	}
	byTitle := r.nearTitles()
	for target, s := range best {
		if title, both := byTitle[target.Product]; both {
			s.Fit = 1 - (1-s.Fit)*(1-title.Fit)
			best[target] = s
		}
	}
	for target := range best {
		delete(byTitle, target.Product)
	}
	list := make([]Suggestion, 0, len(best)+len(byTitle))
	for _, of := range []iter.Seq[Suggestion]{maps.Values(best), maps.Values(byTitle)} {
		list = slices.AppendSeq(list, of)
	}
	list = firstOfEach(list)
	list = list[:min(n, len(list))]
	for i := range list {
		list[i].Edits = Align(list[i].Read, list[i].Key)
		list[i].Distance = 0
		for _, e := range list[i].Edits {
			if !e.Same() {
				list[i].Distance++
			}
		}
	}
	return list
}

// What the first suggestion has to have that it is clearly ahead: so much of it stands in the name, and so much more than of
// any other, of its product or of another.
const (
	aheadFit  = 0.7
	aheadLead = 0.12
)

// Ahead tells whether the first of the suggestions that Nearest returned is clearly ahead of all others.
func Ahead(list []Suggestion) bool {
	if len(list) == 0 || list[0].Fit < aheadFit {
		return false
	}
	return !slices.ContainsFunc(list[1:], func(s Suggestion) bool { return s.Fit > list[0].Fit-aheadLead })
}

// firstOfEach sorts suggestions: the nearest of each product, then the others.
func firstOfEach(list []Suggestion) []Suggestion {
	slices.SortFunc(list, func(a, b Suggestion) int {
		return cmp.Or(
			-cmp.Compare(a.Fit, b.Fit),
			cmp.Compare(len(b.Key), len(a.Key)),
			cmp.Compare(a.Key, b.Key),
			cmp.Compare(a.Target.Product, b.Target.Product),
			cmp.Compare(a.Target.Item, b.Target.Item),
		)
	})
	seen := map[int]bool{}
	var first, again []Suggestion
	for _, s := range list {
		if seen[s.Target.Product] {
			again = append(again, s)
			continue
		}
		seen[s.Target.Product] = true
		first = append(first, s)
	}
	return append(first, again...)
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
			cost := slipCost(key, digits, 2*slip)
			near = append(near, Suggestion{Target: c.TargetOf(int(item)), Key: key, Read: read.text,
				Fit: read.weight * (1 - float64(cost)/float64(slip*len(key)))})
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

// token is what could be a key in a name, and how much it counts: less in a folder
// than in the base name.
type token struct {
	form, text string
	weight     float64
}

// inFolder is what a folder's name counts, that of the base name being 1.
const inFolder = 0.95

// tokens returns what could be a key: every run of up to four tokens between
// separators in the base name and in the two folders nearest to it, but not what is
// nothing but noise.
func (r *reader) tokens() (found []token) {
	weight := 1.0
	for lo, hi, folders := r.base, r.end, 0; hi > 0 && folders <= 2; folders++ {
		found = append(found, r.tokensIn(lo, hi, weight)...)
		weight *= inFolder
		if hi = lo; hi == 0 {
			break
		}
		for lo = hi - 1; lo > 0 && r.f.atoms[lo-1].segment == r.f.atoms[hi-1].segment; {
			lo--
		}
	}
	return found
}

func (r *reader) tokensIn(lo, hi int, weight float64) (found []token) {
	for i := lo; i < min(hi, lo+24); i++ {
		if r.f.atoms[i].glued && i > lo {
			continue
		}
		for j, count := i, 0; j < hi && count < 4; count++ {
			_, to := r.token(j, lo, hi)
			form, noise := "", true
			for n := i; n < to; n++ {
				form += string(r.text(n))
				noise = noise && r.regions[n] != 0
			}
			if len(form) >= 3 && len(form) <= maxKey && !noise {
				found = append(found, token{form, r.written(i, to), weight})
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

// What a slip costs: a character changed, missing or too many; two that changed
// places; a letter that looks like a figure instead of it.
const (
	slip      = 4
	slipSwap  = 3
	slipAlike = 1
)

// figureOf returns the figure that a letter is taken for, or the character.
func figureOf(c byte) byte {
	switch c {
	case 'o':
		return '0'
	case 'l', 'i':
		return '1'
	case 'z':
		return '2'
	case 's':
		return '5'
	case 'g':
		return '6'
	case 'b':
		return '8'
	}
	return c
}

// slipCost returns what the slips cost that make one text of the other: the edit
// distance with neighbours that changed places (optimal string alignment), or more
// than limit where it is more.
func slipCost(a, b string, limit int) int {
	if d := slip * (len(a) - len(b)); d > limit || -d > limit {
		return limit + 1
	}
	var buffer [3][maxKey + 1]int
	before, row, next := buffer[0][:], buffer[1][:], buffer[2][:]
	if len(b) > maxKey {
		return limit + 1
	}
	for j := range len(b) + 1 {
		row[j] = slip * j
	}
	leastBefore := 0
	for i := 1; i <= len(a); i++ {
		next[0] = slip * i
		least := next[0]
		for j := 1; j <= len(b); j++ {
			cost := row[j-1]
			switch x, y := a[i-1], b[j-1]; {
			case x == y:
			case figureOf(x) == figureOf(y):
				cost += slipAlike
			default:
				cost += slip
			}
			cost = min(cost, row[j]+slip, next[j-1]+slip)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cost = min(cost, before[j-2]+slipSwap)
			}
			next[j] = cost
			least = min(least, cost)
		}
		if min(least, leastBefore) > limit {
			return limit + 1 // two that changed places lead from the row before the last
		}
		leastBefore = least
		before, row, next = row, next, before
	}
	return row[len(b)]
}
