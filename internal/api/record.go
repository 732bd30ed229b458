package api

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/store"
)

// recordPage is a page of the record.
type recordPage struct {
	Items []store.Recorded `json:"items" nullable:"false"`
	More  bool             `json:"more" doc:"There are older lines"`
}

// recordQuery chooses lines of the record.
type recordQuery struct {
	Kind   string    `query:"kind" maxLength:"40" doc:"What it was done to: a lot, a product, and so on"`
	ID     int64     `query:"id" minimum:"0" doc:"Which of the kind"`
	Actor  int64     `query:"actor" minimum:"0" doc:"Who did it"`
	Action string    `query:"action" maxLength:"60"`
	From   time.Time `query:"from" doc:"This time or later"`
	Until  time.Time `query:"until" doc:"Before this time"`
	Before int64     `query:"before" minimum:"0" doc:"Lines that are older than one, by its number"`
	Limit  int       `query:"limit" minimum:"1" maximum:"200" default:"50"`
}

// describeRecord says in the description which actions and kinds of things there are.
func describeRecord(api huma.API) {
	schemas := api.OpenAPI().Components.Schemas.Map()
	for _, action := range identity.Actions() {
		if !action.IsStep() {
			property := schemas["Recorded"].Properties["action"]
			property.Enum = append(property.Enum, string(action))
		}
	}
	for _, thing := range identity.Things {
		property := schemas["NamedSubject"].Properties["kind"]
		property.Enum = append(property.Enum, string(thing))
	}
}

func (s *Server) recordOperations(api huma.API) {
	const tags = resource("Record")
	huma.Register(api, tags.get("get-record", "/record", "Who did what, to what, the newest first"),
		func(ctx context.Context, in *recordQuery) (*Body[recordPage], error) {
			if (in.Kind == "") != (in.ID == 0) {
				return nil, huma.Error422UnprocessableEntity("Say both the kind and the number of what it was done to, or neither.")
			}
			found, err := s.Store.Record(ctx, store.RecordFilter{About: audit.Of(identity.Thing(in.Kind), in.ID), Actor: in.Actor,
				Action: identity.Action(in.Action), From: in.From, Until: in.Until, Before: in.Before, Limit: in.Limit + 1})
			page := recordPage{Items: orEmpty(found[:min(len(found), in.Limit)]), More: len(found) > in.Limit}
			return &Body[recordPage]{page}, problem(err, "line")
		})
	huma.Register(api, tags.get("list-actors", "/actors", "All who ever did something"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[identity.Actor]], error) {
			items, err := s.Store.Actors(ctx)
			return pageOf(items, int64(len(items))), problem(err, "person")
		})
}
