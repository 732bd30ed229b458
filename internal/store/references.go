package store

import (
	"context"
	"slices"
	"time"

	"ambrosa/core/catalog"
	"ambrosa/core/dispatch"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// Reference is one need of a file: while there is one, the file cannot be
// deleted.
type Reference struct {
	By     string          `json:"by" enum:"placement,plan,order,lot,pin,sheet,shelf,dispatch" doc:"What needs it"`
	Target *catalog.Target `json:"target,omitempty" doc:"Where it stands, or will or did by the plan"`
	Code   string          `json:"code" doc:"Of the product or category, or the lot's or outlet's name"`
	Plan   int64           `json:"plan" doc:"That needs it for what it would do, or to take it back"`
	State  string          `json:"state" doc:"Of the plan"`
	Lot    int64           `json:"lot"`
	Since  time.Time       `json:"since"`
	Until  *time.Time      `json:"until" doc:"When the need ends by itself: that of a way back, or of what was handed on"`
}

// References returns who needs a file, the longest need first.
func (s *Store) References(ctx context.Context, file int64) ([]Reference, error) {
	return list[Reference](ctx, s.pool, `
		select case when r.placement_id is not null then 'placement' when r.plan_change_id is not null then 'plan'
				when r.lot_order_id is not null then 'order' when r.pin_id is not null then 'pin' when r.sheet_id is not null then 'sheet'
				when r.shelved_id is not null then 'shelf' when r.dispatch_id is not null then 'dispatch' else 'lot' end as by,
			coalesce(case when pl.id is not null then `+targetOf("pl")+` end, case when pc.id is not null then `+ownerOf("pc")+` end,
				case when o.id is not null then `+targetOf("o")+` end) as target,
			coalesce(p.code, c.path, l.name, pin.because, sheet.name, shelved.folder, dispatch.outlet, '') as code,
			coalesce(pc.plan_id, 0) as plan, coalesce(plan.state, '') as state,
			coalesce(r.lot_id, o.lot_id, 0) as lot, r.since, r.until
		from reference r left join placement pl on pl.id = r.placement_id
		left join plan_change pc on pc.id = r.plan_change_id left join plan on plan.id = pc.plan_id
		left join pin on pin.id = r.pin_id left join sheet on sheet.id = r.sheet_id left join shelved on shelved.id = r.shelved_id
		left join dispatch on dispatch.id = r.dispatch_id
		left join lot_order o on o.id = r.lot_order_id left join lot l on l.id = r.lot_id
		left join product p on p.id = coalesce(pl.product_id, pc.product_id, o.product_id)
		left join category c on c.id = coalesce(pl.category_id, pc.category_id, o.category_id)
		where r.file_id = $1 and (r.until is null or r.until > now()) order by r.since, r.id limit 1000`, file)
}

// repeatDays is how long what was handed on can be handed on again just so: as long as what was made for it is kept.
const repeatDays = 90

// referDispatched says that the files that went with a dispatch are needed for a term, each by the last
// that it went with. A file that was purged meanwhile cannot be.
func referDispatched(ctx context.Context, tx *door.Tx, id int64, outcomes []dispatch.Outcome) error {
	var files []int64
	for _, o := range outcomes {
		if o.Held == "" {
			files = append(files, o.File)
		}
	}
	there, err := numbers(ctx, tx, `select id from file where id = any($1) order by id for key share`, files)
	if err != nil || len(there) == 0 {
		return err
	}
	// A need that is new, unlike one that is prolonged, takes a held file out of holding.
	if _, err := tx.Exec(ctx, `delete from reference where file_id = any($1) and dispatch_id is not null`, there); err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `insert into reference (file_id, dispatch_id, until)
		select unnest($1::bigint[]), $2, now() + make_interval(days => $3)
		on conflict (file_id) where dispatch_id is not null do update set dispatch_id = excluded.dispatch_id, since = now(),
			until = excluded.until`, there, id, repeatDays)
	return err
}

// referChanges brings up to date which files some products and categories of a
// plan need: those that it shows before and after.
func referChanges(ctx context.Context, tx *door.Tx, changes []int64) error {
	_, err := tx.Exec(ctx, `
		with needed as (
			select distinct c.id, (p->>'file')::bigint as file
			from plan_change c, jsonb_array_elements(c.before || c.after) t, jsonb_array_elements(t->'pictures') p where c.id = any($1)),
		gone as (
			delete from reference r where r.plan_change_id = any($1)
				and not exists (select from needed n where n.id = r.plan_change_id and n.file = r.file_id))
		insert into reference (file_id, plan_change_id) select n.file, n.id from needed n
		where not exists (select from reference r where r.plan_change_id = n.id and r.file_id = n.file)`, changes)
	return err
}

// endNeeds says how long a plan needs files in the state that it is moved to: one that is
// applied, its way back's term; one that is reverted, no longer.
func endNeeds(ctx context.Context, tx *door.Tx, plan int64, state string) error {
	var query string
	switch state {
	case "applied":
		query = `update reference r set until = now() + make_interval(days => s.way_back_days) from plan_change c, upkeep_setting s
			where c.id = r.plan_change_id and c.plan_id = $1 and r.until is null`
	case "reverted":
		query = `delete from reference r using plan_change c where c.id = r.plan_change_id and c.plan_id = $1`
	default:
		return nil
	}
	_, err := tx.Exec(ctx, query, plan)
	return err
}

// ReverseEnds says that a change that was taken back needs its files no longer.
func ReverseEnds(ctx context.Context, tx *door.Tx, change int64) error {
	_, err := tx.Exec(ctx, `delete from reference where plan_change_id = $1`, change)
	return err
}

// WithoutGone leaves out of an arrangement the files that were purged, and returns how many.
func WithoutGone(ctx context.Context, tx *door.Tx, a plan.Arrangement) (plan.Arrangement, int, error) {
	var files []int64
	for _, entries := range a {
		for _, e := range entries {
			files = append(files, e.File)
		}
	}
	there, err := numbers(ctx, tx, `select id from file where id = any($1) for key share`, files)
	if err != nil {
		return nil, 0, err
	}
	known := map[int64]bool{}
	for _, id := range there {
		known[id] = true
	}
	kept, gone := plan.Arrangement{}, 0
	for target, entries := range a {
		kept[target] = slices.DeleteFunc(slices.Clone(entries), func(e plan.Entry) bool { return !known[e.File] })
		gone += len(entries) - len(kept[target])
	}
	return kept, gone, nil
}

// keepLots says that the files of lots are needed because the lots are open.
func keepLots(ctx context.Context, tx *door.Tx, lots []int64) error {
	_, err := tx.Exec(ctx, `insert into reference (file_id, lot_id) select f.id, f.lot_id from file f where f.lot_id = any($1)
		and not exists (select from reference r where r.lot_id = f.lot_id and r.file_id = f.id)`, lots)
	return err
}

// releaseLots says that lots need their files no longer.
func releaseLots(ctx context.Context, tx *door.Tx, lots []int64) error {
	_, err := tx.Exec(ctx, `delete from reference where lot_id = any($1)`, lots)
	return err
}
