package api

import (
	"context"
	"errors"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/store"
)

type lookupState struct {
	store.LookupCounts
	Quota string `json:"quota" doc:"Requests a day; empty for no limit"`
}

func (s *Server) lookupOperations(api huma.API) {
	const tags = resource("Barcode lookup")
	const path = "/origins/{id}/lookup"
	huma.Register(api, tags.get("get-lookup", path, "A barcode service's answers, counted"),
		func(ctx context.Context, in *ByID) (*Body[lookupState], error) {
			o, err := s.lookupOrigin(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			counts, err := s.Store.LookupCounts(ctx, in.ID)
			return &Body[lookupState]{lookupState{counts, o.Settings["quota"]}}, problem(err, "origin")
		})
	huma.Register(api, tags.start("ask-lookup", path, "Ask a service for barcodes: those entered, those of products, or those of all "+
		"products without a picture"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Missing  bool     `json:"missing,omitempty" doc:"All products without a picture"`
				Products []int64  `json:"products,omitempty" maxItems:"10000"`
				Codes    []string `json:"codes,omitempty" maxItems:"10000" doc:"As they are entered; a wrong check digit is named, and never sent"`
			}
		}) (*Body[created], error) {
			if _, err := s.lookupOrigin(ctx, in.ID); err != nil {
				return nil, err
			}
			codes := in.Body.Codes
			for _, more := range []func() ([]string, error){
				func() ([]string, error) {
					if !in.Body.Missing {
						return nil, nil
					}
					return s.Store.BarcodesWithoutPicture(ctx)
				},
				func() ([]string, error) { return s.Store.BarcodesOf(ctx, in.Body.Products) },
			} {
				found, err := more()
				if err != nil {
					return nil, problem(err, "product")
				}
				codes = append(codes, found...)
			}
			id, err := s.Gatherer.Lookup(ctx, s.actor(ctx), in.ID, codes)
			if errors.Is(err, store.ErrChanged) {
				return nil, huma.Error409Conflict("The service is being asked already.")
			}
			return &Body[created]{created{id}}, problem(err, "origin")
		})
	huma.Register(api, tags.get("list-lookup-codes", path+"/codes", "Barcodes with the pictures a service answered"),
		func(ctx context.Context, in *struct {
			ByID
			Window
			State string `query:"state" enum:"choose,done,open,nothing,wrong,failed" default:"choose"`
		}) (*Body[Page[store.LookupCode]], error) {
			items, total, err := s.Store.LookupCodes(ctx, in.ID, in.State, in.Offset, in.Limit)
			return pageOf(items, total), problem(err, "origin")
		})
	huma.Register(api, tags.start("take-candidates", path+"/take", "Fetch chosen pictures, as a lot; what stands beside them is declined"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Candidates []int64 `json:"candidates" minItems:"1" maxItems:"10000" nullable:"false"`
			}
		}) (*Body[created], error) {
			lot, err := s.Gatherer.TakeCandidates(ctx, s.actor(ctx), in.ID, in.Body.Candidates)
			if errors.Is(err, store.ErrNotFound) {
				return nil, huma.Error409Conflict("These pictures were chosen or declined in between. Look again; nothing is fetched now.")
			}
			return &Body[created]{created{lot}}, problem(err, "origin")
		})
	huma.Register(api, tags.do("decline-candidates", path+"/codes/{code}/decline", "Put a barcode's pictures aside, or open them again"),
		func(ctx context.Context, in *struct {
			ByID
			Code int64 `path:"code"`
			Body struct {
				Decline bool `json:"decline"`
			}
		}) (*struct{}, error) {
			return nil, problem(s.Sourcer.Decline(ctx, s.actor(ctx), in.ID, in.Code, in.Body.Decline), "barcode")
		})
}

func (s *Server) lookupOrigin(ctx context.Context, id int64) (store.Origin, error) {
	o, err := s.Store.Origin(ctx, id)
	if err == nil && o.Kind != store.LookupKind {
		err = store.ErrNotFound
	}
	return o, problem(err, "barcode service")
}
