package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/upkeep"
	"ambrosa/internal/door"
)

// NewSwap writes a draft of nothing yet that has files take the place of others. ErrNotFound
// means that one of the files is not there, or cannot be shown.
func NewSwap(ctx context.Context, tx *door.Tx, swaps []upkeep.Swap) (int64, error) {
	id, err := NewPlan(ctx, tx, "swap", "instead")
	if err != nil {
		return 0, err
	}
	from, to := make([]int64, len(swaps)), make([]int64, len(swaps))
	for i, s := range swaps {
		from[i], to[i] = s.From, s.To
	}
	tag, err := tx.Exec(ctx, `insert into plan_swap (plan_id, from_file, to_file)
		select $1, f.id, t.id from unnest($2::bigint[], $3::bigint[]) s (from_file, to_file) join file f on f.id = s.from_file
			join file t on t.id = s.to_file and t.sha256 is not null and t.verdict not in ('unusable', 'sheet')`, id, from, to)
	if err == nil && tag.RowsAffected() != int64(len(swaps)) {
		err = ErrNotFound
	}
	return id, err
}

// OwnersShowing returns products, and behind them categories, that show a file whose place
// another takes by a plan; with on only some of them.
func OwnersShowing(
	ctx context.Context, tx *door.Tx, id int64, on []catalog.Target, after catalog.Target, limit int,
) ([]catalog.Target, error) {
	products, categories := split(on)
	all := len(on) == 0
	if after.Kind != catalog.KindCategory {
		found, err := numbers(ctx, tx, `select distinct p.product_id from plan_swap s join placement p on p.file_id = s.from_file
			where s.plan_id = $1 and p.product_id > $2 and ($3 or p.product_id = any($4)) order by p.product_id limit $5`,
			id, after.ID, all, products, limit)
		if err != nil || len(found) > 0 {
			return targetsOf(found, catalog.Product), err
		}
		after.ID = 0
	}
	found, err := numbers(ctx, tx, `select distinct p.category_id from plan_swap s join placement p on p.file_id = s.from_file
		where s.plan_id = $1 and p.category_id > $2 and ($3 or p.category_id = any($4)) order by p.category_id limit $5`,
		id, after.ID, all, categories, limit)
	return targetsOf(found, catalog.Category), err
}

func targetsOf(ids []int64, kind func(int64) catalog.Target) []catalog.Target {
	found := make([]catalog.Target, 0, len(ids))
	for _, id := range ids {
		found = append(found, kind(id))
	}
	return found
}

// Swapped returns the files that take the place of others on some products and categories,
// each with the one whose place it takes there.
func Swapped(ctx context.Context, db DB, id int64, on []catalog.Target) ([]Arrival, error) {
	products, categories := split(on)
	return list[Arrival](ctx, db, `
		select coalesce(s.product_id, 0) as product, 0::bigint as variant, coalesce(s.category_id, 0) as category, f.id as file,
			s.from_file as instead, f.path, '' as alt, `+factColumns+`, 0 as place, '' as view, false as bare,
			coalesce(d.title, g.name) as title, '[]'::jsonb as values, coalesce(d.version, g.version) as version, '' as own_way,
			coalesce(c.left_out, false) as left_out
		from (select distinct p.product_id, p.category_id, w.from_file, w.to_file from plan_swap w join placement p on p.file_id = w.from_file
			where w.plan_id = $1 and (p.product_id = any($2) or p.category_id = any($3))) s
		join file f on f.id = s.to_file and f.verdict not in ('unusable', 'sheet') join blob b on b.sha256 = f.sha256
		left join product d on d.id = s.product_id left join category g on g.id = s.category_id
		left join plan_change c on c.plan_id = $1 and (c.product_id = s.product_id or c.category_id = s.category_id)
		order by s.product_id, s.category_id, s.from_file`, id, products, categories)
}

// Shows tells whether a product, with its variants, or a category shows a file.
func (s *Store) Shows(ctx context.Context, owner catalog.Target, file int64) (shows bool, err error) {
	product, category := ownerColumns(owner)
	err = s.pool.QueryRow(ctx, `select exists (select from placement where file_id = $1 and (product_id = $2 or category_id = $3))`,
		file, product, category).Scan(&shows)
	return shows, err
}

// Twins returns the files of findings that are the same as, or look like, others: with whole
// all files of their groups, else only the findings that a filter chooses.
func (s *Store) Twins(ctx context.Context, q FindingFilter, whole bool) ([]upkeep.Twin, error) {
	where, args := q.where(1)
	chosen := `select g.id from finding g` + where + ` and g.kind in ('twice', 'alike')`
	if whole {
		chosen = `select o.id from finding o join finding g on g.kind = o.kind and g.grp = o.grp` + where + ` and g.kind in ('twice', 'alike')
			and not exists (select from held h where h.file_id = o.file_id)`
	}
	rows, err := s.pool.Query(ctx, `select g.file_id, g.grp, (select count(distinct coalesce(p.product_id,
		-p.category_id))::int from placement p
			where p.file_id = g.file_id), exists (select from pin where file_id = g.file_id)
		from finding g where g.id in (`+chosen+`) order by g.grp, g.file_id`, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[upkeep.Twin])
}
