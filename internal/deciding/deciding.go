// Package deciding is what persons decide of files: which target each shows, in
// which place and view, and what is set aside; and taking that back. Every
// decision can be taken back, as long as nobody decided on the file since. A
// decision on a file that a plan has placed is a correction: the next plan of the
// lot carries it out.
package deciding

import (
	"context"
	"errors"
	"fmt"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// ErrOtherBarcode means that a picture was looked up for another barcode than
// the target's.
var ErrOtherBarcode = errors.New("the picture was looked up for another barcode")

// ErrNoTarget means that a pair was decided without saying with what.
var ErrNoTarget = errors.New("a pair needs a product")

// Engine reads files that were given back to it.
type Engine interface {
	ReadLot(ctx context.Context, lot int64, progress func(done, total int64)) error
}

// Decider is the use cases of decisions.
type Decider struct {
	Store  *store.Store
	Engine Engine
}

// One is what a person decides of one file.
type One struct {
	Verdict string // paired, set aside; open gives the file back to be read
	Target  catalog.Target
	Others  []catalog.Target // that the picture shows, too
	Place   int
	View    string
	Alt     string // a text that a sheet gives; empty leaves what stands
	Reason  string
	Version int // of the file that the person saw; another one is store.ErrChanged
}

// Decide writes a person's decision of one file and returns what takes it back.
func (d *Decider) Decide(ctx context.Context, who identity.Actor, file int64, one One) (undo int64, err error) {
	decision := store.Decision{Kind: one.Verdict, File: file}
	switch one.Verdict {
	case "open":
		decision.Kind, decision.Becomes = "reopened", store.Becomes{Unread: true}
	case "paired":
		if one.Target.None() {
			return 0, ErrNoTarget
		}
		// A picture that was looked up for one barcode never lands on another.
		decision.Among.LookedUpFor, decision.Among.NotLookedUp = one.Target, len(one.Others) > 0
		decision.Becomes = becomes(one)
	default:
		one.Target, one.Others, one.Place, one.View = catalog.Target{}, nil, 0, ""
		decision.Becomes = becomes(one)
	}
	var of int64
	err = d.Store.Do(ctx, door.By(who, identity.FileDecide, audit.Of(identity.File, file)), func(tx *door.Tx) error {
		if of, err = d.open(ctx, tx, file, one.Version); err != nil {
			return err
		}
		done, err := store.Decide(ctx, tx, of, decision)
		if err == nil && len(done.Files) == 0 {
			err = ErrOtherBarcode
		}
		undo = done.ID
		tx.About(audit.Of(identity.Lot, of))
		tx.Changed(nil, one.said())
		return err
	})
	if err == nil && one.Verdict == "open" {
		err = d.Engine.ReadLot(ctx, of, func(int64, int64) {})
	}
	return undo, err
}

// said is what the record has of a decision.
func (o One) said() map[string]any {
	is := map[string]any{"verdict": o.Verdict}
	if !o.Target.None() {
		is["target"] = o.Target
	}
	if len(o.Others) > 0 {
		is["others"] = o.Others
	}
	if o.Reason != "" {
		is["reason"] = o.Reason
	}
	return is
}

// tellDecided says what became of several files. Where nothing came of it, nothing is recorded.
func tellDecided(tx *door.Tx, kind string, files []store.Seen) {
	if len(files) == 0 {
		tx.Unchanged()
		return
	}
	for _, f := range files {
		tx.About(audit.Of(identity.File, f.ID))
	}
	tx.Changed(nil, map[string]any{"verdict": kind, "files": len(files)})
}

func becomes(one One) store.Becomes {
	b := store.Becomes{Verdict: &one.Verdict, Target: &one.Target, Others: one.Others, Place: &one.Place, View: &one.View,
		Reason: &one.Reason, ByHand: true}
	if one.Alt != "" {
		b.Alt = &one.Alt
	}
	return b
}

// open locks a file that a person decides on, and returns its lot.
func (d *Decider) open(ctx context.Context, tx *door.Tx, file int64, version int) (int64, error) {
	of, err := store.LotOfFile(ctx, tx, file)
	if err != nil {
		return 0, err
	}
	if err := decidable(ctx, tx, of); err != nil {
		return 0, err
	}
	now, err := store.LockFile(ctx, tx, file)
	switch {
	case err != nil:
		return 0, err
	case now.Version != version:
		return 0, store.ErrChanged
	case now.Verdict == "sheet":
		return 0, fmt.Errorf("a spreadsheet cannot be decided on: %w", store.ErrChanged)
	case now.Verdict == "unusable":
		return 0, fmt.Errorf("an unusable file cannot be decided on: %w", store.ErrChanged)
	}
	return of, nil
}

// decidable counts a decision on a lot, and tells whether it may be made:
// lot.ErrApplied, or store.ErrChanged where the lot is not ready. A lot that was
// finished is open again.
func decidable(ctx context.Context, tx *door.Tx, of int64) error {
	standing, err := store.CountDecision(ctx, tx, of)
	if err != nil {
		return err
	}
	var notReady lot.NotReady
	if err := standing.State.Decidable(standing.UnderWay); errors.As(err, &notReady) {
		return fmt.Errorf("%w: %w", notReady, store.ErrChanged)
	} else if err != nil {
		return err
	}
	if standing.State == lot.Applied {
		return store.ReopenLot(ctx, tx, of)
	}
	return nil
}

// SetAside sets those of a lot's files aside that a filter chooses, for a reason.
// Unusable files, and those that are set aside, stay as they are.
func (d *Decider) SetAside(ctx context.Context, who identity.Actor, of int64, f store.FileFilter, reason string) (store.Together, error) {
	return d.together(ctx, who, of, settingAside(f, reason))
}

// SetAsideWithin does the same in a transaction that does more.
func SetAsideWithin(ctx context.Context, tx *door.Tx, of int64, f store.FileFilter, reason string) (store.Together, error) {
	if err := decidable(ctx, tx, of); err != nil {
		return store.Together{}, err
	}
	return store.Decide(ctx, tx, of, settingAside(f, reason))
}

// SaveWithin sets those of a lot's files aside, in a transaction that does more, that a filter
// chooses and that wait to be decided on; others stay as they are.
func SaveWithin(ctx context.Context, tx *door.Tx, of int64, f store.FileFilter, reason string) (store.Together, error) {
	if err := decidable(ctx, tx, of); err != nil {
		return store.Together{}, err
	}
	decision := settingAside(f, reason)
	decision.Among = store.Among{Verdicts: []string{"loose", "contested", "unread"}}
	return store.Decide(ctx, tx, of, decision)
}

func settingAside(f store.FileFilter, reason string) store.Decision {
	verdict, place, view := "set aside", 0, ""
	return store.Decision{
		Kind:    "set aside",
		Files:   f,
		Among:   store.Among{Not: []string{"unusable", "sheet", "set aside"}},
		Becomes: store.Becomes{Verdict: &verdict, Target: &catalog.Target{}, Place: &place, View: &view, Reason: &reason, ByHand: true},
	}
}

// Accept pairs those of a lot's loose files that a filter chooses and that have
// one candidate with it.
func (d *Decider) Accept(ctx context.Context, who identity.Actor, of int64, f store.FileFilter) (store.Together, error) {
	verdict := "paired"
	return d.together(ctx, who, of, store.Decision{
		Kind:    "accepted",
		Files:   f,
		Among:   store.Among{Verdicts: []string{"loose"}, OneCandidate: true},
		Becomes: store.Becomes{Verdict: &verdict, Candidate: true},
	})
}

// Pair pairs those of a lot's files that a filter chooses with a target; each
// keeps the place and view that were read. A picture that was looked up for
// another barcode stays as it is.
func (d *Decider) Pair(
	ctx context.Context, who identity.Actor, of int64, f store.FileFilter, target catalog.Target, reason string,
) (store.Together, error) {
	if target.None() {
		return store.Together{}, ErrNoTarget
	}
	verdict := "paired"
	return d.together(ctx, who, of, store.Decision{
		Kind:    "paired",
		Files:   f,
		Among:   store.Among{Not: []string{"unusable", "sheet"}, LookedUpFor: target},
		Becomes: store.Becomes{Verdict: &verdict, Target: &target, Reason: &reason, ByHand: true},
	})
}

// View gives those of a lot's paired files that a filter chooses a view, "" for
// none.
func (d *Decider) View(ctx context.Context, who identity.Actor, of int64, f store.FileFilter, view string) (store.Together, error) {
	reason := "view set by hand"
	return d.together(ctx, who, of, store.Decision{
		Kind:    "view",
		Files:   f,
		Among:   store.Among{Verdicts: []string{"paired"}},
		Becomes: store.Becomes{View: &view, Reason: &reason, ByHand: true},
	})
}

// Place numbers the chosen of a lot's paired files in the order in which they are
// given, from first on, for each target on its own; 0 leaves their places to the
// names.
func (d *Decider) Place(ctx context.Context, who identity.Actor, of int64, chosen []store.Seen, first int) (store.Together, error) {
	reason := "place set by hand"
	return d.together(ctx, who, of, store.Decision{
		Kind:    "place",
		Files:   store.FileFilter{Chosen: chosen},
		Among:   store.Among{Verdicts: []string{"paired"}},
		Becomes: store.Becomes{Numbered: true, First: first, Reason: &reason, ByHand: true},
	})
}

// Open gives those of a lot's files back to be read that a filter chooses and
// that a person decided on.
func (d *Decider) Open(ctx context.Context, who identity.Actor, of int64, f store.FileFilter) (store.Together, error) {
	done, err := d.together(ctx, who, of, store.Decision{
		Kind:    "reopened",
		Files:   f,
		Among:   store.Among{Not: []string{"unusable", "sheet"}, ByPerson: true},
		Becomes: store.Becomes{Unread: true},
	})
	if err != nil || len(done.Files) == 0 {
		return done, err
	}
	return done, d.Engine.ReadLot(ctx, of, func(int64, int64) {})
}

// together decides on files of a lot that is open.
func (d *Decider) together(ctx context.Context, who identity.Actor, of int64, decision store.Decision) (done store.Together, err error) {
	err = d.Store.Do(ctx, door.By(who, identity.FileDecide, audit.Of(identity.Lot, of)), func(tx *door.Tx) error {
		if err := decidable(ctx, tx, of); err != nil {
			return err
		}
		if done, err = store.Decide(ctx, tx, of, decision); err != nil {
			return err
		}
		tellDecided(tx, decision.Kind, done.Files)
		return nil
	})
	return done, err
}

// TakeBack brings files back as they were before they were decided on, in the
// versions that they had; those that somebody decided on since stay. It returns
// those that it brought back, and how many stayed.
func (d *Decider) TakeBack(ctx context.Context, who identity.Actor, id int64) (files []store.Seen, stayed int64, err error) {
	err = d.Store.Do(ctx, door.By(who, identity.FileTakeBack, audit.Of(identity.Decision, id)), func(tx *door.Tx) error {
		files, stayed, err = TakeBackWithin(ctx, tx, id)
		tellDecided(tx, "taken back", files)
		return err
	})
	return files, stayed, err
}

// TakeBackWithin does the same in a transaction that does more.
func TakeBackWithin(ctx context.Context, tx *door.Tx, id int64) (files []store.Seen, stayed int64, err error) {
	of, err := store.UndoDecision(ctx, tx, id)
	if err != nil {
		return nil, 0, err
	}
	if err := decidable(ctx, tx, of); err != nil {
		return nil, 0, err
	}
	if files, stayed, err = store.BringBack(ctx, tx, id, of); err != nil {
		return nil, 0, err
	}
	return files, stayed, store.FinishUnchanged(ctx, tx, of)
}

// Order gives the pictures of a target the order in which they will stand when a
// lot is applied; an empty one leaves it to the lot's names again.
func (d *Decider) Order(ctx context.Context, who identity.Actor, of int64, target catalog.Target, order []plan.Ref) error {
	return d.Store.Do(ctx, door.By(who, identity.FileOrder, audit.Of(identity.Lot, of)), func(tx *door.Tx) error {
		err := decidable(ctx, tx, of)
		if err == nil {
			err = store.SetOrder(ctx, tx, of, target, order)
		}
		if errors.Is(err, store.ErrNotFound) {
			return store.ErrChanged // what was to be put into order is gone
		}
		return err
	})
}
