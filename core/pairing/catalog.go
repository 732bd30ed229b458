package pairing

import (
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"ambrosa/core/gtin"
)

// Item is a variant, or a product that has none: what a file can be paired
// with. Only SKU is required.
type Item struct {
	SKU        string
	Product    string // the product's code; empty means the SKU
	Title      string
	GTIN       string   // 8, 12, 13 or 14 digits; one with a wrong check digit is no key
	Codes      []string // supplier's, manufacturer's, old SKUs
	Attributes []string // values, in the catalog's order of attributes; those that differ within a product are its options
}

// Target is what a file is paired with: an item, or a product as a whole.
type Target struct {
	Product int // index among the catalog's products; -1 when there is none
	Item    int // index among the catalog's items; -1 for the product as a whole
}

// NoTarget is nothing at all.
var NoTarget = Target{-1, -1}

type product struct {
	code  string
	items []int32
}

type keyKind uint8

const (
	skuKey keyKind = iota
	codeKey
	productKey
)

type key struct {
	text       string
	hash       uint64
	product    int32
	item       int32 // -1 for the product as a whole
	next       int32 // another key of the same hash, or -1
	alnum      int32 // letters and digits in it
	kind       keyKind
	digitsOnly bool
	plain      bool // ASCII, with a letter or digit at both ends
}

// Catalog is an index of keys. It is built once and then only read.
type Catalog struct {
	items    []Item
	products []product
	several  []uint64           // bits of the products that have more than one item
	gtins    map[uint64][]int32 // normal forms to items
	keyIndex                    // SKUs, codes and products' codes

	keyless    []int32 // items whose SKU makes no key
	productOf  []int32
	attributes []string // names of the items' attributes, in their order
	options    []atomic.Pointer[options]
	nearest    nearestIndex
	warm       sync.Once // begins to build the three below
	parts      partIndex
	titles     titleIndex
	byValue    sync.Map // indexes of attributes' values, by what was asked for
}

// keyIndex finds keys by the hash of their letters and digits.
type keyIndex struct {
	keys     []key
	heads    *table
	groups   *table // keys with a digit group right after another, groups kept apart
	grouped  bool   // groups holds something
	maxAtoms int
	slashes  bool   // some key holds a slash
	shapes   shapes // which keys have, separators and leading zeros left out
}

// NewCatalog indexes items. Items that share a product code belong to one
// product. attributes names their attributes, in the order of their values.
func NewCatalog(items []Item, attributes ...string) *Catalog {
	c := &Catalog{
		items:      items,
		productOf:  make([]int32, len(items)),
		gtins:      map[uint64][]int32{},
		attributes: attributes,
	}
	parts := make([]keyList, min(runtime.GOMAXPROCS(0), len(items)/4096+1))
	var wait sync.WaitGroup
	wait.Go(c.gatherProducts)
	for w := range parts {
		lo, hi := len(items)*w/len(parts), len(items)*(w+1)/len(parts)
		wait.Go(func() { parts[w].addItems(items[lo:hi], lo) })
	}
	wait.Wait()
	c.options = make([]atomic.Pointer[options], len(c.products))
	c.several = make([]uint64, len(c.products)/64+1)
	var ofProducts keyList
	for p := range c.products {
		item := int32(-1)
		if held := c.products[p].items; len(held) > 1 {
			c.several[p/64] |= 1 << (p % 64)
		} else if item = held[0]; items[item].SKU == c.products[p].code {
			continue
		}
		ofProducts.add(c.products[p].code, productKey, int32(p), item)
	}
	total := len(ofProducts.keys)
	for _, part := range parts {
		total += len(part.keys)
	}
	c.grow(total)
	for _, part := range parts {
		c.take(part)
	}
	c.take(ofProducts)
	return c
}

func (c *Catalog) gatherProducts() {
	if !slices.ContainsFunc(c.items, func(i Item) bool { return i.Product != "" }) {
		c.products = make([]product, len(c.items))
		for i := range c.items {
			c.productOf[i] = int32(i)
			c.products[i] = product{c.items[i].SKU, c.productOf[i : i+1 : i+1]}
		}
		return
	}
	byCode := make(map[string]int32, len(c.items))
	for i := range c.items {
		code := c.items[i].Product
		if code == "" {
			code = c.items[i].SKU
		}
		p, known := byCode[code]
		if !known {
			p = int32(len(c.products))
			byCode[code] = p
			c.products = append(c.products, product{code: code})
		}
		c.productOf[i] = p
		c.products[p].items = append(c.products[p].items, int32(i))
	}
}

// Twice returns two items of the same SKU, the second of them as early as
// there is one; ok is false when all SKUs differ.
func (c *Catalog) Twice() (first, second int, ok bool) {
	// SKUs that are alike have keys of the same hash, so that few are compared.
	suspects := slices.Clone(c.keyless)
	for i := range c.keys {
		if next := c.keys[i].next; next >= 0 {
			suspects = append(suspects, c.keys[i].item, c.keys[next].item)
		}
	}
	slices.Sort(suspects)
	seen := map[string]int32{}
	for _, item := range slices.Compact(suspects) {
		if item < 0 {
			continue
		}
		if before, twice := seen[c.items[item].SKU]; twice {
			return int(before), int(item), true
		}
		seen[c.items[item].SKU] = item
	}
	return 0, 0, false
}

// Items returns the number of items.
func (c *Catalog) Items() int { return len(c.items) }

// Item returns the item at an index.
func (c *Catalog) Item(i int) Item { return c.items[i] }

// SKU returns the SKU of the item at an index.
func (c *Catalog) SKU(i int) string { return c.items[i].SKU }

// ProductCode returns the code of the product at an index.
func (c *Catalog) ProductCode(p int) string { return c.products[p].code }

// TargetOf returns the target of the item at an index.
func (c *Catalog) TargetOf(item int) Target { return Target{int(c.productOf[item]), item} }

func (k *key) target() Target { return Target{int(k.product), int(k.item)} }

// hasSeveral tells whether a product has more than one item.
func (c *Catalog) hasSeveral(p int) bool { return c.several[p/64]&(1<<(p%64)) != 0 }

// maxKey bounds the bytes of a key: longer codes are not keys, so that no
// catalog can make names slow to read.
const maxKey = 128

// keyList is keys on their way into the index; lists are made side by side.
type keyList struct {
	keys     []key
	groups   []uint64 // of each key, the hash with digit groups kept apart; 0 where that is the same
	shapes   shapes
	gtins    []gtinKey
	maxAtoms int
	slashes  bool
	keyless  []int32
	scratch  folded
}

type gtinKey struct {
	number uint64
	item   int32
}

func (l *keyList) addItems(items []Item, first int) {
	l.keys = make([]key, 0, len(items))
	for i := range items {
		item := int32(first + i)
		if !l.add(items[i].SKU, skuKey, -1, item) {
			l.keyless = append(l.keyless, item)
		}
		for _, code := range items[i].Codes {
			l.add(code, codeKey, -1, item)
		}
		if items[i].GTIN == "" {
			continue
		}
		if normal, err := gtin.Normalise(items[i].GTIN); err == nil {
			number, _ := gtin.Number(normal)
			l.gtins = append(l.gtins, gtinKey{number, item})
		}
	}
}

// add makes a key of a text, when it can be one; product is -1 for that of the
// item.
func (l *keyList) add(text string, kind keyKind, product, item int32) bool {
	f := &l.scratch
	if text == "" || len(text) > maxKey {
		return false
	}
	f.fold(text)
	if len(f.atoms) == 0 {
		return false
	}
	k := key{text: text, product: product, item: item, next: -1, kind: kind, digitsOnly: true,
		plain: len(f.offsets) == 0 && f.atoms[0].start == 0 && int(f.atoms[len(f.atoms)-1].end) == len(f.text)}
	run, h, previous, neighbours, shape := newJoined(), seed, separator, false, uint32(0)
	for _, a := range f.atoms {
		neighbours = neighbours || (a.class == digit && previous == digit)
		h, shape = run.add(f.bytes(a), a.class)
		k.alnum += int32(a.len())
		k.digitsOnly = k.digitsOnly && a.class == digit
		previous = a.class
	}
	k.hash = finish(h)
	l.slashes = l.slashes || strings.IndexByte(text, '/') >= 0
	l.maxAtoms = max(l.maxAtoms, 2*len(f.atoms)+2)
	l.shapes.add(shape)
	group := uint64(0)
	if neighbours {
		h, previous = seed, separator
		for _, a := range f.atoms {
			h = extendGroup(h, f.bytes(a), a.class, previous)
			previous = a.class
		}
		group = finish(h)
	}
	l.keys = append(l.keys, k)
	l.groups = append(l.groups, group)
	return true
}

// take puts a list's keys and barcodes into the catalog's indexes.
func (c *Catalog) take(l keyList) {
	for i := range l.keys {
		if k := &l.keys[i]; k.product < 0 {
			k.product = c.productOf[k.item]
		}
	}
	c.keyIndex.take(l)
	c.keyless = append(c.keyless, l.keyless...)
	for _, g := range l.gtins {
		c.gtins[g.number] = append(c.gtins[g.number], g.item)
	}
}

// grow makes room for so many keys.
func (x *keyIndex) grow(total int) {
	x.keys = make([]key, 0, total)
	x.heads = newTable(total)
	x.groups = newTable(total / 8)
}

// take puts a list's keys into the index.
func (x *keyIndex) take(l keyList) {
	for i, k := range l.keys {
		k.next = x.heads.put(k.hash, int32(len(x.keys)))
		x.keys = append(x.keys, k)
		if group := l.groups[i]; group != 0 {
			x.grouped = true
			k.hash = group
			k.next = x.groups.put(group, int32(len(x.keys)))
			x.keys = append(x.keys, k)
		}
	}
	for i := range x.shapes {
		x.shapes[i] |= l.shapes[i]
	}
	x.maxAtoms = max(x.maxAtoms, l.maxAtoms)
	x.slashes = x.slashes || l.slashes
}

const seed uint64 = 14695981039346656037

// extend carries a hash (FNV-1a) on over an atom's bytes; strip leaves out the
// leading zeros of a digit group.
func extend(h uint64, text []byte, strip bool) uint64 {
	if strip {
		text = withoutZeros(text)
	}
	for _, b := range text {
		h = (h ^ uint64(b)) * 1099511628211
	}
	return h
}

// joined is the hash of atoms with what stands between them left out, and with
// the leading zeros of each run of digits: of a run of nothing but zeros one is
// kept. Their shape is how long the runs of letters and of digits are, one after the
// other: keys have few shapes, and most of what stands in names has none of theirs.
type joined struct {
	hash     uint64
	length   int // letters and digits in it
	from     int // of them, before the run that goes on
	closed   uint32
	previous class
	zeros    bool // a run of digits has begun, with nothing but zeros so far
}

func newJoined() joined { return joined{hash: seed} }

var oneZero = []byte("0")

// add carries on over an atom, and returns the hash and the shape with it.
func (s *joined) add(text []byte, kind class) (hash uint64, shape uint32) {
	if kind == digit && (s.previous != digit || s.zeros) {
		if s.previous != digit {
			s.close(kind)
		}
		text = withoutZeros(text)
		if s.zeros = text[0] == '0'; s.zeros {
			return extend(s.hash, text, false), s.shape(s.length + 1)
		}
	} else if kind != s.previous {
		if s.zeros {
			s.hash, s.length, s.zeros = extend(s.hash, oneZero, false), s.length+1, false
		}
		s.close(kind)
	}
	s.hash, s.length = extend(s.hash, text, false), s.length+len(text)
	return s.hash, s.shape(s.length)
}

// close ends a run, and begins one of another kind.
func (s *joined) close(kind class) {
	if s.previous != separator {
		s.closed = s.shape(s.length)
	}
	s.previous, s.from = kind, s.length
}

func (s *joined) shape(length int) uint32 {
	return (s.closed*2654435761 ^ uint32(s.previous)<<8 ^ uint32(length-s.from)) * 2246822519
}

func withoutZeros(digits []byte) []byte {
	for len(digits) > 1 && digits[0] == '0' {
		digits = digits[1:]
	}
	return digits
}

// shapes is a set of shapes, small enough to stay near: it may hold one that it
// was not given.
type shapes [1 << 10]uint64

func (l *shapes) add(shape uint32)      { l[shape>>22] |= 1 << (shape >> 16 % 64) }
func (l *shapes) has(shape uint32) bool { return l[shape>>22]&(1<<(shape>>16%64)) != 0 }

// extendGroup is extend with every digit group stripped and kept apart.
func extendGroup(h uint64, text []byte, kind, previous class) uint64 {
	if kind == digit && previous == digit {
		h = (h ^ '-') * 1099511628211
	}
	return extend(h, text, kind == digit)
}

func finish(h uint64) uint64 {
	h ^= h >> 32
	h *= 0x9E3779B97F4A7C15
	return h ^ h>>29
}

// table is a hash table with open addressing from hashes to the newest key of
// that hash. A small filter in front answers most of the misses.
type table struct {
	slots  []slot
	mask   uint64
	filter []uint64
	used   int
}

type slot struct {
	hash uint64
	key  int32 // -1 when free
}

func newTable(size int) *table {
	n := 1024
	for n < 2*size {
		n *= 2
	}
	t := &table{}
	t.reset(n)
	return t
}

func (t *table) reset(n int) {
	t.slots = make([]slot, n)
	for i := range t.slots {
		t.slots[i].key = -1
	}
	t.mask = uint64(n - 1)
	t.filter = make([]uint64, n/16)
	t.used = 0
}

// put makes key the head of its hash and returns the head before it, or -1.
func (t *table) put(hash uint64, key int32) (before int32) {
	if 4*t.used > 3*len(t.slots) {
		old := t.slots
		t.reset(2 * len(old))
		for _, s := range old {
			if s.key >= 0 {
				t.put(s.hash, s.key)
			}
		}
	}
	bit := hash >> 20 % uint64(64*len(t.filter))
	t.filter[bit/64] |= 1 << (bit % 64)
	for i := hash & t.mask; ; i = (i + 1) & t.mask {
		if s := &t.slots[i]; s.key < 0 {
			*s = slot{hash, key}
			t.used++
			return -1
		} else if s.hash == hash {
			before, s.key = s.key, key
			return before
		}
	}
}

// may tells whether the table may hold a hash.
func (t *table) may(hash uint64) bool {
	bit := hash >> 20 % uint64(64*len(t.filter))
	return t.filter[bit/64]&(1<<(bit%64)) != 0
}

// get returns the newest key of a hash, or -1.
func (t *table) get(hash uint64) int32 {
	if !t.may(hash) {
		return -1
	}
	for i := hash & t.mask; ; i = (i + 1) & t.mask {
		if s := t.slots[i]; s.key < 0 || s.hash == hash {
			return s.key
		}
	}
}
