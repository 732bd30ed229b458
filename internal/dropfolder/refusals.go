package dropfolder

import (
	"context"
	"sync"
	"time"
)

// refusals slows down whoever tries passwords: those for one name are refused one
// after the other, with a pause, and no more than a few wait for it. A right
// password waits for nobody.
type refusals struct {
	mu    sync.Mutex
	names map[string]*refusal
}

type refusal struct {
	turn    chan struct{} // holds the one whose turn it is
	waiting int
}

const (
	refusalPause = 500 * time.Millisecond
	mostWaiting  = 8
)

// wait lets a wrong password be answered when its turn has come; it returns false
// when too many wait.
func (r *refusals) wait(ctx context.Context, name string) bool {
	r.mu.Lock()
	if r.names == nil {
		r.names = map[string]*refusal{}
	}
	one := r.names[name]
	if one == nil {
		one = &refusal{turn: make(chan struct{}, 1)}
		r.names[name] = one
	}
	if one.waiting >= mostWaiting || len(r.names) > 10_000 {
		r.mu.Unlock()
		return false
	}
	one.waiting++
	r.mu.Unlock()
	defer func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		if one.waiting--; one.waiting == 0 {
			delete(r.names, name)
		}
	}()
	select {
	case one.turn <- struct{}{}:
	case <-ctx.Done():
		return false
	}
	defer func() { <-one.turn }()
	select {
	case <-time.After(refusalPause):
		return true
	case <-ctx.Done():
		return false
	}
}
