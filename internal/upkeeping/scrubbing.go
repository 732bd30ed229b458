package upkeeping

import (
	"context"
	"fmt"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/upkeep"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// findAlike calls for the files that look alike, group by group.
func (u *Upkeeper) findAlike(ctx context.Context, each func(store.Swept) error) error {
	files, err := u.Store.Lookalikes(ctx)
	if err != nil {
		return err
	}
	looks := make([]upkeep.Lookalike, len(files))
	for i, f := range files {
		looks[i] = f.Lookalike
	}
	for i, a := range upkeep.Grouped(looks) {
		f := files[i]
		if a.Group == 0 {
			continue
		}
		err := each(store.Swept{Kind: "alike", Reason: a.Reason, File: f.File, Lot: f.Lot, Name: f.Name, Path: f.Path, Sum: f.Sum, Bytes: f.Bytes,
			Group: a.Group, Since: f.Arrived, Detail: a.Detail})
		if err != nil {
			return err
		}
	}
	return nil
}

// findBroken calls for the files whose bytes were found missing or damaged when they were
// read last.
func (u *Upkeeper) findBroken(ctx context.Context, each func(store.Swept) error) error {
	files, err := u.Store.Broken(ctx)
	if err != nil {
		return err
	}
	return eachBroken(files, each)
}

func eachBroken(files []store.BrokenFile, each func(store.Swept) error) error {
	for _, f := range files {
		detail := ""
		if f.Shown > 0 {
			detail = fmt.Sprintf("shown by %d", f.Shown)
		}
		err := each(store.Swept{Kind: "broken", Reason: f.Damage, File: f.ID, Lot: f.Lot, Name: f.Name, Path: f.Path, Sum: f.Sum, Bytes: f.Bytes,
			Group: f.Group, Since: f.Checked, Detail: detail})
		if err != nil {
			return err
		}
	}
	return nil
}

// checkedAtOnce is how many bytes are asked for at a time, and abreast how many are read side
// by side while nobody waits for anything else.
const (
	checkedAtOnce = 100
	abreast       = 2
)

// Scrub reads the share of what is stored that has to be read in one sweep, so that all is
// read within some days at a sweep a day, and records what is wrong. What was found wrong
// before is read every time. It gives way to other runs.
func (u *Upkeeper) Scrub(ctx context.Context, days int, now time.Time) error {
	all, err := u.Store.Blobs(ctx)
	if err != nil {
		return err
	}
	before, err := u.Store.Broken(ctx)
	if err != nil {
		return err
	}
	var wrong []string
	for _, f := range before {
		wrong = append(wrong, f.Sum)
	}
	for some := range slices.Chunk(wrong, checkedAtOnce) {
		if err := u.check(ctx, some); err != nil {
			return err
		}
	}
	for share := (all + int64(days) - 1) / int64(days); share > 0; {
		next, err := u.Store.NextToCheck(ctx, now, int(min(share, checkedAtOnce)))
		if err != nil || len(next) == 0 {
			return err
		}
		if err := u.check(ctx, next); err != nil {
			return err
		}
		share -= int64(len(next))
	}
	return nil
}

// check reads some bytes and records what is wrong with them. While other runs go on, it
// reads one at a time, and rests as long as each takes.
func (u *Upkeeper) check(ctx context.Context, sums []string) error {
	busy, err := u.Store.OthersRun(ctx, SweepRun)
	if err != nil {
		return err
	}
	group, reading := errgroup.WithContext(ctx)
	group.SetLimit(abreast)
	if busy {
		group.SetLimit(1)
	}
	damage := make([]string, len(sums))
	for i, text := range sums {
		group.Go(func() error {
			begin := time.Now()
			sum, err := blob.ParseSum(text)
			if err != nil {
				return err
			}
			if damage[i], err = u.Blobs.Check(reading, sum); err != nil {
				return asked("reading "+text[:12], err)
			}
			if busy {
				return rest(reading, time.Since(begin))
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	return u.Store.Step(ctx, func(tx *door.Tx) error { return store.Checked(ctx, tx, sums, damage) })
}

// rest waits for a while, or until the work ends.
func rest(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}

// CheckAll reads all that is stored and calls for the files whose bytes are wrong; it records
// nothing.
func (u *Upkeeper) CheckAll(ctx context.Context, each func(store.Swept) error) error {
	var wrong []store.Stored
	err := u.Store.EachStored(ctx, func(b store.Stored) error {
		sum, err := blob.ParseSum(b.Sum)
		if err != nil {
			return err
		}
		if b.Damage, err = u.Blobs.Check(ctx, sum); err == nil && b.Damage != "" {
			wrong = append(wrong, b)
		}
		return err
	})
	if err != nil {
		return err
	}
	for _, b := range wrong {
		files, err := u.Store.FilesOf(ctx, b.Sum)
		if err != nil {
			return err
		}
		for i := range files {
			files[i].Damage = b.Damage
		}
		if err := eachBroken(files, each); err != nil {
			return err
		}
	}
	return nil
}

// NoteDamage notes that bytes were found damaged while somebody fetched them; sum is theirs, hexadecimal.
func (u *Upkeeper) NoteDamage(ctx context.Context, sum string) error {
	return u.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Checked(ctx, tx, []string{sum}, []string{"damaged"})
	})
}
