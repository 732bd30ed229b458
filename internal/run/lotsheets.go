package run

import (
	"context"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/importing"
	"ambrosa/internal/store"
)

// hearSheets has the spreadsheets among a lot's files read as the sheets that they are, and
// keeps what they say of its files: that is a clue.
func (r *Runner) hearSheets(ctx context.Context, run store.Run) error {
	files, err := r.Store.LotSheets(ctx, run.LotID)
	if err != nil || len(files) == 0 {
		return err
	}
	var rows []store.LotRow
	for _, file := range files {
		named, err := r.hearSheet(ctx, run, file)
		if err != nil {
			return fmt.Errorf("read %s: %w", file.Path, err)
		}
		rows = append(rows, named...)
	}
	return r.Store.Step(ctx, func(tx *door.Tx) error { return store.PutLotRows(ctx, tx, run.LotID, rows) })
}

// hearSheet returns what one of them says of files.
func (r *Runner) hearSheet(ctx context.Context, run store.Run, file store.SheetFile) (named []store.LotRow, err error) {
	who := run.Who()
	if file.Sheet == 0 {
		if file.Sheet, err = r.Importer.Adopt(ctx, who, file); err != nil {
			return nil, err
		}
	}
	found, err := r.Store.Sheet(ctx, file.Sheet)
	if err != nil {
		return nil, err
	}
	said := ""
	if found.State == "reading" {
		busy, err := r.Store.SheetUnderWay(ctx, found.ID, importing.ReadRun)
		if err != nil || busy {
			return nil, err // its own run has the lot read again
		}
		if said, err = r.readSheet(ctx, who, found, func(int64) {}); err != nil {
			return nil, err
		}
	}
	if said == "" {
		named, err = r.namedIn(ctx, file)
		said = fmt.Sprintf("its rows name %d files", len(named))
	}
	if err != nil {
		return nil, err
	}
	return named, r.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Log(ctx, tx, run.ID, file.Path+" is a sheet: "+said)
	})
}

// namedIn returns what a sheet says of the files of a lot that it came with. A name that has
// a lot in front was chosen among namesakes: it means that lot's file, and none of another.
func (r *Runner) namedIn(ctx context.Context, file store.SheetFile) ([]store.LotRow, error) {
	named, err := r.Importer.FilesNamed(ctx, file.Sheet)
	if err != nil {
		return nil, err
	}
	others, err := r.Store.LotNamesOfSheet(ctx, file.Sheet)
	if err != nil {
		return nil, err
	}
	kept := named[:0]
	for _, row := range named {
		within := slices.IndexFunc(others, func(lot string) bool { return strings.HasPrefix(row.Row.File, lot+"/") })
		if within >= 0 && others[within] != file.Lot {
			continue
		}
		row.File, row.Row.File = file.ID, strings.TrimPrefix(row.Row.File, file.Lot+"/")
		kept = append(kept, row)
	}
	return kept, nil
}

// tellLots has those open lots read again that a sheet came with and of whose files it
// says something else than before.
func (r *Runner) tellLots(ctx context.Context, who identity.Actor, sheet int64) error {
	lots, err := r.Store.LotsOfSheet(ctx, sheet)
	if err != nil {
		return err
	}
	for _, lot := range lots {
		same, err := r.saysTheSame(ctx, sheet, lot)
		if err != nil {
			return err
		}
		if same {
			continue
		}
		if _, err := r.Pair(ctx, who, lot); err != nil {
			return err
		}
	}
	return nil
}

func (r *Runner) saysTheSame(ctx context.Context, sheet, lot int64) (bool, error) {
	files, err := r.Store.LotSheets(ctx, lot)
	if err != nil {
		return false, err
	}
	said, err := r.Store.LotRows(ctx, lot)
	if err != nil {
		return false, err
	}
	for _, file := range files {
		if file.Sheet != sheet {
			continue
		}
		says, err := r.namedIn(ctx, file)
		if err != nil {
			return false, err
		}
		before := slices.DeleteFunc(slices.Clone(said), func(row store.LotRow) bool { return row.File != file.ID })
		if !slices.EqualFunc(says, before, func(a, b store.LotRow) bool { return reflect.DeepEqual(a, b) }) {
			return false, nil
		}
	}
	return true, nil
}
