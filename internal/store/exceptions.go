package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/dispatch"
	"ambrosa/internal/door"
)

// GateException is a file's bytes that a person lets through the gate of an outlet.
type GateException struct {
	Sum     string    `json:"sum" doc:"SHA-256"`
	Because string    `json:"because"`
	Actor   string    `json:"actor"`
	At      time.Time `json:"at"`
	Path    string    `json:"path" doc:"Of a file that has the bytes; empty where none does any more"`
}

// GateExceptions returns those of an outlet, the newest first.
func (s *Store) GateExceptions(ctx context.Context, outlet int64) ([]GateException, error) {
	return list[GateException](ctx, s.pool, `select encode(e.sha256, 'hex') as sum, e.because, actor_name(e.actor_id) as actor, e.at,
			coalesce((select path from file f where f.sha256 = e.sha256 order by f.id limit 1), '') as path
		from gate_exception e where e.outlet_id = $1 order by e.at desc, e.sha256 limit 5000`, outlet)
}

// Exceptions returns those of an outlet as its gate asks for them: all, or (not nil) of some sums.
func (s *Store) Exceptions(ctx context.Context, outlet int64, of []string) (dispatch.Exceptions, error) {
	var some [][]byte
	if of != nil {
		var err error
		if some, err = unhexed(of); err != nil {
			return nil, err
		}
	}
	rows, err := s.pool.Query(ctx, `select encode(sha256, 'hex'), actor_name(actor_id) || ': ' || because from gate_exception
		where outlet_id = $1 and ($2::bytea[] is null or sha256 = any($2))`, outlet, some)
	if err != nil {
		return nil, err
	}
	found := dispatch.Exceptions{}
	var sum, because string
	_, err = pgx.ForEachRow(rows, []any{&sum, &because}, func() error {
		found[sum] = because
		return nil
	})
	return found, err
}

// Except lets bytes through the gate of an outlet from then on; ErrNotFound means that there is no
// such outlet, or that no file has any of the bytes.
func Except(ctx context.Context, tx *door.Tx, outlet int64, sums []string, because string) (int64, error) {
	some, err := unhexed(sums)
	if err != nil {
		return 0, err
	}
	var given int64
	if _, err := LockOutlet(ctx, tx, outlet); err != nil {
		return given, err
	}
	tag, err := tx.Exec(ctx, `insert into gate_exception (outlet_id, sha256, because, actor_id)
		select $1, s.sum, $3, $4 from (select distinct unnest($2::bytea[]) as sum) s where exists (select from file where sha256 = s.sum)
		on conflict (outlet_id, sha256) do update set because = excluded.because, actor_id = excluded.actor_id, at = now()`,
		outlet, some, because, tx.Who().ID)
	if err != nil {
		return given, err
	}
	if given = tag.RowsAffected(); given == 0 {
		return given, ErrNotFound
	}
	return given, tx.Announce(ctx, door.Event{Topic: "dispatch"})
}

// EndExceptions has the gate of an outlet judge bytes as usual again; it returns of how many.
func EndExceptions(ctx context.Context, tx *door.Tx, outlet int64, sums []string) (int64, error) {
	some, err := unhexed(sums)
	if err != nil {
		return 0, err
	}
	var ended int64
	tag, err := tx.Exec(ctx, `delete from gate_exception where outlet_id = $1 and sha256 = any($2)`, outlet, some)
	if err != nil {
		return ended, err
	}
	ended = tag.RowsAffected()
	return ended, tx.Announce(ctx, door.Event{Topic: "dispatch"})
}
