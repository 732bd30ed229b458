package store

import (
	"context"

	"ambrosa/internal/door"
)

// AnsweredKey is a request that was carried out, and its answer.
type AnsweredKey struct {
	Asked  []byte // SHA-256 of the request
	Status int    // 0 while there is no answer
	Answer []byte
}

// RequestKey returns the request that used a key within door.KeyTerm. ErrNotFound means that there is none.
func (s *Store) RequestKey(ctx context.Context, key string) (AnsweredKey, error) {
	return one[AnsweredKey](ctx, s.pool, `select asked, coalesce(status, 0) as status, coalesce(answer, '') as answer from request_key
		where key = $1 and at > now() - make_interval(secs => $2)`, key, door.KeyTerm.Seconds())
}

// KeepAnswer stores the answer to the request that used a key.
func KeepAnswer(ctx context.Context, tx *door.Tx, key string, status int, answer []byte) error {
	_, err := tx.Exec(ctx, `update request_key set status = $2, answer = $3 where key = $1 and status is null`, key, status, answer)
	return err
}

// DeleteOldKeys deletes keys older than door.KeyTerm.
func DeleteOldKeys(ctx context.Context, tx *door.Tx) error {
	_, err := tx.Exec(ctx, `delete from request_key where at <= now() - make_interval(secs => $1)`, door.KeyTerm.Seconds())
	return err
}
