package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/store"
)

type runDetail struct {
	store.Run
	Log []store.RunLine `json:"log" nullable:"false"`
}

func (s *Server) runOperations(api huma.API) {
	tags := []string{"Runs"}
	huma.Register(api, huma.Operation{OperationID: "list-runs", Method: http.MethodGet, Path: "/api/v1/runs", Summary: "Runs, the newest first", Tags: tags},
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"50"`
		}) (*Body[Page[store.Run]], error) {
			items, err := s.Store.Runs(ctx, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "run")
		})
	huma.Register(api, huma.Operation{OperationID: "get-run", Method: http.MethodGet, Path: "/api/v1/runs/{id}", Summary: "A run with its log", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[runDetail], error) {
			found, err := s.run(ctx, in.ID)
			return &Body[runDetail]{found}, problem(err, "run")
		})
	huma.Register(api, huma.Operation{OperationID: "stop-run", Method: http.MethodPost, Path: "/api/v1/runs/{id}/stop", Summary: "Stop a run; it can go on later", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[runDetail], error) {
			if err := s.Store.StopRun(ctx, in.ID); err != nil {
				return nil, problem(err, "run")
			}
			found, err := s.run(ctx, in.ID)
			return &Body[runDetail]{found}, problem(err, "run")
		})
	huma.Register(api, huma.Operation{OperationID: "resume-run", Method: http.MethodPost, Path: "/api/v1/runs/{id}/resume", Summary: "Let a stopped or failed run go on", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[runDetail], error) {
			if err := s.Runner.Resume(ctx, in.ID); err != nil {
				return nil, problem(err, "run")
			}
			found, err := s.run(ctx, in.ID)
			return &Body[runDetail]{found}, problem(err, "run")
		})
}

func (s *Server) run(ctx context.Context, id int64) (found runDetail, err error) {
	if found.Run, err = s.Store.Run(ctx, id); err != nil {
		return found, err
	}
	found.Log = []store.RunLine{}
	lines, err := s.Store.RunLog(ctx, id)
	found.Log = append(found.Log, lines...)
	return found, err
}
