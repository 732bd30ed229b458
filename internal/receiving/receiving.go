// Package receiving is what comes in: lots that wait for uploads, from a person, a
// drop folder or a supplier's link, how much each may bring, and lots that are
// given up.
package receiving

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/acting"
	"ambrosa/internal/store"
)

// Receiver is the use cases of what comes in.
type Receiver struct {
	Store   *store.Store
	Runs    store.Queue
	Pending int64 // bytes that uploads may have on their way together
}

// ErrTooMuch means that there is no room for more.
var ErrTooMuch = errors.New("no room for more")

// Begin records that an upload to a lot has begun. store.ErrNotFound means that
// the lot does not wait for files.
func (r *Receiver) Begin(ctx context.Context, u store.Upload) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		if err := r.roomFor(ctx, tx, u.Bytes); err != nil {
			return err
		}
		return store.BeginUpload(ctx, tx, u)
	})
}

// roomFor tells with ErrTooMuch that so many bytes more may not be on their way.
func (r *Receiver) roomFor(ctx context.Context, tx pgx.Tx, bytes int64) error {
	waits, err := store.OnTheirWay(ctx, tx)
	if err == nil && waits+bytes > r.Pending {
		err = ErrTooMuch
	}
	return err
}

// Finish records that all of an upload is here; with the last one that its lot
// waits for, the lot is examined.
func (r *Receiver) Finish(ctx context.Context, who acting.Actor, upload string) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		lot, err := store.FinishUpload(ctx, tx, upload)
		if err != nil {
			return err
		}
		_, err = r.complete(ctx, tx, who, lot, false)
		return err
	})
}

// Close takes a lot as complete with the uploads that are here, and forgets those
// that are not.
func (r *Receiver) Close(ctx context.Context, who acting.Actor, lot int64) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		complete, err := r.complete(ctx, tx, who, lot, true)
		if err == nil && complete {
			err = store.ForgetUploads(ctx, tx, lot)
		}
		return err
	})
}

// complete has a lot examined when what it waits for is here.
func (r *Receiver) complete(ctx context.Context, tx pgx.Tx, who acting.Actor, lot int64, asItIs bool) (bool, error) {
	complete, err := store.CompleteLot(ctx, tx, lot, asItIs)
	if err == nil && complete {
		_, err = r.Runs.Queue(ctx, tx, who, "examine", store.About{Lot: lot})
	}
	return complete, err
}

// GiveUpUpload lets an upload go that is not complete. A lot whose other uploads
// are here goes on without it; one that nothing came for goes with it.
// store.ErrNotFound means that there is no such upload.
func (r *Receiver) GiveUpUpload(ctx context.Context, who acting.Actor, upload string) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		lot, waits, err := store.ForgetUpload(ctx, tx, upload)
		if err == nil && waits == 0 {
			_, err = r.complete(ctx, tx, who, lot, true)
		}
		if err != nil {
			return err
		}
		return store.ForgetEmptyLot(ctx, tx, lot)
	})
}

// ForgetEmpty forgets a lot that waits and that nothing came for.
func (r *Receiver) ForgetEmpty(ctx context.Context, lot int64) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error { return store.ForgetEmptyLot(ctx, tx, lot) })
}

// GiveUp hides a lot that is not applied, and stops what is done of it; nothing
// of it is deleted, and it can be restored. lot.ErrApplied means that its pictures
// stand, store.ErrChanged that it was given up already.
func (r *Receiver) GiveUp(ctx context.Context, _ acting.Actor, lot int64) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		standing, err := store.LockLots(ctx, tx, []int64{lot})
		if err != nil {
			return err
		}
		if err := standing[0].State.CanBeGivenUp(standing[0].UnderWay); err != nil {
			return fmt.Errorf("%w: %w", err, store.ErrChanged)
		}
		return store.HideLot(ctx, tx, lot)
	})
}

// Restore brings a lot back that was given up; when all that it waited for is here
// by now, it is examined.
func (r *Receiver) Restore(ctx context.Context, who acting.Actor, lot int64) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		if err := store.ShowLot(ctx, tx, lot); err != nil {
			return err
		}
		_, err := r.complete(ctx, tx, who, lot, false)
		return err
	})
}

// emptyTerm is how long a lot of a supplier's link may wait for its first upload
// before it no longer counts.
const emptyTerm = 10 * time.Minute

// LinkClosed means that a supplier's link takes nothing (more), and why.
type LinkClosed struct{ Reason string }

func (e LinkClosed) Error() string { return e.Reason }

// open tells with LinkClosed that a link takes nothing.
func open(k store.SupplierLink) error {
	switch k.State {
	case "revoked":
		return LinkClosed{"This address was closed by those who gave it to you."}
	case "expired":
		return LinkClosed{"This address ended on " + k.Expires.Format("2 January 2006") + "."}
	case "full":
		return LinkClosed{"As much has been handed in as this address takes."}
	}
	return nil
}

// HandIn opens a lot for what a supplier hands in through a link.
func (r *Receiver) HandIn(ctx context.Context, link store.SupplierLink, uploads int) (lot int64, err error) {
	if err := open(link); err != nil {
		return 0, err
	}
	err = r.Store.Within(ctx, func(tx pgx.Tx) error {
		// Lots of one link are counted one after the other.
		if _, err := store.LockLink(ctx, tx, link.ID); err != nil {
			return err
		}
		if err := store.ForgetLinkLots(ctx, tx, link.ID, emptyTerm); err != nil {
			return err
		}
		promised, err := store.LinkPromised(ctx, tx, link.ID)
		if err != nil {
			return err
		}
		if left := max(0, int64(link.MaxFiles)-promised); int64(uploads) > left {
			return LinkClosed{fmt.Sprintf("This address takes %d more files. Put the pictures into one archive, or hand in fewer; nothing was "+
				"sent.", left)}
		}
		name := link.Supplier + " " + time.Now().Format("2006-01-02 15:04")
		lot, err = store.CreateLinkLot(ctx, tx, link.ID, name, uploads, supplier(link))
		return err
	})
	return lot, err
}

// supplier is who hands in through a link.
func supplier(link store.SupplierLink) acting.Actor { return acting.Actor{Name: link.Supplier} }

// BeginHandIn records that an upload through a link has begun, when the link
// still takes it; token is the SHA-256 of what the link's address ends with.
// store.ErrNotFound means that the lot is not the link's or does not wait for
// files; LinkClosed says why the link does not take it.
func (r *Receiver) BeginHandIn(ctx context.Context, token []byte, u store.Upload) error {
	return r.Store.Within(ctx, func(tx pgx.Tx) error {
		if err := r.roomFor(ctx, tx, u.Bytes); err != nil {
			return err
		}
		link, err := store.LockLinkBy(ctx, tx, token)
		if err != nil {
			return err
		}
		if err := open(link); err != nil {
			return err
		}
		if link.Bytes+u.Bytes > link.MaxBytes {
			return LinkClosed{fmt.Sprintf("This file is too large: %s of %s are left.", megabytes(link.MaxBytes-link.Bytes),
				megabytes(link.MaxBytes))}
		}
		return store.BeginLinkUpload(ctx, tx, link.ID, u)
	})
}

// HandInGoesOn tells with LinkClosed or store.ErrNotFound that an upload through a
// link does not go on: it was complete, or the link has ended since.
func (r *Receiver) HandInGoesOn(ctx context.Context, upload string) error {
	link, err := r.Store.LinkOfUpload(ctx, upload)
	if err != nil {
		return err
	}
	if link.State == "full" {
		return nil // by this very upload
	}
	return open(link)
}

func megabytes(n int64) string { return fmt.Sprintf("%.1f MB", float64(n)/1e6) }
