package upkeeping

import (
	"context"
	"errors"
	"slices"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// settled is how old an object has to be before it counts as a stray: what is younger may
// still be on its way to a row.
const settled = time.Hour

// Compare compares what lies in the store with the rows of bytes, both ways, in parts:
// objects that are not there are recorded as missing, and those that no row names as strays.
// Either may come of a store or a database that was restored from a backup: nothing is
// dropped by it. It adds to what a sweep counts. ErrStoreEmpty means that there is no object at
// all, but rows: a folder that is not mounted, or another bucket, rather than so many losses.
func (u *Upkeeper) Compare(ctx context.Context, sweep int64, now time.Time, counts *store.Asked) error {
	if err := u.anything(ctx); err != nil {
		return err
	}
	for first := 0; first < blob.Parts; first += rowsOf {
		// Rows are asked for before the objects: an object comes before its row, and goes after it.
		rows, err := u.Store.SumsBetween(ctx, byte(first), rowsOf)
		if err != nil {
			return err
		}
		named := map[blob.Sum]bool{}
		for _, sum := range rows {
			named[blob.Sum(sum)] = true
		}
		for part := first; part < first+rowsOf; part++ {
			if err := u.comparePart(ctx, part, named, sweep, now, counts); err != nil {
				return err
			}
		}
		if err := u.missing(ctx, named, counts); err != nil {
			return err
		}
	}
	if err := u.comparePart(ctx, blob.Parts, nil, sweep, now, counts); err != nil {
		return err
	}
	return u.Store.Step(ctx, func(tx *door.Tx) error {
		return errors.Join(store.FoundAgain(ctx, tx, sweep), store.EndStrays(ctx, tx, sweep))
	})
}

// ErrStoreEmpty means that the store shows none of the objects that it should have.
var ErrStoreEmpty = errors.New("the object store is empty: is it there, and the right one?")

// StoreError means that the object store did not do what it was counts.
type StoreError struct {
	Asked string // in a word or two
	err   error
}

func (e *StoreError) Error() string { return e.Asked }

// Unwrap returns what it said.
func (e *StoreError) Unwrap() error { return e.err }

// asked wraps what the object store says to something.
func asked(what string, err error) error {
	if err == nil || errors.Is(err, context.Canceled) {
		return err
	}
	return &StoreError{what, err}
}

// errSome ends a listing when there is something.
var errSome = errors.New("there is something")

// anything looks whether the store shows any object, where there should be some.
func (u *Upkeeper) anything(ctx context.Context) error {
	all, err := u.Store.Blobs(ctx)
	if err != nil || all == 0 {
		return err
	}
	for part := range blob.Parts {
		err := u.Blobs.List(ctx, part, func(blob.Object) error { return errSome })
		if errors.Is(err, errSome) {
			return nil
		}
		if err != nil {
			return asked("listing objects", err)
		}
	}
	return ErrStoreEmpty
}

// rowsOf is of how many parts the rows are asked for together.
const rowsOf = 16

// missing records that objects are not there, whose rows are.
func (u *Upkeeper) missing(ctx context.Context, rows map[blob.Sum]bool, counts *store.Asked) error {
	if len(rows) == 0 {
		return nil
	}
	counts.Missing += int64(len(rows))
	sums := make([]string, 0, len(rows))
	for sum := range rows {
		sums = append(sums, sum.String())
	}
	return u.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Checked(ctx, tx, sums, slices.Repeat([]string{"missing"}, len(sums)))
	})
}

// comparePart compares one part with the rows, and takes those whose object is there from them.
func (u *Upkeeper) comparePart(
	ctx context.Context, part int, rows map[blob.Sum]bool, sweep int64, now time.Time, counts *store.Asked,
) error {
	strays := map[blob.Sum]store.Stray{}
	var found []store.Stray
	err := u.Blobs.List(ctx, part, func(o blob.Object) error {
		counts.Objects++
		switch stray := (store.Stray{Key: o.Key, Bytes: o.Bytes, Written: o.Written}); {
		case rows[o.Sum]:
			delete(rows, o.Sum)
		case o.Named && now.Sub(o.Written) > settled:
			stray.Sum = o.Sum.String()
			strays[o.Sum] = stray
		case !o.Named:
			found = append(found, stray)
		}
		return nil
	})
	if err != nil {
		return asked("listing objects", err)
	}
	unkept, err := u.unkept(ctx, strays)
	if err != nil {
		return err
	}
	found = append(found, unkept...)
	counts.Strays += int64(len(found))
	return u.Store.Step(ctx, func(tx *door.Tx) error { return store.PutStrays(ctx, tx, sweep, found) })
}

// unkept returns those of objects that nothing names, asked for after they were listed.
func (u *Upkeeper) unkept(ctx context.Context, strays map[blob.Sum]store.Stray) (found []store.Stray, err error) {
	if len(strays) == 0 {
		return nil, nil
	}
	var sums [][]byte
	for sum := range strays {
		sums = append(sums, sum[:])
	}
	left, err := u.Store.Unkept(ctx, sums)
	for _, sum := range left {
		found = append(found, strays[blob.Sum(sum)])
	}
	return found, err
}

// DropStrays drops objects that no row names, because a person says so: each is asked about
// again, under the lock of its sum. It returns how many went, and their receipt.
// store.ErrNotFound means that none of them is a stray any more.
func (u *Upkeeper) DropStrays(ctx context.Context, who identity.Actor, keys []string) (receipt, dropped int64, err error) {
	err = u.Store.Do(ctx, door.By(who, identity.StrayDrop), func(tx *door.Tx) error {
		receipt, err = store.NewReceipt(ctx, tx, []int64{})
		tx.About(audit.Of(identity.Receipt, receipt))
		tx.Changed(map[string]any{"objects": keys}, nil)
		return err
	})
	if err != nil {
		return 0, 0, err
	}
	for _, name := range keys {
		went, err := u.dropStray(ctx, who, receipt, name)
		if err != nil {
			return receipt, dropped, errors.Join(err, u.endReceipt(ctx, receipt))
		}
		if went {
			dropped++
		}
	}
	if dropped == 0 {
		return 0, 0, errors.Join(store.ErrNotFound, u.Store.Step(ctx, func(tx *door.Tx) error {
			return store.ForgetReceipt(ctx, tx, receipt)
		}))
	}
	return receipt, dropped, u.endReceipt(ctx, receipt)
}

// endReceipt records that all has gone that a receipt is of.
func (u *Upkeeper) endReceipt(ctx context.Context, receipt int64) error {
	return u.Store.Step(ctx, func(tx *door.Tx) error { return store.EndReceipt(ctx, tx, receipt) })
}

func (u *Upkeeper) dropStray(ctx context.Context, who identity.Actor, receipt int64, name string) (went bool, err error) {
	err = u.Store.Do(ctx, door.By(who, identity.StrayDrop, audit.Of(identity.Receipt, receipt)), func(tx *door.Tx) error {
		went = false
		stray, err := store.TakeStray(ctx, tx, name)
		if errors.Is(err, store.ErrNotFound) {
			tx.Unchanged()
			return nil
		}
		if err != nil {
			return err
		}
		if stray.Sum == "" {
			if err := u.Blobs.DropForeign(ctx, name); err != nil {
				return err
			}
		} else {
			kept, err := store.KeepsBytes(ctx, tx, stray.Sum)
			if err != nil || kept {
				return err
			}
			sum, err := blob.ParseSum(stray.Sum)
			if err != nil {
				return err
			}
			if err := u.Blobs.Drop(ctx, sum); err != nil {
				return err
			}
		}
		went = true
		return store.ReceiveStray(ctx, tx, receipt, stray)
	})
	return went && err == nil, err
}
