// Package covering is the use cases of coverage: what pictures products should have, how far they
// have them, and what is asked for. How it is counted is in core/coverage.
package covering

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/coverage"
	"ambrosa/core/identity"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Coverer is the use cases of coverage.
type Coverer struct {
	Store *store.Store

	mu       sync.Mutex
	stamp    int64         // of what was counted, as far as this process knows
	known    bool          // that it was
	counting chan struct{} // closed when what is being counted is; nil while nothing is
	failed   error         // why it was not

	lists      []store.ListOf // as they were read last; not to be changed
	listsStamp int64
	listsKept  bool
}

// atOnce is how many products are counted at a time.
const atOnce = 2000

// margin is how long before the last count a change may have begun that was not seen by it.
const margin = 15 * time.Minute

// whileWaited is how many products are counted at most while a person waits.
const whileWaited = 20_000

// patience is how long whoever asks for coverage waits for what is being counted.
const patience = 3 * time.Second

// Counted waits until what changed is counted, as long as that can be waited for: it is counted in the
// background, once for all who ask, and not at all while nothing changed. finished tells whether that
// was all.
func (c *Coverer) Counted(ctx context.Context) (finished bool, err error) {
	stamp, quiet, err := c.Store.HandedStamp(ctx)
	if err != nil {
		return false, err
	}
	lists, err := c.Store.ListsStamp(ctx)
	if err != nil {
		return false, err
	}
	stamp = stamp<<20 ^ lists
	c.mu.Lock()
	if c.known && c.stamp == stamp {
		c.mu.Unlock()
		return true, nil
	}
	counting := c.counting
	if counting == nil {
		counting = make(chan struct{})
		c.counting = counting
		go c.countOnce(context.WithoutCancel(ctx), stamp, quiet, counting)
	}
	c.mu.Unlock()
	select {
	case <-counting:
	case <-time.After(patience):
		return false, nil
	case <-ctx.Done():
		return false, ctx.Err()
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.failed == nil, c.failed
}

// countOnce counts what changed, and says so to those who wait.
func (c *Coverer) countOnce(ctx context.Context, stamp int64, quiet bool, counted chan struct{}) {
	ctx, cancel := context.WithTimeout(store.ForRun(ctx), time.Hour)
	defer cancel()
	err := contained.Safely(func() error {
		for {
			finished, err := c.countSince(ctx, false, whileWaited)
			if err != nil || finished {
				return err
			}
		}
	})()
	c.mu.Lock()
	defer c.mu.Unlock()
	c.stamp, c.known, c.failed, c.counting = stamp, err == nil && quiet, err, nil
	close(counted)
}

// countSince counts what changed since the last time, or (all) looks at everything; most products
// at most, or (0) any number.
func (c *Coverer) countSince(ctx context.Context, all bool, most int) (finished bool, err error) {
	lists, err := c.listsOf(ctx)
	if err != nil {
		return false, err
	}
	last, err := c.Store.CoverageCount(ctx)
	if err != nil {
		return false, err
	}
	now, err := c.Store.Clock(ctx)
	if err != nil {
		return false, err
	}
	next := store.CoverageCount{CountedAt: now, Lists: told(lists)}
	since := last.CountedAt.Add(-margin)
	if all || next.Lists != last.Lists {
		since = time.Time{}
	}
	if finished, err = c.countAll(ctx, lists, since, most); err != nil || !finished {
		return finished, err
	}
	return true, c.Store.Step(ctx, func(tx *door.Tx) error { return store.SetCoverageCount(ctx, tx, next) })
}

// listsOf returns the lists that count, category by category, as they were read last as long as neither a
// list nor a category was made, changed or removed.
func (c *Coverer) listsOf(ctx context.Context) ([]store.ListOf, error) {
	stamp, err := c.Store.ListsStamp(ctx)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	kept, is := c.lists, c.listsKept && c.listsStamp == stamp
	c.mu.Unlock()
	if is {
		return kept, nil
	}
	lists, err := c.Store.ListsOf(ctx)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.lists, c.listsStamp, c.listsKept = lists, stamp, true
	return lists, nil
}

// told is equal for the same lists of the same categories.
func told(lists []store.ListOf) string {
	sum := sha256.New()
	for _, l := range lists {
		fmt.Fprintln(sum, l.Category, l.List, l.Version)
	}
	return hex.EncodeToString(sum.Sum(nil))
}

// countAll counts what is stale of the products that changed since a time, most at most.
func (c *Coverer) countAll(ctx context.Context, lists []store.ListOf, since time.Time, most int) (finished bool, err error) {
	of := make(map[int64]store.ListOf, len(lists))
	for _, l := range lists {
		of[l.Category] = l
	}
	behind := int64(0)
	for done := 0; most == 0 || done < most; done += atOnce {
		stale, err := c.Store.StaleCoverage(ctx, lists, since, behind, atOnce)
		if err != nil {
			return false, err
		}
		if len(stale) > 0 {
			if err := c.count(ctx, stale, of); err != nil {
				return false, err
			}
			behind = stale[len(stale)-1].Product
		}
		if len(stale) < atOnce {
			return true, nil
		}
	}
	return false, nil
}

// count counts products.
func (c *Coverer) count(ctx context.Context, stale []store.Stale, of map[int64]store.ListOf) error {
	products := make([]int64, len(stale))
	for i, s := range stale {
		products[i] = s.Product
	}
	pictures, err := c.Store.Covering(ctx, products)
	if err != nil {
		return err
	}
	counted := make([]store.Counted, len(stale))
	for i, s := range stale {
		list := of[s.Category]
		counted[i] = store.Counted{Stale: s, ListOf: list, Cells: list.Shots.Cover(pictures[s.Product]),
			Unknown: list.Shots.CountUnknown(pictures[s.Product])}
	}
	return c.Store.Step(ctx, func(tx *door.Tx) error { return store.SetCoverage(ctx, tx, counted) })
}

// KeepDay keeps what coverage comes to today, to be seen over time.
func (c *Coverer) KeepDay(ctx context.Context) error {
	if _, err := c.countSince(ctx, true, 0); err != nil {
		return err
	}
	return c.Store.Step(ctx, func(tx *door.Tx) error { return store.KeepCoverageDay(ctx, tx) })
}

// SetList sets the shot list of a category, as it was seen; an empty one is forgotten. The error
// may be a coverage.BadList, store.ErrChanged or store.ErrNotFound.
func (c *Coverer) SetList(ctx context.Context, who identity.Actor, path string, shots coverage.List, version int) error {
	if len(shots) == 0 {
		if version == 0 {
			return nil
		}
		return c.Store.Do(ctx, door.By(who, identity.ShotListRemove), func(tx *door.Tx) error {
			tx.Changed(path, nil)
			return store.RemoveShotList(ctx, tx, path, version)
		})
	}
	for i := range shots {
		shots[i].View = strings.ToLower(strings.TrimSpace(shots[i].View))
	}
	if err := shots.Check(); err != nil {
		return err
	}
	return c.Store.Do(ctx, door.By(who, identity.ShotListSet), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]any{"category": path, "pictures": shots})
		return store.SetShotList(ctx, tx, path, shots, version)
	})
}

// ErrNothing means that nothing is missing that could be asked for.
var ErrNothing = errors.New("nothing is missing")

// ErrAsked means that all that is missing was asked for already, and is waited for.
var ErrAsked = errors.New("all that is missing was asked for")

// Request makes a request of what is missing now, and of what is smaller than it should be, as a
// filter chooses it; what another request waits for only again. It may be ErrNothing or ErrAsked.
func (c *Coverer) Request(
	ctx context.Context, who identity.Actor, name string, f store.CoverageFilter, again bool,
) (id int64, err error) {
	if _, err := c.countSince(ctx, false, 0); err != nil {
		return 0, err
	}
	lists, err := c.Store.ShotLists(ctx)
	if err != nil {
		return 0, err
	}
	shots := map[int64]coverage.List{}
	for _, l := range lists {
		shots[l.ID] = l.Shots
	}
	wanting, err := c.Store.Wanting(ctx, f)
	if err != nil {
		return 0, err
	}
	var asked []store.RequestShot
	for _, w := range wanting {
		asked = append(asked, lacking(w, shots[w.List])...)
	}
	if len(asked) == 0 {
		return 0, ErrNothing
	}
	if !again {
		waited, err := c.Store.AskedShots(ctx)
		if err != nil {
			return 0, err
		}
		asked = slices.DeleteFunc(asked, func(s store.RequestShot) bool {
			return waited[store.AskedShot{Product: s.Product, View: s.View, Nth: s.Nth}]
		})
		if len(asked) == 0 {
			return 0, ErrAsked
		}
	}
	err = c.Store.Do(ctx, door.By(who, identity.RequestMake), func(tx *door.Tx) error {
		id, err = store.NewRequest(ctx, tx, name, f.Category, asked)
		tx.About(audit.Of(identity.Request, id))
		tx.Changed(nil, map[string]any{"name": name, "pictures": len(asked)})
		return err
	})
	return id, err
}

// CloseRequest waits for the rest of a request no more, or (open) again.
func (c *Coverer) CloseRequest(ctx context.Context, who identity.Actor, id int64, open bool) error {
	return c.Store.Do(ctx, door.By(who, identity.RequestEnd, audit.Of(identity.Request, id)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]bool{"open": open})
		return store.CloseRequest(ctx, tx, id, open)
	})
}

// lacking are the pictures of a list that a product lacks.
func lacking(w store.Wanting, shots coverage.List) (asked []store.RequestShot) {
	for i, s := range shots[:min(len(shots), len(w.Have))] {
		for n := int(w.Have[i]) + 1; n <= s.Count; n++ {
			asked = append(asked, store.RequestShot{Product: w.Product, SKU: w.SKU, Title: w.Title, View: s.View, Nth: n, Least: s.Least,
				Background: s.Background, Name: coverage.Name(w.SKU, s.View, n)})
		}
	}
	return asked
}
