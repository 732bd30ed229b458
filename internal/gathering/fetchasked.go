package gathering

import (
	"context"
	"errors"
	"fmt"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Fetch queues fetching what is new at an origin. ErrChanged means that a fetch
// is under way.
func (g *Gatherer) Fetch(ctx context.Context, who identity.Actor, origin int64) (id int64, err error) {
	err = g.Store.Do(ctx, door.By(who, identity.OriginFetch, audit.Of(identity.Origin, origin)), func(tx *door.Tx) error {
		busy, err := store.FetchBusy(ctx, tx, origin)
		if err != nil {
			return err
		}
		if busy {
			return fmt.Errorf("a fetch is under way: %w", store.ErrChanged)
		}
		id, err = g.Runs.Queue(ctx, tx, who, FetchRun, store.About{Origin: origin})
		return err
	})
	return id, err
}

// TakePictures queues fetching pictures of a page that a person chose, and
// returns the lot they come to.
func (g *Gatherer) TakePictures(
	ctx context.Context, who identity.Actor, address, title string, items []store.FetchItem,
) (lot int64, err error) {
	name := title
	if name == "" {
		name = address
	}
	err = g.Store.Do(ctx, door.By(who, identity.OriginPictures), func(tx *door.Tx) error {
		o, err := store.PagesOrigin(ctx, tx)
		if err != nil {
			return err
		}
		lot, err = g.fetchChosen(ctx, tx, who, o, name, items)
		return err
	})
	return lot, err
}

// ErrFetching means that a sheet's pictures are being fetched.
var ErrFetching = errors.New("its pictures are being fetched")

// TakeForSheet queues fetching the pictures that a sheet names by address, and returns
// the lot they come to. The error may be ErrFetching.
func (g *Gatherer) TakeForSheet(ctx context.Context, who identity.Actor, of store.Sheet, items []store.FetchItem) (lot int64, err error) {
	err = g.Store.Do(ctx, door.By(who, identity.OriginPictures, audit.Of(identity.Sheet, of.ID)), func(tx *door.Tx) error {
		busy, err := store.SheetFetching(ctx, tx, of.ID)
		if err != nil {
			return err
		}
		if busy {
			return ErrFetching
		}
		o, err := store.PagesOrigin(ctx, tx)
		if err != nil {
			return err
		}
		if lot, err = g.fetchChosen(ctx, tx, who, o, "Pictures of "+of.Name, items); err != nil {
			return err
		}
		return store.TakenForSheet(ctx, tx, lot, of.ID)
	})
	return lot, err
}

// fetchChosen queues a run that fetches files which a person chose.
func (g *Gatherer) fetchChosen(
	ctx context.Context, tx *door.Tx, who identity.Actor, o store.Origin, name string, items []store.FetchItem,
) (lot int64, err error) {
	id, err := g.Runs.Queue(ctx, tx, who, FetchRun, store.About{Origin: o.ID})
	if err != nil {
		return 0, err
	}
	return store.Chosen(ctx, tx, id, o, name, items)
}

// FetchDue queues the fetches whose time has come.
func (g *Gatherer) FetchDue(ctx context.Context) error {
	for {
		err := g.Store.Do(ctx, door.By(identity.Due, identity.OriginFetch), func(tx *door.Tx) error {
			due, err := store.DueOrigin(ctx, tx)
			if err != nil {
				return err
			}
			tx.About(audit.Of(identity.Origin, due))
			_, err = g.Runs.Queue(ctx, tx, identity.Due, FetchRun, store.About{Origin: due})
			return err
		})
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}
