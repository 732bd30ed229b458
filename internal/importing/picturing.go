package importing

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/pairing"
	"ambrosa/core/sheet"
	"ambrosa/internal/deciding"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Pictured counts what became of the pictures that a sheet names.
type Pictured struct {
	Paired, Already, Missing, Contested, Closed, Addresses int
	Lots                                                   map[int64]string // that have something to plan by it
	shared                                                 map[string]bool  // names of several rows that were looked at
}

// Words says it.
func (p Pictured) Words() string {
	words := fmt.Sprintf("%d pictures paired with their products by the sheet", p.Paired)
	for _, part := range []struct {
		n    int
		what string
	}{{p.Already, "were already"}, {p.Missing, "did not come"}, {p.Contested, "are contested"},
		{p.Closed, "are in lots that are applied"}, {p.Addresses, "are addresses, which are not fetched yet"}} {
		if part.n > 0 {
			words += fmt.Sprintf(", %d %s", part.n, part.what)
		}
	}
	if len(p.Lots) > 0 {
		words += fmt.Sprintf("; %d lots have something to plan", len(p.Lots))
	}
	return words + "."
}

// DoPair pairs the files that a sheet names, in lots that are open, with the products
// that its rows are about: as a person decides, file by file, so that each can be taken
// back, and planned and applied as any. Rows whose product is not in the catalog, and
// pictures in question, are passed over.
func (m *Importer) DoPair(ctx context.Context, who identity.Actor, decider *deciding.Decider, id int64,
	step func(done, total int64)) (p Pictured, err error) {
	p.Lots, p.shared = map[int64]string{}, map[string]bool{}
	found, err := m.Store.Sheet(ctx, id)
	if err != nil {
		return p, err
	}
	judge, err := m.newJudge(ctx, found)
	if err != nil {
		return p, err
	}
	shared, err := m.sharedPictures(ctx, found, judge)
	if err != nil {
		return p, err
	}
	done := int64(0)
	err = m.eachRow(ctx, found, judgeAtOnce, func(rows []store.SheetRow) error {
		all, err := judged(ctx, m.Store.Reader(), id, judge, rows)
		if err != nil {
			return err
		}
		if err := m.pairRows(ctx, who, decider, found, all, shared, &p); err != nil {
			return err
		}
		done += int64(len(rows))
		step(done, int64(found.Rows))
		return nil
	})
	return p, err
}

// sharedPictures returns for each picture that several rows name what it goes on: the one
// target that they all are about, the product as a whole where they are variants of one,
// and none where they are of several.
func (m *Importer) sharedPictures(ctx context.Context, of store.Sheet, judge *sheet.Judge) (map[string]catalog.Target, error) {
	times, several := map[string]int{}, false
	nothing := sheet.NewItems(nil)
	err := m.eachRow(ctx, of, noteAtOnce, func(rows []store.SheetRow) error {
		for _, r := range rows {
			for _, named := range judge.Row(r.Row, r.Cells, r.Edits, nothing).Wanted.Pictures {
				name := nameKey(named.Name)
				times[name]++
				several = several || times[name] > 1
			}
		}
		return nil
	})
	shared := map[string]catalog.Target{}
	if err != nil || !several {
		return shared, err
	}
	owners := map[string]int64{}
	err = m.eachRow(ctx, of, judgeAtOnce, func(rows []store.SheetRow) error {
		all, err := judged(ctx, m.Store.Reader(), of.ID, judge, rows)
		for _, row := range all {
			for _, named := range row.Wanted.Pictures {
				if name := nameKey(named.Name); times[name] > 1 {
					share(shared, owners, name, row.Wanted)
				}
			}
		}
		return err
	})
	return shared, err
}

// share notes that a row names a picture that others name too.
func share(shared map[string]catalog.Target, owners map[string]int64, name string, w sheet.Wanted) {
	target, owner := w.Target(), int64(-1)
	if w.Item != nil {
		owner = w.Item.Product
	}
	before, known := shared[name]
	switch {
	case !known:
		shared[name], owners[name] = target, owner
	case before == target:
	case owner > 0 && owners[name] == owner:
		shared[name] = catalog.Product(owner)
	default:
		shared[name], owners[name] = catalog.Target{}, 0
	}
}

// nameKey is a picture's name as it is compared: of an address the whole of it.
func nameKey(name string) string {
	if sheet.IsAddress(name) {
		return name
	}
	return sheet.FileKey(name)
}

func (m *Importer) pairRows(ctx context.Context, who identity.Actor, decider *deciding.Decider, of store.Sheet, rows []sheet.Judged,
	shared map[string]catalog.Target, p *Pictured) error {
	stems, addresses := namesOf(rows)
	files, err := m.filesByName(ctx, of.ID, stems, addresses)
	if err != nil {
		return err
	}
	for _, row := range rows {
		if row.Wanted.Target().None() || row.Verdict == sheet.Refused || row.Verdict == sheet.Skipped {
			continue
		}
		for _, named := range row.Wanted.Pictures {
			if err := ctx.Err(); err != nil {
				return err
			}
			reason := fmt.Sprintf("row %d of %s names it", row.Row, of.Name)
			name := nameKey(named.Name)
			target, several := shared[name]
			switch {
			case several && p.shared[name]:
				continue // one row of several is enough
			case several:
				p.shared[name] = true
			default:
				target = row.Wanted.Target()
			}
			if err := m.pairPicture(ctx, who, decider, of.ID, target, files, row, named, reason, p); err != nil {
				return err
			}
		}
	}
	return nil
}

// filesByName returns files that a sheet names by the stem that names them, or by the
// address that they came from.
func (m *Importer) filesByName(ctx context.Context, id int64, stems map[string]bool,
	addresses []string) (map[string][]store.NamedFile, error) {
	asked := make([]string, 0, len(stems))
	for stem := range stems {
		asked = append(asked, stem)
	}
	found, err := store.FilesNamed(ctx, m.Store.Reader(), asked, id)
	by := map[string][]store.NamedFile{}
	for _, f := range found {
		by[f.Stem()] = append(by[f.Stem()], f)
	}
	if err != nil {
		return nil, err
	}
	fetched, err := store.FilesAt(ctx, m.Store.Reader(), addresses)
	for _, f := range fetched {
		if f.Problem == "" && f.Sum != "" {
			by[f.Address] = []store.NamedFile{f}
		}
	}
	return by, err
}

func (m *Importer) pairPicture(ctx context.Context, who identity.Actor, decider *deciding.Decider, id int64,
	target catalog.Target, files map[string][]store.NamedFile, row sheet.Judged, named sheet.NamedPicture, reason string, p *Pictured) error {
	candidates := filesMeant(files, named.Name)
	asked := slices.ContainsFunc(row.Cells, func(c sheet.Judgement) bool {
		return c.Column == named.Column && c.Kind == sheet.Contested
	})
	switch {
	case len(candidates) == 0 && sheet.IsAddress(named.Name):
		p.Addresses++
		return nil
	case asked, target.None():
		p.Contested++
		return nil
	case len(candidates) == 0:
		p.Missing++
		return nil
	}
	at := slices.IndexFunc(candidates, func(f store.NamedFile) bool { return f.Ready })
	if at < 0 {
		p.Closed++
		return nil
	}
	f, place := candidates[at], named.Place
	if named.Lead && place == 0 {
		place = 1
	}
	if f.Paired && f.Target() == target && (place == 0 || place == f.Place) {
		p.Already++
		return nil
	}
	undo, err := decider.Decide(ctx, who, f.ID, deciding.One{Verdict: "paired", Target: target,
		Place: place, View: viewOf(named.View), Alt: cut(named.Alt, longestAlt), Reason: reason, Version: f.Version})
	switch {
	case errors.Is(err, store.ErrChanged), errors.Is(err, store.ErrNotFound), errors.Is(err, deciding.ErrOtherBarcode):
		p.Contested++ // somebody was quicker, or it was looked up for another barcode
		return nil
	case err != nil:
		return err
	}
	p.Paired++
	p.Lots[f.Lot] = f.LotName
	return m.Store.Step(ctx, func(tx *door.Tx) error { return store.AddPairing(ctx, tx, id, undo) })
}

// The longest view and alternative text that are kept, in characters.
const (
	longestView = 40
	longestAlt  = 500
)

// viewOf is the view that a sheet's word means, in the bench's words where it knows it.
func viewOf(word string) string {
	if word == "" {
		return ""
	}
	return cut(pairing.ViewOf(word), longestView)
}

func cut(text string, most int) string {
	runes := []rune(text)
	return string(runes[:min(len(runes), most)])
}

// DoUnpair takes back what a sheet paired, the last first; what somebody decided on since
// stays.
func (m *Importer) DoUnpair(ctx context.Context, who identity.Actor, decider *deciding.Decider, id int64,
	step func(done, total int64)) (string, error) {
	decisions, err := m.Store.Pairings(ctx, id)
	if err != nil {
		return "", err
	}
	back := 0
	for i, decision := range decisions {
		if err := ctx.Err(); err != nil {
			return "", err
		}
		files, _, err := decider.TakeBack(ctx, who, decision)
		if err != nil && !errors.Is(err, store.ErrNotFound) && !errors.Is(err, store.ErrChanged) {
			return "", err
		}
		back += len(files)
		if err := m.Store.Step(ctx, func(tx *door.Tx) error { return store.EndPairing(ctx, tx, decision) }); err != nil {
			return "", err
		}
		step(int64(i+1), int64(len(decisions)))
	}
	words := fmt.Sprintf("%d pictures are as they were before the sheet paired them", back)
	if stayed := len(decisions) - back; stayed > 0 {
		words += fmt.Sprintf(", %d were decided on since, or are applied, and stay", stayed)
	}
	return words, nil
}

// Unpair has what a sheet paired taken back.
func (m *Importer) Unpair(ctx context.Context, who identity.Actor, id int64) (run int64, err error) {
	return m.queue(ctx, door.By(who, identity.SheetUnpair, audit.Of(identity.Sheet, id)), UnpairRun, store.About{Sheet: id})
}

// Pair has the pictures paired that a sheet names.
func (m *Importer) Pair(ctx context.Context, who identity.Actor, id int64) (run int64, err error) {
	return m.queue(ctx, door.By(who, identity.SheetPair, audit.Of(identity.Sheet, id)), PairRun, store.About{Sheet: id})
}

// showPictures finds for rows the pictures that they name.
func (m *Importer) showPictures(ctx context.Context, id int64, page []JudgedRow) error {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil || !slices.ContainsFunc(found.Mapping.Columns, func(c sheet.Column) bool { return c.Field == sheet.Picture }) {
		return err
	}
	judge, err := sheet.NewJudge(found.Mapping, found.Choices)
	if err != nil {
		return nil // nothing is judged by this mapping, and that is said where it is
	}
	nothing := sheet.NewItems(nil)
	rows := make([]sheet.Judged, len(page))
	for i, r := range page {
		rows[i] = judge.Row(r.Row, r.Values, r.Edits, nothing)
	}
	stems, addresses := namesOf(rows)
	files, err := m.filesByName(ctx, id, stems, addresses)
	if err != nil {
		return err
	}
	for i, row := range rows {
		for _, named := range row.Wanted.Pictures {
			meant := filesMeant(files, named.Name)
			contested := slices.ContainsFunc(meant, func(f store.NamedFile) bool { return f.Sum != meant[0].Sum })
			if len(meant) > 0 && meant[0].Sum != "" && !contested {
				page[i].Pictures = append(page[i].Pictures, RowPicture{named.Column, meant[0].Sum})
			}
		}
	}
	return nil
}

// namesOf returns by what rows name pictures: stems of files, and addresses.
func namesOf(rows []sheet.Judged) (stems map[string]bool, addresses []string) {
	stems = map[string]bool{}
	for _, row := range rows {
		for _, named := range row.Wanted.Pictures {
			if sheet.IsAddress(named.Name) {
				addresses = append(addresses, named.Name)
			} else {
				stems[sheet.FileStem(sheet.FileKey(named.Name))] = true
			}
		}
	}
	return stems, addresses
}

// filesMeant returns those of the files by name that a cell's name means.
func filesMeant(files map[string][]store.NamedFile, name string) []store.NamedFile {
	if sheet.IsAddress(name) {
		return files[name]
	}
	named := files[sheet.FileStem(sheet.FileKey(name))]
	return sheet.Meant(name, named, store.NamedFile.InLot)
}
