package gathering

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"ambrosa/core/identity"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/importing"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// hearSheets has the spreadsheets among a lot's files read as the sheets that they are, and
// keeps what they say of its files: that is a clue.
func (g *Gatherer) hearSheets(ctx context.Context, run store.Run) error {
	files, err := g.Store.LotSheets(ctx, run.LotID)
	if err != nil || len(files) == 0 {
		return err
	}
	var rows []store.LotRow
	for _, file := range files {
		named, err := g.hearSheet(ctx, run, file)
		if err != nil {
			return fmt.Errorf("read %s: %w", file.Path, err)
		}
		rows = append(rows, named...)
	}
	return g.Store.Step(ctx, func(tx *door.Tx) error { return store.PutLotRows(ctx, tx, run.LotID, rows) })
}

// hearSheet returns what one of them says of files.
func (g *Gatherer) hearSheet(ctx context.Context, run store.Run, file store.SheetFile) (named []store.LotRow, err error) {
	who := run.Who()
	if file.Sheet == 0 {
		if file.Sheet, err = g.Importer.Adopt(ctx, who, file); err != nil {
			return nil, err
		}
	}
	found, err := g.Store.Sheet(ctx, file.Sheet)
	if err != nil {
		return nil, err
	}
	said := ""
	if found.State == "reading" {
		busy, err := g.Store.SheetUnderWay(ctx, found.ID, importing.ReadRun)
		if err != nil || busy {
			return nil, err // its own run has the lot read again
		}
		if said, err = g.ReadSheet(ctx, who, found, func(int64) {}); err != nil {
			return nil, err
		}
	}
	if said == "" {
		named, err = g.namedIn(ctx, file)
		said = fmt.Sprintf("its rows name %d files", len(named))
	}
	if err != nil {
		return nil, err
	}
	return named, g.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Log(ctx, tx, run.ID, file.Path+" is a sheet: "+said)
	})
}

// namedIn returns what a sheet says of the files of a lot that it came with. A name that has
// a lot in front was chosen among namesakes: it means that lot's file, and none of another.
func (g *Gatherer) namedIn(ctx context.Context, file store.SheetFile) ([]store.LotRow, error) {
	named, err := g.Importer.FilesNamed(ctx, file.Sheet)
	if err != nil {
		return nil, err
	}
	others, err := g.Store.LotNamesOfSheet(ctx, file.Sheet)
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

// TellLots has those open lots read again that a sheet came with and of whose files it
// says something else than before.
func (g *Gatherer) TellLots(ctx context.Context, who identity.Actor, sheet int64) error {
	lots, err := g.Store.LotsOfSheet(ctx, sheet)
	if err != nil {
		return err
	}
	for _, lot := range lots {
		same, err := g.saysTheSame(ctx, sheet, lot)
		if err != nil {
			return err
		}
		if same {
			continue
		}
		if _, err := g.Pair(ctx, who, lot); err != nil {
			return err
		}
	}
	return nil
}

func (g *Gatherer) saysTheSame(ctx context.Context, sheet, lot int64) (bool, error) {
	files, err := g.Store.LotSheets(ctx, lot)
	if err != nil {
		return false, err
	}
	said, err := g.Store.LotRows(ctx, lot)
	if err != nil {
		return false, err
	}
	for _, file := range files {
		if file.Sheet != sheet {
			continue
		}
		says, err := g.namedIn(ctx, file)
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

// ReadSheet reads a sheet, and returns why it cannot be read where it cannot.
func (g *Gatherer) ReadSheet(ctx context.Context, who identity.Actor, found store.Sheet, step func(rows int64)) (refused string,
	err error) {
	var sum blob.Sum
	if _, err := hex.Decode(sum[:], []byte(found.Sum)); err != nil {
		return "", fmt.Errorf("read the sum of sheet %d: %w", found.ID, err)
	}
	path, done, err := g.Blobs.Local(ctx, sum)
	if err != nil {
		return "", err
	}
	defer done()
	err = g.Importer.DoRead(ctx, who, g.Readers, path, found, step)
	var why *sheetfile.Refused
	if errors.As(err, &why) {
		return why.Reason, g.Store.Step(ctx, func(tx *door.Tx) error {
			return store.SheetUnreadable(ctx, tx, found.ID, why.Reason)
		})
	}
	return "", err
}
