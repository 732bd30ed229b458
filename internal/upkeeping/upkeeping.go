// Package upkeeping is the use cases of upkeep: sweeps find what nothing needs, people look
// at it and hold it for a term, and what is past its term is purged, with a receipt. Why a
// file is left over is judged in core/upkeep; what needs a file is one table of the store.
package upkeeping

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/upkeep"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Upkeeper is the use cases of upkeep.
type Upkeeper struct {
	Store *store.Store
	Blobs Objects
	Runs  store.Queue
	Plans Plans

	spaces spaces
}

// Objects is where bytes are stored.
type Objects interface {
	// Drop removes bytes with all that was made of them; what is not there is gone already.
	Drop(ctx context.Context, sum blob.Sum) error
	// Check reads bytes and says what is wrong: "missing", "damaged", or "".
	Check(ctx context.Context, sum blob.Sum) (damage string, err error)
	// List calls for each object of one of the parts, and of what lies beside them.
	List(ctx context.Context, part int, each func(blob.Object) error) error
	// DropForeign removes an object that is no blob.
	DropForeign(ctx context.Context, name string) error
}

// The kinds of runs that are queued.
const (
	SweepRun = "sweep"
	PurgeRun = "purge"
)

// Kinds are what sweeps look for.
var Kinds = []string{"orphans", "twice", "alike", "broken", "below", "lying"}

// ErrUnderWay means that another run of the kind goes on.
var ErrUnderWay = errors.New("another is under way")

// Sweep has a sweep done of some kinds.
func (u *Upkeeper) Sweep(ctx context.Context, who identity.Actor, kinds []string) (run int64, err error) {
	err = u.Store.Do(ctx, door.By(who, identity.SweepBegin), func(tx *door.Tx) error {
		run, err = u.sweep(ctx, tx, who, kinds)
		return err
	})
	return run, err
}

func (u *Upkeeper) sweep(ctx context.Context, tx *door.Tx, who identity.Actor, kinds []string) (int64, error) {
	if err := u.alone(ctx, tx, SweepRun); err != nil {
		return 0, err
	}
	sweep, err := store.NewSweep(ctx, tx, kinds)
	if err != nil {
		return 0, err
	}
	return u.Runs.Queue(ctx, tx, who, SweepRun, store.About{Sweep: sweep})
}

// alone tells with ErrUnderWay that a run of a kind goes on, and keeps others from beginning
// one until the transaction ends.
func (u *Upkeeper) alone(ctx context.Context, tx *door.Tx, kind string) error {
	busy, err := store.RunOfKind(ctx, tx, kind)
	if err == nil && busy {
		err = ErrUnderWay
	}
	return err
}

// Due has done what the timetable says: a sweep, and a purge of what is past its term. After a
// long pause, or when the clock was turned on, terms may have ended that nobody saw ending: then
// nothing goes by itself before the next sweep, and who looks meanwhile sees what would.
func (u *Upkeeper) Due(ctx context.Context) error {
	return u.Store.Do(ctx, door.By(identity.Due, identity.SweepBegin), func(tx *door.Tx) error {
		due, err := store.SweepDue(ctx, tx)
		if err != nil || !due {
			tx.Unchanged()
			return err
		}
		usual, err := store.SweptAsUsual(ctx, tx)
		if err != nil {
			return err
		}
		if _, err := u.sweep(ctx, tx, identity.Due, Kinds); err != nil && !errors.Is(err, ErrUnderWay) {
			return err
		}
		how, err := u.Store.Upkeep(ctx)
		if err != nil || !how.Purge || !usual {
			return err
		}
		files, all, err := store.Purgeable(ctx, tx, nil)
		if err != nil || files == 0 || over(files, all, how.PurgeShare) {
			return err // so many at once are asked for, on Upkeep
		}
		_, err = u.purge(ctx, tx, identity.Due, nil)
		if errors.Is(err, ErrUnderWay) {
			return nil
		}
		return err
	})
}

// Find calls for everything that a sweep of some kinds finds at a time, as upkeep goes; it
// changes nothing.
func (u *Upkeeper) Find(ctx context.Context, kinds []string, how store.Upkeep, at time.Time, each func(store.Swept) error) error {
	finders := map[string]func() error{
		"orphans": func() error { return u.findOrphans(ctx, how.Ages, at, each) },
		"twice":   func() error { return u.findTwice(ctx, each) },
		"alike":   func() error { return u.findAlike(ctx, each) },
		"broken":  func() error { return u.findBroken(ctx, each) },
		"below":   func() error { return u.findBelow(ctx, how.RightsDays, at, each) },
		"lying":   func() error { return u.findLying(ctx, how.LyingDays, at, each) },
	}
	for _, kind := range Kinds {
		if !slices.Contains(kinds, kind) {
			continue
		}
		if err := finders[kind](); err != nil {
			return fmt.Errorf("sweep %s: %w", kind, err)
		}
	}
	return nil
}

func (u *Upkeeper) findOrphans(ctx context.Context, ages upkeep.Ages, at time.Time, each func(store.Swept) error) error {
	return u.Store.EachLeft(ctx, at, func(f store.LeftFile) error {
		if f.Removed.IsZero() {
			f.Plan = 0
		}
		reason, since := upkeep.Why(f.Left)
		if !ages.Ripe(reason, since, at) {
			return nil
		}
		return each(store.Swept{Kind: "orphans", Reason: string(reason), File: f.ID, Lot: f.Lot, Name: f.Name, Path: f.Path, Sum: f.Sum,
			Bytes: f.Bytes, Frees: f.Frees(), Since: since, Plan: f.Plan, Detail: detailOf(f, reason)})
	})
}

func (u *Upkeeper) findTwice(ctx context.Context, each func(store.Swept) error) error {
	return u.Store.EachTwin(ctx, func(f store.Twin) error {
		reason, detail := upkeep.TwiceAs(f.Products, f.Most)
		return each(store.Swept{Kind: "twice", Reason: reason, File: f.ID, Lot: f.Lot, Name: f.Name, Path: f.Path, Sum: f.Sum, Bytes: f.Bytes,
			Group: f.Group, Since: f.Arrived, Detail: detail})
	})
}

// detailOf says more of why nothing needs a file.
func detailOf(f store.LeftFile, reason upkeep.Reason) string {
	switch {
	case reason == upkeep.Replaced && f.By != "":
		return "by plan " + fmt.Sprint(f.Plan) + ", applied by " + f.By
	case reason == upkeep.Replaced:
		return "by plan " + fmt.Sprint(f.Plan)
	case reason == upkeep.SetAside:
		return f.Why
	}
	return ""
}

// written is how many findings are written at once.
const written = 1000

// DoSweep does a sweep, and writes what it finds. step hears how many findings there are.
func (u *Upkeeper) DoSweep(ctx context.Context, who identity.Actor, id int64, step func(found int64)) (found int64, err error) {
	sweep, err := u.Store.Sweep(ctx, id)
	if err != nil {
		return 0, err
	}
	how, err := u.Store.Upkeep(ctx)
	if err != nil {
		return 0, err
	}
	now := time.Now()
	asked, err := store.CountAsked(ctx, u.Store.Reader(), now)
	if err != nil {
		return 0, err
	}
	if slices.Contains(sweep.Kinds, "broken") {
		if err := u.Compare(ctx, id, now, &asked); err != nil {
			return 0, err
		}
		if err := u.Scrub(ctx, how.CheckDays, now); err != nil {
			return 0, err
		}
	}
	var batch []store.Swept
	write := func() error {
		err := u.Store.Step(ctx, func(tx *door.Tx) error { return store.PutFindings(ctx, tx, id, batch) })
		found += int64(len(batch))
		batch = batch[:0]
		step(found)
		return err
	}
	err = u.Find(ctx, sweep.Kinds, how, now, func(f store.Swept) error {
		if batch = append(batch, f); len(batch) < written {
			return nil
		}
		return write()
	})
	if err != nil {
		return 0, err
	}
	if err := write(); err != nil {
		return 0, err
	}
	return found, u.Store.Do(ctx, door.By(who, identity.SweepEnd, audit.Of(identity.Sweep, id)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]int64{"found": found})
		return store.EndSweep(ctx, tx, id, asked)
	})
}

// Set says how upkeep goes.
func (u *Upkeeper) Set(ctx context.Context, who identity.Actor, how store.Upkeep) error {
	was, err := u.Store.Upkeep(ctx)
	if err != nil {
		return err
	}
	return u.Store.Do(ctx, door.By(who, identity.UpkeepSet), func(tx *door.Tx) error {
		tx.Changed(was, how)
		return store.SetUpkeep(ctx, tx, how)
	})
}

// Hold holds the orphans that a filter chooses, for so many days (0 for the usual), and says
// why. store.ErrNotFound means that none of them can be held any more.
func (u *Upkeeper) Hold(
	ctx context.Context, who identity.Actor, q store.FindingFilter, days int, because string,
) (h store.HeldNow, err error) {
	if days == 0 {
		how, err := u.Store.Upkeep(ctx)
		if err != nil {
			return h, err
		}
		days = how.HoldDays
	}
	err = u.Store.Do(ctx, door.By(who, identity.FindingsHold), func(tx *door.Tx) error {
		h, err = store.Hold(ctx, tx, q, days, strings.TrimSpace(because))
		tx.About(audit.Of(identity.Holding, h.Holding))
		tx.Changed(nil, map[string]any{"because": because, "days": days, "files": h.Files})
		return err
	})
	return h, err
}

// Restore gives the files of a holding back to what they were: all of them, or some. It
// returns how many; store.ErrNotFound means that none of them is held any more.
func (u *Upkeeper) Restore(ctx context.Context, who identity.Actor, holding int64, files []int64) (restored int64, err error) {
	err = u.Store.Do(ctx, door.By(who, identity.HoldingRestore, audit.Of(identity.Holding, holding)), func(tx *door.Tx) error {
		restored, err = store.Unhold(ctx, tx, holding, files)
		if err == nil && restored == 0 {
			err = store.ErrNotFound
		}
		return err
	})
	return restored, err
}

// Pin keeps files, because a person says so: held ones come back.
func (u *Upkeeper) Pin(ctx context.Context, who identity.Actor, files []int64, because string) (pinned int64, err error) {
	err = u.Store.Do(ctx, door.By(who, identity.FilePin, audit.All(identity.File, files)...), func(tx *door.Tx) error {
		pinned, err = store.AddPins(ctx, tx, strings.TrimSpace(because), files)
		if err == nil && pinned == 0 {
			return store.ErrNotFound
		}
		if err != nil {
			return err
		}
		return tx.Announce(ctx, door.Event{Topic: "upkeep"})
	})
	return pinned, err
}

// Unpin lets files be judged like all others again.
func (u *Upkeeper) Unpin(ctx context.Context, who identity.Actor, files []int64) (n int64, err error) {
	err = u.Store.Do(ctx, door.By(who, identity.FileUnpin, audit.All(identity.File, files)...), func(tx *door.Tx) error {
		if n, err = store.RemovePins(ctx, tx, files); err != nil {
			return err
		}
		return tx.Announce(ctx, door.Event{Topic: "upkeep"})
	})
	return n, err
}

// Over means that a purge would take more of the library than the set share.
type Over struct {
	Files, All int64
	Share      int // percent
}

func (o Over) Error() string {
	return fmt.Sprintf("%d of %d files would go, more than %d percent", o.Files, o.All, o.Share)
}

func over(files, all int64, share int) bool { return files*100 > all*int64(share) }

// Purge has files go: those of holdings, before their term, or, with none, all that is past
// its term. files is how many the person saw: with other ones it is store.ErrChanged. With
// more than the set share of the library it is an Over, unless much is true.
func (u *Upkeeper) Purge(ctx context.Context, who identity.Actor, holdings []int64, files int64, much bool) (run int64, err error) {
	how, err := u.Store.Upkeep(ctx)
	if err != nil {
		return 0, err
	}
	err = u.Store.Do(ctx, door.By(who, identity.HoldingPurge, audit.All(identity.Holding, holdings)...), func(tx *door.Tx) error {
		now, all, err := store.Purgeable(ctx, tx, holdings)
		switch {
		case err != nil:
			return err
		case now == 0:
			return store.ErrNotFound
		case now != files:
			return store.ErrChanged
		case !much && over(now, all, how.PurgeShare):
			return Over{now, all, how.PurgeShare}
		}
		run, err = u.purge(ctx, tx, who, holdings)
		return err
	})
	return run, err
}

func (u *Upkeeper) purge(ctx context.Context, tx *door.Tx, who identity.Actor, holdings []int64) (int64, error) {
	if err := u.alone(ctx, tx, PurgeRun); err != nil {
		return 0, err
	}
	if holdings == nil {
		holdings = []int64{}
	}
	receipt, err := store.NewReceipt(ctx, tx, holdings)
	if err != nil {
		return 0, err
	}
	tx.About(audit.Of(identity.Receipt, receipt))
	return u.Runs.Queue(ctx, tx, who, PurgeRun, store.About{Receipt: receipt})
}

// Of a purge so many files go in one transaction, and so many rounds are made for those that
// somebody worked on when their turn came.
const (
	purgedAtOnce = 200
	rounds       = 3
)

// DoPurge does a purge: rows first, then the objects that nothing keeps any more. It can be
// done again from any point, and goes on. step hears how many files were looked at.
func (u *Upkeeper) DoPurge(ctx context.Context, who identity.Actor, receipt int64, step func(done int64)) error {
	for range rounds {
		for behind := int64(0); ; {
			deed := door.By(who, identity.HoldingPurge, audit.Of(identity.Receipt, receipt))
			last, err := door.Get(ctx, u.Store.Door, deed, func(tx *door.Tx) (int64, error) {
				return store.PurgeSome(ctx, tx, receipt, behind, purgedAtOnce)
			})
			if err != nil {
				return err
			}
			if last == 0 {
				break
			}
			behind = last
			now, err := u.Store.Receipt(ctx, receipt)
			if err != nil {
				return err
			}
			step(now.Files + now.Kept)
			if err := u.DropLeaving(ctx); err != nil {
				return err
			}
		}
	}
	if err := u.DropLeaving(ctx); err != nil {
		return err
	}
	return u.endReceipt(ctx, receipt)
}

// DropLeaving drops the objects whose rows are gone, and that nothing keeps.
func (u *Upkeeper) DropLeaving(ctx context.Context) error {
	for {
		sums, err := u.Store.LeavingBytes(ctx, purgedAtOnce)
		if err != nil || len(sums) == 0 {
			return err
		}
		for _, sum := range sums {
			err := u.Store.Step(ctx, func(tx *door.Tx) error {
				return store.DropBytes(ctx, tx, sum, func(text string) error {
					named, err := blob.ParseSum(text)
					if err != nil {
						return err
					}
					return asked("dropping "+text[:12], u.Blobs.Drop(ctx, named))
				})
			})
			if err != nil {
				return err
			}
		}
	}
}
