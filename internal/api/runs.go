package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/run"
	"ambrosa/internal/store"
)

// RunView is a run with the words of its kind.
type RunView struct {
	store.Run
	Doing string `json:"doing" doc:"What it does, in a word or two"`
	Leads string `json:"leads" enum:"lot,plan,origin,sheet,catalog,upkeep,dispatch" doc:"What a person goes to from it"`
}

func viewOf(r store.Run) RunView {
	view := RunView{Run: r, Leads: string(run.ToLot)}
	for _, k := range run.Kinds() {
		if k.Name != r.Kind {
			continue
		}
		view.Doing, view.Leads = k.Doing, string(k.Leads)
		if k.Leads == run.ToSheet && r.SheetID == 0 {
			view.Leads = string(run.ToCatalog) // of a change by hand
		}
		if k.Leads == run.ToLotOrOrigin {
			view.Leads = string(run.ToOrigin)
			if r.LotID != 0 {
				view.Leads = string(run.ToLot)
			}
		}
	}
	return view
}

type runDetail struct {
	RunView
	Log []store.RunLine `json:"log" nullable:"false"`
}

func (s *Server) runOperations(api huma.API) {
	const tags = resource("Runs")
	huma.Register(api, tags.get("list-runs", "/runs", "Runs, the newest first"),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"50"`
		}) (*Body[Page[RunView]], error) {
			rows, err := s.Store.Runs(ctx, in.Limit)
			items := make([]RunView, 0, len(rows))
			for _, row := range rows {
				items = append(items, viewOf(row))
			}
			return pageOf(items, int64(len(items))), problem(err, "run")
		})
	huma.Register(api, tags.get("get-run", "/runs/{id}", "A run with its log"),
		func(ctx context.Context, in *ByID) (*Body[runDetail], error) {
			found, err := s.run(ctx, in.ID)
			return &Body[runDetail]{found}, problem(err, "run")
		})
	huma.Register(api, tags.post("stop-run", "/runs/{id}/stop", "Stop a run; it can go on later"),
		func(ctx context.Context, in *ByID) (*Body[runDetail], error) {
			if err := s.Runner.StopRun(ctx, s.actor(ctx), in.ID); err != nil {
				return nil, problem(err, "run")
			}
			found, err := s.run(ctx, in.ID)
			return &Body[runDetail]{found}, problem(err, "run")
		})
	huma.Register(api, tags.post("resume-run", "/runs/{id}/resume", "Let a stopped or failed run go on"),
		func(ctx context.Context, in *ByID) (*Body[runDetail], error) {
			if err := s.Runner.Resume(ctx, s.actor(ctx), in.ID); err != nil {
				return nil, problem(err, "run")
			}
			found, err := s.run(ctx, in.ID)
			return &Body[runDetail]{found}, problem(err, "run")
		})
}

func (s *Server) run(ctx context.Context, id int64) (found runDetail, err error) {
	row, err := s.Store.Run(ctx, id)
	if err != nil {
		return found, err
	}
	found.RunView = viewOf(row)
	found.Log = []store.RunLine{}
	lines, err := s.Store.RunLog(ctx, id)
	found.Log = append(found.Log, lines...)
	return found, err
}
