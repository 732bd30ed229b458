package importing

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strings"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// importedAtOnce is how many products are written in one transaction.
const importedAtOnce = 1000

// DoImport does an import, some whole products at a time, from where it was. Each
// product is judged again as the catalog is then: where that is not what the rehearsal
// showed nothing is done for it, and it is shown anew.
func (m *Importer) DoImport(ctx context.Context, who identity.Actor, id int64, step func(done, total int64)) (store.Import, error) {
	found, err := m.Store.Import(ctx, id)
	if err != nil {
		return found, err
	}
	of, err := m.Store.Sheet(ctx, found.SheetID)
	if err != nil {
		return found, err
	}
	judge, err := m.newJudge(ctx, of)
	if err != nil {
		return found, err
	}
	if err := m.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Analyze(ctx, tx, "sheet_verdict", "sheet_row")
	}); err != nil {
		return found, err
	}
	total := int64(of.Totals.Verdicts[string(sheet.Make)] + of.Totals.Verdicts[string(sheet.Change)])
	for n, next := 0, 1; found.State == "importing"; n++ {
		if err := ctx.Err(); err != nil {
			return found, err
		}
		if n == next { // what is imported multiplies the catalog
			if err := m.Store.Step(ctx, func(tx *door.Tx) error {
				return store.Analyze(ctx, tx, "product", "variant", "category")
			}); err != nil {
				return found, err
			}
			next *= 3
		}
		step(int64(found.Made+found.Changed+found.Overtaken), total)
		if found, err = m.importSome(ctx, who, judge, found); err != nil {
			return found, err
		}
	}
	step(total, total)
	return found, nil
}

// importSome imports the next products, in one transaction.
func (m *Importer) importSome(ctx context.Context, who identity.Actor, judge *sheet.Judge, i store.Import) (after store.Import, err error) {
	deed := door.By(who, identity.ProductImport, audit.Of(identity.Import, i.ID), audit.Of(identity.Sheet, i.SheetID))
	err = m.Store.Do(ctx, deed, func(tx *door.Tx) error {
		if i, err = store.LockImport(ctx, tx, i.ID); err != nil || i.State != "importing" {
			tx.Unchanged()
			return err
		}
		firsts, err := store.NextProducts(ctx, tx, i.SheetID, i.Cursor, importedAtOnce)
		if err != nil {
			return err
		}
		if len(firsts) == 0 {
			tx.Unchanged()
			i.State = "imported"
			return store.SetImportState(ctx, tx, i.ID, "imported")
		}
		version, err := store.HoldCatalog(ctx, tx)
		if err != nil {
			return err
		}
		rows, overtaken, err := judgedAgain(ctx, tx, judge, i.SheetID, firsts)
		if err != nil {
			return err
		}
		if err := writeRows(ctx, tx, version, i.ID, rows); err != nil {
			return err
		}
		if err := writeBranches(ctx, tx, i.ID, rows); err != nil {
			return err
		}
		made, changed := counted(rows)
		return store.Advance(ctx, tx, i.ID, firsts[len(firsts)-1], made, changed, overtaken)
	})
	if err != nil {
		return i, err
	}
	if i.State == "imported" {
		return i, nil
	}
	return m.Store.Import(ctx, i.ID)
}

func counted(rows []sheet.Judged) (made, changed int) {
	for _, r := range rows {
		switch r.Verdict {
		case sheet.Make:
			made++
		case sheet.Change:
			changed++
		}
	}
	return made, changed
}

// judgedAgain judges the rows of products again, and returns those of products that
// are as the rehearsal showed them; of the others it keeps the new verdicts, and counts
// their rows.
func judgedAgain(ctx context.Context, tx *door.Tx, judge *sheet.Judge, id int64, firsts []int) (rows []sheet.Judged,
	overtaken int, err error) {
	shown, err := store.VerdictsOfProducts(ctx, tx, id, firsts)
	if err != nil {
		return nil, 0, err
	}
	numbers := make([]int, len(shown))
	for i, v := range shown {
		numbers[i] = v.Row
	}
	standing, err := store.RowsOf(ctx, tx, id, numbers)
	if err != nil {
		return nil, 0, err
	}
	all, err := judged(ctx, tx, id, judge, standing)
	if err != nil {
		return nil, 0, err
	}
	other := map[int]bool{} // products, by first row, of which a row is not as it was shown
	for i, j := range all {
		if !asShown(shown[i], j) {
			other[shown[i].FirstRow] = true
		}
	}
	var anew []store.SheetVerdict
	for i, j := range all {
		switch {
		case !other[shown[i].FirstRow]:
			rows = append(rows, j)
		case !asShown(shown[i], j):
			anew = append(anew, verdictOf(j, shown[i].FirstRow))
			fallthrough
		default:
			if shown[i].Verdict == sheet.Make || shown[i].Verdict == sheet.Change {
				overtaken++
			}
		}
	}
	return rows, overtaken, store.PutVerdicts(ctx, tx, id, anew)
}

// asShown tells whether a row is judged as it was shown.
func asShown(shown store.SheetVerdict, now sheet.Judged) bool {
	if shown.Verdict != now.Verdict {
		return false
	}
	was, _ := json.Marshal(shown.Changes) // neither can fail: they are texts alone
	is, _ := json.Marshal(now.Changes)
	return string(was) == string(is)
}

// writeRows makes products be as rows say, and records the way back.
func writeRows(ctx context.Context, tx *door.Tx, version, id int64, rows []sheet.Judged) error {
	standing, first, err := standingOf(ctx, tx, rows)
	if err != nil {
		return err
	}
	sheet.Apply(rows, standing)
	var written []store.Written
	var keys []string
	// In the order of the rows, which is that of the numbers of products that are made.
	byRow := func(a, b string) int { return cmp.Or(cmp.Compare(first[a], first[b]), cmp.Compare(a, b)) }
	for _, key := range slices.SortedFunc(maps.Keys(standing), byRow) {
		p := standing[key]
		if p.Was != nil && p.Was.Same(p.Is) {
			continue
		}
		written, keys = append(written, store.Written{ID: p.ID, Was: p.Was, Is: p.Is}), append(keys, key)
	}
	if len(written) == 0 {
		return nil
	}
	categories, err := store.WriteProducts(ctx, tx, version, written)
	if err != nil {
		return err
	}
	if err := store.AddCategories(ctx, tx, id, categories); err != nil {
		return err
	}
	ids, changes := make([]int64, len(written)), make([]store.SheetChange, len(written))
	var moved []int64
	for i, w := range written {
		for _, v := range w.Is.Variants {
			if v.From != 0 {
				moved = append(moved, w.ID, v.From)
			}
		}
		ids[i] = w.ID
		changes[i] = store.SheetChange{ProductID: w.ID, Row: first[keys[i]], Before: w.Was, After: w.Is}
	}
	slices.SortFunc(changes, func(a, b store.SheetChange) int { return a.Row - b.Row })
	if len(moved) > 0 {
		if err := store.RecountPictures(ctx, tx, moved); err != nil {
			return err
		}
	}
	if err := store.AddChanges(ctx, tx, id, changes); err != nil {
		return err
	}
	return productsChanged(ctx, tx, ids)
}

// productsChanged has everybody who shows products look again.
func productsChanged(ctx context.Context, tx *door.Tx, ids []int64) error {
	if len(ids) == 0 {
		return nil
	}
	tx.About(audit.All(identity.Product, ids)...)
	return tx.Announce(ctx, door.Event{Topic: "product", ID: ids[0]})
}

// standingOf returns the products that rows are about as they stand, and the first row
// about each.
func standingOf(ctx context.Context, tx *door.Tx, rows []sheet.Judged) (standing sheet.Standing, first map[string]int, err error) {
	first = map[string]int{}
	var codes []string
	for _, r := range rows {
		if r.Wanted.Branch != nil || r.Verdict != sheet.Make && r.Verdict != sheet.Change {
			continue
		}
		for _, code := range r.Owners() {
			if key := sheet.Key(code); first[key] == 0 {
				first[key] = r.Row
				codes = append(codes, key, strings.ToLower(code))
			}
		}
	}
	found, err := store.SnapshotsByCode(ctx, tx, codes)
	if err != nil {
		return nil, nil, err
	}
	standing = sheet.Standing{}
	for id, is := range found {
		standing[sheet.Key(is.Code)] = &sheet.StandingProduct{ID: id, Was: &is, Is: is.Clone()}
	}
	return standing, first, nil
}
