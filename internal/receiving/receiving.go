// Package receiving is what comes in: lots that wait for uploads, from a person, a
// drop folder or a supplier's link, how much each may bring, and lots that are
// given up.
package receiving

import (
	"context"
	"errors"
	"fmt"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/rights"
	"ambrosa/internal/door"
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

// Open makes a lot that waits for uploads.
func (r *Receiver) Open(ctx context.Context, who identity.Actor, l store.NewLot) (lot int64, err error) {
	err = r.Store.Do(ctx, door.By(who, identity.LotCreate), func(tx *door.Tx) error {
		if lot, err = store.CreateLot(ctx, tx, l); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Lot, lot))
		tx.Changed(nil, map[string]any{"name": l.Name, "origin": l.Origin})
		return nil
	})
	return lot, err
}

// Begin records that an upload to a lot has begun. store.ErrNotFound means that
// the lot does not wait for files.
func (r *Receiver) Begin(ctx context.Context, who identity.Actor, u store.Upload) error {
	return r.Store.Do(ctx, door.By(who, identity.UploadBegin, audit.Of(identity.Lot, u.LotID)), func(tx *door.Tx) error {
		if err := r.roomFor(ctx, tx, u.Bytes); err != nil {
			return err
		}
		return store.BeginUpload(ctx, tx, u)
	})
}

// roomFor tells with ErrTooMuch that so many bytes more may not be on their way.
func (r *Receiver) roomFor(ctx context.Context, tx *door.Tx, bytes int64) error {
	waits, err := store.OnTheirWay(ctx, tx)
	if err == nil && waits+bytes > r.Pending {
		err = ErrTooMuch
	}
	return err
}

// Finish records that all of an upload is here; with the last one that its lot
// waits for, the lot is examined.
func (r *Receiver) Finish(ctx context.Context, who identity.Actor, upload string) error {
	return r.Store.Do(ctx, door.By(who, identity.UploadFinish), func(tx *door.Tx) error {
		lot, err := store.FinishUpload(ctx, tx, upload)
		if err != nil {
			return err
		}
		tx.About(audit.Of(identity.Lot, lot))
		_, err = r.complete(ctx, tx, who, lot, false)
		return err
	})
}

// Close takes a lot as complete with the uploads that are here, and forgets those
// that are not.
func (r *Receiver) Close(ctx context.Context, who identity.Actor, lot int64) error {
	return r.Store.Do(ctx, door.By(who, identity.LotClose, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		complete, err := r.complete(ctx, tx, who, lot, true)
		if err == nil && complete {
			err = store.ForgetUploads(ctx, tx, lot)
		}
		return err
	})
}

// complete has a lot examined when what it waits for is here.
func (r *Receiver) complete(ctx context.Context, tx *door.Tx, who identity.Actor, lot int64, asItIs bool) (bool, error) {
	complete, err := store.CompleteLot(ctx, tx, lot, asItIs)
	if err == nil && complete {
		_, err = r.Runs.Queue(ctx, tx, who, "examine", store.About{Lot: lot})
	}
	return complete, err
}

// GiveUpUpload lets an upload go that is not complete. A lot whose other uploads
// are here goes on without it; one that nothing came for goes with it.
// store.ErrNotFound means that there is no such upload.
func (r *Receiver) GiveUpUpload(ctx context.Context, who identity.Actor, upload string) error {
	return r.Store.Do(ctx, door.By(who, identity.UploadGiveUp), func(tx *door.Tx) error {
		lot, waits, err := store.ForgetUpload(ctx, tx, upload)
		tx.About(audit.Of(identity.Lot, lot))
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
func (r *Receiver) ForgetEmpty(ctx context.Context, who identity.Actor, lot int64) error {
	return r.Store.Do(ctx, door.By(who, identity.LotForget, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		return store.ForgetEmptyLot(ctx, tx, lot)
	})
}

// GiveUp hides a lot that is not applied, and stops what is done of it; nothing
// of it is deleted, and it can be restored. lot.ErrApplied means that its pictures
// stand, store.ErrChanged that it was given up already.
func (r *Receiver) GiveUp(ctx context.Context, who identity.Actor, lot int64) error {
	return r.Store.Do(ctx, door.By(who, identity.LotDiscard, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
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
func (r *Receiver) Restore(ctx context.Context, who identity.Actor, lot int64) error {
	return r.Store.Do(ctx, door.By(who, identity.LotRestore, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		if err := store.ShowLot(ctx, tx, lot); err != nil {
			return err
		}
		_, err := r.complete(ctx, tx, who, lot, false)
		return err
	})
}

// SetRights gives rights to a lot's files that a filter chooses, or to one of them when file is not 0, and returns to
// how many. stamp is that of their rights as the person saw them, "" where that does not matter: store.ErrChanged means that
// they have others by now.
func (r *Receiver) SetRights(
	ctx context.Context, who identity.Actor, lot, file int64, f store.FileFilter, is rights.Rights, stamp string,
) (n int64, err error) {
	return door.Get(ctx, r.Store.Door, door.By(who, identity.LotRights, audit.Of(identity.Lot, lot)), func(tx *door.Tx) (int64, error) {
		if file != 0 {
			tx.About(audit.Of(identity.File, file))
		}
		had, err := store.SetRights(ctx, tx, lot, file, f, is, stamp)
		tx.Changed(map[string]int64{"cleared": had.Cleared, "restricted": had.Restricted, "unknown": had.Unknown},
			map[string]any{"rights": is, "files": had.Files})
		return had.Files, err
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
	err = r.Store.Do(ctx, door.By(supplier(link), identity.LinkHandIn, audit.Of(identity.Link, link.ID)), func(tx *door.Tx) error {
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
		lot, err = store.CreateLinkLot(ctx, tx, link.ID, name, uploads)
		tx.About(audit.Of(identity.Lot, lot))
		return err
	})
	return lot, err
}

// supplier is who hands in through a link.
func supplier(link store.SupplierLink) identity.Actor {
	return identity.Actor{Kind: identity.Supplier, Name: link.Supplier}
}

// BeginHandIn records that an upload through a link has begun, when the link
// still takes it; token is the SHA-256 of what the link's address ends with.
// store.ErrNotFound means that the lot is not the link's or does not wait for
// files; LinkClosed says why the link does not take it.
func (r *Receiver) BeginHandIn(ctx context.Context, token []byte, u store.Upload) error {
	from, err := r.Store.SupplierLinkBy(ctx, token)
	if err != nil {
		return err
	}
	return r.Store.Do(ctx, door.By(supplier(from), identity.UploadBegin, audit.Of(identity.Lot, u.LotID)), func(tx *door.Tx) error {
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

// Uploader is who an upload comes from: the supplier whose link it comes through, or a person.
func (r *Receiver) Uploader(ctx context.Context, upload string, person identity.Actor) (identity.Actor, error) {
	link, err := r.Store.LinkOfUpload(ctx, upload)
	if errors.Is(err, store.ErrNotFound) {
		return person, nil
	}
	return supplier(link), err
}

func megabytes(n int64) string { return fmt.Sprintf("%.1f MB", float64(n)/1e6) }

// KeepAnswer stores the answer to a request that used a key, to return it when the request is sent again.
func (r *Receiver) KeepAnswer(ctx context.Context, key string, status int, answer []byte) error {
	return r.Store.Step(ctx, func(tx *door.Tx) error { return store.KeepAnswer(ctx, tx, key, status, answer) })
}
