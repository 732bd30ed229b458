package reading

import (
	"bytes"
	"context"
	"math/bits"
	"slices"
	"sync"
	"sync/atomic"

	"ambrosa/core/pairing"
	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// lot is what the engine reads of a lot, with all that weighs beside names.
type lot struct {
	store.ToRead
	names *pairing.Names // where it is read more than once
	built *Built
	rows  *pairing.Rows
	looks looks

	branches *pairing.Branches
	decided  []string // paths of files that a person paired with products
}

func (x *Index) load(ctx context.Context, id int64) (*lot, error) {
	built, err := x.Get(ctx)
	if err != nil {
		return nil, err
	}
	l := &lot{built: built}
	if l.ToRead, err = x.store.ToRead(ctx, id); err != nil {
		return nil, err
	}
	rows, err := x.store.LotRows(ctx, id)
	if err != nil {
		return nil, err
	}
	l.rows = pairing.NewRows(built.meant(rows))
	branches, err := x.store.CategoryKeys(ctx)
	if err != nil {
		return nil, err
	}
	l.branches = pairing.NewBranches(branches)
	if l.decided, err = x.store.DecidedOnProducts(ctx, id); err != nil {
		return nil, err
	}
	l.looks.store = x.store
	return l, nil
}

// read returns the verdicts that a clue list gives, in the order of the lot's
// files.
func (l *lot) read(ctx context.Context, list pairing.ClueList, spans bool) ([]pairing.Verdict, error) {
	verdicts, err := l.readNames(list, spans)
	if err != nil {
		return nil, err
	}
	listener := pairing.NewListener(l.built.Catalog)
	sheet, barcodes := list.On(pairing.SheetRow) && l.rows.Any(), list.On(pairing.BarcodeInPicture) && len(l.Codes) > 0
	var unnamed []int // verdicts that only a look-alike can propose a product for
	for i := range verdicts {
		v, id := &verdicts[i], l.IDs[i]
		if said, ok := l.Said[id]; ok {
			listener.Heed(v, said)
		}
		if codes, ok := l.Codes[id]; ok && barcodes && !l.Said[id].Only {
			listener.Barcodes(v, codes)
		}
		if v.Kind == pairing.Loose && len(v.Candidates) == 0 && !l.Said[id].Only {
			unnamed = append(unnamed, i)
		}
	}
	if list.On(pairing.LookAlike) {
		near, err := l.near(ctx, unnamed)
		if err != nil {
			return nil, err
		}
		for _, i := range unnamed {
			listener.Alike(&verdicts[i], near[l.IDs[i]])
		}
	}
	if list.On(pairing.InCategory) {
		l.branches.Weigh(verdicts, l.Paths, l.decided)
	}
	for i := range verdicts {
		if sheet {
			listener.Row(&verdicts[i], l.rows.Of(l.Paths[i]))
		}
	}
	return verdicts, nil
}

// code is what a verdict is paired with, as a person knows it.
func (b *Built) code(v *pairing.Verdict) string {
	if v.Category != 0 {
		return v.Key
	}
	code, _ := b.Name(v.Target)
	return code
}

// meant are rows of a lot's sheets with what they are about, as far as that is known and
// still there.
func (b *Built) meant(rows []store.LotRow) []pairing.Row {
	meant := make([]pairing.Row, len(rows))
	for i, row := range rows {
		meant[i] = row.Row
		c := pairing.Candidate{Target: pairing.NoTarget, Key: row.SKU, Clue: pairing.SheetRow, Rung: pairing.SameCharacters, Score: 1,
			Category: row.Category}
		known := row.Category != 0
		if row.Product != 0 {
			c.Target, known = b.Target(row.Product, row.Variant)
			c.Key, _ = b.Name(c.Target)
		}
		if known {
			meant[i].Means = []pairing.Candidate{c}
		}
	}
	return meant
}

func (l *lot) readNames(list pairing.ClueList, spans bool) ([]pairing.Verdict, error) {
	if l.names != nil {
		return l.names.Read(list, spans)
	}
	return pairing.Lot(l.built.Catalog, list, l.Paths, spans)
}

// near returns the pictures on products that files look like, by the ID of the file, the nearest first; at are
// positions of files.
func (l *lot) near(ctx context.Context, at []int) (map[int64][]pairing.Alike, error) {
	wanted := make([]store.PlacedPicture, 0, len(at))
	ids := make([]int64, 0, len(at))
	for _, i := range at {
		if seen, ok := l.Seen[l.IDs[i]]; ok {
			wanted, ids = append(wanted, seen), append(ids, l.IDs[i])
		}
	}
	found, err := l.looks.near(ctx, wanted)
	if err != nil {
		return nil, err
	}
	near := make(map[int64][]pairing.Alike, len(found))
	for i, seen := range wanted {
		for _, p := range found[seen.Fingerprint] {
			if !bytes.Equal(p.Sum, seen.Sum) && !lookOf(p).SameTint(lookOf(seen)) {
				continue
			}
			if target, ok := l.built.Target(p.Product, p.Variant); ok {
				differ := bits.OnesCount64(uint64(p.Fingerprint ^ seen.Fingerprint))
				near[ids[i]] = append(near[ids[i]], pairing.Alike{Target: target, Bits: differ, Path: p.Path})
			}
		}
	}
	return near, nil
}

// looks finds the pictures on products that look like others: of a few it asks the database, for many it reads all
// pictures once.
type looks struct {
	store *store.Store

	mu    sync.Mutex
	known map[int64][]store.PlacedPicture // by the fingerprint that was asked for
	all   []store.PlacedPicture
	index *upkeep.Fingerprints // of all; nil while they are not read
}

// fewLooks is how many fingerprints the database is asked for. Each takes it 3 to 12 ms among a million pictures, of
// which reading all takes 7 s.
const fewLooks = 500

// near returns the pictures near some, by their fingerprints.
func (k *looks) near(ctx context.Context, wanted []store.PlacedPicture) (map[int64][]store.PlacedPicture, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.known == nil {
		k.known = map[int64][]store.PlacedPicture{}
	}
	var unknown []int64
	for _, w := range wanted {
		if _, known := k.known[w.Fingerprint]; !known {
			unknown, k.known[w.Fingerprint] = append(unknown, w.Fingerprint), nil
		}
	}
	if err := k.find(ctx, unknown); err != nil {
		k.known = nil
		return nil, err
	}
	near := make(map[int64][]store.PlacedPicture, len(wanted))
	for _, w := range wanted {
		near[w.Fingerprint] = k.known[w.Fingerprint]
	}
	return near, nil
}

func (k *looks) find(ctx context.Context, fingerprints []int64) error {
	if k.index == nil && len(fingerprints) <= fewLooks {
		found, err := k.store.NearPictures(ctx, fingerprints)
		for _, f := range found {
			of := fingerprints[f.Of]
			k.known[of] = append(k.known[of], f.PlacedPicture)
		}
		return err
	}
	if k.index == nil {
		all, err := k.store.PlacedPictures(ctx)
		if err != nil {
			return err
		}
		values := make([]uint64, len(all))
		for i, p := range all {
			values[i] = uint64(p.Fingerprint)
		}
		k.all, k.index = all, upkeep.NewFingerprints(values)
	}
	for _, of := range fingerprints {
		for _, n := range k.index.Near(uint64(of), upkeep.MostBits) {
			k.known[of] = append(k.known[of], k.all[n.At])
		}
	}
	return nil
}

func lookOf(p store.PlacedPicture) upkeep.Look {
	return upkeep.Look{Fingerprint: uint64(p.Fingerprint), Tint: string(p.Tint)}
}

// lotCache keeps the lot that previews were asked of last, until something is
// heard that changes what it holds.
type lotCache struct {
	mu    sync.Mutex // held while a lot is read from the database
	lot   *lot
	id    int64
	heard atomic.Int64 // counts what was heard of it
	at    int64        // heard, when it was read
	now   atomic.Int64 // id, to be read without the lock
}

// Heard forgets what an event makes old.
func (x *Index) Heard(event door.Event) {
	if event.Note == "missed" || event.Topic == "product" || event.Topic == "files" && event.ID == x.lots.now.Load() {
		x.lots.heard.Add(1)
	}
}

// cached returns a lot as it was when something of it was last heard to change.
func (x *Index) cached(ctx context.Context, id int64) (*lot, error) {
	built, err := x.Get(ctx)
	if err != nil {
		return nil, err
	}
	c := &x.lots
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.lot != nil && c.id == id && c.at == c.heard.Load() && c.lot.built == built {
		return c.lot, nil
	}
	c.now.Store(id)
	at := c.heard.Load()
	l, err := x.load(ctx, id)
	if err == nil {
		l.names = pairing.NewNames(built.Catalog, l.Paths)
		c.id, c.at, c.lot = id, at, l
	}
	return l, err
}

// CluesChange is what a clue list would change of a lot.
type CluesChange struct {
	Paired int            `json:"paired" doc:"Files that it pairs, of those no person decided on"`
	Files  int            `json:"files"`
	Clues  map[string]int `json:"clues" doc:"How many files each clue decides"`
	Wins   int            `json:"wins" doc:"Files that would be paired and are not"`
	Loses  int            `json:"loses" doc:"Files that are paired and would not be"`
	Turns  int            `json:"turns" doc:"Files that would be paired with something else"`

	Examples []ChangedFile `json:"examples" nullable:"false"`
}

// ChangedFile is a file whose verdict a clue list would change.
type ChangedFile struct {
	ID     int64  `json:"id"`
	Path   string `json:"path"`
	How    string `json:"how" enum:"win,lose,turn"`
	Was    string `json:"was" doc:"Code of the product or variant, empty for none"`
	Code   string `json:"code"`
	Reason string `json:"reason"`
}

// examplesOf is how many examples of each change are shown.
const examplesOf = 5

// Preview tells what reading a lot with a clue list would change; nothing is
// written. The error names a clue, pattern or step that cannot be used.
func (x *Index) Preview(ctx context.Context, id int64, list pairing.ClueList) (CluesChange, error) {
	if err := list.Check(); err != nil {
		return CluesChange{}, BadList{err}
	}
	l, err := x.cached(ctx, id)
	if err != nil {
		return CluesChange{}, err
	}
	verdicts, err := l.read(ctx, list, false)
	if err != nil {
		return CluesChange{}, BadList{err}
	}
	c := CluesChange{Files: len(verdicts), Clues: map[string]int{}, Examples: []ChangedFile{}}
	shown := map[string]int{}
	for i := range verdicts {
		v, was := &verdicts[i], l.Were[i]
		product, variant := l.built.IDs(v.Target)
		if v.Kind == pairing.Paired {
			c.Paired++
			c.Clues[v.Clue.String()]++
		}
		how := ""
		switch {
		case v.Kind == pairing.Paired && was.Verdict != "paired":
			how = "win"
			c.Wins++
		case v.Kind != pairing.Paired && was.Verdict == "paired":
			how = "lose"
			c.Loses++
		case v.Kind == pairing.Paired && (product != was.Product || variant != was.Variant):
			how = "turn"
			c.Turns++
		}
		if how == "" || shown[how] >= examplesOf {
			continue
		}
		shown[how]++
		code := l.built.code(v)
		before := ""
		if t, ok := l.built.Target(was.Product, was.Variant); ok && was.Verdict == "paired" {
			before, _ = l.built.Name(t)
		}
		c.Examples = append(c.Examples, ChangedFile{l.IDs[i], l.Paths[i], how, before, code, v.Reason})
	}
	return c, nil
}

// Tried is what a clue list makes of one name.
type Tried struct {
	Verdict string       `json:"verdict" enum:"paired,contested,loose"`
	Code    string       `json:"code" doc:"Of the product or variant that it is paired with"`
	Key     string       `json:"key" doc:"As the catalog spells it"`
	Clue    string       `json:"clue"`
	Place   int          `json:"place" doc:"0 when none was read"`
	View    string       `json:"view"`
	Reason  string       `json:"reason"`
	Spans   []store.Span `json:"spans" nullable:"false" doc:"The name in parts, by bytes of its UTF-8"`
	Aligned []Aligned    `json:"aligned" nullable:"false" doc:"Parts of the name that are keys, character against character with them"`
}

// habitsOf is how many names of a lot are read beside one that is tried, so that
// the lot's habits are known.
const habitsOf = 2000

// Try tells how a name would be read with a clue list if it were one of a lot's;
// the name alone counts, not what came with the lot beside it.
func (x *Index) Try(ctx context.Context, id int64, list pairing.ClueList, path string) (Tried, error) {
	if err := list.Check(); err != nil {
		return Tried{}, BadList{err}
	}
	l, err := x.cached(ctx, id)
	if err != nil {
		return Tried{}, err
	}
	names := append(slices.Clone(l.Paths[:min(len(l.Paths), habitsOf)]), path)
	verdicts, err := pairing.Lot(l.built.Catalog, list, names, true)
	if err != nil {
		return Tried{}, BadList{err}
	}
	if list.On(pairing.InCategory) {
		l.branches.Weigh(verdicts, names, l.decided)
	}
	v := verdicts[len(names)-1]
	code := l.built.code(&v)
	t := Tried{
		Verdict: v.Kind.String(),
		Code:    code,
		Key:     v.Key,
		Clue:    v.Clue.String(),
		Place:   v.Place,
		View:    v.View,
		Reason:  v.Reason,
		Spans:   []store.Span{},
	}
	for _, s := range v.Spans {
		t.Spans = append(t.Spans, spanOf(s))
	}
	t.Aligned = AlignedIn(path, t.Spans, []string{v.Key})
	return t, nil
}

// BadList means that a clue list cannot be used, and why.
type BadList struct{ Err error }

func (e BadList) Error() string { return e.Err.Error() }

// Learn works out what would have paired a file as a person paired it, and how
// many others of its lot that would pair.
func (x *Index) Learn(ctx context.Context, f store.File) ([]pairing.Proposal, *Built, error) {
	x.lots.heard.Add(1) // the correction itself may not be heard of yet
	l, err := x.cached(ctx, f.LotID)
	if err != nil {
		return nil, nil, err
	}
	target, ok := l.built.Target(f.Product, f.Variant)
	if !ok {
		return nil, nil, store.ErrNotFound
	}
	clues, err := x.store.LotClues(ctx, f.LotID)
	if err != nil {
		return nil, nil, err
	}
	var loose []string
	for i, was := range l.Were {
		if was.Verdict == "loose" && l.IDs[i] != f.ID {
			loose = append(loose, l.Paths[i])
		}
	}
	proposals, err := pairing.Learn(l.built.Catalog, clues.List, f.Path, target, loose)
	return proposals, l.built, err
}

// Sheet tells what the sheets that came with a lot say: how many rows name a
// file, which of them name none of the lot's, and which files no row names.
func (x *Index) Sheet(ctx context.Context, id int64) (rows int, unused []pairing.Row, unnamed []string, err error) {
	lines, err := x.store.LotRows(ctx, id)
	if err != nil || len(lines) == 0 {
		return 0, nil, nil, err
	}
	said := make([]pairing.Row, len(lines))
	for i, line := range lines {
		said[i] = line.Row
	}
	paths, err := x.store.UsablePaths(ctx, id)
	if err != nil {
		return 0, nil, nil, err
	}
	index := pairing.NewRows(said)
	for _, path := range paths {
		if len(index.Of(path)) == 0 {
			unnamed = append(unnamed, path)
		}
	}
	return len(said), index.Unused(paths), unnamed, nil
}

func spanOf(s pairing.Span) store.Span {
	return store.Span{Start: s.Start, End: s.End, Kind: s.Kind.String(), What: s.What, Option: s.Option}
}
