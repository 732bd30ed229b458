package pairing

import (
	"strings"

	"ambrosa/core/gtin"
)

// Barcodes weighs what was read from a file's pixels: it pairs a loose file,
// settles a contested one, and contests a pair that it speaks against.
func (l *Listener) Barcodes(v *Verdict, codes []string) {
	var found []Candidate
	unknown := ""
	for _, code := range codes {
		normal, err := gtin.Normalise(code)
		number, ok := gtin.Number(normal)
		if err != nil || !ok {
			for _, m := range l.reader.lookUp(code) { // Code 128 and the like may hold a SKU
				found = appendCandidate(found, Candidate{Target: m.target, Key: m.key, Clue: BarcodeInPicture, Rung: m.rung, Score: 0.9})
			}
			continue
		}
		items := l.catalog.gtins[number]
		for _, item := range items {
			found = appendCandidate(found, Candidate{Target: l.catalog.TargetOf(int(item)), Key: code, Clue: BarcodeInPicture,
				Rung: SameCharacters, Score: 0.96})
		}
		if len(items) == 0 {
			unknown = code
		}
	}
	switch {
	case len(found) == 0:
		if unknown != "" && v.Kind == Loose {
			v.Reason, v.Why = "its picture holds the barcode "+unknown+", which no product has", UnknownBarcode
		}
	case len(found) > 1 && v.Kind == Loose:
		v.unpair("its picture holds the barcodes of "+found[0].Key+" and "+found[1].Key, AgainstPicture)
		v.Kind, v.Candidates, v.Clue = Contested, found, BarcodeInPicture
	case len(found) > 1:
	case v.Kind == Loose:
		l.take(v, found[0], "its picture holds the barcode "+found[0].Key)
	case v.Kind == Contested:
		for _, c := range v.Candidates {
			if c.Target.Product == found[0].Target.Product {
				l.take(v, found[0], "of those that claim it, its picture holds the barcode "+found[0].Key)
				return
			}
		}
		v.Candidates = appendCandidate(v.Candidates, found[0])
	case v.Target.Product != found[0].Target.Product:
		v.Candidates = []Candidate{v.candidate(), found[0]}
		v.Reason, v.Why = "its name holds "+v.Key+", its picture the barcode "+found[0].Key, AgainstPicture
		v.Kind, v.Target, v.number, v.letter, v.roman = Contested, NoTarget, -1, 0, 0
	case v.Target.Item < 0:
		v.Target = found[0].Target
	}
}

func appendCandidate(list []Candidate, c Candidate) []Candidate {
	for _, o := range list {
		if o.Target == c.Target {
			return list
		}
	}
	return append(list, c)
}

func (l *Listener) take(v *Verdict, c Candidate, reason string) {
	v.Kind, v.Target, v.Key, v.Clue, v.Rung, v.Score, v.Reason, v.Candidates = Paired, c.Target, c.Key, c.Clue, c.Rung, c.Score, reason, nil
	v.Why = ""
}

// Alike is a product's picture that a file looks like.
type Alike struct {
	Target Target
	Bits   int // of 64, in which their fingerprints differ
	Path   string
}

// Alike proposes a product for a loose file by a look-alike of one of its
// pictures. It never pairs by itself: pictures of two products may be near.
func (l *Listener) Alike(v *Verdict, near []Alike) {
	if v.Kind != Loose || len(near) == 0 || len(v.Candidates) > 0 {
		return
	}
	for _, a := range near[1:] {
		if a.Target.Product != near[0].Target.Product {
			return
		}
	}
	key := ""
	if t := near[0].Target; t.Item >= 0 {
		key = l.catalog.SKU(t.Item)
	} else {
		key = l.catalog.ProductCode(t.Product)
	}
	v.Candidates = []Candidate{{Target: near[0].Target, Key: key, Clue: LookAlike, Score: 0.8 - float64(near[0].Bits)/50}}
	v.Clue, v.Score, v.Why = LookAlike, v.Candidates[0].Score, LooksLike
	v.Reason = "looks like " + near[0].Path[strings.LastIndexByte(near[0].Path, '/')+1:] + " of " + key
}
