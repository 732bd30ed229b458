package dropfolder

import (
	"errors"
	"sync"
	"time"

	"golang.org/x/net/webdav"
)

// locks adds shared locks (RFC 4918, section 6.2) to a lock system that knows
// exclusive ones only: all shared locks of a resource stand on one exclusive
// lock that is nobody's own.
type locks struct {
	webdav.LockSystem

	mu     sync.Mutex
	groups map[string]*group // by the token of the lock they stand on
	tokens map[string]*group // by the token of a shared lock
}

type group struct {
	token string
	root  string
	held  map[string]bool // tokens of the shared locks
}

func newLocks() *locks {
	return &locks{LockSystem: webdav.NewMemLS(), groups: map[string]*group{}, tokens: map[string]*group{}}
}

// share makes a shared lock; webdav.ErrLocked means that an exclusive one is in
// its way.
func (l *locks) share(now time.Time, details webdav.LockDetails, token string) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	var g *group
	for _, other := range l.groups {
		if other.root == details.Root {
			g = other
		}
	}
	if g != nil {
		if _, err := l.LockSystem.Refresh(now, g.token, details.Duration); err != nil {
			l.drop(g) // it ran out
			g = nil
		}
	}
	if g == nil {
		under, err := l.LockSystem.Create(now, details)
		if err != nil {
			return err
		}
		g = &group{under, details.Root, map[string]bool{}}
		l.groups[under] = g
	}
	g.held[token] = true
	l.tokens[token] = g
	return nil
}

func (l *locks) drop(g *group) {
	delete(l.groups, g.token)
	for token := range g.held {
		delete(l.tokens, token)
	}
}

// Confirm takes a shared lock's token for that of the lock it stands on.
func (l *locks) Confirm(now time.Time, name0, name1 string, conditions ...webdav.Condition) (func(), error) {
	l.mu.Lock()
	under := make([]webdav.Condition, len(conditions))
	for i, c := range conditions {
		if g := l.tokens[c.Token]; g != nil {
			c.Token = g.token
		}
		under[i] = c
	}
	l.mu.Unlock()
	return l.LockSystem.Confirm(now, name0, name1, under...)
}

// Refresh lengthens a lock.
func (l *locks) Refresh(now time.Time, token string, duration time.Duration) (webdav.LockDetails, error) {
	l.mu.Lock()
	if g := l.tokens[token]; g != nil {
		token = g.token
	}
	l.mu.Unlock()
	return l.LockSystem.Refresh(now, token, duration)
}

// Unlock ends a lock; the last shared one of a resource lets it go.
func (l *locks) Unlock(now time.Time, token string) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	g := l.tokens[token]
	if g == nil {
		if l.groups[token] != nil {
			return webdav.ErrForbidden // it is nobody's own
		}
		return l.LockSystem.Unlock(now, token)
	}
	delete(l.tokens, token)
	if delete(g.held, token); len(g.held) > 0 {
		return nil
	}
	delete(l.groups, g.token)
	if err := l.LockSystem.Unlock(now, g.token); !errors.Is(err, webdav.ErrNoSuchLock) {
		return err
	}
	return nil
}
