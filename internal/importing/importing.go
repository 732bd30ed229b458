// Package importing is the use cases of sheets: what came is read, mapped, judged row
// by row against the catalog, imported and taken back. The rules are in core/sheet;
// rows, verdicts and the way back are in the store.
package importing

import (
	"context"
	"errors"
	"slices"
	"sync"

	"ambrosa/core/audit"
	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/sheet"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Importer is the use cases of sheets.
type Importer struct {
	Store *store.Store
	Runs  store.Queue

	mu     sync.Mutex
	judges []ready // the last used first

	rehearsing sync.Map // a mutex for each sheet
}

// The kinds of runs that are queued.
const (
	ReadRun     = "read sheet"
	RehearseRun = "rehearse"
	ImportRun   = "import"
	RevertRun   = "revert import"
	PairRun     = "pair by sheet"
	UnpairRun   = "take back pairs of sheet"
	LotRun      = "pair" // of a lot: its files are read again
)

// ErrImporting means that an import of a sheet is under way, or stopped in between.
var ErrImporting = errors.New("an import of the sheet is under way")

// MappingError is what is wrong with a mapping, in words.
type MappingError struct{ Why string }

func (e *MappingError) Error() string { return e.Why }

// queue asks for a run.
func (m *Importer) queue(ctx context.Context, deed door.Deed, kind string, about store.About) (run int64, err error) {
	err = m.Store.Do(ctx, deed, func(tx *door.Tx) error {
		run, err = m.Runs.Queue(ctx, tx, tx.Who(), kind, about)
		return err
	})
	return run, err
}

// Bring records a sheet whose bytes are kept, and has it read.
func (m *Importer) Bring(ctx context.Context, who identity.Actor, name string, sum []byte, bytes int64) (id int64, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.SheetBring), func(tx *door.Tx) error {
		if id, err = store.NewSheet(ctx, tx, name, sum, bytes); err != nil {
			return err
		}
		tx.About(audit.Of(identity.Sheet, id))
		_, err = m.Runs.Queue(ctx, tx, who, ReadRun, store.About{Sheet: id})
		return err
	})
	return id, err
}

// ReadAgain has a sheet read from another worksheet, or takes another row of it for the
// header, 0 for the one that is found; what was done to its rows stays then.
func (m *Importer) ReadAgain(ctx context.Context, who identity.Actor, id int64, worksheet string, header int) error {
	return m.Store.Do(ctx, door.By(who, identity.SheetRead, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		found, err := openSheet(ctx, tx, id)
		if err != nil {
			return err
		}
		if worksheet == "" || worksheet == found.Worksheet {
			return m.takeHeader(ctx, tx, who, found, header)
		}
		if err := store.ReadAgain(ctx, tx, id, worksheet); err != nil {
			return err
		}
		_, err = m.Runs.Queue(ctx, tx, who, ReadRun, store.About{Sheet: id})
		return err
	})
}

// Map gives a sheet the mapping and choices of a person, remembers what was chosen for
// its headers, and has it judged. revision is the sheet as the person saw it:
// store.ErrChanged means that it is another by now.
func (m *Importer) Map(ctx context.Context, who identity.Actor, id int64, revision int, wanted sheet.Mapping, choices sheet.Choices) error {
	return m.Store.Do(ctx, door.By(who, identity.SheetMap, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		found, err := openSheet(ctx, tx, id)
		if err != nil {
			return err
		}
		if found.Revision != revision {
			return store.ErrChanged
		}
		wanted.Header = found.Header
		if len(wanted.Columns) != len(found.Mapping.Columns) {
			return &MappingError{"The sheet has other columns than the mapping."}
		}
		var chosen []sheet.Column
		for i := range wanted.Columns {
			c, was := &wanted.Columns[i], found.Mapping.Columns[i]
			c.Column, c.Index = was.Column, i
			if c.Field == was.Field && c.Name == was.Name && slices.EqualFunc(c.Steps, was.Steps, sameStep) {
				c.Evidence, c.Sure = was.Evidence, was.Sure
				continue
			}
			c.Evidence, c.Sure = "you chose this", true
			chosen = append(chosen, *c)
		}
		if len(wanted.Identity) == 0 || !slices.ContainsFunc(wanted.Columns, func(c sheet.Column) bool { return c.Field == wanted.Identity[0] }) {
			wanted.Identity = wanted.Surest()
		}
		if _, err := sheet.NewJudge(wanted, choices); err != nil && len(wanted.Identity) > 0 {
			return &MappingError{"This mapping cannot be used: " + err.Error() + "."}
		}
		if err := store.Remember(ctx, tx, chosen); err != nil {
			return err
		}
		if err := store.MapSheet(ctx, tx, id, wanted, choices); err != nil {
			return err
		}
		_, err = m.Runs.Queue(ctx, tx, who, RehearseRun, store.About{Sheet: id})
		return err
	})
}

func sameStep(a, b sheet.CellStep) bool {
	return a.Do == b.Do && a.Arg == b.Arg && a.With == b.With && slices.Equal(a.Columns, b.Columns)
}

// Keep keeps a sheet's mapping by name, for sheets with the same headers, and for those of the
// origin that it came from.
func (m *Importer) Keep(ctx context.Context, who identity.Actor, id int64, name string) error {
	found, err := m.Store.Sheet(ctx, id)
	if err != nil {
		return err
	}
	origin, err := store.OriginOfSheet(ctx, m.Store.Reader(), id)
	if err != nil {
		return err
	}
	found.Choices.Lots = nil // the next sheet's pictures come in other lots
	return m.Store.Do(ctx, door.By(who, identity.SheetKeep, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]string{"name": name})
		return store.KeepMapping(ctx, tx, store.KeptMapping{Name: name, Mapping: found.Mapping, Choices: found.Choices, Origin: origin})
	})
}

// Claim says that bytes are about to be kept, so that they stay where the same are just being purged.
func (m *Importer) Claim(ctx context.Context, sum []byte) error {
	return m.Store.Step(ctx, func(tx *door.Tx) error { return store.ClaimBytes(ctx, tx, 0, sum) })
}

// Discard hides a sheet; what it imported stays.
func (m *Importer) Discard(ctx context.Context, who identity.Actor, id int64) error {
	return m.Store.Do(ctx, door.By(who, identity.SheetDiscard, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		return store.GiveUpSheet(ctx, tx, id)
	})
}

// Restore brings a sheet back that was discarded.
func (m *Importer) Restore(ctx context.Context, who identity.Actor, id int64) error {
	return m.Store.Do(ctx, door.By(who, identity.SheetRestore, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		return store.RestoreSheet(ctx, tx, id)
	})
}

// Rehearse has a sheet judged again, as the catalog is now.
func (m *Importer) Rehearse(ctx context.Context, who identity.Actor, id int64) error {
	_, err := m.queue(ctx, door.By(who, identity.SheetCheck, audit.Of(identity.Sheet, id)), RehearseRun, store.About{Sheet: id})
	return err
}

// Import has a sheet imported as it was rehearsed. revision is the sheet as the person
// saw it judged; store.ErrChanged means that it, or what was judged, is another.
func (m *Importer) Import(ctx context.Context, who identity.Actor, id int64, revision int) (run int64, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.SheetImport, audit.Of(identity.Sheet, id)), func(tx *door.Tx) error {
		found, err := openSheet(ctx, tx, id)
		if err != nil {
			return err
		}
		if found.Revision != revision || found.Rehearsed != revision {
			return store.ErrChanged
		}
		made, err := store.NewImport(ctx, tx, id, revision)
		if err != nil {
			return err
		}
		tx.About(audit.Of(identity.Import, made))
		run, err = m.Runs.Queue(ctx, tx, who, ImportRun, store.About{Sheet: id, Import: made})
		return err
	})
	return run, err
}

// Revert has an import taken back, whole or for one product or category.
func (m *Importer) Revert(ctx context.Context, who identity.Actor, id int64, alone catalog.Target) (run int64, err error) {
	err = m.Store.Do(ctx, door.By(who, identity.ImportRevert, audit.Of(identity.Import, id)), func(tx *door.Tx) error {
		found, err := store.LockImport(ctx, tx, id)
		if err != nil {
			return err
		}
		// One that was stopped in between can be taken back as far as it came.
		ended := found.State == "imported"
		if found.State == "importing" {
			under, err := store.ImportUnderWay(ctx, tx, id)
			if err != nil {
				return err
			}
			ended = !under
		}
		if !ended || found.Standing == 0 {
			return store.ErrChanged
		}
		if found.SheetID != 0 {
			tx.About(audit.Of(identity.Sheet, found.SheetID))
		}
		about := store.About{Sheet: found.SheetID, Import: id, Owner: alone}
		if alone.None() {
			if err := store.SetImportState(ctx, tx, id, "reverting"); err != nil {
				return err
			}
		}
		run, err = m.Runs.Queue(ctx, tx, who, RevertRun, about)
		return err
	})
	return run, err
}
