package importing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/acting"
	"ambrosa/core/catalog"
	"ambrosa/core/sheet"
	"ambrosa/internal/store"
)

// importedAtOnce is how many products are written in one transaction.
const importedAtOnce = 1000

// DoImport does an import, some whole products at a time, from where it was. Each
// product is judged again as the catalog is then: where that is not what the rehearsal
// showed nothing is done for it, and it is shown anew.
func (m *Importer) DoImport(ctx context.Context, id int64, step func(done, total int64)) (store.Import, error) {
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
	if err := m.Store.Analyze(ctx, "sheet_verdict", "sheet_row"); err != nil {
		return found, err
	}
	total := int64(of.Totals.Verdicts[string(sheet.Make)] + of.Totals.Verdicts[string(sheet.Change)])
	for n, next := 0, 1; found.State == "importing"; n++ {
		if err := ctx.Err(); err != nil {
			return found, err
		}
		if n == next { // what is imported multiplies the catalog
			if err := m.Store.Analyze(ctx, "product", "variant", "category"); err != nil {
				return found, err
			}
			next *= 3
		}
		step(int64(found.Made+found.Changed+found.Overtaken), total)
		if found, err = m.importSome(ctx, judge, found); err != nil {
			return found, err
		}
	}
	step(total, total)
	return found, nil
}

// importSome imports the next products, in one transaction.
func (m *Importer) importSome(ctx context.Context, judge *sheet.Judge, i store.Import) (after store.Import, err error) {
	err = m.Store.Within(ctx, func(tx pgx.Tx) error {
		if i, err = store.LockImport(ctx, tx, i.ID); err != nil || i.State != "importing" {
			return err
		}
		firsts, err := store.NextProducts(ctx, tx, i.SheetID, i.Cursor, importedAtOnce)
		if err != nil {
			return err
		}
		if len(firsts) == 0 {
			i.State = "imported"
			return store.SetImportState(ctx, tx, i.ID, "imported", "")
		}
		version, err := store.HoldCatalog(ctx, tx)
		if err != nil {
			return err
		}
		rows, overtaken, err := judgedAgain(ctx, tx, judge, i.SheetID, firsts)
		if err != nil {
			return err
		}
		if err := errors.Join(writeRows(ctx, tx, version, i.ID, rows), writeBranches(ctx, tx, i.ID, rows)); err != nil {
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
func judgedAgain(ctx context.Context, tx pgx.Tx, judge *sheet.Judge, id int64, firsts []int) (rows []sheet.Judged,
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
func writeRows(ctx context.Context, tx pgx.Tx, version, id int64, rows []sheet.Judged) error {
	standing, first, err := standingOf(ctx, tx, rows)
	if err != nil {
		return err
	}
	sheet.Apply(rows, standing)
	var written []store.Written
	var keys []string
	for _, key := range slices.Sorted(maps.Keys(standing)) {
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
	return errors.Join(store.AddChanges(ctx, tx, id, changes), productsChanged(ctx, tx, ids))
}

// productsChanged has everybody who shows products look again.
func productsChanged(ctx context.Context, tx pgx.Tx, ids []int64) error {
	if len(ids) == 0 {
		return nil
	}
	return store.Notify(ctx, tx, store.Event{Topic: "product", ID: ids[0]})
}

// standingOf returns the products that rows are about as they stand, and the first row
// about each.
func standingOf(ctx context.Context, tx pgx.Tx, rows []sheet.Judged) (standing sheet.Standing, first map[string]int, err error) {
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

// DoRevert takes an import back, the last product first, then its categories, or one of
// them alone. What somebody changed since stays, and is noted.
func (m *Importer) DoRevert(ctx context.Context, who acting.Actor, id int64, alone catalog.Target,
	step func(done, total int64)) (string, error) {
	found, err := m.Store.Import(ctx, id)
	if err != nil {
		return "", err
	}
	total, done, kept := int64(found.Products), int64(found.Products-found.Standing), 0
	if !alone.None() {
		total, done = 1, 0
	}
	for {
		if err := ctx.Err(); err != nil {
			return "", err
		}
		n, notes, err := m.revertNext(ctx, id, alone)
		if err != nil {
			return "", err
		}
		if n == 0 {
			break
		}
		done += int64(n)
		kept += notes
		step(done, total)
	}
	words := fmt.Sprintf("%d are as they were before", done)
	if kept > 0 {
		words += fmt.Sprintf(", but for what was changed on %d of them since", kept)
	}
	return words, m.Store.Within(ctx, func(tx pgx.Tx) error {
		i, err := store.LockImport(ctx, tx, id)
		if err != nil || i.Standing > 0 {
			return err
		}
		made, err := store.CategoriesMade(ctx, tx, id)
		if err != nil {
			return err
		}
		if err := m.letGo(ctx, tx, nil, made); err != nil {
			return err
		}
		for _, category := range made {
			if _, err := store.DropBranch(ctx, tx, category); err != nil {
				return err
			}
		}
		return store.SetImportState(ctx, tx, id, "reverted", who.Name)
	})
}

// revertNext takes the next back: products, then categories.
func (m *Importer) revertNext(ctx context.Context, id int64, alone catalog.Target) (n, notes int, err error) {
	if alone.Kind != catalog.KindCategory {
		if n, notes, err = m.revertSome(ctx, id, alone.ID); err != nil || n > 0 || !alone.None() {
			return n, notes, err
		}
	}
	return m.revertBranches(ctx, id, alone.ID)
}

// revertSome takes the last products of an import back, in one transaction; notes counts
// those of which something stays.
func (m *Importer) revertSome(ctx context.Context, id, product int64) (n, notes int, err error) {
	err = m.Store.Within(ctx, func(tx pgx.Tx) error {
		if _, err := store.LockImport(ctx, tx, id); err != nil {
			return err
		}
		changes, err := store.StandingChanges(ctx, tx, id, product, 0, importedAtOnce)
		if err != nil || len(changes) == 0 {
			return err
		}
		version, err := store.HoldCatalog(ctx, tx)
		if err != nil {
			return err
		}
		n = len(changes)
		var mayGo []int64
		for _, c := range changes {
			if len(madeBy(c)) > 0 || c.Before == nil {
				mayGo = append(mayGo, c.ProductID)
			}
		}
		if err := m.letGo(ctx, tx, mayGo, nil); err != nil {
			return err
		}
		notes, err = takeBack(ctx, tx, version, changes)
		return err
	})
	return n, notes, err
}

// letGo has files read again that reading paired with products or categories that may go:
// they hold nothing.
func (m *Importer) letGo(ctx context.Context, tx pgx.Tx, products, categories []int64) error {
	lots, err := store.LetGo(ctx, tx, products, categories)
	if err != nil || len(lots) == 0 {
		return err
	}
	waiting, err := store.LotsWaiting(ctx, tx, LotRun, lots)
	if err != nil {
		return err
	}
	for _, lot := range store.Without(lots, waiting) {
		if _, err := m.Runs.Queue(ctx, tx, acting.Ambrosa, LotRun, store.About{Lot: lot}); err != nil {
			return err
		}
	}
	return nil
}

func takeBack(ctx context.Context, tx pgx.Tx, version int64, changes []store.SheetChange) (notes int, err error) {
	ids := make([]int64, 0, len(changes))
	for _, c := range changes {
		ids = append(ids, c.ProductID)
		for _, v := range c.After.Variants {
			if v.From != 0 {
				ids = append(ids, v.From)
			}
		}
	}
	standing, err := store.Snapshots(ctx, tx, ids)
	if err != nil {
		return 0, err
	}
	back := reversal{standing: standing, wanted: map[int64]*catalog.Snapshot{}, notes: make([]string, len(changes))}
	if back.used, err = variantsInUse(ctx, tx, changes); err != nil {
		return 0, err
	}
	for i, c := range changes {
		back.take(i, c)
	}
	if err := errors.Join(back.write(ctx, tx, version, changes), productsChanged(ctx, tx, ids)); err != nil {
		return 0, err
	}
	for i, c := range changes {
		if back.notes[i] != "" {
			notes++
		}
		if err := store.EndChange(ctx, tx, c.ID, back.notes[i]); err != nil {
			return notes, err
		}
	}
	return notes, nil
}

// reversal is what taking changes back comes to.
type reversal struct {
	standing map[int64]catalog.Snapshot
	wanted   map[int64]*catalog.Snapshot
	gone     []int64
	moved    []int64
	used     []int64 // variants that are new, and have pictures or files by now
	notes    []string
}

// variantsInUse returns the variants that changes made and that have pictures or files by
// now.
func variantsInUse(ctx context.Context, tx pgx.Tx, changes []store.SheetChange) ([]int64, error) {
	var fresh []int64
	for _, c := range changes {
		fresh = append(fresh, madeBy(c)...)
	}
	return store.VariantsInUse(ctx, tx, fresh)
}

// madeBy returns the variants that a change made.
func madeBy(c store.SheetChange) (fresh []int64) {
	for _, v := range c.After.Variants {
		if v.From == 0 && (c.Before == nil || c.Before.Variant(v.ID) == nil) {
			fresh = append(fresh, v.ID)
		}
	}
	return fresh
}

// of returns what a product shall be; nil where it is not there.
func (b *reversal) of(id int64) *catalog.Snapshot {
	if b.wanted[id] == nil {
		is, there := b.standing[id]
		if !there {
			return nil
		}
		is = is.Clone()
		b.wanted[id] = &is
	}
	return b.wanted[id]
}

func (b *reversal) take(i int, c store.SheetChange) {
	now := b.of(c.ProductID)
	if now == nil {
		if c.Before != nil {
			b.notes[i] = "The product is not there any more."
		}
		return
	}
	restored := catalog.Reverse(c.Before, c.After, *now)
	for _, v := range now.Variants {
		if !restored.Gone && slices.Contains(b.used, v.ID) && restored.Wanted.Variant(v.ID) == nil {
			restored.Wanted.Variants = append(restored.Wanted.Variants, v)
			restored.Kept = append(restored.Kept, "the variant "+v.SKU+", which has pictures or files")
		}
	}
	if len(restored.Kept) > 0 {
		b.notes[i] = "Changed since, and left as it is: " + strings.Join(restored.Kept, ", ") + "."
	}
	if restored.Gone {
		b.gone = append(b.gone, c.ProductID)
		b.moveBack(c, now)
		return
	}
	*now = restored.Wanted
	b.moveBack(c, now)
}

// moveBack has variants that were moved to a product go back where they came from.
func (b *reversal) moveBack(c store.SheetChange, now *catalog.Snapshot) {
	for _, v := range c.After.Variants {
		at := slices.IndexFunc(now.Variants, func(o catalog.VariantSnapshot) bool { return o.ID == v.ID })
		if v.From == 0 || at < 0 {
			continue
		}
		home := b.of(v.From)
		if home == nil {
			continue
		}
		moved := now.Variants[at]
		moved.From, moved.Was = 0, nil
		now.Variants = slices.Delete(now.Variants, at, at+1)
		home.Variants = append(home.Variants, moved)
		b.moved = append(b.moved, c.ProductID, v.From)
	}
}

func (b *reversal) write(ctx context.Context, tx pgx.Tx, version int64, changes []store.SheetChange) error {
	var written []store.Written
	for _, id := range slices.Sorted(maps.Keys(b.wanted)) {
		was := b.standing[id]
		if is := *b.wanted[id]; !was.Same(is) {
			written = append(written, store.Written{ID: id, Was: &was, Is: is})
		}
	}
	if _, err := store.WriteProducts(ctx, tx, version, written); err != nil {
		return err
	}
	if len(b.moved) > 0 {
		if err := store.RecountPictures(ctx, tx, b.moved); err != nil {
			return err
		}
	}
	if len(b.gone) == 0 {
		return nil
	}
	stay, err := store.DeleteProducts(ctx, tx, b.gone)
	for i, c := range changes {
		if slices.Contains(stay, c.ProductID) {
			b.notes[i] = "The product stays, since it has pictures, files or plans by now."
		}
	}
	return err
}
