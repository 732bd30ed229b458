package api

import (
	"context"
	"encoding/json"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/pairing"
	"ambrosa/internal/deciding"
	"ambrosa/internal/reading"
	"ambrosa/internal/store"
)

type fileDetail struct {
	File
	Key         string                    `json:"key" doc:"The key that decided, as the catalog spells it"`
	Spans       []store.Span              `json:"spans" nullable:"false" doc:"The path in parts, by bytes of its UTF-8"`
	Candidates  []store.EvidenceCandidate `json:"candidates" nullable:"false"`
	Rows        []store.SheetLine         `json:"rows" nullable:"false" doc:"Of the sheet that came with the lot: those that name the file"`
	Aligned     []reading.Aligned         `json:"aligned" nullable:"false" doc:"Keys in the name, character against character"`
	Restored    string                    `json:"restored" doc:"The path before its encodings were mangled; empty where none was"`
	Suggestions []suggestion              `json:"suggestions" nullable:"false" doc:"Keys that differ least from what the name says"`
	Ahead       bool                      `json:"ahead" doc:"The first candidate or suggestion is clearly ahead of the others"`
	Others      []store.ShownOn           `json:"others" nullable:"false" doc:"What the picture shows beside its target"`
	PlacedOn    []store.ShownOn           `json:"placedOn" nullable:"false" doc:"Where plans of its lot placed it"`
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
	Verdict string           `json:"verdict" enum:"paired,set aside,open" doc:"open gives the file back to be read"`
	Target  *catalog.Target  `json:"target,omitempty" doc:"Of a pair"`
	Others  []catalog.Target `json:"others,omitempty" maxItems:"99" doc:"Of a picture that shows several products: those beside the target"`
	Place   int              `json:"place,omitempty" minimum:"0" maximum:"9999"`
	View    string           `json:"view,omitempty" maxLength:"40"`
	Reason  string           `json:"reason,omitempty" maxLength:"300"`
	Version int              `json:"version" doc:"Of the file as the person saw it"`
}

func (s *Server) fileOperations(api huma.API) {
	const tags = resource("Files")
	huma.Register(api, tags.get("get-file", "/files/{id}", "A file with the evidence for its verdict"),
		func(ctx context.Context, in *ByID) (*Body[fileDetail], error) {
			detail, err := s.file(ctx, in.ID)
			return &Body[fileDetail]{detail}, problem(err, "file")
		})
	huma.Register(api, tags.get("list-references", "/files/{id}/references", "Who needs a file; while somebody does, it is not deleted"),
		func(ctx context.Context, in *ByID) (*Body[Page[store.Reference]], error) {
			if _, err := s.Store.File(ctx, in.ID); err != nil {
				return nil, problem(err, "file")
			}
			items, err := s.Store.References(ctx, in.ID)
			return pageOf(items, int64(len(items))), problem(err, "file")
		})
	huma.Register(api, tags.get("first-file", "/lots/{id}/first", "The file of a lot to look at first, with its evidence"),
		func(ctx context.Context, in *ByID) (*Body[firstFile], error) {
			first, err := s.first(ctx, in.ID)
			return &Body[firstFile]{first}, problem(err, "lot")
		})
	huma.Register(api, tags.post("decide-file", "/files/{id}/decision", "Decide on a file by hand"),
		func(ctx context.Context, in *struct {
			ByID
			Body decision
		}) (*Body[fileDetail], error) {
			d := in.Body
			undo, err := s.Decider.Decide(ctx, s.actor(ctx), in.ID, deciding.One{Verdict: d.Verdict, Target: orNone(d.Target),
				Others: d.Others, Place: d.Place, View: d.View, Reason: d.Reason, Version: d.Version})
			if err != nil {
				return nil, problem(err, "file")
			}
			detail, err := s.file(ctx, in.ID)
			detail.Undo = undo
			return &Body[fileDetail]{detail}, problem(err, "file")
		})
	huma.Register(api, tags.post("decide-together", "/lots/{id}/together", "Decide on several files of a lot at once"),
		func(ctx context.Context, in *struct {
			ByID
			Body decideTogether
		}) (*Body[store.Together], error) {
			done, err := s.together(ctx, in.ID, in.Body)
			return &Body[store.Together]{done}, problem(err, "lot")
		})
}

type decideTogether struct {
	Do     string          `json:"do" enum:"accept,pair,set aside,place,view,open" doc:"What is done with each of them"`
	Files  []store.Seen    `json:"files" nullable:"false" minItems:"1" maxItems:"20000" doc:"As the person saw them; others stay as they are"`
	Target *catalog.Target `json:"target,omitempty" doc:"Of a pair"`
	Place  int             `json:"place,omitempty" minimum:"0" maximum:"9999" doc:"Of place: the first; 0 leaves it to the names"`
	View   string          `json:"view,omitempty" maxLength:"40"`
	Reason string          `json:"reason,omitempty" maxLength:"300"`
}

// together decides on several files of a lot at once.
func (s *Server) together(ctx context.Context, lot int64, d decideTogether) (store.Together, error) {
	who, chosen := s.actor(ctx), store.FileFilter{Chosen: d.Files}
	switch d.Do {
	case "accept":
		return s.Decider.Accept(ctx, who, lot, chosen)
	case "pair":
		return s.Decider.Pair(ctx, who, lot, chosen, orNone(d.Target), d.Reason)
	case "set aside":
		return s.Decider.SetAside(ctx, who, lot, chosen, d.Reason)
	case "place":
		return s.Decider.Place(ctx, who, lot, d.Files, d.Place)
	case "view":
		return s.Decider.View(ctx, who, lot, chosen, d.View)
	}
	return s.Decider.Open(ctx, who, lot, chosen)
}

func orNone(t *catalog.Target) catalog.Target {
	if t == nil {
		return catalog.Target{}
	}
	return *t
}

// suggested is how many near keys are offered.
const suggested = 5

func (s *Server) file(ctx context.Context, id int64) (detail fileDetail, err error) {
	detail = fileDetail{
		Spans:       []store.Span{},
		Candidates:  []store.EvidenceCandidate{},
		Rows:        []store.SheetLine{},
		Suggestions: []suggestion{},
	}
	row, err := s.Store.File(ctx, id)
	if err != nil {
		return detail, err
	}
	detail.File = fileOf(row)
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
	keys := []string{evidence.Key}
	for _, c := range evidence.Candidates {
		keys = append(keys, c.Key)
	}
	if before, ok := pairing.Restored(detail.Path); ok {
		detail.Restored = before
	}
	detail.Aligned = reading.AlignedIn(detail.Path, evidence.Spans, keys)
	if detail.Verdict == "loose" {
		var ahead bool
		if detail.Suggestions, ahead, err = s.suggest(ctx, detail.Path); err != nil {
			return detail, err
		}
		detail.Ahead = len(detail.Candidates) == 1 || len(detail.Candidates) == 0 && ahead
	}
	if detail.Others, detail.PlacedOn, err = s.Store.ShownOn(ctx, id); err != nil {
		return detail, err
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

// suggest returns the products nearest to a path, and whether the first is clearly ahead.
func (s *Server) suggest(ctx context.Context, path string) (list []suggestion, ahead bool, err error) {
	built, err := s.Index.Recent(ctx)
	if err != nil {
		return nil, false, err
	}
	list = []suggestion{}
	nearest := built.Catalog.Nearest(path, suggested)
	for _, near := range nearest {
		product, variant := built.IDs(near.Target)
		code, title := built.Name(near.Target)
		list = append(list, suggestion{product, variant, code, title, near.Key, near.Read, near.Distance, near.Edits})
	}
	return list, pairing.Ahead(nearest), nil
}
