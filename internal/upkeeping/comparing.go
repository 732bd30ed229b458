package upkeeping

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/acting"
	"ambrosa/internal/blob"
	"ambrosa/internal/store"
)

// settled is how old an object has to be before it counts as a stray: what is younger may
// still be on its way to a row.
const settled = time.Hour

// Compare compares what lies in the store with the rows of bytes, both ways, in parts:
// objects that are not there are recorded as missing, and those that no row names as strays.
// Either may come of a store or a database that was restored from a backup: nothing is
// dropped by it. It adds to what a sweep asked.
func (u *Upkeeper) Compare(ctx context.Context, sweep int64, now time.Time, asked *store.Asked) error {
	for part := range blob.Parts + 1 {
		if err := u.comparePart(ctx, part, sweep, now, asked); err != nil {
			return err
		}
	}
	return u.Store.EndStrays(ctx, sweep)
}

// comparePart compares one part. Rows are asked for first: an object comes before its row,
// and goes after it.
func (u *Upkeeper) comparePart(ctx context.Context, part int, sweep int64, now time.Time, asked *store.Asked) error {
	missing := map[blob.Sum]bool{}
	if part < blob.Parts {
		rows, err := u.Store.SumsBetween(ctx, byte(part))
		if err != nil {
			return err
		}
		for _, sum := range rows {
			missing[blob.Sum(sum)] = true
		}
	}
	strays := map[blob.Sum]store.Stray{}
	var found []store.Stray
	err := u.Blobs.List(ctx, part, func(o blob.Object) error {
		asked.Objects++
		switch stray := (store.Stray{Key: o.Key, Bytes: o.Bytes, Written: o.Written}); {
		case missing[o.Sum]:
			delete(missing, o.Sum)
		case o.Named && now.Sub(o.Written) > settled:
			stray.Sum = o.Sum.String()
			strays[o.Sum] = stray
		case !o.Named:
			found = append(found, stray)
		}
		return nil
	})
	if err != nil {
		return err
	}
	unkept, err := u.unkept(ctx, strays)
	if err != nil {
		return err
	}
	found = append(found, unkept...)
	for sum := range missing {
		if err := u.Store.Checked(ctx, sum.String(), "missing"); err != nil {
			return err
		}
	}
	asked.Missing += int64(len(missing))
	asked.Strays += int64(len(found))
	return u.Store.PutStrays(ctx, sweep, found)
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
func (u *Upkeeper) DropStrays(ctx context.Context, who acting.Actor, keys []string) (receipt, dropped int64, err error) {
	err = u.Store.Within(ctx, func(tx pgx.Tx) error {
		receipt, err = store.NewReceipt(ctx, tx, who, []int64{})
		return err
	})
	if err != nil {
		return 0, 0, err
	}
	for _, name := range keys {
		went, err := u.dropStray(ctx, who, receipt, name)
		if err != nil {
			return receipt, dropped, errors.Join(err, u.Store.EndReceipt(ctx, receipt))
		}
		if went {
			dropped++
		}
	}
	if dropped == 0 {
		return 0, 0, errors.Join(store.ErrNotFound, u.Store.ForgetReceipt(ctx, receipt))
	}
	return receipt, dropped, u.Store.EndReceipt(ctx, receipt)
}

func (u *Upkeeper) dropStray(ctx context.Context, who acting.Actor, receipt int64, name string) (went bool, err error) {
	err = u.Store.Within(ctx, func(tx pgx.Tx) error {
		stray, err := store.TakeStray(ctx, tx, name)
		if errors.Is(err, store.ErrNotFound) {
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
		return store.ReceiveStray(ctx, tx, receipt, who.Name, stray)
	})
	return went && err == nil, err
}
