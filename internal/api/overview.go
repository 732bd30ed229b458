package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/store"
)

type today struct {
	Waiting    store.Waiting          `json:"waiting"`
	Lots       []store.Lot            `json:"lots" nullable:"false" doc:"Lots that are not applied yet, those with undecided files first"`
	Runs       []RunView              `json:"runs" nullable:"false" doc:"Runs that stopped or failed, and those under way"`
	Categories []store.Category       `json:"categories" nullable:"false" doc:"Where products have no picture, the most first"`
	Upkeep     store.OrphansWaiting   `json:"upkeep" doc:"What upkeep found, and what is about to go"`
	Fallen     []store.FallenCategory `json:"fallen" nullable:"false" doc:"Categories whose coverage is less than a week ago"`
	Applied    []store.Lot            `json:"applied" nullable:"false" doc:"The lots applied last"`
}

func (s *Server) overviewOperations(api huma.API) {
	const tags = resource("Overview")
	huma.Register(api, tags.get("get-waiting", "/waiting", "What waits at the stations"),
		func(ctx context.Context, _ *struct{}) (*Body[store.Waiting], error) {
			waiting, err := s.Store.Waiting(ctx)
			return &Body[store.Waiting]{waiting}, problem(err, "station")
		})
	huma.Register(api, tags.get("get-today", "/today", "What needs a person now"),
		func(ctx context.Context, _ *struct{}) (*Body[today], error) {
			found, err := s.today(ctx)
			return &Body[today]{found}, problem(err, "overview")
		})
	huma.Register(api, tags.get("search", "/search", "Products, variants and files by a part of their names"),
		func(ctx context.Context, in *struct {
			Query string `query:"q" minLength:"1" maxLength:"200"`
			Limit int    `query:"limit" minimum:"1" maximum:"50" default:"8"`
			Files bool   `query:"files" default:"true"`
		}) (*Body[Page[store.Found]], error) {
			items, err := s.Store.Search(ctx, in.Query, in.Limit, in.Files)
			return pageOf(items, int64(len(items))), problem(err, "search")
		})
}

func (s *Server) today(ctx context.Context) (found today, err error) {
	found = today{Lots: []store.Lot{}, Runs: []RunView{}, Categories: []store.Category{}, Applied: []store.Lot{}}
	if found.Waiting, err = s.Store.Waiting(ctx); err != nil {
		return found, err
	}
	if found.Upkeep, err = s.Store.OrphansWaiting(ctx); err != nil {
		return found, err
	}
	if found.Lots, err = s.Store.OpenLots(ctx, 50); err != nil {
		return found, err
	}
	if found.Applied, err = s.Store.AppliedLots(ctx, 5); err != nil {
		return found, err
	}
	runs, err := s.Store.Runs(ctx, 50)
	if err != nil {
		return found, err
	}
	for _, r := range runs {
		if r.State != "done" {
			found.Runs = append(found.Runs, viewOf(r))
		}
	}
	if found.Categories, err = s.Store.BareCategories(ctx, 8); err != nil {
		return found, err
	}
	fallen, err := s.Store.FallenCoverage(ctx, 7, 5)
	found.Fallen = orEmpty(fallen)
	return found, err
}
