package store

import (
	"context"
	"errors"

	"ambrosa/internal/door"
)

// HideLot gives a lot up: it is hidden, its drafts are forgotten and its runs are
// asked to stop.
func HideLot(ctx context.Context, tx *door.Tx, id int64) error {
	if _, err := tx.Exec(ctx, `delete from plan where state = 'draft' and id in (select plan_id from plan_lot where lot_id = $1)`,
		id); err != nil {
		return err
	}
	stopped, err := numbers(ctx, tx, `update run set state = case state when 'queued' then 'stopped' else 'stopping' end
		where lot_id = $1 and state in ('queued', 'running') returning id`, id)
	if err != nil {
		return err
	}
	for _, run := range stopped {
		if err := tx.Announce(ctx, door.Event{Topic: "run", ID: run, Note: "stop"}); err != nil {
			return err
		}
	}
	if _, err := tx.Exec(ctx, `update lot set state_before = state, state = 'given up' where id = $1`, id); err != nil {
		return err
	}
	if err := releaseLots(ctx, tx, []int64{id}); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "lot", ID: id})
}

// ErrPurged means that nothing is left of what is asked for: its files were purged.
var ErrPurged = errors.New("all its files were purged")

// ShowLot brings a lot back that was given up, in the state that it had; ErrChanged
// means that it was not given up, ErrPurged that none of its files is left.
func ShowLot(ctx context.Context, tx *door.Tx, id int64) error {
	purged, err := number(ctx, tx, `select count(*) from lot l where id = $1 and state = 'given up' and state_before in ('ready', 'applied')
		and not exists (select from file where lot_id = l.id) and exists (select from receipt_file where lot = l.name)`, id)
	if err != nil {
		return err
	}
	if purged > 0 {
		return ErrPurged
	}
	tag, err := tx.Exec(ctx, `update lot set state = state_before, state_before = '' where id = $1 and state = 'given up'`, id)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrChanged
	}
	if err := keepLots(ctx, tx, []int64{id}); err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "lot", ID: id})
}

// GivenUp returns the lots that were given up, the newest first.
func (s *Store) GivenUp(ctx context.Context, limit int) ([]Lot, error) {
	return list[Lot](ctx, s.pool, lotQuery+` where l.state = 'given up' order by l.id desc limit $1`, limit)
}
