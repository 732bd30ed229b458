package importing

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// DoRevert takes an import back, the last product first, then its categories, or one of
// them alone. What somebody changed since stays, and is noted.
func (m *Importer) DoRevert(ctx context.Context, who identity.Actor, id int64, alone catalog.Target,
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
		n, notes, err := m.revertNext(ctx, who, id, alone)
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
	return words, m.Store.Step(ctx, func(tx *door.Tx) error {
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
		return store.SetImportState(ctx, tx, id, "reverted")
	})
}

// revertNext takes the next back: products, then categories.
func (m *Importer) revertNext(ctx context.Context, who identity.Actor, id int64, alone catalog.Target) (n, notes int, err error) {
	if alone.Kind != catalog.KindCategory {
		if n, notes, err = m.revertSome(ctx, who, id, alone.ID); err != nil || n > 0 || !alone.None() {
			return n, notes, err
		}
	}
	return m.revertBranches(ctx, who, id, alone.ID)
}

// revertSome takes the last products of an import back, in one transaction; notes counts
// those of which something stays.
func (m *Importer) revertSome(ctx context.Context, who identity.Actor, id, product int64) (n, notes int, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.ImportUndo, audit.Of(identity.Import, id)), func(tx *door.Tx) error {
		if _, err := store.LockImport(ctx, tx, id); err != nil {
			return err
		}
		changes, err := store.StandingChanges(ctx, tx, id, product, 0, importedAtOnce)
		if n, notes = 0, 0; err != nil || len(changes) == 0 {
			tx.Unchanged()
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
func (m *Importer) letGo(ctx context.Context, tx *door.Tx, products, categories []int64) error {
	lots, err := store.LetGo(ctx, tx, products, categories)
	if err != nil || len(lots) == 0 {
		return err
	}
	waiting, err := store.LotsWaiting(ctx, tx, LotRun, lots)
	if err != nil {
		return err
	}
	for _, lot := range store.Without(lots, waiting) {
		if _, err := m.Runs.Queue(ctx, tx, identity.Ambrosa, LotRun, store.About{Lot: lot}); err != nil {
			return err
		}
	}
	return nil
}

func takeBack(ctx context.Context, tx *door.Tx, version int64, changes []store.SheetChange) (notes int, err error) {
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
	if err := back.write(ctx, tx, version, changes); err != nil {
		return 0, err
	}
	if err := productsChanged(ctx, tx, ids); err != nil {
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
func variantsInUse(ctx context.Context, tx *door.Tx, changes []store.SheetChange) ([]int64, error) {
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

func (b *reversal) write(ctx context.Context, tx *door.Tx, version int64, changes []store.SheetChange) error {
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
