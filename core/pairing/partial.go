package pairing

import (
	"bytes"
	"runtime"
	"slices"
	"strings"
	"sync"
)

// partIndex finds the keys that a part of them stands in: by their long numbers,
// and by each number together with a neighbour. It is built when it is first
// needed.
type partIndex struct {
	once   sync.Once
	shards []partShard // of the keys in their order; they are made side by side
}

// partShard finds some of the keys.
type partShard struct {
	heads *table
	next  []int32 // an older piece of the same hash, or -1
	keys  []int32 // that the piece stands in
}

// longNumber is how many digits a number has that is looked up by itself.
const longNumber = 4

// manyKeys is how many keys may hold a piece before it says nothing.
const manyKeys = 256

// warmUp begins to build, side by side, what the clues need that are asked when
// no key is found: the first file that asks one will be followed by others.
func (r *reader) warmUp() {
	c, list := r.catalog, r.list
	for _, clue := range list.order {
		switch clue {
		case Title:
			go c.titles.once.Do(c.buildTitles)
		case Attribute:
			go c.valueIndex(list.attributes)
		}
	}
}

// prepare builds what the clues need that are asked when no key is found.
func (c *Catalog) prepare() {
	c.parts.once.Do(c.buildParts)
	c.titles.once.Do(c.buildTitles)
	c.valueIndex(nil)
}

func (c *Catalog) buildParts() {
	c.parts.shards = make([]partShard, min(runtime.GOMAXPROCS(0), len(c.keys)/4096+1))
	var wait sync.WaitGroup
	for w := range c.parts.shards {
		lo, hi := len(c.keys)*w/len(c.parts.shards), len(c.keys)*(w+1)/len(c.parts.shards)
		wait.Go(func() { c.parts.shards[w].build(c, lo, hi) })
	}
	wait.Wait()
}

// build adds the keys [lo, hi) of a catalog.
func (x *partShard) build(c *Catalog, lo, hi int) {
	x.heads = newTable(3 * (hi - lo))
	x.next, x.keys = make([]int32, 0, 4*(hi-lo)), make([]int32, 0, 4*(hi-lo))
	var f folded
	for k := lo; k < hi; k++ {
		f.fold(c.keys[k].text)
		for i, a := range f.atoms {
			if a.class != digit {
				continue
			}
			if a.len() >= longNumber {
				x.add(f.piece(i, i), int32(k))
			}
			if i > 0 {
				x.add(f.piece(i-1, i), int32(k))
			}
			if i+1 < len(f.atoms) {
				x.add(f.piece(i, i+1), int32(k))
			}
		}
	}
}

func (x *partShard) add(hash uint64, key int32) {
	x.next = append(x.next, x.heads.put(hash, int32(len(x.keys))))
	x.keys = append(x.keys, key)
}

// eachHolding gives the keys that a piece stands in, the newest first, until one is
// enough.
func (x *partIndex) eachHolding(piece uint64, enough func(key int32) bool) {
	for w := len(x.shards) - 1; w >= 0; w-- {
		shard := &x.shards[w]
		for entry := shard.heads.get(piece); entry >= 0; entry = shard.next[entry] {
			if enough(shard.keys[entry]) {
				return
			}
		}
	}
}

func (f *folded) piece(i, j int) uint64 {
	h := seed
	for n := i; n <= j; n++ {
		h = extend(h, f.bytes(f.atoms[n]), false)
	}
	return finish(h)
}

// nameInKey claims a file whose base name, places, views and noise aside, is a
// part of the keys of one product only, from the start of one of their atoms to
// the end of another.
func (r *reader) nameInKey(claims []claim) []claim {
	lo := r.base
	for left := 0; left < 3 && lo < r.end; left++ {
		hi := r.end
		for right := 0; right < 4 && hi > lo; right++ {
			if m, found := r.partOfOne(lo, hi); found && !r.goesOnOtherwise(m, lo, hi) {
				return append(claims, claim{match: m, clue: NameInKey})
			}
			from, _ := r.token(hi-1, lo, hi)
			if !r.besideKeys(from, hi) {
				break
			}
			hi = from
		}
		_, to := r.token(lo, lo, r.end)
		if !r.besideKeys(lo, to) {
			break
		}
		lo = to
	}
	return claims
}

// goesOnOtherwise tells whether a number stands beside the atoms [lo, hi) in the
// name where the key that they are a part of, or that of one of its variants, has
// another, or letters that the key's end with: what is missing is what tells the key
// from its neighbours then.
func (r *reader) goesOnOtherwise(m match, lo, hi int) bool {
	at, ok := r.standsIn(&key{text: m.key}, lo, hi)
	for _, item := range r.catalog.products[m.target.Product].items {
		if ok {
			break
		}
		at, ok = r.standsIn(&key{text: r.catalog.items[item].SKU}, lo, hi)
	}
	if !ok {
		return false
	}
	behind, before := at+hi-lo, at-1
	if hi < r.end && r.isDigit(hi) && behind < len(r.key.atoms) && r.key.atoms[behind].class == digit {
		return true
	}
	if lo == r.base || before < 0 || r.key.atoms[before].class != r.f.atoms[lo-1].class {
		return false
	}
	return r.isDigit(lo-1) || bytes.HasSuffix(r.text(lo-1), r.key.bytes(r.key.atoms[before]))
}

// besideKeys tells whether the atoms of a token may be a place, a view or noise.
func (r *reader) besideKeys(from, to int) bool {
	if r.regions[from] != 0 {
		return true
	}
	if to-from > 1 {
		return r.isDigit(to-1) && to-from == 2 && r.words.of(r.text(from)).role != unread
	}
	return r.isDigit(from) && r.f.atoms[from].len() <= 3 || r.words.of(r.text(from)).role != unread || r.isPrefix(from)
}

func (r *reader) isPrefix(i int) bool { return r.lot != nil && r.lot.prefix[string(r.text(i))] }

// partOfOne tells whether the atoms [lo, hi) are a part of the keys of just one
// product, and of which item when they single it out.
func (r *reader) partOfOne(lo, hi int) (m match, found bool) {
	alnum, digits, letters := 0, 0, 0
	for i := lo; i < hi; i++ {
		if r.regions[i] != 0 && r.whats[i] != "hash" {
			return m, false
		}
		alnum += r.f.atoms[i].len()
		if r.isDigit(i) {
			digits += r.f.atoms[i].len()
		} else {
			letters += r.f.atoms[i].len()
		}
	}
	if alnum < 4 || digits < 2 || letters == 0 && (hi-lo > 1 && alnum < 6 || alnum == 4 && isYear(r.number(lo))) {
		return m, false
	}
	r.catalog.warm.Do(r.warmUp)
	r.catalog.parts.once.Do(r.catalog.buildParts)
	first, last := r.rarest(lo, hi)
	if first < 0 {
		return m, false
	}
	seen, several := 0, false
	r.catalog.parts.eachHolding(r.f.piece(first, last), func(at int32) bool {
		if seen++; seen > manyKeys {
			several = true
			return true
		}
		k := &r.catalog.keys[at]
		from, ok := r.standsIn(k, lo, hi)
		switch {
		case !ok:
		case !found:
			m, found = match{
				from:   int32(lo),
				to:     int32(hi - 1),
				target: k.target(),
				key:    k.text,
				rung:   r.partRung(k, from, lo, hi),
				alnum:  int32(alnum),
				digits: letters == 0,
			}, true
		case k.product != int32(m.target.Product):
			several = true
		case int(k.item) != m.target.Item:
			m.target.Item = -1
		}
		return several
	})
	if several {
		return m, false
	}
	if found && m.target.Item < 0 {
		m.key = r.catalog.ProductCode(m.target.Product)
	}
	return m, found
}

// rarest returns the piece of the atoms [lo, hi) that the fewest keys are likely
// to hold; -1 when they hold none that is looked up.
func (r *reader) rarest(lo, hi int) (int, int) {
	if hi-lo == 1 {
		if !r.isDigit(lo) || r.f.atoms[lo].len() < longNumber {
			return -1, -1
		}
		return lo, lo
	}
	first, last, longest := -1, -1, int32(0)
	for i := lo; i+1 < hi; i++ {
		if length := r.f.atoms[i+1].end - r.f.atoms[i].start; (r.isDigit(i) || r.isDigit(i+1)) && length > longest {
			first, last, longest = i, i+1, length
		}
	}
	return first, last
}

func isYear(n int) bool { return n >= 1990 && n <= 2049 }

// standsIn tells whether the atoms [lo, hi) stand one after the other in a key,
// and from which of its atoms on. The key is left in r.key.
func (r *reader) standsIn(k *key, lo, hi int) (at int, ok bool) {
	r.key.fold(k.text)
	n := hi - lo
	for at := 0; at+n <= len(r.key.atoms); at++ {
		same := true
		for i := 0; i < n && same; i++ {
			same = string(r.key.bytes(r.key.atoms[at+i])) == string(r.text(lo+i)) &&
				(i == 0 || !r.f.atoms[lo+i].glued || r.key.atoms[at+i].glued)
		}
		if same {
			return at, true
		}
	}
	return 0, false
}

func (r *reader) partRung(k *key, at, lo, hi int) Rung {
	from, to := r.key.atoms[at].start, r.key.atoms[at+hi-lo-1].end
	name := r.f.source[r.f.origin(r.f.atoms[lo].start):r.f.origin(r.f.atoms[hi-1].end)]
	written := string(r.key.text[from:to])
	if len(r.key.offsets) == 0 {
		written = k.text[from:to]
	}
	return compare(name, written, r.f.text[r.f.atoms[lo].start:r.f.atoms[hi-1].end], r.key.text[from:to])
}

// valueIndex returns the index of attributes' values that tell one product, of
// the attributes with these names; of all whose values look like codes when
// there are none. It is built when it is first asked for.
func (c *Catalog) valueIndex(names []string) *keyIndex {
	key := strings.Join(names, "\x00")
	made, _ := c.byValue.LoadOrStore(key, sync.OnceValue(func() *keyIndex { return c.buildValues(names) }))
	index, _ := made.(func() *keyIndex)
	return index()
}

func (c *Catalog) buildValues(names []string) *keyIndex {
	values := 0
	for i := range c.items {
		values += len(c.items[i].Attributes)
	}
	x := &keyIndex{}
	x.grow(min(values, len(c.items)))
	seen := newTable(min(values, len(c.items)))
	var list keyList
	var f folded
	for i := range c.items {
		product := c.productOf[i]
		for a, value := range c.items[i].Attributes {
			if len(value) > maxKey || !c.mayBeCode(names, a, value, &f) || !list.add(value, codeKey, product, int32(i)) {
				continue
			}
			last := len(list.keys) - 1
			before := seen.get(list.keys[last].hash)
			if before < 0 {
				seen.put(list.keys[last].hash, int32(last))
				continue
			}
			list.keys, list.groups = list.keys[:last], list.groups[:last]
			switch held := &list.keys[before]; {
			case held.product != product:
				held.product = noProduct
			case held.item != int32(i):
				held.item = -1
			}
		}
	}
	x.take(list)
	return x
}

// noProduct marks a value that several products have.
const noProduct = -2

// mayBeCode tells whether an attribute's value can tell a product; it leaves the
// value folded.
func (c *Catalog) mayBeCode(names []string, attribute int, value string, f *folded) bool {
	if len(names) > 0 && (attribute >= len(c.attributes) || !slices.Contains(names, c.attributes[attribute])) {
		return false
	}
	if len(value) < 3 || len(names) == 0 && !strings.ContainsAny(value, "0123456789") {
		return false
	}
	f.fold(value)
	alnum, digits, letters := 0, 0, 0
	for i, a := range f.atoms {
		alnum += a.len()
		if a.class == digit {
			digits += a.len()
			continue
		}
		letters += a.len()
		if len(names) == 0 && i > 0 && (units.of(f.bytes(a)) || string(f.bytes(a)) == "x") {
			return false // a measure
		}
	}
	if len(names) > 0 {
		return alnum >= 3
	}
	return letters > 0 && digits >= 2 && alnum >= 4 || digits >= 6 && letters == 0
}

// attribute claims a file in whose base name an attribute's value stands that
// only one product has.
func (r *reader) attribute(claims []claim) []claim {
	x := r.catalog.valueIndex(r.list.attributes)
	if len(x.keys) == 0 {
		return claims
	}
	for _, m := range r.matchIn(x, r.base, r.end, false) {
		if r.list.wholeValues && (int(m.from) != r.base || int(m.to) != r.end-1) {
			continue
		}
		claims = append(claims, claim{match: m, clue: Attribute})
	}
	return claims
}
