package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/pairing"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

type fileDetail struct {
	store.File
	Key         string                    `json:"key" doc:"The key that decided, as the catalog spells it"`
	Spans       []store.Span              `json:"spans" nullable:"false" doc:"The path in parts, by bytes of its UTF-8"`
	Candidates  []store.EvidenceCandidate `json:"candidates" nullable:"false"`
	Rows        []store.SheetLine         `json:"rows" nullable:"false" doc:"Of the sheet that came with the lot: those that name the file"`
	Suggestions []suggestion              `json:"suggestions" nullable:"false" doc:"Keys that differ least from what the name says"`
	Undo        int64                     `json:"undo" doc:"Takes the decision back that was just made, 0 where none was"`
	Next        int64                     `json:"next" doc:"The next contested or loose file of the lot, 0 when there is none"`
}

type suggestion struct {
	Product  int64          `json:"product"`
	Variant  int64          `json:"variant"`
	Code     string         `json:"code"`
	Title    string         `json:"title"`
	Key      string         `json:"key"`
	Read     string         `json:"read" doc:"What the name says"`
	Distance int            `json:"distance" doc:"Characters in which the two differ"`
	Edits    []pairing.Edit `json:"edits" nullable:"false" doc:"The key against what was read, character by character"`
}

type firstFile struct {
	File *fileDetail `json:"file,omitempty" doc:"The first that is contested, else loose, else paired; left out when there is none"`
}

type decision struct {
	Verdict string `json:"verdict" enum:"paired,set aside,open" doc:"open gives the file back to be read"`
	Product int64  `json:"product,omitempty"`
	Variant int64  `json:"variant,omitempty"`
	Place   int    `json:"place,omitempty" minimum:"0" maximum:"9999"`
	View    string `json:"view,omitempty" maxLength:"40"`
	Reason  string `json:"reason,omitempty" maxLength:"300"`
	Version int    `json:"version" doc:"Of the file as the person saw it"`
}

func asRefused(err error, refused *sheetfile.Refused) bool { return errors.As(err, refused) }

func (s *Server) fileOperations(api huma.API) {
	tags := []string{"Files"}
	huma.Register(api, huma.Operation{OperationID: "get-file", Method: http.MethodGet, Path: "/api/v1/files/{id}", Summary: "A file with the evidence for its verdict", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[fileDetail], error) {
			detail, err := s.file(ctx, in.ID)
			return &Body[fileDetail]{detail}, problem(err, "file")
		})
	huma.Register(api, huma.Operation{OperationID: "first-file", Method: http.MethodGet, Path: "/api/v1/lots/{id}/first", Summary: "The file of a lot to look at first, with its evidence", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[firstFile], error) {
			first, err := s.first(ctx, in.ID)
			return &Body[firstFile]{first}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "decide-file", Method: http.MethodPost, Path: "/api/v1/files/{id}/decision", Summary: "Decide on a file by hand", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Body decision
		}) (*Body[fileDetail], error) {
			undo, err := s.decide(ctx, in.ID, in.Body)
			if err != nil {
				return nil, err
			}
			detail, err := s.file(ctx, in.ID)
			detail.Undo = undo
			return &Body[fileDetail]{detail}, problem(err, "file")
		})
	huma.Register(api, huma.Operation{OperationID: "decide-together", Method: http.MethodPost, Path: "/api/v1/lots/{id}/together", Summary: "Decide on several files of a lot at once", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Body decideTogether
		}) (*Body[store.Together], error) {
			done, err := s.together(ctx, in.ID, in.Body)
			return &Body[store.Together]{done}, problem(err, "lot")
		})
}

type decideTogether struct {
	Do      string       `json:"do" enum:"accept,pair,set aside,place,view,open" doc:"accept pairs each loose file with the one target that is proposed for it; place numbers files in the order given, for each product or variant on its own; open gives files back to be read"`
	Files   []store.Seen `json:"files" nullable:"false" minItems:"1" maxItems:"20000" doc:"In the versions that the person saw; others stay as they are"`
	Product int64        `json:"product,omitempty"`
	Variant int64        `json:"variant,omitempty"`
	Place   int          `json:"place,omitempty" minimum:"0" maximum:"9999" doc:"Of place: the first; 0 leaves it to the names"`
	View    string       `json:"view,omitempty" maxLength:"40"`
	Reason  string       `json:"reason,omitempty" maxLength:"300"`
}

// together decides on several files of a lot at once.
func (s *Server) together(ctx context.Context, lot int64, d decideTogether) (done store.Together, err error) {
	chosen := store.FileFilter{Chosen: d.Files}
	switch d.Do {
	case "accept":
		return s.Store.AcceptTogether(ctx, lot, chosen)
	case "pair":
		return s.Store.PairTogether(ctx, lot, chosen, d.Product, d.Variant, d.Reason)
	case "set aside":
		return s.Store.SetAside(ctx, lot, chosen, d.Reason)
	case "place":
		return s.Store.PlaceTogether(ctx, lot, d.Files, d.Place)
	case "view":
		return s.Store.ViewTogether(ctx, lot, chosen, d.View)
	}
	if done, err = s.Store.GiveBackTogether(ctx, lot, chosen); err != nil || len(done.Files) == 0 {
		return done, err
	}
	return done, s.Index.ReadLot(ctx, lot, func(int64, int64) {})
}

// decide decides on one file and returns what takes it back.
func (s *Server) decide(ctx context.Context, file int64, d decision) (undo int64, err error) {
	switch {
	case d.Verdict == "open":
		lot, undo, err := s.Store.GiveBack(ctx, file, d.Version)
		if err != nil {
			return 0, problem(err, "file")
		}
		return undo, problem(s.Index.ReadLot(ctx, lot, func(int64, int64) {}), "file")
	case d.Verdict == "paired" && d.Product == 0:
		return 0, huma.Error422UnprocessableEntity("A pair needs a product.")
	case d.Verdict == "set aside":
		d.Product, d.Variant, d.Place, d.View = 0, 0, 0, ""
	}
	undo, err = s.Store.Decide(ctx, file, store.Decision{Verdict: d.Verdict, Product: d.Product, Variant: d.Variant, Place: d.Place, View: d.View, Reason: d.Reason, Version: d.Version})
	return undo, problem(err, "file")
}

// suggested is how many near keys are offered.
const suggested = 5

func (s *Server) file(ctx context.Context, id int64) (detail fileDetail, err error) {
	detail = fileDetail{Spans: []store.Span{}, Candidates: []store.EvidenceCandidate{}, Rows: []store.SheetLine{}, Suggestions: []suggestion{}}
	if detail.File, err = s.Store.File(ctx, id); err != nil {
		return detail, err
	}
	var evidence store.Evidence
	if len(detail.Evidence) > 0 {
		if err := json.Unmarshal(detail.Evidence, &evidence); err != nil {
			return detail, err
		}
	}
	detail.Key = evidence.Key
	detail.Spans = append(detail.Spans, evidence.Spans...)
	detail.Candidates = append(detail.Candidates, evidence.Candidates...)
	detail.Rows = append(detail.Rows, evidence.Rows...)
	if detail.Verdict == "loose" {
		if detail.Suggestions, err = s.suggest(ctx, detail.Path); err != nil {
			return detail, err
		}
	}
	detail.Next, err = s.Store.NextOpen(ctx, detail.LotID, id)
	return detail, err
}

func (s *Server) first(ctx context.Context, lot int64) (firstFile, error) {
	id, err := s.Store.FirstFile(ctx, lot)
	if err != nil || id == 0 {
		return firstFile{}, err
	}
	detail, err := s.file(ctx, id)
	return firstFile{&detail}, err
}

func (s *Server) suggest(ctx context.Context, path string) ([]suggestion, error) {
	built, err := s.Index.Get(ctx)
	if err != nil {
		return nil, err
	}
	list := []suggestion{}
	for _, near := range built.Catalog.Nearest(path, suggested) {
		product, variant := built.IDs(near.Target)
		code, title := built.Name(near.Target)
		list = append(list, suggestion{product, variant, code, title, near.Key, near.Read, near.Distance, near.Edits})
	}
	return list, nil
}
