package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
)

// Limits are what the server takes at most. Steward's settings, shown to everyone.
type Limits struct {
	Shown []Limit
}

// Limit is one limit in words.
type Limit struct {
	Name    string `json:"name"`
	Value   string `json:"value"`
	Setting string `json:"setting" doc:"Of the environment, that changes it; empty for none"`
}

func (s *Server) limitOperations(api huma.API) {
	huma.Register(
		api,
		huma.Operation{
			OperationID: "list-limits",
			Method:      http.MethodGet,
			Path:        "/api/v1/limits",
			Summary:     "What is taken at most, and how long it is kept",
			Tags:        []string{"Overview"},
		},
		func(context.Context, *struct{}) (*Body[Page[Limit]], error) {
			return pageOf(s.Limits.Shown, int64(len(s.Limits.Shown))), nil
		})
}
