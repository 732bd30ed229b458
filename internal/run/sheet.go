package run

import (
	"context"
	"fmt"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/internal/importing"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

func init() {
	register(Kind{Name: importing.ReadRun, Action: identity.SheetRead,
		Doing: "Reading a sheet", Leads: ToSheet, Deaths: eachFile, work: (*Runner).takeInSheet})
	register(Kind{Name: importing.RehearseRun, Action: identity.SheetCheck, Joins: true,
		Doing: "Rehearsing", Leads: ToSheet, work: (*Runner).rehearseSheet})
	register(Kind{Name: importing.ImportRun, Action: identity.SheetImport, Doing: "Importing", Leads: ToSheet, report: (*Runner).reportImport,
		work: (*Runner).importSheet})
	register(Kind{Name: importing.PairRun, Action: identity.SheetPair,
		Doing: "Pairing by a sheet", Leads: ToSheet, work: (*Runner).pairBySheet})
	register(Kind{Name: importing.UnpairRun, Action: identity.SheetUnpair,
		Doing: "Taking a sheet's pairs back", Leads: ToSheet, work: (*Runner).unpairSheet})
	register(Kind{Name: importing.RevertRun, Action: identity.ImportRevert,
		Doing: "Taking an import back", Leads: ToSheet, report: (*Runner).reportImport,
		work: (*Runner).revertImport})
}

// takeInSheet reads a sheet's rows and proposes a mapping.
func (r *Runner) takeInSheet(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	found, err := r.Store.Sheet(ctx, run.SheetID)
	if err != nil {
		return "", err
	}
	refused, err := r.Gatherer.ReadSheet(ctx, run.Who(), found, func(rows int64) { p.Set(rows, 0) })
	switch {
	case err != nil:
		return "", err
	case refused != "":
		return "", task.Failure{Reason: refused}
	}
	return fmt.Sprintf("%s is read", found.Name), nil
}

// rehearseSheet judges a sheet's rows; it changes nothing.
func (r *Runner) rehearseSheet(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	totals, err := r.Importer.DoRehearse(ctx, run.SheetID, p.Set)
	if err != nil {
		return "", err
	}
	if err := r.Gatherer.TellLots(ctx, run.Who(), run.SheetID); err != nil {
		return "", err
	}
	return fmt.Sprintf("%d rows to make, %d to change, %d the same, %d refused", totals.Verdicts["make"], totals.Verdicts["change"],
		totals.Verdicts["same"], totals.Verdicts["refused"]), nil
}

// importSheet makes and changes what a sheet's rehearsal showed.
func (r *Runner) importSheet(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	done, err := r.Importer.DoImport(ctx, run.Who(), run.ImportID, p.Set)
	if err != nil {
		return "", err
	}
	// What was imported is the same from now on, and shows so.
	if err := r.Importer.Rehearse(ctx, run.Who(), run.SheetID); err != nil {
		return "", err
	}
	words := fmt.Sprintf("%d rows made, %d changed", done.Made, done.Changed)
	if done.Overtaken > 0 {
		words += fmt.Sprintf("; %d were overtaken by changes of the catalog, and left out", done.Overtaken)
	}
	return words, nil
}

// pairBySheet pairs the pictures that a sheet names with its products.
func (r *Runner) pairBySheet(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	done, err := r.Importer.DoPair(ctx, run.Who(), r.Decider, run.SheetID, p.Set)
	return done.Words(), err
}

// unpairSheet takes back what a sheet paired.
func (r *Runner) unpairSheet(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	return r.Importer.DoUnpair(ctx, run.Who(), r.Decider, run.SheetID, p.Set)
}

// revertImport takes an import back, whole or for one product.
func (r *Runner) revertImport(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	var alone catalog.Target
	if run.Owner != nil {
		alone = *run.Owner
	}
	who := run.Who()
	words, err := r.Importer.DoRevert(ctx, who, run.ImportID, alone, p.Set)
	if err != nil {
		return "", err
	}
	if run.SheetID == 0 {
		return words, nil // what was changed by hand
	}
	return words, r.Importer.Rehearse(ctx, who, run.SheetID)
}
