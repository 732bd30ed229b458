package store

import (
	"context"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/database"
)

// sessionLimits are what every session is bounded by, as a last resort: a run over a large lot may
// take minutes for one statement, and nobody holds locks while doing nothing.
var sessionLimits = map[string]string{
	"statement_timeout":                   longestStatement,
	"idle_in_transaction_session_timeout": "5min",
}

const longestStatement = "15min"

// pageStatement is how long one statement may take that a person waits for, and how long it may wait
// for a lock.
const (
	pageStatement = "30s"
	pageLock      = "8s"
)

type pageKey struct{}

// ForPage returns a context whose statements a person waits for: they are given up sooner than those
// of runs.
func ForPage(ctx context.Context) context.Context { return context.WithValue(ctx, pageKey{}, true) }

// ForRun returns a context whose statements nobody waits for, whatever it was derived from.
func ForRun(ctx context.Context) context.Context { return context.WithValue(ctx, pageKey{}, nil) }

// prepare sets a connection's limits to those of the work that it is taken for, where they are others
// than before.
func prepare(ctx context.Context, c *pgx.Conn) (bool, error) {
	statement, lock := longestStatement, "0"
	if ctx.Value(pageKey{}) != nil {
		statement, lock = pageStatement, pageLock
	}
	kept := c.PgConn().CustomData()
	if kept["statement"] == statement || kept["statement"] == nil && statement == longestStatement {
		return true, nil
	}
	_, err := c.Exec(ctx, `select set_config('statement_timeout', $1, false), set_config('lock_timeout', $2, false)`, statement, lock)
	if err != nil {
		return false, err
	}
	kept["statement"] = statement
	return true, nil
}

// health is whether the database answers, with who waits for it.
type health struct {
	mu      sync.Mutex
	away    bool
	waiting map[*context.CancelCauseFunc]struct{}
}

// How often the database is asked whether it answers, how long that may take, and how often in a row it may
// not: a machine that is only busy is late once.
const (
	askEvery  = time.Second
	askAtMost = 1800 * time.Millisecond
	askTwice  = 2
)

// Watch asks the database now and then whether it answers, until ctx ends. While it does not,
// contexts of WhileThere end with database.ErrAway.
func (s *Store) Watch(ctx context.Context) {
	ticker := time.NewTicker(askEvery)
	defer ticker.Stop()
	for {
		silent := 0
		for silent < askTwice {
			asking, cancel := context.WithTimeout(ctx, askAtMost)
			_, err := s.control.Exec(asking, `select 1`)
			cancel()
			if err == nil {
				break
			}
			silent++
		}
		if ctx.Err() != nil {
			return
		}
		s.health.set(silent == askTwice)
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}

func (h *health) set(away bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.away = away
	if away {
		for cancel := range h.waiting {
			(*cancel)(database.ErrAway)
		}
		clear(h.waiting)
	}
}

// WhileThere returns a context that ends with the cause database.ErrAway as soon as the database does not
// answer; at once, if it does not answer now.
func (s *Store) WhileThere(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancelCause(ctx)
	h := &s.health
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.away {
		cancel(database.ErrAway)
	} else {
		if h.waiting == nil {
			h.waiting = map[*context.CancelCauseFunc]struct{}{}
		}
		h.waiting[&cancel] = struct{}{}
	}
	return ctx, func() {
		h.mu.Lock()
		delete(h.waiting, &cancel)
		h.mu.Unlock()
		cancel(nil)
	}
}
