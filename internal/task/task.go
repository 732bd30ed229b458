// Package task is what background work and whoever shows it have in common: how far it is, and how it ends for people.
package task

import "sync"

// Progress is how far work is; its counts may be changed by many goroutines. The zero value has done nothing.
type Progress struct {
	mu          sync.Mutex
	done, total int64
}

// Set says how much is done of how much.
func (p *Progress) Set(done, total int64) {
	p.mu.Lock()
	p.done, p.total = done, total
	p.mu.Unlock()
}

// Add adds to what is done, and to all that is to be done.
func (p *Progress) Add(done, total int64) {
	p.mu.Lock()
	p.done += done
	p.total += total
	p.mu.Unlock()
}

// Get returns how much is done of how much.
func (p *Progress) Get() (done, total int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.done, p.total
}

// Failure is an end that a person has to know of, in their words.
type Failure struct{ Reason string }

func (f Failure) Error() string { return f.Reason }
