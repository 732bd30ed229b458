package api

import (
	"context"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/store"
)

// BytesChosen chooses files by their bytes.
type BytesChosen struct {
	Sums []string `json:"sums" nullable:"false" minItems:"1" maxItems:"5000" pattern:"^[0-9a-f]{64}$" doc:"SHA-256 of files"`
}

// exceptionOperations are of what a person lets through an outlet's gate.
func (s *Server) exceptionOperations(api huma.API) {
	const tags = resource("Dispatch")
	huma.Register(api, tags.get("list-exceptions", "/outlets/{id}/exceptions", "Files that go although they may not be handed on"),
		func(ctx context.Context, in *ByID) (*Body[Page[store.GateException]], error) {
			items, err := s.Store.GateExceptions(ctx, in.ID)
			return pageOf(items, int64(len(items))), problem(err, "outlet")
		})
	huma.Register(api, tags.post("give-exceptions", "/outlets/{id}/exceptions",
		"Let files go to an outlet although they may not be handed on, because a person says so"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				BytesChosen
				Because string `json:"because" minLength:"1" maxLength:"500"`
			}
		}) (*Body[filesCounted], error) {
			because := strings.TrimSpace(in.Body.Because)
			if because == "" {
				return nil, huma.Error422UnprocessableEntity("Say why they may go: it stands in the receipt.")
			}
			n, err := s.Dispatcher.Except(ctx, s.actor(ctx), in.ID, in.Body.Sums, because)
			return &Body[filesCounted]{filesCounted{n}}, problem(err, "outlet or file")
		})
	huma.Register(api, tags.post("end-exceptions", "/outlets/{id}/exceptions/remove", "Have an outlet's gate judge files as usual again"),
		func(ctx context.Context, in *struct {
			ByID
			Body BytesChosen
		}) (*Body[filesCounted], error) {
			n, err := s.Dispatcher.EndExceptions(ctx, s.actor(ctx), in.ID, in.Body.Sums)
			return &Body[filesCounted]{filesCounted{n}}, problem(err, "outlet")
		})
}
