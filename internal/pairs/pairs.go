// Package pairs brings the pairing engine and the database together: it keeps
// an index of the catalog's keys, reads lots with it and writes the verdicts.
// What a name means is for core/pairing.
package pairs

import (
	"context"
	"encoding/json"
	"sync"

	"ambrosa/core/pairing"
	"ambrosa/internal/store"
)

// Index is the catalog's keys, built once a version of the catalog.
type Index struct {
	store *store.Store

	mu      sync.Mutex
	version int64
	built   *Built
}

// Built is an index of one version of the catalog.
type Built struct {
	Catalog *pairing.Catalog
	keys    []store.KeyRow
	first   map[int]int // of a product in the engine's count: an item of it
}

// NewIndex returns an index that is built when it is first needed.
func NewIndex(s *store.Store) *Index { return &Index{store: s} }

// Get returns the index of the catalog as it is now.
func (x *Index) Get(ctx context.Context) (*Built, error) {
	version, err := x.store.CatalogVersion(ctx)
	if err != nil {
		return nil, err
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.built != nil && x.version == version {
		return x.built, nil
	}
	keys, err := x.store.Keys(ctx)
	if err != nil {
		return nil, err
	}
	items := make([]pairing.Item, len(keys))
	for i, k := range keys {
		items[i] = pairing.Item{SKU: k.SKU, Product: k.Code, Title: k.Title, GTIN: k.GTIN, Codes: k.Codes}
		for _, o := range k.Options {
			items[i].Attributes = append(items[i].Attributes, o.Value)
		}
	}
	b := &Built{Catalog: pairing.NewCatalog(items), keys: keys, first: map[int]int{}}
	for i := range items {
		if p := b.Catalog.TargetOf(i).Product; b.first[p] == 0 {
			b.first[p] = i + 1
		}
	}
	x.built, x.version = b, version
	return b, nil
}

// IDs returns the database's ids of a target; variant is 0 for a product as a
// whole.
func (b *Built) IDs(t pairing.Target) (product, variant int64) {
	switch {
	case t.Item >= 0:
		return b.keys[t.Item].Product, b.keys[t.Item].Variant
	case t.Product >= 0:
		return b.keys[b.first[t.Product]-1].Product, 0
	}
	return 0, 0
}

// Name returns the code and title by which a target is shown.
func (b *Built) Name(t pairing.Target) (code, title string) {
	switch {
	case t.Item >= 0:
		return b.keys[t.Item].SKU, b.keys[t.Item].Title
	case t.Product >= 0:
		k := b.keys[b.first[t.Product]-1]
		return k.Code, k.Title
	}
	return "", ""
}

// chunk is how many verdicts are written in one transaction.
const chunk = 5000

// ReadLot reads every file of a lot that no person has decided on and writes
// the verdicts. progress is told how many of how many are written.
func (x *Index) ReadLot(ctx context.Context, lot int64, progress func(done, total int64)) error {
	built, err := x.Get(ctx)
	if err != nil {
		return err
	}
	unpaired, err := x.store.Unpaired(ctx, lot)
	if err != nil {
		return err
	}
	ids := unpaired.IDs
	verdicts, err := pairing.Lot(built.Catalog, pairing.DefaultClues(), unpaired.Paths, true)
	if err != nil {
		return err
	}
	if len(unpaired.Said) > 0 {
		listener := pairing.NewListener(built.Catalog)
		for i := range verdicts {
			if said, ok := unpaired.Said[ids[i]]; ok {
				listener.Heed(&verdicts[i], said)
			}
		}
	}
	for lo := 0; lo < len(ids); lo += chunk {
		hi := min(lo+chunk, len(ids))
		rows := make([]store.VerdictRow, 0, hi-lo)
		for i := lo; i < hi; i++ {
			row, err := built.row(ids[i], &verdicts[i])
			if err != nil {
				return err
			}
			rows = append(rows, row)
		}
		if err := x.store.WriteVerdicts(ctx, lot, rows); err != nil {
			return err
		}
		progress(int64(hi), int64(len(ids)))
	}
	return nil
}

func (b *Built) row(file int64, v *pairing.Verdict) (store.VerdictRow, error) {
	row := store.VerdictRow{File: file, Verdict: v.Kind.String(), View: v.View, Clue: v.Clue.String(), Rung: v.Rung.String(), Score: v.Score, Reason: v.Reason}
	if product, variant := b.IDs(v.Target); product != 0 {
		row.Product = &product
		if variant != 0 {
			row.Variant = &variant
		}
	}
	if v.Place > 0 {
		row.Place = &v.Place
	}
	evidence := store.Evidence{Key: v.Key, Bare: v.Bare(), Spans: make([]store.Span, 0, len(v.Spans))}
	for _, s := range v.Spans {
		evidence.Spans = append(evidence.Spans, store.Span{Start: s.Start, End: s.End, Kind: s.Kind.String(), What: s.What})
	}
	for _, c := range v.Candidates {
		product, variant := b.IDs(c.Target)
		code, title := b.Name(c.Target)
		evidence.Candidates = append(evidence.Candidates, store.EvidenceCandidate{Product: product, Variant: variant, Code: code, Title: title,
			Key: c.Key, Clue: c.Clue.String(), Rung: c.Rung.String(), Score: c.Score})
	}
	var err error
	row.Evidence, err = json.Marshal(evidence)
	return row, err
}
