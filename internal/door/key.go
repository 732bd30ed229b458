package door

import (
	"context"
	"errors"
)

// ErrDoneBefore means that what was asked for under a key was done before, or is being done. Nothing was done now.
var ErrDoneBefore = errors.New("what was asked for under this key was done before")

// Key is what a program asks for something under, so that it is done once however often it is asked for.
type Key struct {
	Key   string
	Asked []byte // SHA-256 of what was asked for

	done bool // it is written
}

type keyContext struct{}

// WithKey returns a context whose first recorded change writes the key in its transaction; with a key that another has written
// the change is ErrDoneBefore. The context is one request's: its changes come one after the other.
func WithKey(ctx context.Context, key *Key) context.Context {
	return context.WithValue(ctx, keyContext{}, key)
}

// Done tells whether a change was made under the key.
func (k *Key) Done() bool { return k.done }

// writeKey writes the key of a context, where it has one that is not written.
func (t *Tx) writeKey(ctx context.Context) (written func(), err error) {
	key, has := ctx.Value(keyContext{}).(*Key)
	if !has || key.done {
		return func() {}, nil
	}
	tag, err := t.inner.Exec(ctx, `insert into request_key (key, asked) values ($1, $2) on conflict do nothing`, key.Key, key.Asked)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrDoneBefore
	}
	return func() { key.done = true }, err
}
