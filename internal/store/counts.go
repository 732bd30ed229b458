package store

import (
	"context"

	"ambrosa/internal/door"
)

// inOrBelow is the SQL of the condition that a category's number, in a column, is that of a category
// with a path, or lies below it. path is a parameter.
func inOrBelow(column, path string) string {
	return column + ` in (select id from category where trail @> array[(select id from category where path = ` + path + `)])`
}

// leaveOrder keeps a condition a filter, so that the order of a list leads: the planner takes a category for one of few
// products, and would sort 100,000 of them.
func leaveOrder(condition string) string { return "(" + condition + ") is true" }

// decisionsOf is the SQL of how often a lot was decided on.
func decisionsOf(lot string) string {
	return `(` + lot + `.decisions + (select count(*) from lot_decided d where d.lot_id = ` + lot + `.id))`
}

// foldFrom is how many rows of one thing that is counted are folded into one.
const foldFrom = 32

// FoldCounts folds together what was added to the counts that are kept. What they come to is the same
// before and after. Where two processes fold at once, one may see only the latest rows of a thing: a row
// is left out only if all that it counts is zero.
func FoldCounts(ctx context.Context, tx *door.Tx) error {
	for _, fold := range []string{
		`with gone as (delete from file_count where lot_id in (select lot_id from file_count group by lot_id having count(*) > $1)
			returning lot_id, verdict, files)
		insert into file_count select lot_id, verdict, sum(files) from gone group by 1, 2 having sum(files) <> 0`,
		`with gone as (delete from product_count where category_id in (select category_id from product_count group by category_id
			having count(*) > $1) returning category_id, products, bare)
		insert into product_count select category_id, sum(products), sum(bare) from gone group by 1
			having sum(products) <> 0 or sum(bare) <> 0`,
		`with gone as (delete from finding_count where (select count(*) - count(distinct (kind, reason, first_sweep)) from finding_count) > $1
			returning *)
		insert into finding_count select kind, reason, first_sweep, sum(findings), sum(bytes), sum(frees) from gone group by 1, 2, 3
			having sum(findings) <> 0 or sum(bytes) <> 0 or sum(frees) <> 0`,
		`with gone as (delete from coverage_sum where category_id in (select category_id from coverage_sum group by category_id
			having count(*) > $1) returning *)
		insert into coverage_sum select category_id, sum(products), sum(lacking), sum(lower), sum(wanted), sum(filled), sum(low), sum(missing),
			sum(asking), sum(unknown_views) from gone group by 1
			having sum(products) <> 0 or sum(lacking) <> 0 or sum(lower) <> 0 or sum(wanted) <> 0 or sum(filled) <> 0 or sum(low) <> 0
				or sum(missing) <> 0 or sum(asking) <> 0 or sum(unknown_views) <> 0`,
		`with busy as (select lot_id from lot_decided group by lot_id having count(*) > $1),
			free as (select id from lot where id in (select lot_id from busy) for no key update skip locked),
			gone as (delete from lot_decided where lot_id in (select id from free) returning lot_id),
			counted as (select lot_id, count(*) as n from gone group by 1)
		update lot l set decisions = decisions + c.n from counted c where l.id = c.lot_id`,
	} {
		if _, err := tx.Exec(ctx, fold, foldFrom); err != nil {
			return err
		}
	}
	return nil
}

// RecountFindings sets right which findings are of held files, and with that their counts: the database
// takes a file out of its holding by itself as soon as something needs it, without waiting for who
// writes findings.
func RecountFindings(ctx context.Context, tx *door.Tx) error {
	if err := lockFindings(ctx, tx); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `update finding g set held = not held
		where held <> exists (select from held h where h.file_id = g.file_id)`)
	return err
}
