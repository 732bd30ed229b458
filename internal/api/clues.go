package api

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/pairing"
	"ambrosa/internal/pairs"
	"ambrosa/internal/store"
)

type clueListInput struct {
	Name    string           `json:"name" minLength:"1" maxLength:"100"`
	List    pairing.ClueList `json:"list"`
	Version int              `json:"version,omitempty" doc:"Of the list as the person saw it"`
}

type readWith struct {
	List   int64 `json:"list" doc:"0 for the usual clues"`
	Always bool  `json:"always" doc:"Also what else comes from the lot's origin"`
}

type taught struct {
	Step     pairing.Step    `json:"step"`
	Says     string          `json:"says" doc:"The step in words"`
	Files    int             `json:"files" doc:"Other loose files that it would pair"`
	Examples []taughtExample `json:"examples" nullable:"false"`
}

type taughtExample struct {
	Path string `json:"path"`
	Code string `json:"code"`
}

type lotSheet struct {
	Rows    int           `json:"rows" doc:"That name a file"`
	Unused  []pairing.Row `json:"unused" nullable:"false" doc:"Rows that name no file of the lot, the first of them"`
	Left    int           `json:"left" doc:"How many there are"`
	Unnamed int           `json:"unnamed" doc:"Files that no row names"`
	Files   []string      `json:"files" nullable:"false" doc:"Paths of those files, the first of them"`
}

// shownOfSheet is how many rows and files are listed.
const shownOfSheet = 500

// badList answers that a clue list cannot be used.
func badList(err error) error {
	var bad pairs.BadList
	if errors.As(err, &bad) {
		text := bad.Err.Error()
		return huma.Error422UnprocessableEntity(strings.ToUpper(text[:1]) + text[1:] + ".")
	}
	return nil
}

func clueProblem(err error) error {
	switch {
	case errors.Is(err, store.ErrNameTaken):
		return huma.Error409Conflict("There is a clue list of that name already.")
	case badList(err) != nil:
		return badList(err)
	}
	return problem(err, "clue list")
}

func (s *Server) clueOperations(api huma.API) {
	tags := []string{"Clues"}
	const path = "/api/v1/clue-lists"
	checked := func(list pairing.ClueList) error {
		if err := list.Check(); err != nil {
			return pairs.BadList{Err: err}
		}
		return nil
	}
	huma.Register(api, huma.Operation{OperationID: "list-clue-lists", Method: http.MethodGet, Path: path, Summary: "Clue lists that people made", Tags: tags},
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.NamedClues]], error) {
			items, err := s.Store.ClueLists(ctx)
			return pageOf(items, int64(len(items))), problem(err, "clue list")
		})
	huma.Register(api, huma.Operation{OperationID: "add-clue-list", Method: http.MethodPost, Path: path, Summary: "Keep a clue list under a name", Tags: tags, DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *struct{ Body clueListInput }) (*Body[created], error) {
			if err := checked(in.Body.List); err != nil {
				return nil, clueProblem(err)
			}
			id, err := s.Store.AddClueList(ctx, strings.TrimSpace(in.Body.Name), in.Body.List.Whole())
			return &Body[created]{created{id}}, clueProblem(err)
		})
	huma.Register(api, huma.Operation{OperationID: "change-clue-list", Method: http.MethodPut, Path: path + "/{id}", Summary: "Change a clue list", Tags: tags, DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *struct {
			ByID
			Body clueListInput
		}) (*struct{}, error) {
			if err := checked(in.Body.List); err != nil {
				return nil, clueProblem(err)
			}
			return nil, clueProblem(s.Store.ChangeClueList(ctx, store.NamedClues{ID: in.ID, Name: strings.TrimSpace(in.Body.Name), List: in.Body.List.Whole(), Version: in.Body.Version}))
		})
	huma.Register(api, huma.Operation{OperationID: "remove-clue-list", Method: http.MethodDelete, Path: path + "/{id}", Summary: "Forget a clue list", Tags: tags, DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, clueProblem(s.Store.RemoveClueList(ctx, in.ID))
		})
	huma.Register(api, huma.Operation{OperationID: "get-lot-clues", Method: http.MethodGet, Path: "/api/v1/lots/{id}/clues", Summary: "The clue list that a lot is read with", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[store.NamedClues], error) {
			found, err := s.Store.LotClues(ctx, in.ID)
			return &Body[store.NamedClues]{found}, clueProblem(err)
		})
	huma.Register(api, huma.Operation{OperationID: "read-lot-with", Method: http.MethodPut, Path: "/api/v1/lots/{id}/clues", Summary: "Read a lot with another clue list", Tags: tags, DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *struct {
			ByID
			Body readWith
		}) (*Body[created], error) {
			if err := s.Store.ReadWith(ctx, in.ID, in.Body.List, in.Body.Always); err != nil {
				return nil, problem(err, "lot")
			}
			run, err := s.Runner.Pair(ctx, in.ID)
			return &Body[created]{created{run}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "preview-clues", Method: http.MethodPost, Path: "/api/v1/lots/{id}/clues/preview", Summary: "What reading a lot with a clue list would win, lose and turn; nothing is changed", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Body pairing.ClueList
		}) (*Body[pairs.CluesChange], error) {
			change, err := s.Index.Preview(ctx, in.ID, in.Body)
			return &Body[pairs.CluesChange]{change}, clueProblem(err)
		})
	huma.Register(api, huma.Operation{OperationID: "try-name", Method: http.MethodPost, Path: "/api/v1/lots/{id}/clues/try", Summary: "How a name would be read with a clue list; nothing is changed", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				List pairing.ClueList `json:"list"`
				Path string           `json:"path" minLength:"1" maxLength:"4096"`
			}
		}) (*Body[pairs.Tried], error) {
			tried, err := s.Index.Try(ctx, in.ID, in.Body.List, in.Body.Path)
			return &Body[pairs.Tried]{tried}, clueProblem(err)
		})
	huma.Register(api, huma.Operation{OperationID: "list-groups", Method: http.MethodGet, Path: "/api/v1/lots/{id}/groups", Summary: "A lot's files, counted by the kind of their verdict", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[Page[store.Group]], error) {
			items, err := s.Store.Groups(ctx, in.ID)
			return pageOf(items, int64(len(items))), problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "accept-together", Method: http.MethodPost, Path: "/api/v1/lots/{id}/accept", Summary: "Pair the loose files that a filter chooses with their one candidate", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			FilesChosen
		}) (*Body[store.Together], error) {
			done, err := s.Store.AcceptTogether(ctx, in.ID, in.filter())
			return &Body[store.Together]{done}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "look-at-lot", Method: http.MethodPost, Path: "/api/v1/lots/{id}/codes", Summary: "Read the barcodes in the pictures of all of a lot's files", Tags: tags, DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			run, err := s.Runner.Look(ctx, in.ID)
			return &Body[created]{created{run}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "get-lot-sheet", Method: http.MethodGet, Path: "/api/v1/lots/{id}/sheet", Summary: "What the sheets that came with a lot say of its files", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[lotSheet], error) {
			rows, unused, unnamed, err := s.Index.Sheet(ctx, in.ID)
			found := lotSheet{Rows: rows, Left: len(unused), Unnamed: len(unnamed), Unused: append([]pairing.Row{}, unused[:min(len(unused), shownOfSheet)]...), Files: append([]string{}, unnamed[:min(len(unnamed), shownOfSheet)]...)}
			return &Body[lotSheet]{found}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "learn-from", Method: http.MethodGet, Path: "/api/v1/files/{id}/lessons", Summary: "What would have paired a file as a person paired it, and how many others it would pair", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[Page[taught]], error) {
			items, err := s.lessons(ctx, in.ID)
			return pageOf(items, int64(len(items))), problem(err, "file")
		})
	huma.Register(api, huma.Operation{OperationID: "teach", Method: http.MethodPost, Path: "/api/v1/lots/{id}/lessons", Summary: "Add a step to a lot's clue list, and read the lot again", Tags: tags, DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *struct {
			ByID
			Body pairing.Step
		}) (*Body[created], error) {
			if err := checked(pairing.ClueList{Steps: []pairing.Step{in.Body}}); err != nil {
				return nil, clueProblem(err)
			}
			if _, err := s.Store.Teach(ctx, in.ID, in.Body); err != nil {
				return nil, clueProblem(err)
			}
			run, err := s.Runner.Pair(ctx, in.ID)
			return &Body[created]{created{run}}, problem(err, "lot")
		})
}

// lessons returns what a person's correction teaches.
func (s *Server) lessons(ctx context.Context, file int64) ([]taught, error) {
	f, err := s.Store.File(ctx, file)
	if err != nil {
		return nil, err
	}
	list := []taught{}
	if f.Verdict != "paired" || f.DecidedBy != "person" {
		return list, nil
	}
	found, built, err := s.Index.Learn(ctx, f)
	if err != nil {
		return nil, err
	}
	for _, p := range found {
		shown := taught{Step: p.Step, Says: p.Step.String(), Files: p.Files, Examples: []taughtExample{}}
		for _, e := range p.Examples {
			code, _ := built.Name(e.Target)
			shown.Examples = append(shown.Examples, taughtExample{e.Path, code})
		}
		list = append(list, shown)
	}
	return list, nil
}
