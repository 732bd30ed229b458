package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/core/audit"
	"ambrosa/core/coverage"
	"ambrosa/core/identity"
	"ambrosa/internal/covering"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// coverageProblem words what can go wrong beside the usual.
func coverageProblem(err error, thing string) error {
	var bad coverage.BadList
	switch {
	case errors.As(err, &bad):
		return huma.Error422UnprocessableEntity("The shot list cannot be kept: " + bad.Error() + ".")
	case errors.Is(err, covering.ErrAsked):
		return huma.Error409Conflict("All of it was asked for already, and is waited for: it stands in Requests.")
	case errors.Is(err, covering.ErrNothing):
		return huma.Error409Conflict("Nothing of it is missing, so there is nothing to ask for.")
	}
	return problem(err, thing)
}

func (s *Server) coverageOperations(api huma.API) {
	const tags = resource("Coverage")
	huma.Register(api, tags.get("get-coverage", "/coverage", "How far products have the pictures that their shot lists want"),
		func(ctx context.Context, in *struct {
			Window
			Category string `query:"category" maxLength:"1000" doc:"Its products and those below it"`
			Query    string `query:"q" maxLength:"200" doc:"Part of a code, SKU, title or GTIN"`
			Only     string `query:"only" enum:"missing,below,unknown" doc:"Which products are listed; left out for all"`
		}) (*Body[covering.Covered], error) {
			found, err := s.Coverer.Covered(ctx, store.CoverageFilter{Category: in.Category, Query: in.Query, Only: in.Only, Offset: in.Offset,
				Limit: in.Limit})
			found.Lists, found.Categories = orEmpty(found.Lists), orEmpty(found.Categories)
			found.Items, found.Days = orEmpty(found.Items), orEmpty(found.Days)
			return &Body[covering.Covered]{found}, coverageProblem(err, "coverage")
		})
	huma.Register(api, tags.set("set-shot-list", "/shot-lists", "Set the shot list of a category, as it was seen; an empty one is forgotten"),
		func(ctx context.Context, in *struct {
			Body struct {
				Path    string        `json:"path" maxLength:"1000" doc:"Of the category; empty for the whole catalog"`
				Shots   coverage.List `json:"shots" nullable:"false" maxItems:"50"`
				Version int           `json:"version" doc:"Of the list as it was seen; 0 where there was none"`
			}
		}) (*struct{}, error) {
			err := s.Coverer.SetList(ctx, s.actor(ctx), in.Body.Path, in.Body.Shots, in.Body.Version)
			if category, known := s.Store.CategoryByPath(ctx, in.Body.Path); errors.Is(err, store.ErrChanged) && known == nil {
				return nil, s.overtaken(ctx, err, "shot list",
					store.RecordFilter{About: audit.Of(identity.Category, category), Action: identity.ShotListSet})
			}
			return nil, coverageProblem(err, "category")
		})
	huma.Register(api, tags.get("list-requests", "/requests", "Pictures that somebody was asked for, the newest first"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.ShotRequest]], error) {
			if _, err := s.Coverer.Counted(ctx); err != nil {
				return nil, problem(err, "request")
			}
			items, err := s.Store.Requests(ctx)
			return pageOf(items, int64(len(items))), problem(err, "request")
		})
	huma.Register(api, tags.create("make-request", "/requests", "Ask for what is missing now"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name     string `json:"name" minLength:"1" maxLength:"200" doc:"Whom it is for, or what"`
				Category string `json:"category,omitempty" maxLength:"1000"`
				Query    string `json:"q,omitempty" maxLength:"200"`
				Again    bool   `json:"again,omitempty" doc:"Also what another request waits for"`
			}
		}) (*Body[created], error) {
			filter := store.CoverageFilter{Category: in.Body.Category, Query: in.Body.Query}
			id, err := s.Coverer.Request(ctx, s.actor(ctx), in.Body.Name, filter, in.Body.Again)
			return &Body[created]{created{id}}, coverageProblem(err, "request")
		})
	huma.Register(api, tags.post("close-request", "/requests/{id}/close", "Wait for the rest of a request no more, or again"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Open bool `json:"open" doc:"It is waited for again"`
			}
		}) (*struct{}, error) {
			return nil, problem(s.Coverer.CloseRequest(ctx, s.actor(ctx), in.ID, in.Body.Open), "request")
		})
	huma.Register(api, tags.get("list-request-shots", "/requests/{id}/shots", "The pictures of a request"),
		func(ctx context.Context, in *struct {
			ByID
			Behind int `query:"behind" minimum:"0" doc:"Behind this one, by number"`
			Limit  int `query:"limit" minimum:"1" maximum:"500" default:"200"`
		}) (*Body[Page[store.RequestShot]], error) {
			found, err := s.Store.Request(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "request")
			}
			items, err := s.Store.RequestShots(ctx, in.ID, in.Behind, in.Limit)
			return pageOf(items, int64(found.Shots)), problem(err, "request")
		})
}

// requestColumns are those of a request as it goes to who takes the pictures.
var requestColumns = []sheetfile.Column[store.RequestShot]{
	{Title: "File name", Of: func(r store.RequestShot) any { return r.Name }},
	{Title: "SKU", Of: func(r store.RequestShot) any { return r.SKU }},
	{Title: "Product", Of: func(r store.RequestShot) any { return r.Title }},
	{Title: "View", Of: func(r store.RequestShot) any { return r.View }},
	{Title: "Number of that view", Of: func(r store.RequestShot) any { return r.Nth }},
	{Title: "Longer side at least, pixels", Of: func(r store.RequestShot) any { return r.Least }},
	{Title: "Background", Of: func(r store.RequestShot) any { return r.Background }},
	{Title: "Came", Of: func(r store.RequestShot) any { return moment(r.CameAt) }},
	{Title: "Filled by an older picture", Of: func(r store.RequestShot) any {
		if r.Otherwise {
			return "yes"
		}
		return ""
	}},
}

// exportRequest writes a request as CSV or as a workbook.
func (s *Server) exportRequest(c fiber.Ctx) error {
	id := fiber.Params[int64](c, "id")
	found, err := s.Store.Request(c.Context(), id)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such request.")
	}
	name := fmt.Sprintf("%s %s", found.Name, found.At.UTC().Format("2006-01-02"))
	return s.download(c, name, formatOf(c), func(ctx context.Context, out io.Writer, format export) error {
		behind := 0
		next := paged(func() ([]store.RequestShot, error) {
			page, err := s.Store.RequestShots(ctx, id, behind, exportPage)
			if len(page) > 0 {
				behind = page[len(page)-1].N
			}
			return page, err
		})
		if format == table {
			return sheetfile.WriteCSV(out, requestColumns, next)
		}
		return sheetfile.WriteXLSX(out, "Pictures", requestColumns, next, nil)
	})
}
