package upkeeping

import (
	"context"
	"sync"
	"time"

	"ambrosa/internal/contained"
	"ambrosa/internal/store"
)

// Space is what the parts of the library take.
type Space struct {
	Items    []store.Space `json:"items" nullable:"false"`
	At       *time.Time    `json:"at" doc:"When it was counted; left out while it is counted for the first time"`
	Counting bool          `json:"counting" doc:"It is being counted anew: asked again, the new figures are there"`
}

// How long space is waited for, and from what age on it is counted anew. A small library is counted
// within the wait, so that its figures are always of now.
const (
	spacePatience = 2 * time.Second
	spaceFresh    = 5 * time.Minute
	spaceAtOnce   = 100_000 // files: more are not counted within the wait
)

// spaces are the last counts of space, by what it was reckoned by.
type spaces struct {
	mu sync.Mutex
	of map[string]*spaceCount
}

type spaceCount struct {
	items    []store.Space
	at       time.Time
	took     time.Duration
	err      error
	counting chan struct{} // closed when it is counted; nil while it is not
}

// Space returns what the parts of the library take, reckoned by origin, lot, month or kind. All files are
// read for it: in a large library it is counted in the background, and the last count is returned
// meanwhile.
func (u *Upkeeper) Space(ctx context.Context, by string) (Space, error) {
	s := &u.spaces
	s.mu.Lock()
	if s.of == nil {
		s.of = map[string]*spaceCount{}
	}
	c := s.of[by]
	if c == nil {
		c = &spaceCount{}
		s.of[by] = c
	}
	stale := c.at.IsZero() || c.took < spacePatience/2 || time.Since(c.at) > spaceFresh
	if stale && c.counting == nil {
		c.counting = make(chan struct{})
		go u.countSpace(context.WithoutCancel(ctx), by, c)
	}
	counting, known := c.counting, !c.at.IsZero() && c.took >= spacePatience/2
	s.mu.Unlock()
	if counting != nil && !known {
		files, err := u.Store.CountFiles(ctx)
		if err != nil {
			return Space{}, err
		}
		if files > spaceAtOnce {
			return Space{Counting: true}, nil
		}
		select {
		case <-counting:
		case <-time.After(spacePatience):
		case <-ctx.Done():
			return Space{}, ctx.Err()
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	found := Space{Items: c.items, Counting: c.counting != nil}
	if !c.at.IsZero() {
		at := c.at
		found.At = &at
	}
	return found, c.err
}

func (u *Upkeeper) countSpace(ctx context.Context, by string, c *spaceCount) {
	ctx, cancel := context.WithTimeout(store.ForRun(ctx), 10*time.Minute)
	defer cancel()
	began := time.Now()
	var items []store.Space
	err := contained.Safely(func() (err error) {
		items, err = u.Store.Space(ctx, by)
		return err
	})()
	u.spaces.mu.Lock()
	defer u.spaces.mu.Unlock()
	if c.err = err; err == nil {
		c.items, c.at, c.took = items, began, time.Since(began)
	}
	close(c.counting)
	c.counting = nil
}
