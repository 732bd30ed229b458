package importing

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// writeBranches makes categories be as rows of a list of them say, in order, and records
// the way back.
func writeBranches(ctx context.Context, tx *door.Tx, id int64, rows []sheet.Judged) error {
	var paths []string
	for _, r := range rows {
		if writesBranch(r) {
			paths = append(paths, r.Wanted.Branch.Is.Path)
		}
	}
	if len(paths) == 0 {
		return nil
	}
	found, err := store.BranchesByPath(ctx, tx, paths)
	if err != nil {
		return err
	}
	standing := map[string]store.Branch{}
	for _, b := range found {
		standing[sheet.Key(b.Path)] = b
	}
	var changes []store.BranchChange
	for _, r := range rows {
		if !writesBranch(r) {
			continue
		}
		change, err := writeBranch(ctx, tx, id, r, standing)
		if err != nil {
			return fmt.Errorf("row %d: %w", r.Row, err)
		}
		changes = append(changes, change)
	}
	for _, c := range changes {
		tx.About(audit.Of(identity.Category, c.CategoryID))
	}
	return store.AddBranchChanges(ctx, tx, id, changes)
}

func writesBranch(r sheet.Judged) bool {
	return r.Wanted.Branch != nil && (r.Verdict == sheet.Make || r.Verdict == sheet.Change)
}

func writeBranch(ctx context.Context, tx *door.Tx, id int64, r sheet.Judged, standing map[string]store.Branch) (c store.BranchChange,
	err error) {
	of := r.Wanted.Branch
	key := sheet.Key(of.Is.Path)
	was, there := standing[key]
	if there {
		before := was.CategorySnapshot
		c.Before = &before
	} else {
		var made []int64
		if was.ID, made, err = store.MakeBranch(ctx, tx, of.Is.Path); err != nil {
			return c, err
		}
		if err := store.AddCategories(ctx, tx, id, made); err != nil {
			return c, err
		}
		was.Path = of.Is.Path
	}
	was.CategorySnapshot = of.Becomes(was.CategorySnapshot, r.Changes)
	standing[key] = was
	c.CategoryID, c.Row, c.After = was.ID, r.Row, was.CategorySnapshot
	return c, store.WriteBranch(ctx, tx, was.ID, was.CategorySnapshot)
}

// revertBranches takes the last categories of an import back, in one transaction, or one
// alone; notes counts those of which something stays.
func (m *Importer) revertBranches(ctx context.Context, who identity.Actor, id, category int64) (n, notes int, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.ImportUndo, audit.Of(identity.Import, id)), func(tx *door.Tx) error {
		if _, err := store.LockImport(ctx, tx, id); err != nil {
			return err
		}
		if _, err := store.HoldCatalog(ctx, tx); err != nil {
			return err
		}
		changes, err := store.StandingBranches(ctx, tx, id, category, importedAtOnce)
		if err != nil {
			return err
		}
		n, notes = len(changes), 0
		if n == 0 {
			tx.Unchanged()
		}
		categories := make([]int64, n)
		for i, c := range changes {
			categories[i] = c.CategoryID
			tx.About(audit.Of(identity.Category, c.CategoryID))
		}
		if err := m.letGo(ctx, tx, nil, categories); err != nil {
			return err
		}
		for _, c := range changes {
			note, err := takeBranchBack(ctx, tx, c)
			if err != nil {
				return err
			}
			if note != "" {
				notes++
			}
			if err := store.EndChange(ctx, tx, c.ID, note); err != nil {
				return err
			}
		}
		return nil
	})
	return n, notes, err
}

// takeBranchBack takes one change of a category back, and returns what of it stays.
func takeBranchBack(ctx context.Context, tx *door.Tx, c store.BranchChange) (note string, err error) {
	now, err := store.LockBranch(ctx, tx, c.CategoryID)
	if errors.Is(err, store.ErrNotFound) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	wanted, gone, kept := catalog.ReverseCategory(c.Before, c.After, now.CategorySnapshot)
	if len(kept) > 0 {
		note = "Changed since, and left as it is: " + strings.Join(kept, ", ") + "."
	}
	if gone {
		if gone, err = store.DropBranch(ctx, tx, c.CategoryID); err != nil || gone {
			return "", err
		}
		return "The category stays, since something is in it or on it by now.", nil
	}
	if wanted == now.CategorySnapshot {
		return note, nil
	}
	return note, store.WriteBranch(ctx, tx, c.CategoryID, wanted)
}
