// Package reading reads lots: it keeps an index of the catalog's keys, has
// core/pairing read the names of a lot with it, and writes the verdicts. What a
// name means is for core/pairing alone.
package reading

import (
	"context"
	"encoding/json"
	"log/slog"
	"slices"
	"sync"
	"time"

	"ambrosa/core/pairing"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Index is the catalog's keys, built once a version of the catalog (of which
// only the products that were changed are read anew), and what lots hold, kept
// for previews.
type Index struct {
	store *store.Store

	mu       sync.Mutex
	version  int64
	built    *Built
	building *building // nil while nothing is built

	lots lotCache
}

// Built is an index of one version of the catalog.
type Built struct {
	Catalog *pairing.Catalog
	keys    []store.KeyRow
	first   map[int]int      // of a product in the engine's count: an item of it
	items   map[[2]int64]int // of a product and a variant: an item
}

// NewIndex returns an index that is built when it is first needed.
func NewIndex(s *store.Store) *Index { return &Index{store: s} }

// building is an index that is being built, once for all who wait for it.
type building struct {
	done chan struct{} // closed when it is built, or failed
	err  error
}

// buildTime bounds how long the keys of the catalog are read and indexed.
const buildTime = 10 * time.Minute

// Get returns the index of the catalog as it is now. It may wait for it to be built: some seconds with 600,000
// variants, also when one of them changed.
func (x *Index) Get(ctx context.Context) (*Built, error) {
	version, err := x.store.CatalogVersion(ctx)
	if err != nil {
		return nil, err
	}
	for {
		built, b := x.at(ctx, version)
		if b == nil {
			return built, nil
		}
		select {
		case <-b.done:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
		if b.err != nil {
			return nil, b.err
		}
	}
}

// Recent returns the newest index that is ready, which may lack the latest changes of the catalog. Use it for proposals:
// they are checked again when a person accepts one. It waits only for the first index.
func (x *Index) Recent(ctx context.Context) (*Built, error) {
	version, err := x.store.CatalogVersion(ctx)
	if err != nil {
		return nil, err
	}
	if built, _ := x.at(ctx, version); built != nil {
		return built, nil
	}
	return x.Get(ctx)
}

// at returns the current index, and the build to wait for if it is older than a version.
func (x *Index) at(ctx context.Context, version int64) (*Built, *building) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.built != nil && x.version >= version {
		return x.built, nil
	}
	if x.building == nil {
		x.building = &building{done: make(chan struct{})}
		go x.build(context.WithoutCancel(ctx), x.building, x.built, x.version)
	}
	return x.built, x.building
}

// build makes a new index from the one before and from what changed since its version.
func (x *Index) build(ctx context.Context, b *building, before *Built, since int64) {
	ctx, cancel := context.WithTimeout(store.ForRun(ctx), buildTime)
	defer cancel()
	built, version := before, since
	b.err = contained.Safely(func() (err error) {
		if version, err = x.store.CatalogVersion(ctx); err != nil {
			return err
		}
		// What was committed behind the version that was read is in already, and comes
		// once more with the next version: that changes nothing.
		keys, products, err := x.store.Keys(ctx, since)
		switch {
		case err != nil:
			return err
		case before == nil:
			built = build(keys)
		case len(products) > 0:
			built = build(splice(before.keys, keys, products))
		}
		return nil
	})()
	x.mu.Lock()
	defer x.mu.Unlock()
	if b.err == nil {
		x.built, x.version = built, version
	}
	x.building = nil
	close(b.done)
}

// splice puts the keys of products that were changed in the place of those they
// had; all are in order of products.
func splice(keys, changed []store.KeyRow, products []int64) []store.KeyRow {
	spliced := make([]store.KeyRow, 0, len(keys)+len(changed))
	for _, k := range keys {
		for len(changed) > 0 && changed[0].Product <= k.Product {
			spliced, changed = append(spliced, changed[0]), changed[1:]
		}
		if _, old := slices.BinarySearch(products, k.Product); !old {
			spliced = append(spliced, k)
		}
	}
	return append(spliced, changed...)
}

func build(keys []store.KeyRow) *Built {
	var names []string
	at := map[string]int{}
	for _, k := range keys {
		for _, o := range k.Options {
			if _, known := at[o.Name]; !known {
				at[o.Name] = len(names)
				names = append(names, o.Name)
			}
		}
	}
	items := make([]pairing.Item, len(keys))
	for i, k := range keys {
		items[i] = pairing.Item{SKU: k.SKU, Product: k.Code, Title: k.Title, GTIN: k.GTIN, Codes: k.Codes}
		if len(k.Options) > 0 {
			items[i].Attributes = make([]string, len(names))
		}
		for _, o := range k.Options {
			items[i].Attributes[at[o.Name]] = o.Value
		}
	}
	b := &Built{Catalog: pairing.NewCatalog(items, names...), keys: keys, first: map[int]int{}, items: make(map[[2]int64]int, len(keys))}
	for i, k := range keys {
		p := b.Catalog.TargetOf(i).Product
		if b.first[p] == 0 {
			b.first[p] = i + 1
		}
		b.items[[2]int64{k.Product, k.Variant}] = i
		if _, known := b.items[[2]int64{k.Product, 0}]; !known {
			b.items[[2]int64{k.Product, 0}] = i
		}
	}
	return b
}

// Target returns the engine's target of a product, and of a variant when it is
// not 0; ok is false when the catalog does not have it.
func (b *Built) Target(product, variant int64) (t pairing.Target, ok bool) {
	i, ok := b.items[[2]int64{product, variant}]
	if !ok {
		return pairing.NoTarget, false
	}
	t = b.Catalog.TargetOf(i)
	if variant == 0 && b.several(t.Product) {
		t.Item = -1
	}
	return t, true
}

func (b *Built) several(product int) bool {
	i := b.first[product] - 1
	return i+1 < len(b.keys) && b.keys[i+1].Product == b.keys[i].Product
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

// ReadLot reads every file of a lot that no person has decided on, with the
// lot's clue list, and writes the verdicts. progress is told how many of how
// many are written.
func (x *Index) ReadLot(ctx context.Context, of int64, progress func(done, total int64)) error {
	l, err := x.load(ctx, of)
	if err != nil {
		return err
	}
	clues, err := x.store.LotClues(ctx, of)
	if err != nil {
		return err
	}
	verdicts, err := l.read(ctx, clues.List, true)
	if err != nil {
		return err
	}
	ids := l.IDs
	for lo := 0; lo < len(ids); lo += chunk {
		hi := min(lo+chunk, len(ids))
		rows := make([]store.VerdictRow, 0, hi-lo)
		for i := lo; i < hi; i++ {
			var named []pairing.Row
			if l.rows.Any() {
				named = l.rows.Of(l.Paths[i])
			}
			row, err := l.built.row(ids[i], &verdicts[i], named)
			if err != nil {
				return err
			}
			for _, n := range named {
				row.Alt = n.Alt
			}
			rows = append(rows, row)
		}
		if err := x.write(ctx, of, rows); err != nil {
			return err
		}
		progress(int64(hi), int64(len(ids)))
	}
	x.Heard(door.Event{Topic: "files", ID: of})
	if slices.ContainsFunc(verdicts, func(v pairing.Verdict) bool { return v.Kind == pairing.Loose }) {
		// Somebody will look at what stayed loose.
		contained.Background(slog.Default(), "prepare suggestions", l.built.Catalog.PrepareNearest)
	}
	return nil
}

// write writes verdicts of a lot as long as they may change.
func (x *Index) write(ctx context.Context, of int64, verdicts []store.VerdictRow) error {
	return x.store.Step(ctx, func(tx *door.Tx) error {
		standing, err := store.CountDecision(ctx, tx, of)
		if err == nil {
			err = standing.State.Readable(standing.UnderWay)
		}
		if err != nil {
			return err
		}
		return store.WriteVerdicts(ctx, tx, of, verdicts)
	})
}

// row is a verdict as it is stored; named are the sheet's rows that name the file.
func (b *Built) row(file int64, v *pairing.Verdict, named []pairing.Row) (store.VerdictRow, error) {
	row := store.VerdictRow{
		File:    file,
		Verdict: v.Kind.String(),
		View:    v.View,
		Clue:    v.Clue.String(),
		Rung:    v.Rung.String(),
		Score:   v.Score,
		Reason:  v.Reason,
		Why:     string(v.Why),
	}
	if product, variant := b.IDs(v.Target); product != 0 {
		row.Product = &product
		if variant != 0 {
			row.Variant = &variant
		}
	}
	if v.Category != 0 {
		row.Category = &v.Category
	}
	if v.Place > 0 {
		row.Place = &v.Place
	}
	evidence := store.Evidence{Key: v.Key, Bare: v.Bare(), Spans: make([]store.Span, 0, len(v.Spans))}
	for _, s := range v.Spans {
		evidence.Spans = append(evidence.Spans, spanOf(s))
	}
	for _, c := range v.Candidates {
		product, variant := b.IDs(c.Target)
		code, title := b.Name(c.Target)
		if c.Category != 0 {
			code = c.Key
		}
		evidence.Candidates = append(
			evidence.Candidates,
			store.EvidenceCandidate{Product: product, Variant: variant, Category: c.Category, Code: code, Title: title,
				Key: c.Key, Clue: c.Clue.String(), Rung: c.Rung.String(), Score: c.Score},
		)
	}
	for _, n := range named {
		evidence.Rows = append(evidence.Rows, store.LineOf(n))
	}
	var err error
	row.Evidence, err = json.Marshal(evidence)
	return row, err
}
