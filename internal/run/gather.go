package run

import (
	"context"

	"ambrosa/core/identity"
	"ambrosa/internal/gathering"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

func init() {
	register(Kind{Name: gathering.ExamineRun, Action: identity.LotExamine,
		Doing: "Examining", Leads: ToLot, Long: true, Deaths: eachFile, work: gathers((*gathering.Gatherer).DoExamine)})
	register(Kind{Name: gathering.PairRun, Action: identity.LotRead, Joins: true,
		Doing: "Pairing", Leads: ToLot, work: gathers((*gathering.Gatherer).DoPair)})
	register(Kind{Name: gathering.FetchRun, Action: identity.OriginFetch,
		Doing: "Fetching", Leads: ToLotOrOrigin, Long: true, Deaths: eachFile, work: gathers((*gathering.Gatherer).DoFetch)})
	register(Kind{Name: gathering.LookupRun, Action: identity.OriginAsk,
		Doing: "Asking", Leads: ToOrigin, Long: true, work: gathers((*gathering.Gatherer).DoAsk)})
	register(Kind{Name: gathering.LooseBarcodesRun, Action: identity.LotScan,
		Doing: "Reading barcodes", Leads: ToLot, Long: true, work: gathers((*gathering.Gatherer).DoReadBarcodes)})
	register(Kind{Name: gathering.AllBarcodesRun, Action: identity.LotScan,
		Doing: "Reading barcodes", Leads: ToLot, Long: true, work: gathers((*gathering.Gatherer).DoReadBarcodes)})
}

// gathers does a run by a use case of what comes in.
func gathers(work func(*gathering.Gatherer, context.Context, store.Run, *task.Progress) (string, error)) func(
	*Runner, context.Context, store.Run, *task.Progress) (string, error) {
	return func(r *Runner, ctx context.Context, run store.Run, p *task.Progress) (string, error) {
		return work(r.Gatherer, ctx, run, p)
	}
}
