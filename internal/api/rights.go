package api

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/rights"
	"ambrosa/internal/store"
)

type rightsChange struct {
	Rights  string     `json:"rights" enum:"cleared,restricted,unknown"`
	Licence string     `json:"licence" maxLength:"500"`
	Credit  string     `json:"credit" maxLength:"500"`
	Expires *time.Time `json:"expires,omitempty"`
	File    int64      `json:"file,omitempty" doc:"One file; else those that the filter chooses"`
	Verdict string     `json:"verdict,omitempty"`
	Query   string     `json:"q,omitempty" maxLength:"200"`
	Of      string     `json:"of,omitempty" doc:"Only files that have these rights now"`
	Mark    string     `json:"mark,omitempty" doc:"Only files with this mark"`
	Type    string     `json:"type,omitempty" doc:"Only files of this type"`
	Shape   string     `json:"shape,omitempty" enum:"square,upright,lying"`
	Stamp   string     `json:"stamp,omitempty" maxLength:"100" doc:"As get-rights gave it: of other rights nothing is changed then"`
}

func (s *Server) rightsOperations(api huma.API, tags resource) {
	huma.Register(api, tags.get("get-rights", "/lots/{id}/rights", "Which rights files of a lot have"),
		func(ctx context.Context, in *struct {
			ByID
			FilesChosen
			File int64 `query:"file" minimum:"0" doc:"One file; else those that the filter chooses"`
		}) (*Body[store.RightsHad], error) {
			if _, err := s.Store.Lot(ctx, in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			had, err := s.Store.RightsHave(ctx, in.ID, in.File, in.filter())
			return &Body[store.RightsHad]{had}, problem(err, "lot")
		})
	huma.Register(api, tags.put("set-rights", "/lots/{id}/rights",
		"Give rights to a lot's files: to one, to those a filter chooses, or to all"),
		func(ctx context.Context, in *struct {
			ByID
			Body rightsChange
		}) (*Body[changed], error) {
			if _, err := s.Store.Lot(ctx, in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			b := in.Body
			n, err := s.Receiver.SetRights(
				ctx, s.actor(ctx),
				in.ID,
				b.File,
				store.FileFilter{Verdict: b.Verdict, Query: b.Query, Rights: b.Of, Mark: b.Mark, Type: b.Type, Shape: b.Shape},
				rights.Rights{State: rights.State(b.Rights), Licence: b.Licence, Credit: b.Credit, Expires: b.Expires},
				b.Stamp,
			)
			return &Body[changed]{changed{n}}, s.overtaken(ctx, err, "rights of these files",
				store.RecordFilter{About: audit.Of(identity.Lot, in.ID), Action: identity.LotRights})
		})
}
