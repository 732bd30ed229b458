package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// Decision is what a person decides of a file.
type Decision struct {
	Verdict string // paired, set aside; empty gives the file back to the engine's verdict
	Product int64
	Variant int64
	Place   int
	View    string
	Reason  string
	Version int // of the file that the person saw; another one is ErrChanged
}

// ErrOtherBarcode means that a picture was looked up for another barcode than
// the product's.
var ErrOtherBarcode = errors.New("the picture was looked up for another barcode")

// Decide writes a person's decision of one file and returns what takes it back.
func (s *Store) Decide(ctx context.Context, file int64, d Decision) (undo int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		lot, err := openFile(ctx, tx, file, d.Version)
		if err != nil {
			return err
		}
		if d.Verdict == "paired" {
			// A picture that was looked up for one barcode never lands on another.
			other, err := number(ctx, tx, `select count(*) from file f join lot l on l.id = f.lot_id and l.origin = 'lookup'
				where f.id = $1 and not exists (select from variant v where v.product_id = $2 and v.gtin = f.said->>'barcode' and ($3 = 0 or v.id = $3))`, file, d.Product, d.Variant)
			if err != nil {
				return err
			}
			if other > 0 {
				return ErrOtherBarcode
			}
			if err := isTarget(ctx, tx, d.Product, d.Variant); err != nil {
				return err
			}
		}
		done, err := change{kind: d.Verdict, of: "true",
			set: `verdict = @verdict, product_id = nullif(@product::bigint, 0), variant_id = nullif(@variant::bigint, 0), place = nullif(@place::int, 0),
				view = @view, reason = @reason, ` + ofNoClue + `, ` + byPerson,
			args: pgx.NamedArgs{"verdict": d.Verdict, "product": d.Product, "variant": d.Variant, "place": d.Place, "view": d.View, "reason": d.Reason},
		}.record(ctx, tx, lot, "id = @file", pgx.NamedArgs{"file": file})
		undo = done.ID
		return err
	})
	return undo, err
}

// GiveBack undoes persons' decisions on a file, so that the engine may read it
// again, and returns its lot and what takes that back.
func (s *Store) GiveBack(ctx context.Context, file int64, version int) (lot, undo int64, err error) {
	err = s.Within(ctx, func(tx pgx.Tx) error {
		if lot, err = openFile(ctx, tx, file, version); err != nil {
			return err
		}
		done, err := change{kind: "reopened", of: "true", set: unread}.record(ctx, tx, lot, "id = @file", pgx.NamedArgs{"file": file})
		undo = done.ID
		return err
	})
	return lot, undo, err
}

// openFile locks a file that a person decides on, and returns its lot; ErrChanged
// means that it is not in the version that the person saw, or not to be decided
// on.
func openFile(ctx context.Context, tx pgx.Tx, file int64, version int) (lot int64, err error) {
	if lot, err = number(ctx, tx, `select lot_id from file where id = $1`, file); err != nil {
		return 0, err
	}
	if err := deciding(ctx, tx, lot); err != nil {
		return 0, err
	}
	var now int
	var verdict string
	err = tx.QueryRow(ctx, `select version, verdict from file where id = $1 for update`, file).Scan(&now, &verdict)
	switch {
	case err != nil:
		return 0, orNotFound(err)
	case now != version:
		return 0, ErrChanged
	case verdict == "unusable":
		return 0, fmt.Errorf("an unusable file cannot be decided on: %w", ErrChanged)
	}
	return lot, nil
}

// isTarget tells with ErrNotFound that a product, or the variant of it when that
// is not 0, is not there.
func isTarget(ctx context.Context, db DB, product, variant int64) error {
	n, err := number(ctx, db, `select count(*) from product p left join variant v on v.id = $2 where p.id = $1 and ($2 = 0 or v.product_id = p.id)`, product, variant)
	if err == nil && n == 0 {
		err = ErrNotFound
	}
	return err
}

func orNotFound(err error) error {
	if err == pgx.ErrNoRows {
		return ErrNotFound
	}
	return err
}
