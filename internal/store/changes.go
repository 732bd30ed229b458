package store

import (
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/internal/door"
)

// PlanChange is what a plan does to one product with its variants, or to one
// category.
type PlanChange struct {
	ID       int64            `json:"id"`
	Plan     int64            `json:"-"`
	Owner    catalog.Target   `json:"owner" doc:"The product, with its variants, or the category"`
	Code     string           `json:"code"`
	Title    string           `json:"title"`
	Way      string           `json:"way" doc:"Its own way; empty means the plan's"`
	LeftOut  bool             `json:"leftOut"`
	State    string           `json:"state" enum:"planned,applied,reverted,stale,failed,left out"`
	Version  int64            `json:"-"`
	Added    int              `json:"added"`
	Removed  int              `json:"removed"`
	Moved    int              `json:"moved"`
	Before   plan.Arrangement `json:"-"`
	After    plan.Arrangement `json:"-"`
	Warnings []plan.Warning   `json:"warnings" nullable:"false"`
	Problem  string           `json:"problem"`
	Remade   bool             `json:"remade" doc:"It would show something else than it did when the plan was last looked at"`
}

const changeQuery = `
	select c.id, c.plan_id as plan, coalesce(p.code, g.path) as code, coalesce(p.title, g.name) as title, coalesce(c.way, '')
	as way, c.left_out, c.state,
	c.version,
		c.added, c.removed, c.moved, c.before, c.after, c.warnings, c.problem, c.remade,
		case when c.product_id is not null then jsonb_build_object('kind', 'product', 'id', c.product_id)
			else jsonb_build_object('kind', 'category', 'id', c.category_id) end as owner
	from plan_change c left join product p on p.id = c.product_id left join category g on g.id = c.category_id`

// PlanChanges returns a page of what a plan does, first where there is trouble,
// what was made again or has a warning, and how much there is.
func (s *Store) PlanChanges(ctx context.Context, id int64, warned bool, offset, limit int) (page []PlanChange, total int64, err error) {
	where := "c.plan_id = $1 and ($2 = false or c.warnings <> '[]' or c.remade or c.state in ('stale', 'failed'))"
	if total, err = number(ctx, s.pool, `select count(*) from plan_change c where `+where, id, warned); err != nil {
		return nil, 0, err
	}
	page, err = list[PlanChange](ctx, s.pool, changeQuery+` where `+where+`
		order by c.state in ('stale', 'failed') desc, c.remade desc, c.warnings = '[]', coalesce(p.code, g.path) offset $3 limit $4`,
		id, warned, offset, limit)
	return page, total, err
}

// ChangeOf returns the id of what a plan does to a product or category.
func ChangeOf(ctx context.Context, db DB, id int64, owner catalog.Target) (int64, error) {
	product, category := ownerColumns(owner)
	return number(ctx, db, `select id from plan_change where plan_id = $1 and (product_id = $2 or category_id = $3)`, id, product, category)
}

// LockChange returns one change of a plan and keeps others from touching it, and
// its product or category, until the transaction ends. now is the version that
// the product or category has.
func LockChange(ctx context.Context, tx *door.Tx, change int64) (c PlanChange, now int64, err error) {
	if c, err = one[PlanChange](ctx, tx, changeQuery+` where c.id = $1`, change); err != nil {
		return c, 0, err
	}
	if now, err = LockOwner(ctx, tx, c.Owner); err != nil {
		return c, 0, err
	}
	c, err = one[PlanChange](ctx, tx, changeQuery+` where c.id = $1 for update of c`, change)
	return c, now, err
}

// NextChanges returns changes of a plan in a state, behind after.
func (s *Store) NextChanges(ctx context.Context, id int64, state string, after int64, limit int) ([]int64, error) {
	return numbers(ctx, s.pool, `select id from plan_change where plan_id = $1 and state = $2 and id > $3 order by id limit $4`, id, state,
		after, limit)
}

// ChangeApplied records that a change stands, and as what.
func ChangeApplied(ctx context.Context, tx *door.Tx, change int64, after plan.Arrangement) error {
	if _, err := tx.Exec(ctx, `update plan_change set state = 'applied', after = $2 where id = $1`, change, after); err != nil {
		return err
	}
	return referChanges(ctx, tx, []int64{change})
}

// MoveChange moves a change on, when it is in the state given, and says why.
func MoveChange(ctx context.Context, tx *door.Tx, change int64, to, from, problem string) error {
	_, err := tx.Exec(ctx, `update plan_change set state = $2, problem = $4 where id = $1 and state = $3`, change, to, from, problem)
	return err
}

// SetWay gives one product or category of a plan its own way ("" for the plan's),
// or leaves it out.
func SetWay(ctx context.Context, tx *door.Tx, change int64, way plan.Way, leftOut bool) error {
	_, err := tx.Exec(ctx, `update plan_change set way = nullif($2, ''), left_out = $3, state = case when $3 then 'left out' else 'planned' end
		where id = $1`, change, string(way), leftOut)
	return err
}

// Troubled returns the products and categories of a plan that could not be
// changed.
func Troubled(ctx context.Context, tx *door.Tx, id int64) ([]catalog.Target, error) {
	return owners(ctx, tx, `select `+ownerOf("c")+` from plan_change c where plan_id = $1 and state in ('stale', 'failed') order by id`, id)
}

// Overtaken returns products and categories that changed since a plan was made of
// them, behind the change after, and the last of their changes.
func Overtaken(ctx context.Context, tx *door.Tx, id, after int64, limit int) (found []catalog.Target, last int64, err error) {
	type row struct {
		ID    int64
		Owner catalog.Target
	}
	rows, err := list[row](ctx, tx, `select c.id, `+ownerOf("c")+` as owner from plan_change c
		where c.plan_id = $1 and c.state = 'planned' and c.version <> `+versionOf+` and c.id > $2 order by c.id limit $3`, id, after, limit)
	for _, r := range rows {
		found, last = append(found, r.Owner), r.ID
	}
	return found, last, err
}

// Decided tells whether lots of a plan were decided on since it was made.
func Decided(ctx context.Context, tx *door.Tx, id int64) (bool, error) {
	n, err := number(ctx, tx, `select count(*) from plan_lot pl join lot l on l.id = pl.lot_id where pl.plan_id = $1
		and pl.decisions <> `+decisionsOf("l"), id)
	return n > 0, err
}

// PlanIsOfNow records that a plan is made of its lots' decisions as they stand.
func PlanIsOfNow(ctx context.Context, tx *door.Tx, id int64) error {
	_, err := tx.Exec(ctx, `update plan_lot pl set decisions = `+decisionsOf("l")+` from lot l where pl.plan_id = $1 and l.id = pl.lot_id`, id)
	return err
}

// Unmark forgets what became different when a plan was last made again, and
// returns how many products and categories it changes.
func Unmark(ctx context.Context, tx *door.Tx, id int64) (int64, error) {
	tag, err := tx.Exec(ctx, `update plan_change set remade = false where plan_id = $1`, id)
	return tag.RowsAffected(), err
}

// CountChanges returns how many products and categories a plan changes, and how
// many of them became different when it was last made again.
func CountChanges(ctx context.Context, tx *door.Tx, id int64) (all, remade int, err error) {
	err = tx.QueryRow(ctx, `select count(*), count(*) filter (where remade) from plan_change where plan_id = $1`, id).Scan(&all, &remade)
	return all, remade, err
}

// DropChanges forgets what a plan would do to those of some products and
// categories that it does not reach any more, and returns to how many.
func DropChanges(ctx context.Context, tx *door.Tx, id int64, of, reached []catalog.Target) (int, error) {
	products, categories := split(of)
	reachedProducts, reachedCategories := split(reached)
	tag, err := tx.Exec(ctx, `delete from plan_change where plan_id = $1 and state in ('planned', 'stale', 'failed')
		and (product_id = any($2) and product_id <> all(coalesce($4, '{}'::bigint[]))
			or category_id = any($3) and category_id <> all(coalesce($5, '{}'::bigint[])))`,
		id, products, categories, reachedProducts, reachedCategories)
	return int(tag.RowsAffected()), err
}

// Drafted is what a plan would do to a product or category.
type Drafted struct {
	Owner         catalog.Target
	Version       int64 // of the product or category
	Before, After plan.Arrangement
	Difference    plan.Difference
	Warnings      []plan.Warning
	Settles       []Settled // what it settles when it is applied; of a plan of lots
}

// WriteDrafted writes what a plan would do to some products and categories; mark
// says whether what becomes different is marked as made again. What stands
// already, or is left out, stays.
func WriteDrafted(ctx context.Context, tx *door.Tx, id int64, drafts []Drafted, mark bool) error {
	batch := &pgx.Batch{}
	written := make([]int64, 0, len(drafts))
	for _, d := range drafts {
		product, category := ownerColumns(d.Owner)
		batch.Queue(`insert into plan_change (plan_id, product_id, category_id, version, before, after, added, removed, moved, warnings, remade,
				settles)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
			on conflict on constraint plan_change_owner do update set version = excluded.version, before = excluded.before, after = excluded.after,
				added = excluded.added, removed = excluded.removed, moved = excluded.moved, warnings = excluded.warnings, problem = '',
				settles = excluded.settles,
				remade = excluded.remade and not plan_change.left_out and plan_change.after <> excluded.after,
				state = case when plan_change.left_out then 'left out' else 'planned' end
			where plan_change.state in ('planned', 'stale', 'failed', 'left out') returning id`,
			id, product, category, d.Version, d.Before, d.After, d.Difference.Added, d.Difference.Removed, d.Difference.Moved,
			orEmpty(d.Warnings), mark, orEmpty(d.Settles)).
			Query(func(rows pgx.Rows) error {
				ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
				written = append(written, ids...)
				return err
			})
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("write what is planned: %w", err)
	}
	return referChanges(ctx, tx, written)
}

func owners(ctx context.Context, db DB, query string, args ...any) ([]catalog.Target, error) {
	rows, err := db.Query(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[catalog.Target])
}

// Arrival is a paired file that lots bring.
type Arrival struct {
	targetColumns
	File    int64
	Path    string
	Place   int
	View    string
	Alt     string // what a sheet says of it
	Bare    bool   // its name is nothing but the key
	Title   string // of what it is paired with
	Values  []catalog.Option
	Version int64 // of the product or category
	OwnWay  string
	LeftOut bool
	PictureFacts

	InSteadOf int64 `db:"instead"` // the file whose place it takes, 0 for none

	Placed *plan.Placed `db:"-"` // how an earlier plan of its lot placed it there, nil for none
}

// Target is what the file is paired with.
func (a Arrival) Target() catalog.Target { return a.target() }

// Owner is what changes together with it.
func (a Arrival) Owner() catalog.Target { return a.owner() }

// PictureFacts is what is known of a picture.
type PictureFacts struct {
	Sum         string
	Pixels      int64
	Fingerprint int64
	Tint        []byte
	Marks       int
	Rights      string
	Licence     string
	Credit      string
	Expires     *time.Time
}

const factColumns = `encode(f.sha256, 'hex') as sum, coalesce(b.width::bigint * b.height, 0) as pixels,
	coalesce(b.fingerprint, 0) as fingerprint,
	coalesce(b.tint, '') as tint, coalesce(b.marks, 0) as marks, f.rights, f.licence, f.credit, f.expires::timestamptz as expires`

// StandingFacts returns what is known of the pictures that stand on products and
// categories.
func StandingFacts(ctx context.Context, db DB, of []catalog.Target) ([]PictureFacts, error) {
	products, categories := split(of)
	return list[PictureFacts](ctx, db, `select `+factColumns+` from placement pl join file f on f.id = pl.file_id
		join blob b on b.sha256 = f.sha256
		where pl.product_id = any($1) or pl.category_id = any($2)`, products, categories)
}

// Spread returns one file as it arrives on each of some products, as a whole, and
// categories; id is the plan whose ways they have.
func Spread(ctx context.Context, db DB, id, file int64, on []catalog.Target) ([]Arrival, error) {
	products, categories := split(on)
	const columns = `f.id as file, 0::bigint as instead, f.path, '' as alt, ` + factColumns + `, 0 as place, '' as view, false as bare,
		coalesce(c.way, '') as own_way, coalesce(c.left_out, false) as left_out, '[]'::jsonb as values`
	const usable = `f.id = $2 and f.verdict not in ('unusable', 'sheet')`
	return list[Arrival](ctx, db, `
		select p.id as product, 0::bigint as variant, 0::bigint as category, p.title, p.version, `+columns+`
		from product p join file f on `+usable+` join blob b on b.sha256 = f.sha256
		left join plan_change c on c.plan_id = $1 and c.product_id = p.id where p.id = any($3)
		union all
		select 0, 0, g.id, g.name, g.version, `+columns+`
		from category g join file f on `+usable+` join blob b on b.sha256 = f.sha256
		left join plan_change c on c.plan_id = $1 and c.category_id = g.id where g.id = any($4)`, id, file, products, categories)
}

// LotStanding is how far a lot is, as long as the transaction holds it.
type LotStanding struct {
	ID       int64
	State    lot.State
	UnderWay bool // a plan of it is being applied or reverted
}

const lotStandingQuery = `select id, state, exists (select from plan p join plan_lot pl on pl.plan_id = p.id
	where pl.lot_id = l.id and p.state in ('applying', 'reverting')) as under_way from lot l`

// LockLots keeps lots as they are until the transaction ends; ErrNotFound means
// that one of them is not there.
func LockLots(ctx context.Context, tx *door.Tx, lots []int64) ([]LotStanding, error) {
	if _, err := tx.Exec(ctx, `select from lot where id = any($1) order by id for no key update`, lots); err != nil {
		return nil, err
	}
	found, err := list[LotStanding](ctx, tx, lotStandingQuery+` where id = any($1) order by id`, lots)
	if err == nil && (len(found) < len(lots) || len(lots) == 0) {
		err = ErrNotFound
	}
	return found, err
}
