package store

import (
	"context"
	"time"
)

// Undo is how far an applied plan can be reverted.
type Undo struct {
	Until    *time.Time `json:"until" doc:"Until when all that it replaced is kept; left out for a plan that is not applied"`
	Past     bool       `json:"past" doc:"The undo period is over: what it replaced may be purged"`
	Purged   int        `json:"purged" doc:"Pictures that were purged since, and cannot come back"`
	Receipts []int64    `json:"receipts" nullable:"false" doc:"Of the purges that they went with, the newest first; at most 20"`
}

// Undo returns how far a plan can be reverted. What it replaced is looked for only once the undo period
// is over: before, nothing of it is purged.
func (s *Store) Undo(ctx context.Context, plan int64) (u Undo, err error) {
	u.Receipts = []int64{}
	err = s.pool.QueryRow(ctx, `select u.until, coalesce(u.until < now(), false) from plan p cross join upkeep_setting s cross join lateral (
			select greatest(p.applied_at + make_interval(days => s.way_back_days), (select max(r.until) from plan_change c
				join reference r on r.plan_change_id = c.id where c.plan_id = p.id)) as until) u
		where p.id = $1 and p.state in ('applying', 'applied')`, plan).Scan(&u.Until, &u.Past)
	if orNotFound(err) == ErrNotFound {
		return u, nil
	}
	if err != nil || !u.Past {
		return u, err
	}
	gone, err := numbers(ctx, s.pool, `select distinct (picture->>'file')::bigint from plan_change c,
			jsonb_array_elements(c.before) target, jsonb_array_elements(target->'pictures') picture
		where c.plan_id = $1 and c.state = 'applied' and not exists (select from file where id = (picture->>'file')::bigint)`, plan)
	if err != nil || len(gone) == 0 {
		return u, err
	}
	u.Purged = len(gone)
	receipts, err := numbers(ctx, s.pool, `select distinct receipt_id from receipt_file where file_id = any($1)
		order by 1 desc limit 20`, gone)
	u.Receipts = orEmpty(receipts)
	return u, err
}

// NotBroughtBack counts the products of a reverted plan that do not show all that they did, since some of it
// was purged.
func (s *Store) NotBroughtBack(ctx context.Context, plan int64) (int64, error) {
	return number(ctx, s.pool, `select count(*) from plan_change where plan_id = $1 and state = 'reverted' and problem <> ''`, plan)
}
