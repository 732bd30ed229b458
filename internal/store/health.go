package store

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
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

// ErrAway means that the database does not answer.
var ErrAway = errors.New("the database does not answer")

// IsAway tells whether an error is the database's being stopped, restarted or cut off, after which
// the same can be tried again.
func IsAway(err error) bool {
	var refused *pgconn.PgError
	if errors.As(err, &refused) {
		// Class 08 is of connections, 57P01 to 57P03 of a server that stops or starts (PostgreSQL, Appendix A).
		return strings.HasPrefix(refused.Code, "08") || strings.HasPrefix(refused.Code, "57P")
	}
	var connecting *pgconn.ConnectError
	return errors.As(err, &connecting) || errors.Is(err, ErrAway)
}

// away marks what the driver returned of a connection that broke as ErrAway: it comes as an error of
// the network, which could be anybody's.
func away(err error) error {
	var network net.Error
	switch {
	case err == nil, errors.Is(err, ErrAway), errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		return err
	case errors.As(err, &network), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, net.ErrClosed),
		strings.Contains(err.Error(), "conn closed"):
		return fmt.Errorf("%w: %w", ErrAway, err)
	}
	return err
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
// contexts of WhileThere end with ErrAway.
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
			(*cancel)(ErrAway)
		}
		clear(h.waiting)
	}
}

// WhileThere returns a context that ends with the cause ErrAway as soon as the database does not
// answer; at once, if it does not answer now.
func (s *Store) WhileThere(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancelCause(ctx)
	h := &s.health
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.away {
		cancel(ErrAway)
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
