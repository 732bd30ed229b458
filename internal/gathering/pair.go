package gathering

import (
	"context"
	"errors"
	"fmt"

	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/core/shelf"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// Pair queues reading a lot's files again; what persons decided stays.
func (g *Gatherer) Pair(ctx context.Context, who identity.Actor, lot int64) (int64, error) {
	return g.queueFor(ctx, who, identity.LotRead, PairRun, lot)
}

// DoPair reads a lot's sheets and files and makes the lot ready to be decided on.
func (g *Gatherer) DoPair(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	if err := g.hearSheets(ctx, run); err != nil {
		return "", err
	}
	if err := g.Index.ReadLot(ctx, run.LotID, p.Set); errors.Is(err, lot.ErrApplied) {
		return DecisionsStand, nil
	} else if err != nil {
		return "", err
	}
	of, err := g.Store.Lot(ctx, run.LotID)
	if err != nil {
		return "", err
	}
	if of.State == lot.Examining {
		if err := g.Store.Step(ctx, func(tx *door.Tx) error {
			return store.SetLotState(ctx, tx, of.ID, lot.Ready)
		}); err != nil {
			return "", err
		}
	}
	who := run.Who()
	if who.Kind != identity.Person {
		who = identity.Ambrosa
	}
	for _, put := range []func(context.Context, identity.Actor, int64) (string, error){g.placeDropped, g.shelveDropped} {
		if said, err := put(ctx, who, of.ID); err != nil || said != "" {
			return said, err
		}
	}
	if err := g.lookAtLoose(ctx, of.ID); err != nil {
		return "", err
	}
	return fmt.Sprintf("%d paired, %d contested, %d loose", of.Paired, of.Contested, of.Loose), nil
}

// placeDropped puts pictures that were dropped on a product there, behind what
// stands: as a plan that can be taken back. It says what it did, "" where the lot
// was not dropped on one.
func (g *Gatherer) placeDropped(ctx context.Context, who identity.Actor, of int64) (said string, err error) {
	target, err := g.Store.LotTarget(ctx, of)
	if err != nil || target.None() {
		return "", err
	}
	done, err := g.Decider.Pair(ctx, who, of, store.FileFilter{}, target, "dropped on the product")
	if errors.Is(err, lot.ErrApplied) {
		return DecisionsStand, nil
	}
	if err != nil {
		return "", err
	}
	if len(done.Files) == 0 {
		return "None of the files is a picture that can be used", nil
	}
	id, err := g.Planner.Make(ctx, who, []int64{of}, plan.After)
	if err != nil {
		return "", err
	}
	// Somebody may drop on the same product at the same time: then it is planned again on what stands.
	for range applyTries {
		made, planErr := g.Store.Plan(ctx, id)
		if planErr != nil {
			return "", planErr
		}
		var remade plan.Remade
		if _, err = g.Planner.Apply(ctx, who, id, made.Revision); !errors.As(err, &remade) {
			break
		}
	}
	return fmt.Sprintf("%d pictures are put where they were dropped", len(done.Files)), err
}

// shelveDropped puts pictures that were dropped on the shelf there. It says what it did, "" where
// the lot was not dropped there.
func (g *Gatherer) shelveDropped(ctx context.Context, who identity.Actor, of int64) (said string, err error) {
	folder, dropped, err := g.Store.LotShelf(ctx, of)
	if err != nil || !dropped {
		return "", err
	}
	files, err := g.Store.FileIDs(ctx, of, store.FileFilter{})
	if err != nil {
		return "", err
	}
	done, err := g.Shelver.Change(ctx, who, files, shelf.Change{Folder: &folder})
	if errors.Is(err, store.ErrNotFound) {
		return "None of the files is a picture that can be used", nil
	}
	return fmt.Sprintf("%d pictures are on the shelf", done.Changed), err
}

// applyTries is how often a plan of what was dropped is made again.
const applyTries = 5

// lookAtLoose has the pictures of files that stayed loose looked at for barcodes,
// in the background, when some were not looked at before.
func (g *Gatherer) lookAtLoose(ctx context.Context, lot int64) error {
	pictures, err := g.Store.UnlookedBlobs(ctx, lot, false)
	if err != nil || len(pictures) == 0 {
		return err
	}
	return g.Store.Step(ctx, func(tx *door.Tx) error {
		_, err := g.Runs.Queue(ctx, tx, identity.Ambrosa, LooseBarcodesRun, store.About{Lot: lot})
		return err
	})
}
