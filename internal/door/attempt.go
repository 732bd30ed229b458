package door

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/identity"
)

// Attempt is one try of one process at one run. Whatever the try writes is checked against it: as
// soon as another process has begun a later attempt, this one can write nothing more.
type Attempt struct {
	Run, Number int64
	// Who the run works for, and what it does.
	Who    identity.Actor
	Action identity.Action
}

type attemptKey struct{}

// WithAttempt returns a context whose writes belong to an attempt.
func WithAttempt(ctx context.Context, a Attempt) context.Context {
	return context.WithValue(ctx, attemptKey{}, a)
}

func attemptOf(ctx context.Context) (Attempt, bool) {
	attempt, belongs := ctx.Value(attemptKey{}).(Attempt)
	return attempt, belongs
}

// checkAttempt locks the run's row against being taken over until the transaction ends, and returns
// ErrSuperseded when it was taken over before. Contexts of no attempt pass.
func checkAttempt(ctx context.Context, tx pgx.Tx) error {
	attempt, belongs := attemptOf(ctx)
	if !belongs {
		return nil
	}
	tag, err := tx.Exec(ctx, `select from run where id = $1 and attempt = $2 for key share`, attempt.Run, attempt.Number)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrSuperseded
	}
	return err
}

// Current returns ErrSuperseded when another process has taken over the attempt of a context. Work
// that reaches outside the database asks before it does.
func (d *Door) Current(ctx context.Context) error {
	attempt, belongs := attemptOf(ctx)
	if !belongs {
		return nil
	}
	var current bool
	err := d.pool.QueryRow(ctx, `select exists (select from run where id = $1 and attempt = $2)`, attempt.Run, attempt.Number).Scan(&current)
	if err == nil && !current {
		err = ErrSuperseded
	}
	return err
}

type requestKey struct{}

// WithRequest returns a context whose changes are recorded with the number of a request.
func WithRequest(ctx context.Context, number string) context.Context {
	return context.WithValue(ctx, requestKey{}, number)
}

func requestOf(ctx context.Context) string {
	number, _ := ctx.Value(requestKey{}).(string)
	return number
}

// Step is the deed of a write that is a part of what a run does, or of what Ambrosa keeps in order: who the
// run works for has to be allowed its action still, and what it does is recorded where it begins and
// ends.
func Step(ctx context.Context) Deed {
	if attempt, works := attemptOf(ctx); works {
		return Deed{Who: attempt.Who, Action: attempt.Action, step: true}
	}
	return Deed{Who: identity.Ambrosa, Action: identity.Keep, step: true}
}

// Step does a write that is a part of something else (see the function Step).
func (d *Door) Step(ctx context.Context, work func(*Tx) error) error {
	return d.Do(ctx, Step(ctx), work)
}
