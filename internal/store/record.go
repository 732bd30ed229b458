package store

import (
	"context"
	"encoding/json"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
)

// Recorded is one line of the record: who did what, to what.
type Recorded struct {
	ID      int64           `json:"id"`
	At      time.Time       `json:"at"`
	Who     identity.Actor  `json:"who"`
	Action  identity.Action `json:"action"`
	About   []NamedSubject  `json:"about" nullable:"false" doc:"What it was done to, what matters most first; of many, the first few"`
	Abouts  int             `json:"abouts" doc:"To how many things it was done"`
	Run     int64           `json:"run,omitempty" doc:"The run that did it"`
	Request string          `json:"request,omitempty" doc:"The number of the request that did it, as the log has it"`
	Before  json.RawMessage `json:"before,omitempty"`
	After   json.RawMessage `json:"after,omitempty"`
}

// NamedSubject is what something was done to, with its name as it is today.
type NamedSubject struct {
	Kind identity.Thing `json:"kind"`
	ID   int64          `json:"id"`
	Name string         `json:"name" doc:"Empty for what is gone, or has no name"`
}

// RecordFilter chooses lines of the record; what is zero chooses all.
type RecordFilter struct {
	About  audit.Subject
	Actor  int64
	Action identity.Action
	From   time.Time // this time or later
	Until  time.Time // before this time
	Before int64     // lines before one, by its number
	Limit  int
}

// namedSubjects is how many things are named that something was done to.
const namedSubjects = 4

// Record returns lines of the record, the newest first.
func (s *Store) Record(ctx context.Context, f RecordFilter) ([]Recorded, error) {
	where, args := "true", pgx.NamedArgs{"limit": f.Limit}
	from := "record r"
	if f.About.ID != 0 {
		from = "record_subject o join record r on r.id = o.record_id"
		where += " and o.kind = @kind and o.subject_id = @subject"
		args["kind"], args["subject"] = string(f.About.Kind), f.About.ID
	}
	for _, choice := range []struct {
		chosen    bool
		condition string
		name      string
		value     any
	}{
		{f.Actor != 0, "r.actor_id = @actor", "actor", f.Actor},
		{f.Action != "", "r.action = @action", "action", string(f.Action)},
		{!f.From.IsZero(), "r.at >= @from", "from", f.From},
		{!f.Until.IsZero(), "r.at < @until", "until", f.Until},
		{f.Before != 0, "r.id < @before", "before", f.Before},
	} {
		if choice.chosen {
			where += " and " + choice.condition
			args[choice.name] = choice.value
		}
	}
	rows, err := s.pool.Query(ctx, `with chosen as (select r.* from `+from+` where `+where+` order by r.id desc limit @limit)
		select c.id, c.at, c.action, a.id, a.kind, a.name, coalesce(c.run_id, 0), c.request, c.before, c.after,
			(select count(*) from record_subject where record_id = c.id),
			array(select kind || ' ' || subject_id from record_subject where record_id = c.id order by n limit `+
		strconv.Itoa(namedSubjects)+`)
		from chosen c join actor a on a.id = c.actor_id order by c.id desc`, args)
	if err != nil {
		return nil, err
	}
	found, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (r Recorded, err error) {
		var about []string
		err = row.Scan(&r.ID, &r.At, &r.Action, &r.Who.ID, &r.Who.Kind, &r.Who.Name, &r.Run, &r.Request, &r.Before, &r.After, &r.Abouts,
			&about)
		r.About = make([]NamedSubject, len(about))
		for i, text := range about {
			r.About[i].take(text)
		}
		return r, err
	})
	if err != nil {
		return nil, err
	}
	return found, s.nameSubjects(ctx, found)
}

// take reads a subject as the query of the record writes it: its kind, a space, its number.
func (n *NamedSubject) take(text string) {
	for i := len(text) - 1; i > 0; i-- {
		if text[i] == ' ' {
			n.Kind = identity.Thing(text[:i])
			n.ID, _ = strconv.ParseInt(text[i+1:], 10, 64)
			return
		}
	}
}

// nameSubjects gives the subjects of lines the names that they have today.
func (s *Store) nameSubjects(ctx context.Context, lines []Recorded) error {
	places := map[audit.Subject][]*NamedSubject{}
	var kinds []string
	var ids []int64
	for i := range lines {
		for j := range lines[i].About {
			n := &lines[i].About[j]
			of := audit.Of(n.Kind, n.ID)
			if places[of] == nil {
				kinds, ids = append(kinds, string(n.Kind)), append(ids, n.ID)
			}
			places[of] = append(places[of], n)
		}
	}
	rows, err := s.pool.Query(ctx, `select kind, id, coalesce(case kind
			when 'lot' then (select name from lot where id = s.id)
			when 'file' then (select path from file where id = s.id)
			when 'product' then (select code from product where id = s.id)
			when 'variant' then (select sku from variant where id = s.id)
			when 'category' then (select path from category where id = s.id)
			when 'sheet' then (select name from sheet where id = s.id)
			when 'import' then (select h.name from sheet_import i join sheet h on h.id = i.sheet_id where i.id = s.id)
			when 'origin' then (select name from origin where id = s.id)
			when 'clue list' then (select name from clue_list where id = s.id)
			when 'supplier link' then (select supplier from supplier_link where id = s.id)
			when 'request' then (select name from request where id = s.id)
			when 'outlet' then (select name from outlet where id = s.id)
			when 'dispatch' then (select outlet from dispatch where id = s.id)
			when 'run' then (select kind from run where id = s.id)
			when 'plan' then (select string_agg(l.name, ', ' order by l.id) from plan_lot p join lot l on l.id = p.lot_id where p.plan_id = s.id)
		end, '') from unnest($1::text[], $2::bigint[]) s(kind, id)`, kinds, ids)
	if err != nil {
		return err
	}
	var of audit.Subject
	var name string
	_, err = pgx.ForEachRow(rows, []any{&of.Kind, &of.ID, &name}, func() error {
		for _, n := range places[of] {
			n.Name = name
		}
		return nil
	})
	return err
}

// Actors returns all who ever did something, by kind and name.
func (s *Store) Actors(ctx context.Context) ([]identity.Actor, error) {
	return list[identity.Actor](ctx, s.pool, `select id, kind, name from actor order by kind, name`)
}
