package door

import (
	"context"
	"errors"
	"time"
)

// ErrDoneBefore means that a request with the same key was already carried out, or still is. Nothing was changed this time.
var ErrDoneBefore = errors.New("a request with this key was carried out before")

// KeyTerm is how long a key protects a request from being carried out twice.
const KeyTerm = 24 * time.Hour

// Key identifies a request, so that it is carried out once, however often it is sent.
type Key struct {
	Key   string
	Asked []byte // SHA-256 of the request

	done bool // it is written
}

type keyContext struct{}

// WithKey returns a context whose first recorded change writes the key in its transaction. If another request wrote the key
// within KeyTerm, the change fails with ErrDoneBefore. The changes of one context come one after the other.
func WithKey(ctx context.Context, key *Key) context.Context {
	return context.WithValue(ctx, keyContext{}, key)
}

// Done reports whether a change was made with the key.
func (k *Key) Done() bool { return k.done }

// writeKey writes the key of a context that has one, unless it is written already. The caller calls written after the commit.
func (t *Tx) writeKey(ctx context.Context) (written func(), err error) {
	key, has := ctx.Value(keyContext{}).(*Key)
	if !has || key.done {
		return func() {}, nil
	}
	tag, err := t.inner.Exec(ctx, `insert into request_key (key, asked) values ($1, $2)
		on conflict (key) do update set asked = excluded.asked, status = null, answer = null, at = now()
			where request_key.at <= now() - make_interval(secs => $3)`, key.Key, key.Asked, KeyTerm.Seconds())
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrDoneBefore
	}
	return func() { key.done = true }, err
}
