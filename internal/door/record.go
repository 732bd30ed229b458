package door

import (
	"context"
	"encoding/json"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
)

// record writes the entry of a change, in its transaction, and tells of it.
func (t *Tx) record(ctx context.Context) error {
	e := t.entry
	before, err := short(e.Before)
	if err != nil {
		return err
	}
	after, err := short(e.After)
	if err != nil {
		return err
	}
	kinds, ids := make([]string, len(e.About)), make([]int64, len(e.About))
	for i, s := range e.About {
		kinds[i], ids[i] = string(s.Kind), s.ID
	}
	batch := &pgx.Batch{}
	batch.Queue(`with kept as (insert into record (actor_id, action, run_id, request, before, after)
			values ($1, $2, nullif($3::bigint, 0), $4, $5, $6) returning id)
		insert into record_subject (record_id, n, kind, subject_id) select kept.id, min(s.n), s.kind, s.id
			from kept, unnest($7::text[], $8::bigint[]) with ordinality s(kind, id, n) group by kept.id, s.kind, s.id`,
		e.Who.ID, string(e.Action), e.Run, e.Request, before, after, kinds, ids)
	if !t.announced {
		if err := t.announce(batch, eventOf(e)); err != nil {
			return err
		}
	}
	if err := t.announce(batch, Event{Topic: recorded}); err != nil {
		return err
	}
	return t.inner.SendBatch(ctx, batch).Close()
}

// short is the JSON of a value that is kept; of one that is too long, only that it was.
func short(value any) ([]byte, error) {
	if value == nil {
		return nil, nil
	}
	text, err := json.Marshal(value)
	if err == nil && len(text) > audit.Longest {
		text, err = json.Marshal(map[string]int{"bytes": len(text)})
	}
	return text, err
}

// number returns the ID of an actor; one that did nothing yet gets one, whatever becomes of what they do.
func (d *Door) number(ctx context.Context, who identity.Actor) (id int64, err error) {
	key := identity.Actor{Kind: who.Kind, Name: who.Name}
	d.mu.RLock()
	id = d.actors[key]
	d.mu.RUnlock()
	if id > 0 {
		return id, nil
	}
	// The second part finds one that another made in the same moment.
	for range 2 {
		err = d.pool.QueryRow(ctx, `with made as (insert into actor (kind, name) select $1, $2
				where not exists (select from actor where kind = $1 and name = $2) on conflict (kind, name) do nothing returning id)
			select coalesce((select id from made), (select id from actor where kind = $1 and name = $2), 0)`, string(who.Kind),
			who.Name).Scan(&id)
		if err != nil || id > 0 {
			break
		}
	}
	if err != nil {
		return 0, err
	}
	d.mu.Lock()
	d.actors[key] = id
	d.mu.Unlock()
	return id, nil
}
