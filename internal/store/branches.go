package store

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/database"
	"ambrosa/internal/door"
)

// Branch is a category as it stands.
type Branch struct {
	ID int64
	catalog.CategorySnapshot
}

const branchQuery = `select id, path, ref, description from category`

// BranchesByPath returns the categories of paths, in any case, and locks them.
func BranchesByPath(ctx context.Context, tx *door.Tx, paths []string) ([]Branch, error) {
	lower := make([]string, 0, len(paths))
	for _, path := range paths {
		lower = append(lower, strings.ToLower(path))
	}
	return list[Branch](ctx, tx, branchQuery+` where lower(path) = any($1) order by id for update`, spelt(setOf(lower)))
}

// LockBranch returns a category and locks it.
func LockBranch(ctx context.Context, tx *door.Tx, id int64) (Branch, error) {
	return one[Branch](ctx, tx, branchQuery+` where id = $1 for update`, id)
}

// MakeBranch makes a category, with those above it, and returns its number and all that
// are new.
func MakeBranch(ctx context.Context, tx *door.Tx, path string) (id int64, made []int64, err error) {
	if made, err = makePaths(ctx, tx, []string{path}); err != nil {
		return 0, nil, err
	}
	id, err = number(ctx, tx, `select id from category where path = $1`, path)
	return id, made, err
}

// pathsThatStand returns those of some paths, and of the paths above them, that the catalog
// has.
func pathsThatStand(ctx context.Context, tx *door.Tx, wanted []string) (map[string]bool, error) {
	asked := map[string]bool{}
	for _, path := range wanted {
		for path != "" && !asked[path] {
			asked[path] = true
			path = path[:max(0, strings.LastIndex(path, catalog.PathSeparator))]
		}
	}
	if len(asked) == 0 {
		return map[string]bool{}, nil
	}
	rows, err := tx.Query(ctx, `select path from category where path = any($1)`, slices.Collect(maps.Keys(asked)))
	if err != nil {
		return nil, err
	}
	found, err := pgx.CollectRows(rows, pgx.RowTo[string])
	return setOf(found), err
}

// makePaths makes the categories of paths that are not there yet, those above first, and returns the
// new ones. It may return ErrTooDeep.
func makePaths(ctx context.Context, tx *door.Tx, wanted []string) (made []int64, err error) {
	type level struct{ parents, names, paths []string }
	var levels []level
	for _, whole := range wanted {
		if !catalog.FitsTree(whole) {
			return nil, ErrTooDeep
		}
	}
	seen, err := pathsThatStand(ctx, tx, wanted)
	if err != nil {
		return nil, err
	}
	for _, whole := range wanted {
		if whole == "" || seen[whole] {
			continue
		}
		path := ""
		for depth, name := range strings.Split(whole, catalog.PathSeparator) {
			parent := path
			path = strings.TrimPrefix(path+catalog.PathSeparator+name, catalog.PathSeparator)
			if name == "" || seen[path] {
				continue
			}
			seen[path] = true
			for len(levels) <= depth {
				levels = append(levels, level{})
			}
			l := &levels[depth]
			l.parents, l.names, l.paths = append(l.parents, parent), append(l.names, name), append(l.paths, path)
		}
	}
	for _, l := range levels {
		ids, err := numbers(ctx, tx, `insert into category (parent_id, name, path) select p.id, g.name, g.path
			from unnest($1::text[], $2::text[], $3::text[]) with ordinality as g (parent, name, path, n)
			left join category p on p.path = g.parent order by g.n on conflict (path) do nothing returning id`, l.parents, l.names, l.paths)
		if err != nil {
			return nil, err
		}
		made = append(made, ids...)
	}
	return made, nil
}

// ErrTooDeep means that a category would lie too deep in the tree, or that its path is too long:
// catalog.FitsTree tells.
var ErrTooDeep = errors.New("a category lies too deep, or its path is too long")

// WriteBranch writes a category's ID and text.
func WriteBranch(ctx context.Context, tx *door.Tx, id int64, is catalog.CategorySnapshot) error {
	_, err := tx.Exec(ctx, `update category set ref = $2, description = $3, version = version + 1, updated_at = now() where id = $1`,
		id, is.Ref, is.Description)
	if database.IsDouble(err) {
		return ErrTaken
	}
	if err != nil {
		return err
	}
	return tx.Announce(ctx, door.Event{Topic: "category", ID: id})
}

// BranchChange is what an import did to a category.
type BranchChange struct {
	ID         int64
	CategoryID int64
	Row        int
	Before     *catalog.CategorySnapshot // nil where it made it
	After      catalog.CategorySnapshot
}

// AddBranchChanges records what an import did, in its transaction.
func AddBranchChanges(ctx context.Context, tx *door.Tx, id int64, changes []BranchChange) error {
	batch := &pgx.Batch{}
	for _, c := range changes {
		batch.Queue(`insert into sheet_change (import_id, category_id, row, before, after) values ($1, $2, $3, $4, $5)
			on conflict (import_id, category_id) do update set after = excluded.after`, id, c.CategoryID, c.Row, c.Before, c.After)
	}
	return tx.SendBatch(ctx, batch).Close()
}

// StandingBranches returns what an import did to categories and is not taken back, the
// last first, as many as limit; of one alone where that is not 0.
func StandingBranches(ctx context.Context, tx *door.Tx, id, category int64, limit int) ([]BranchChange, error) {
	return list[BranchChange](ctx, tx, `select id, category_id, row, before, after from sheet_change
		where import_id = $1 and state = 'imported' and category_id is not null and ($2::bigint = 0 or category_id = $2)
		order by id desc limit $3`, id, category, limit)
}

// DropBranch deletes a category that nothing is in or on; gone is false where it stays.
func DropBranch(ctx context.Context, tx *door.Tx, id int64) (gone bool, err error) {
	tag, err := tx.Exec(ctx, `delete from category c where id = $1
		and not exists (select from category where parent_id = c.id) and not exists (select from product where category_id = c.id)
		and not exists (select from placement where category_id = c.id) and not `+heldByFile("category_id", "c.id")+`
		and not exists (select from plan_change where category_id = c.id) and not exists (select from lot where category_id = c.id)`, id)
	return tag.RowsAffected() > 0, err
}
