package pairing

import (
	"strings"

	"ambrosa/core/gtin"
)

// Said is what a file's source said of the product that it shows: a page that
// it stood on, or the barcode that it was looked up for.
type Said struct {
	SKU     string
	Barcode string
	Only    bool // the file belongs to this product or to none, whatever its name says
}

// Listener weighs what sources say beside what names say. It belongs to one
// goroutine.
type Listener struct {
	catalog *Catalog
	reader  *reader
}

// NewListener returns a listener for a catalog.
func NewListener(c *Catalog) *Listener {
	return &Listener{
		c,
		newReader(
			c,
			findHabits(nil),
			&compiled{order: []Clue{SameName}, base: []Clue{SameName, KeyInName, BarcodeInName}, optionWords: englishOptionWords()},
			vocabulary(nil),
			false,
		),
	}
}

// Heed adds what its source said to the verdict on a file: a loose file is
// paired by it, a contested one settled; a pair that its name speaks against is
// contested.
func (l *Listener) Heed(v *Verdict, said Said) {
	found := l.find(said)
	if said.Only {
		v.Candidates = nil
		if found == nil {
			v.unpair("it was looked up for the barcode "+said.Barcode+", which no product has", UnknownBarcode)
			return
		}
		if found.Kind == Contested {
			v.unpair("it was looked up for "+said.Barcode+", which several products have", SeveralProducts)
			v.Kind, v.Candidates = Contested, found.Candidates
			return
		}
		if !l.same(v, found) {
			v.number, v.letter, v.roman = -1, 0, 0
		}
		l.pair(v, found, "it was looked up for this barcode")
		return
	}
	if found == nil {
		return
	}
	switch {
	case found.Kind == Contested:
		return
	case v.Kind == Loose:
		v.Candidates = nil
		l.pair(v, found, "its source says "+found.Key)
	case v.Kind == Contested:
		for _, c := range v.Candidates {
			if c.Target.Product == found.Target.Product {
				v.Candidates = nil
				l.pair(v, found, "of those that claim it, its source says "+found.Key)
				return
			}
		}
		v.Candidates = append(v.Candidates, found.said())
	case !l.same(v, found):
		v.Candidates = []Candidate{v.candidate(), found.said()}
		v.Reason, v.Why = "its name holds "+v.Key+", its source says "+found.Key, AgainstSource
		v.Kind, v.Target, v.number, v.letter, v.roman = Contested, NoTarget, -1, 0, 0
	case v.Target.Item < 0 && found.Target.Item >= 0:
		v.Target = found.Target
	}
}

func (l *Listener) same(v, found *Verdict) bool {
	return v.Kind == Paired && v.Target.Product == found.Target.Product &&
		(v.Target.Item < 0 || found.Target.Item < 0 || v.Target.Item == found.Target.Item)
}

// said is what a source says, among candidates.
func (v *Verdict) said() Candidate {
	c := v.candidate()
	c.Clue = SaidBySource
	return c
}

func (l *Listener) pair(v, found *Verdict, reason string) {
	v.Kind, v.Target, v.Key, v.Clue, v.Rung, v.Score, v.Reason = Paired, found.Target, found.Key, SaidBySource, found.Rung, found.Score, reason
	v.Why = ""
}

// find reads a barcode, and else a SKU, as if it were a file's whole name; nil
// where no product has it.
func (l *Listener) find(said Said) *Verdict {
	barcode, err := gtin.Normalise(said.Barcode)
	if err != nil {
		barcode = ""
	}
	texts := []string{barcode, strings.ReplaceAll(said.SKU, "/", "-")}
	if said.Only {
		texts = texts[:1]
	}
	for i, text := range texts {
		if text == "" {
			continue
		}
		var v Verdict
		l.reader.read(text, &v, nil)
		if v.Kind == Paired && (v.Clue == BarcodeInName || i == 1 && v.Clue == SameName) || v.Kind == Contested {
			return &v
		}
	}
	return nil
}
