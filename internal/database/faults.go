// Package database says what an error of PostgreSQL means to whoever asked for something: whether the
// same can be tried again, whether a value cannot be kept, whether the database is there at all.
package database

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
)

// SQLSTATE of a statement that was given up, of two transactions in each other's way, of rows that
// depend on others, and of texts that cannot be kept (PostgreSQL, Appendix A).
const (
	queryCanceled        = "57014"
	lockNotAvailable     = "55P03"
	deadlockDetected     = "40P01"
	serializationFailure = "40001"
	uniqueViolation      = "23505"
	foreignKeyViolation  = "23503"
	notInRepertoire      = "22021"
	untranslatable       = "22P05"
	outOfRange           = "22003"
)

// ErrAway means that the database does not answer.
var ErrAway = errors.New("the database does not answer")

// hasCode tells whether PostgreSQL refused with one of these SQLSTATEs.
func hasCode(err error, codes ...string) bool {
	var refused *pgconn.PgError
	if !errors.As(err, &refused) {
		return false
	}
	for _, code := range codes {
		if refused.Code == code {
			return true
		}
	}
	return false
}

// IsDouble tells whether an error is a value that another row has.
func IsDouble(err error) bool { return hasCode(err, uniqueViolation) }

// WentMeanwhile tells whether an error is a row that something was to be written about, and
// that is gone.
func WentMeanwhile(err error) bool { return hasCode(err, foreignKeyViolation) }

// IsTransient tells whether an error is of two transactions that were in each other's way: the same can
// be tried again.
func IsTransient(err error) bool { return hasCode(err, deadlockDetected, serializationFailure) }

// Unfit tells whether an error is a value that the database cannot keep, such as
// a text with NUL, or a number larger than its column takes.
func Unfit(err error) bool {
	var refused *pgconn.PgError
	if errors.As(err, &refused) {
		return hasCode(err, notInRepertoire, untranslatable, outOfRange)
	}
	// The driver refuses a number for a column that it does not fit into before it is sent.
	return err != nil && strings.Contains(err.Error(), "failed to encode args[") && strings.Contains(err.Error(), "than m")
}

// TookTooLong tells whether an error is a statement that the database gave up
// after its time.
func TookTooLong(err error) bool {
	return hasCode(err, queryCanceled, lockNotAvailable) || errors.Is(err, context.DeadlineExceeded)
}

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

// Away marks what the driver returned of a connection that broke as ErrAway: it comes as an error of
// the network, which could be anybody's.
func Away(err error) error {
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
