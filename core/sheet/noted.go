package sheet

import (
	"cmp"
	"fmt"
	"hash/maphash"
	"strings"

	"ambrosa/core/gtin"
)

// noted is what all rows of a sheet say together: which of them are about the same
// variant, and whether they agree. What is kept of a row is some numbers.
type noted struct {
	seed  maphash.Seed
	rows  map[uint64]*group // by identity
	gtins map[string]claim  // normal form to who has it
	paths map[uint64]claim  // product to its category
	ids   map[uint64]claim  // product's ID to the product
	files map[uint64]claim  // picture's name to the row that names it
}

// group are rows of one identity.
type group struct {
	first, second int // rows; second is 0 where there is one
	count         int
	values        map[Field]uint64
	disagree      Field
}

// claim is the first who says something, and the first row that says it of
// another.
type claim struct {
	of       uint64
	row      int
	otherRow int
}

func newNoted() *noted {
	return &noted{seed: maphash.MakeSeed(), rows: map[uint64]*group{}, gtins: map[string]claim{}, paths: map[uint64]claim{},
		ids: map[uint64]claim{}, files: map[uint64]claim{}}
}

func (n *noted) hash(text string) uint64 { return maphash.String(n.seed, text) }

// Note takes a row into account, as a person edited it. Rows are noted in order,
// one after the other, before any is judged.
func (j *Judge) Note(row int, cells []string, edits []CellEdit) {
	for _, e := range edits {
		if e.Left {
			return
		}
	}
	r := j.begin(row, cells, edits)
	r.read()
	id := r.identityHash()
	if id == 0 {
		return
	}
	r.noteGroup(id)
	if normal, err := gtin.Normalise(r.code(GTIN)); err == nil {
		noteClaim(j.noted.gtins, normal, id, row)
	}
	if ref, path := r.code(CategoryID), CleanPath(r.text(Category)); ref != "" && path != "" && r.ofCategories() {
		noteClaim(j.noted.paths, j.noted.hash(Key(path)), j.noted.hash(Key(ref)), row)
	}
	if product, path := r.code(Product), CleanPath(r.text(Category)); product != "" && path != "" {
		noteClaim(j.noted.paths, j.noted.hash(Key(product)), j.noted.hash(Key(path)), row)
	}
	if productID := r.code(ProductID); productID != "" {
		noteClaim(j.noted.ids, j.noted.hash(Key(productID)), r.ownerHash(), row)
	}
	for _, value := range r.values[Picture] {
		noteClaim(j.noted.files, j.noted.hash(Key(value.text)), r.bearer(id), row)
	}
}

func noteClaim[K comparable](claims map[K]claim, key K, of uint64, row int) {
	before, known := claims[key]
	switch {
	case !known:
		claims[key] = claim{of: of, row: row}
	case before.of != of && before.otherRow == 0:
		before.otherRow = row
		claims[key] = before
	}
}

// bearer is what pictures are named for, as a number: the product that the row names, which
// its variants share pictures of; else what the row is about.
func (r *rowJudge) bearer(id uint64) uint64 {
	if product := r.code(Product); product != "" {
		return r.noted.hash("bearer\n" + Key(product))
	}
	return id
}

// ownerHash is the product that the row names, or else its own SKU's, as a number.
func (r *rowJudge) ownerHash() uint64 { return r.noted.hash(Key(cmp.Or(r.code(Product), r.code(SKU)))) }

// identityHash is what the row is about, as a number; 0 for nothing.
func (r *rowJudge) identityHash() uint64 {
	for _, f := range r.identity {
		value, there := r.first(f)
		if !there {
			continue
		}
		text := value.text
		if f.isCode() {
			text = cleanCode(text)
		}
		key := Key(text)
		if f == GTIN {
			if normal, err := gtin.Normalise(text); err == nil {
				key = normal
			}
		}
		return r.noted.hash(string(f) + "\n" + key)
	}
	return 0
}

// noteGroup compares the row with those before it that are about the same.
func (r *rowJudge) noteGroup(id uint64) {
	g := r.noted.rows[id]
	if g == nil {
		g = &group{first: r.row}
		r.noted.rows[id] = g
	} else if g.second == 0 {
		g.second = r.row
	}
	g.count++
	for f, values := range r.values {
		if f.OfPictures() || f == r.identity[0] {
			continue
		}
		texts := make([]string, 0, len(values))
		for _, value := range values {
			texts = append(texts, value.text)
		}
		sum := r.noted.hash(strings.Join(texts, "\n"))
		if g.values == nil {
			g.values = map[Field]uint64{}
		}
		if before, known := g.values[f]; known && before != sum && g.disagree == "" {
			g.disagree = f
		} else if !known {
			g.values[f] = sum
		}
	}
}

// judgeTwice judges what another row of the sheet says as well.
func (r *rowJudge) judgeTwice() {
	id := r.identityHash()
	if id == 0 {
		return
	}
	r.judgeGroup(r.noted.rows[id])
	if normal := r.out.Wanted.GTIN; normal != "" {
		if c := r.noted.gtins[normal]; c.otherRow != 0 {
			value, _ := r.first(GTIN)
			r.say(value.column, TakenGTIN, true, fmt.Sprintf("This GTIN stands for another SKU in row %d.", c.beside(id, r.row)), emptyIt)
		}
	}
	if product, value := r.code(Product), r.out.Wanted.Category; product != "" && value != "" {
		cell, there := r.first(Category)
		c := r.noted.paths[r.noted.hash(Key(product))]
		if there && c.otherRow != 0 && c.of != r.noted.hash(Key(CleanPath(cell.text))) {
			r.say(cell.column, Twice, true, fmt.Sprintf("The product %q stands in another category in row %d.", Clip(product), c.row), emptyIt)
		}
	}
	for _, named := range r.out.Wanted.Pictures {
		if c := r.noted.files[r.noted.hash(Key(named.Name))]; c.otherRow != 0 {
			what := "product"
			if !r.has(Product) {
				what = "SKU"
			}
			r.say(named.Column, SharedFile, false, fmt.Sprintf("Row %d names this picture for another %s.", c.beside(r.bearer(id), r.row), what))
		}
	}
}

// beside returns the row that makes the claim for another.
func (c claim) beside(of uint64, row int) int {
	if c.of == of && c.row != c.otherRow {
		return c.otherRow
	}
	return c.row
}

func (r *rowJudge) judgeGroup(g *group) {
	if g == nil || g.count < 2 {
		return
	}
	by := cmp.Or(r.by, r.identity[0])
	value, _ := r.first(by)
	other := g.first
	if other == r.row {
		other = g.second
	}
	switch {
	case g.disagree != "":
		r.say(value.column, Twice, true, fmt.Sprintf("The %s stands in row %d as well, with another %s.",
			Words[by], other, Words[g.disagree]))
	case !r.lists && r.row != g.first:
		r.say(value.column, Twice, true, fmt.Sprintf("The %s stands in row %d already.", Words[by], other))
	}
}
