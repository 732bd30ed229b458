package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// GiveUpLot hides a lot that is not applied, and stops what is done of it; nothing
// of it is deleted, and it can be restored. ErrApplied means that its pictures
// stand, ErrChanged that it was given up already.
func (s *Store) GiveUpLot(ctx context.Context, lot int64) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		var state string
		var planned bool
		err := tx.QueryRow(ctx, `select state, exists (select from plan p join plan_lot pl on pl.plan_id = p.id where pl.lot_id = l.id and p.state in ('applying', 'reverting'))
			from lot l where id = $1 for update`, lot).Scan(&state, &planned)
		switch {
		case err != nil:
			return orNotFound(err)
		case state == "applied" || planned:
			return ErrApplied
		case state == "given up":
			return ErrChanged
		}
		if _, err := tx.Exec(ctx, `delete from plan where state = 'draft' and id in (select plan_id from plan_lot where lot_id = $1)`, lot); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `update run set state = case state when 'queued' then 'stopped' else 'stopping' end where lot_id = $1 and state in ('queued', 'running') returning id`, lot)
		if err != nil {
			return err
		}
		stopped, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		for _, run := range stopped {
			if err := Notify(ctx, tx, Event{Topic: "run", ID: run, Note: "stop"}); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, `update lot set state_before = state, state = 'given up' where id = $1`, lot); err != nil {
			return err
		}
		return Notify(ctx, tx, Event{Topic: "lot", ID: lot})
	})
}

// RestoreLot brings a lot back that was given up. When all that it waited for is
// here by now, complete is run in the same transaction.
func (s *Store) RestoreLot(ctx context.Context, lot int64, complete func(ctx context.Context, tx pgx.Tx, lot int64) error) error {
	return s.Within(ctx, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update lot set state = state_before, state_before = '' where id = $1 and state = 'given up'`, lot)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return ErrChanged
		}
		return completeLot(ctx, tx, lot, false, complete)
	})
}

// GivenUp returns the lots that were given up, the newest first.
func (s *Store) GivenUp(ctx context.Context, limit int) ([]Lot, error) {
	return list[Lot](ctx, s.Pool, lotQuery+` where l.state = 'given up' order by l.id desc limit $1`, limit)
}
