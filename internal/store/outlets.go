package store

import (
	"context"
	"encoding/json"
	"time"

	"ambrosa/core/dispatch"
	"ambrosa/internal/database"
	"ambrosa/internal/door"
)

// Outlet is where pictures are handed on to, and how it wants them.
type Outlet struct {
	ID        int64             `json:"id"`
	Name      string            `json:"name"`
	Kind      string            `json:"kind" doc:"package, or that of a place that is connected to"`
	Address   map[string]string `json:"address" doc:"Settings of its kind by field, without the secrets"`
	Secrets   json.RawMessage   `json:"-"`
	Pinned    string            `json:"pinned" doc:"What the other side is told by: its host key"`
	Settings  dispatch.Settings `json:"settings"`
	Every     int               `json:"everyMinutes" doc:"0: by hand only"`
	NextAt    *time.Time        `json:"nextAt" doc:"When it goes by itself next; left out for never"`
	Version   int               `json:"version" doc:"Counts its changes"`
	CreatedAt time.Time         `json:"createdAt"`
	MadeBy    string            `json:"madeBy"`
	Last      *time.Time        `json:"last" doc:"When something went there last; left out for never"`
}

const outletQuery = `select o.id, o.name, o.kind, o.address, o.secrets, o.pinned, o.settings, o.every_minutes as every, o.next_at,
	o.version, o.created_at, actor_name(o.made_by_id) as made_by,
	(select max(ended_at) from dispatch d where d.outlet_id = o.id) as last from outlet o`

// Outlets returns all, by name.
func (s *Store) Outlets(ctx context.Context) ([]Outlet, error) {
	return list[Outlet](ctx, s.pool, outletQuery+` order by lower(o.name)`)
}

// Outlet returns one.
func (s *Store) Outlet(ctx context.Context, id int64) (Outlet, error) {
	return one[Outlet](ctx, s.pool, outletQuery+` where o.id = $1`, id)
}

// LockOutlet returns one and keeps others from changing it until the transaction ends.
func LockOutlet(ctx context.Context, tx *door.Tx, id int64) (Outlet, error) {
	return one[Outlet](ctx, tx, outletQuery+` where o.id = $1 for no key update of o`, id)
}

// nextAfter is when an outlet goes by itself next, of so many minutes ($7); never for 0.
const nextAfter = `case when $7 > 0 then now() + make_interval(mins => $7) end`

// DueOutlet returns one that is to go by itself now, locked, and says when it goes the next time.
// ErrNotFound means that none is.
func DueOutlet(ctx context.Context, tx *door.Tx) (Outlet, error) {
	id, err := number(ctx, tx, `update outlet set next_at = now() + make_interval(mins => every_minutes) where id = (
		select id from outlet where next_at <= now() and every_minutes > 0 order by next_at, id limit 1 for update skip locked) returning id`)
	if err != nil {
		return Outlet{}, err
	}
	return LockOutlet(ctx, tx, id)
}

// NewOutlet makes one, as far as a person decides. ErrTaken means that another has the name.
func NewOutlet(ctx context.Context, tx *door.Tx, o Outlet) (int64, error) {
	id, err := number(ctx, tx, `insert into outlet (name, kind, address, secrets, pinned, settings, every_minutes, next_at, made_by_id)
		values ($1, $2, $3, $4, $5, $6, $7, `+nextAfter+`, $8) returning id`, o.Name, o.Kind, o.Address, o.Secrets, o.Pinned, o.Settings,
		o.Every, tx.Who().ID)
	if database.IsDouble(err) {
		err = ErrTaken
	}
	return id, err
}

// SetOutlet changes one, but for its kind, as its version was; ErrChanged means that it has
// another by now. elsewhere says that it is another place: what stood there is not known of it.
func SetOutlet(ctx context.Context, tx *door.Tx, o Outlet, elsewhere bool) error {
	tag, err := tx.Exec(ctx, `update outlet set name = $3, settings = $4, address = $5, secrets = $6, every_minutes = $7,
		pinned = $8, next_at = case when every_minutes = $7 then next_at else `+nextAfter+` end, version = version + 1
		where id = $1 and version = $2`, o.ID, o.Version, o.Name, o.Settings, o.Address, o.Secrets, o.Every, o.Pinned)
	if database.IsDouble(err) {
		return ErrTaken
	}
	if err == nil && tag.RowsAffected() == 0 {
		return ErrChanged
	}
	if err == nil && elsewhere {
		_, err = tx.Exec(ctx, `delete from outlet_picture where outlet_id = $1`, o.ID)
	}
	return err
}

// PinOutlet remembers what an outlet's other side is told by, unless it is known already.
func PinOutlet(ctx context.Context, tx *door.Tx, id int64, pinned string) error {
	_, err := tx.Exec(ctx, `update outlet set pinned = $2 where id = $1 and pinned = ''`, id, pinned)
	return err
}

// RemoveOutlet forgets one; what was sent to it stays known, and the links to its packages end.
func RemoveOutlet(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := tx.Exec(ctx, `update dispatch set link = null, link_until = null where outlet_id = $1 and link is not null`, id)
	if err != nil {
		return err
	}
	_, err = number(ctx, tx, `delete from outlet where id = $1 returning id`, id)
	return err
}
