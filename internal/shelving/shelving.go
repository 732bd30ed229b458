// Package shelving is the use cases of the shelf: pictures that are needed, and stand on no product
// yet, are saved for later in folders and with words, and each change is taken back as it was made.
package shelving

import (
	"context"
	"errors"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/shelf"
	"ambrosa/internal/deciding"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Reason is why files are set aside in their lot that were saved for later.
const Reason = "saved for later"

// Shelver is the use cases of the shelf.
type Shelver struct{ Store *store.Store }

// ShelfChange is what a change of the shelf did.
type ShelfChange struct {
	Act     int64 `json:"act" doc:"Takes it back; 0 where nothing changed"`
	Changed int   `json:"changed" doc:"Pictures that are kept otherwise now"`
	Left    int   `json:"left" doc:"Files that are none: they are gone, or cannot be shown"`
}

// Change keeps files on the shelf as a change says. Those of open lots that nobody decided on are
// set aside there: they wait for nothing any more. store.ErrNotFound means that none of the files
// is a picture; other errors are those of package shelf.
func (s *Shelver) Change(ctx context.Context, who identity.Actor, files []int64, change shelf.Change) (done ShelfChange, err error) {
	err = s.Store.Do(ctx, door.By(who, identity.ShelfChange, audit.All(identity.File, files)...), func(tx *door.Tx) error {
		standing, there, err := lock(ctx, tx, files)
		if err != nil {
			return err
		}
		if len(there) == 0 {
			return store.ErrNotFound
		}
		places, put, err := changed(there, change)
		if err != nil {
			return err
		}
		done = ShelfChange{Changed: len(places), Left: len(files) - len(there)}
		if len(places) == 0 {
			tx.Unchanged()
			return nil
		}
		aside, err := setAside(ctx, tx, who, standing, put)
		if err != nil {
			return err
		}
		if err := store.WriteShelf(ctx, tx, places); err != nil {
			return err
		}
		done.Act, err = store.NewShelfAct(ctx, tx, places, aside)
		return err
	})
	return done, err
}

// changed are the places that a change makes others of, and the files that it puts on the shelf.
func changed(there []store.ShelfPlace, change shelf.Change) (places []store.ShelfPlace, put []int64, err error) {
	for _, p := range there {
		if p.Now, err = change.Of(p.Was); err != nil {
			return nil, nil, err
		}
		if shelf.Same(p.Was, p.Now) {
			continue
		}
		places = append(places, p)
		if p.Was == nil {
			put = append(put, p.File)
		}
	}
	return places, put, nil
}

// lock keeps files, their lots and the shelf as they are until the transaction ends: lots first, as
// by whoever writes verdicts.
func lock(ctx context.Context, tx *door.Tx, files []int64) (lots []store.LotStanding, there []store.ShelfPlace, err error) {
	of, err := store.LotsOf(ctx, tx, files)
	if err != nil || len(of) == 0 {
		return nil, nil, err
	}
	if lots, err = store.LockLots(ctx, tx, of); err != nil {
		return nil, nil, err
	}
	there, err = store.LockShelf(ctx, tx, files)
	return lots, there, err
}

// setAside sets those of the files aside that wait to be decided on in an open lot, and returns the
// decisions.
func setAside(
	ctx context.Context, tx *door.Tx, who identity.Actor, lots []store.LotStanding, files []int64,
) (decisions []int64, err error) {
	byLot, err := store.Undecided(ctx, tx, files)
	if err != nil {
		return nil, err
	}
	for _, of := range lots {
		chosen := byLot[of.ID]
		if len(chosen) == 0 || of.State != lot.Ready || of.UnderWay {
			continue
		}
		done, err := deciding.SaveWithin(ctx, tx, of.ID, store.FileFilter{Chosen: chosen}, Reason)
		if err != nil {
			return nil, err
		}
		if len(done.Files) > 0 {
			decisions = append(decisions, done.ID)
		}
	}
	return decisions, nil
}

// Undo takes a change back: pictures are kept as they were before, but for those that somebody
// changed since, and files of lots that are still open are as undecided as they were. It returns
// how many stayed; store.ErrNotFound means that there is no such change, or not any more.
func (s *Shelver) Undo(ctx context.Context, who identity.Actor, act int64) (stayed int, err error) {
	err = s.Store.Do(ctx, door.By(who, identity.ShelfUndo, audit.Of(identity.ShelfAct, act)), func(tx *door.Tx) error {
		was, err := store.UndoShelfAct(ctx, tx, act)
		if err != nil {
			return err
		}
		files := make([]int64, len(was.Places))
		before := make(map[int64]store.ShelfPlace, len(was.Places))
		for i, p := range was.Places {
			files[i], before[p.File] = p.File, p
		}
		_, there, err := lock(ctx, tx, files)
		if err != nil {
			return err
		}
		var places []store.ShelfPlace
		for _, p := range there {
			if shelf.Same(p.Was, before[p.File].Now) {
				places = append(places, store.ShelfPlace{File: p.File, Was: p.Was, Now: before[p.File].Was})
			}
		}
		stayed = len(files) - len(places)
		if err := bringBack(ctx, tx, was.Decisions); err != nil {
			return err
		}
		return store.WriteShelf(ctx, tx, places)
	})
	return stayed, err
}

// bringBack takes decisions back whose lots can be decided on still; the others stand as they do.
func bringBack(ctx context.Context, tx *door.Tx, decisions []int64) error {
	for _, id := range decisions {
		var notReady lot.NotReady
		err := tx.Part(ctx, func(within *door.Tx) error {
			_, _, err := deciding.TakeBackWithin(ctx, within, id)
			return err
		})
		if err != nil && !errors.Is(err, lot.ErrApplied) && !errors.As(err, &notReady) {
			return err
		}
	}
	return nil
}
