package store

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ambrosa/internal/door"
)

// heldByFile is the SQL that a file holds what it is paired with: a person decided or applied
// so, or its lot is applied. What reading paired in an open lot is read again.
func heldByFile(column, of string) string {
	return fmt.Sprintf(`(exists (select from file f join lot l on l.id = f.lot_id where f.%[1]s = %[2]s
		and (f.decided_by in ('person', 'plan') or l.state = 'applied'))
		or exists (select from file f where f.others <> '[]' and f.others @> jsonb_build_array(jsonb_build_object('%[3]s', %[2]s))))`,
		column, of, strings.TrimSuffix(column, "_id"))
}

// LetGo takes the pairs of reading in lots that are not applied from products and categories
// that may go, and returns those of the lots that are open: they are to be read again. Lots
// are locked first, as by whoever writes verdicts, and products behind them.
func LetGo(ctx context.Context, tx *door.Tx, products, categories []int64) (lots []int64, err error) {
	const paired = ` from file f where (f.product_id = any($1) or f.category_id = any($2)) and f.decided_by not in ('person', 'plan')`
	all, err := numbers(ctx, tx, `select id from lot where state <> 'applied' and id in (select f.lot_id`+paired+`)
		order by id for update`, orEmpty(products), orEmpty(categories))
	if err != nil || len(all) == 0 {
		return nil, err
	}
	if _, err := tx.Exec(ctx, `update file set verdict = 'unread', product_id = null, variant_id = null, category_id = null, decided_by = ''
		where id in (select f.id`+paired+` and f.lot_id = any($3))`, orEmpty(products), orEmpty(categories), all); err != nil {
		return nil, err
	}
	return numbers(ctx, tx, `select id from lot where id = any($1) and state in ('examining', 'ready') order by id`, all)
}

// LotsWaiting returns those of some lots for which a run of a kind is going to begin.
func LotsWaiting(ctx context.Context, db DB, kind string, lots []int64) ([]int64, error) {
	return numbers(ctx, db, `select distinct lot_id from run where kind = $1 and state = 'queued' and lot_id = any($2)`, kind, lots)
}

// Without returns a list without what stands in another.
func Without(list, gone []int64) []int64 {
	return slices.DeleteFunc(slices.Clone(list), func(id int64) bool { return slices.Contains(gone, id) })
}
