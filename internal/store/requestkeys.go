package store

import (
	"context"
	"time"

	"ambrosa/internal/door"
)

// KeyTerm is how long it is known what was done under a key.
const KeyTerm = 24 * time.Hour

// AnsweredKey is what was asked for under a key, and answered.
type AnsweredKey struct {
	Asked  []byte // SHA-256 of what was asked for
	Status int    // 0 as long as the answer is not known
	Answer []byte
}

// RequestKey returns what is known of a key; ErrNotFound where nothing was done under it.
func (s *Store) RequestKey(ctx context.Context, key string) (AnsweredKey, error) {
	return one[AnsweredKey](ctx, s.pool, `select asked, coalesce(status, 0) as status, coalesce(answer, '') as answer from request_key
		where key = $1 and at > now() - make_interval(secs => $2)`, key, KeyTerm.Seconds())
}

// KeepAnswer keeps what was answered under a key.
func KeepAnswer(ctx context.Context, tx *door.Tx, key string, status int, answer []byte) error {
	_, err := tx.Exec(ctx, `update request_key set status = $2, answer = $3 where key = $1 and status is null`, key, status, answer)
	return err
}

// ForgetKeys forgets keys that are past their term.
func ForgetKeys(ctx context.Context, tx *door.Tx) error {
	_, err := tx.Exec(ctx, `delete from request_key where at <= now() - make_interval(secs => $1)`, KeyTerm.Seconds())
	return err
}
