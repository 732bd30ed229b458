package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
)

// Reference is one need of a file: while there is one, the file cannot be
// deleted.
type Reference struct {
	By     string          `json:"by" enum:"placement,plan,order,lot" doc:"What needs it"`
	Target *catalog.Target `json:"target,omitempty" doc:"Where it stands, or will or did by the plan"`
	Code   string          `json:"code" doc:"Of the product or category, or the lot's name"`
	Plan   int64           `json:"plan" doc:"That needs it for what it would do, or to take it back"`
	State  string          `json:"state" doc:"Of the plan"`
	Lot    int64           `json:"lot"`
	Since  time.Time       `json:"since"`
}

// References returns who needs a file, the longest need first.
func (s *Store) References(ctx context.Context, file int64) ([]Reference, error) {
	return list[Reference](ctx, s.Pool, `
		select case when r.placement_id is not null then 'placement' when r.plan_change_id is not null then 'plan'
				when r.lot_order_id is not null then 'order' else 'lot' end as by,
			coalesce(case when pl.id is not null then `+targetOf("pl")+` end, case when pc.id is not null then `+ownerOf("pc")+` end,
				case when o.id is not null then `+targetOf("o")+` end) as target,
			coalesce(p.code, c.path, l.name, '') as code, coalesce(pc.plan_id, 0) as plan, coalesce(plan.state, '') as state,
			coalesce(r.lot_id, o.lot_id, 0) as lot, r.since
		from reference r left join placement pl on pl.id = r.placement_id
		left join plan_change pc on pc.id = r.plan_change_id left join plan on plan.id = pc.plan_id
		left join lot_order o on o.id = r.lot_order_id left join lot l on l.id = r.lot_id
		left join product p on p.id = coalesce(pl.product_id, pc.product_id, o.product_id)
		left join category c on c.id = coalesce(pl.category_id, pc.category_id, o.category_id)
		where r.file_id = $1 order by r.since, r.id limit 1000`, file)
}

// referChanges brings up to date which files some products and categories of a
// plan need: those that it shows before and after.
func referChanges(ctx context.Context, tx pgx.Tx, changes []int64) error {
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

// keepLots says that the files of lots are needed because the lots are open.
func keepLots(ctx context.Context, tx pgx.Tx, lots []int64) error {
	_, err := tx.Exec(ctx, `insert into reference (file_id, lot_id) select f.id, f.lot_id from file f where f.lot_id = any($1)
		and not exists (select from reference r where r.lot_id = f.lot_id and r.file_id = f.id)`, lots)
	return err
}

// releaseLots says that lots need their files no longer.
func releaseLots(ctx context.Context, tx pgx.Tx, lots []int64) error {
	_, err := tx.Exec(ctx, `delete from reference where lot_id = any($1)`, lots)
	return err
}
