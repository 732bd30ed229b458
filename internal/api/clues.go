package api

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"unicode"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/pairing"
	"ambrosa/internal/reading"
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
	Rows    int                `json:"rows" doc:"That name a file"`
	Unused  []store.SheetLine  `json:"unused" nullable:"false" doc:"Rows that name no file of the lot, the first of them"`
	Left    int                `json:"left" doc:"How many there are"`
	Unnamed int                `json:"unnamed" doc:"Files that no row names"`
	Sheets  []store.SheetOfLot `json:"sheets" nullable:"false"`
	Files   []string           `json:"files" nullable:"false" doc:"Paths of those files, the first of them"`
}

// shownOfSheet is how many rows and files are listed.
const shownOfSheet = 500

// badList answers that a clue list cannot be used.
func badList(err error) error {
	var bad reading.BadList
	if errors.As(err, &bad) {
		text := []rune(bad.Err.Error())
		return huma.Error422UnprocessableEntity(string(unicode.ToUpper(text[0])) + string(text[1:]) + ".")
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
	const tags = resource("Clues")
	const path = "/clue-lists"
	checked := func(list pairing.ClueList) error {
		if err := list.Check(); err != nil {
			return reading.BadList{Err: err}
		}
		return nil
	}
	huma.Register(api, tags.get("list-clue-lists", path, "Clue lists that people made"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.NamedClues]], error) {
			items, err := s.Store.ClueLists(ctx)
			return pageOf(items, int64(len(items))), problem(err, "clue list")
		})
	huma.Register(api, tags.create("add-clue-list", path, "Keep a clue list under a name"),
		func(ctx context.Context, in *struct{ Body clueListInput }) (*Body[created], error) {
			if err := checked(in.Body.List); err != nil {
				return nil, clueProblem(err)
			}
			id, err := s.Sourcer.AddClues(ctx, s.actor(ctx), strings.TrimSpace(in.Body.Name), in.Body.List.Whole())
			return &Body[created]{created{id}}, clueProblem(err)
		})
	huma.Register(api, tags.set("change-clue-list", path+"/{id}", "Change a clue list"),
		func(ctx context.Context, in *struct {
			ByID
			Body clueListInput
		}) (*struct{}, error) {
			if err := checked(in.Body.List); err != nil {
				return nil, clueProblem(err)
			}
			err := s.Sourcer.ChangeClues(ctx, s.actor(ctx), store.NamedClues{ID: in.ID, Name: strings.TrimSpace(in.Body.Name),
				List: in.Body.List.Whole(), Version: in.Body.Version})
			if errors.Is(err, store.ErrChanged) {
				return nil, s.overtaken(ctx, err, "clue list",
					store.RecordFilter{About: audit.Of(identity.ClueList, in.ID), Action: identity.ClueListChange})
			}
			return nil, clueProblem(err)
		})
	huma.Register(api, tags.remove("remove-clue-list", path+"/{id}", "Forget a clue list"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, clueProblem(s.Sourcer.RemoveClues(ctx, s.actor(ctx), in.ID))
		})
	huma.Register(api, tags.get("get-lot-clues", "/lots/{id}/clues", "The clue list that a lot is read with"),
		func(ctx context.Context, in *ByID) (*Body[store.NamedClues], error) {
			found, err := s.Store.LotClues(ctx, in.ID)
			return &Body[store.NamedClues]{found}, clueProblem(err)
		})
	huma.Register(api, tags.operation(http.MethodPut, http.StatusAccepted, "read-lot-with", "/lots/{id}/clues", "Read a lot with another "+
		"clue list"),
		func(ctx context.Context, in *struct {
			ByID
			Body readWith
		}) (*Body[created], error) {
			if err := s.Sourcer.ReadWith(ctx, s.actor(ctx), in.ID, in.Body.List, in.Body.Always); err != nil {
				return nil, problem(err, "lot")
			}
			run, err := s.Gatherer.Pair(ctx, s.actor(ctx), in.ID)
			return &Body[created]{created{run}}, problem(err, "lot")
		})
	huma.Register(api, tags.post("preview-clues", "/lots/{id}/clues/preview", "What reading a lot with a clue list would win, lose and "+
		"turn; nothing is changed"),
		func(ctx context.Context, in *struct {
			ByID
			Body pairing.ClueList
		}) (*Body[reading.CluesChange], error) {
			change, err := s.Index.Preview(ctx, in.ID, in.Body)
			return &Body[reading.CluesChange]{change}, clueProblem(err)
		})
	huma.Register(api, tags.post("try-name", "/lots/{id}/clues/try", "How a name would be read with a clue list; nothing is changed"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				List pairing.ClueList `json:"list"`
				Path string           `json:"path" minLength:"1" maxLength:"4096"`
			}
		}) (*Body[reading.Tried], error) {
			tried, err := s.Index.Try(ctx, in.ID, in.Body.List, in.Body.Path)
			return &Body[reading.Tried]{tried}, clueProblem(err)
		})
	huma.Register(api, tags.get("list-groups", "/lots/{id}/groups", "A lot's files, counted by the kind of their verdict"),
		func(ctx context.Context, in *ByID) (*Body[Page[store.Group]], error) {
			items, err := s.Store.Groups(ctx, in.ID)
			return pageOf(items, int64(len(items))), problem(err, "lot")
		})
	huma.Register(api, tags.post("accept-together", "/lots/{id}/accept", "Pair the loose files that a filter chooses with their one "+
		"candidate"),
		func(ctx context.Context, in *struct {
			ByID
			FilesChosen
		}) (*Body[store.Together], error) {
			done, err := s.Decider.Accept(ctx, s.actor(ctx), in.ID, in.filter())
			return &Body[store.Together]{done}, problem(err, "lot")
		})
	huma.Register(api, tags.start("look-at-lot", "/lots/{id}/codes", "Read the barcodes in the pictures of all of a lot's files"),
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			run, err := s.Gatherer.ReadBarcodes(ctx, s.actor(ctx), in.ID)
			return &Body[created]{created{run}}, problem(err, "lot")
		})
	huma.Register(api, tags.get("get-lot-sheet", "/lots/{id}/sheet", "What the sheets that came with a lot say of its files"),
		func(ctx context.Context, in *ByID) (*Body[lotSheet], error) {
			rows, unused, unnamed, err := s.Index.Sheet(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "lot")
			}
			sheets, err := s.Store.SheetsOfLot(ctx, in.ID)
			found := lotSheet{
				Sheets:  append([]store.SheetOfLot{}, sheets...),
				Rows:    rows,
				Left:    len(unused),
				Unnamed: len(unnamed),
				Unused:  []store.SheetLine{},
				Files:   append([]string{}, unnamed[:min(len(unnamed), shownOfSheet)]...),
			}
			for _, row := range unused[:min(len(unused), shownOfSheet)] {
				found.Unused = append(found.Unused, store.LineOf(row))
			}
			return &Body[lotSheet]{found}, problem(err, "lot")
		})
	huma.Register(api, tags.get("learn-from", "/files/{id}/lessons", "What would have paired a file as a person paired it, and how many "+
		"others it would pair"),
		func(ctx context.Context, in *ByID) (*Body[Page[taught]], error) {
			items, err := s.lessons(ctx, in.ID)
			return pageOf(items, int64(len(items))), problem(err, "file")
		})
	huma.Register(api, tags.start("teach", "/lots/{id}/lessons", "Add a step to a lot's clue list, and read the lot again"),
		func(ctx context.Context, in *struct {
			ByID
			Body pairing.Step
		}) (*Body[created], error) {
			if err := checked(pairing.ClueList{Steps: []pairing.Step{in.Body}}); err != nil {
				return nil, clueProblem(err)
			}
			if _, err := s.Sourcer.Teach(ctx, s.actor(ctx), in.ID, in.Body); err != nil {
				return nil, clueProblem(err)
			}
			run, err := s.Gatherer.Pair(ctx, s.actor(ctx), in.ID)
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
