package store

import (
	"context"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/rights"
	"ambrosa/internal/door"
)

// RightsHad is which rights files of a lot have.
type RightsHad struct {
	Files      int64  `json:"files"`
	Cleared    int64  `json:"cleared"`
	Restricted int64  `json:"restricted"`
	Unknown    int64  `json:"unknown"`
	Stamp      string `json:"stamp" doc:"Another one as soon as one of the files has other rights, or other files are chosen"`
}

// chosenForRights chooses files of a lot by a filter, or one of them where file is not 0.
func chosenForRights(lot, file int64, f FileFilter) (where string, args pgx.NamedArgs) {
	where, args = f.where(lot)
	if file != 0 {
		where += " and id = @file"
	}
	args["file"] = file
	return where, args
}

// RightsHave returns which rights the files of a lot have that a filter chooses, or one of them where file is not 0.
func (s *Store) RightsHave(ctx context.Context, lot, file int64, f FileFilter) (RightsHad, error) {
	where, args := chosenForRights(lot, file, f)
	return rightsHad(ctx, s.pool, where, args)
}

func rightsHad(ctx context.Context, db DB, where string, args pgx.NamedArgs) (RightsHad, error) {
	return one[RightsHad](ctx, db, `select count(*) as files, count(*) filter (where rights = 'cleared') as cleared,
			count(*) filter (where rights = 'restricted') as restricted, count(*) filter (where rights = 'unknown') as unknown,
			count(*) || ' ' || coalesce(sum(hashtextextended(concat_ws('|', id, rights, licence, credit, expires), 43) % 1000000007), 0) as stamp
		from file where `+where, args)
}

// SetRights gives rights to a lot's files that a filter chooses, or to one of them when file is not 0, and returns those that
// they had. With a stamp that is not "", files that have another one by now are ErrChanged.
func SetRights(ctx context.Context, tx *door.Tx, lot, file int64, f FileFilter, r rights.Rights, stamp string) (had RightsHad, err error) {
	where, args := chosenForRights(lot, file, f)
	args["rights"], args["licence"], args["credit"], args["expires"] = string(r.State), r.Licence, r.Credit, r.Expires
	// Files are locked in order, so that two who give rights to the same files do not wait for each other.
	if _, err := tx.Exec(ctx, `select from file where `+where+` order by id for no key update`, args); err != nil {
		return had, err
	}
	if had, err = rightsHad(ctx, tx, where, args); err != nil {
		return had, err
	}
	if stamp != "" && had.Stamp != stamp {
		return had, ErrChanged
	}
	if _, err := tx.Exec(ctx, `update file set rights = @rights, licence = @licence, credit = @credit, expires = @expires
		where `+where, args); err != nil {
		return had, err
	}
	return had, tx.Announce(ctx, door.Event{Topic: "files", ID: lot})
}
