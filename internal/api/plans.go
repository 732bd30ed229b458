package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/plan"
	"ambrosa/internal/store"
)

type plannedProduct struct {
	store.PlanProduct
	Variants []plannedTarget `json:"targets" nullable:"false" doc:"The product as a whole, then its variants, where something stands or will stand"`
	Warnings []plan.Warning  `json:"warnings" nullable:"false"`
}

type plannedTarget struct {
	Variant int64        `json:"variant" doc:"0 for the product as a whole"`
	SKU     string       `json:"sku"`
	Before  []plan.Entry `json:"before" nullable:"false"`
	After   []plan.Entry `json:"after" nullable:"false"`
}

func (s *Server) planOperations(api huma.API) {
	tags := []string{"Plans"}
	huma.Register(api, huma.Operation{OperationID: "get-plan", Method: http.MethodGet, Path: "/api/v1/plans/{id}", Summary: "A plan with its totals", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[store.Plan], error) {
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
	huma.Register(api, huma.Operation{OperationID: "make-plan", Method: http.MethodPost, Path: "/api/v1/plans", Summary: "Plan what applying lots together would change",
		Tags: tags, DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *struct {
			Body struct {
				Lots []int64  `json:"lots" nullable:"false" minItems:"1" maxItems:"200"`
				Way  plan.Way `json:"way" enum:"after,before,instead,like for like"`
			}
		}) (*Body[created], error) {
			id, err := s.Store.MakePlan(ctx, in.Body.Lots, in.Body.Way)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "list-plan-products", Method: http.MethodGet, Path: "/api/v1/plans/{id}/products", Summary: "Before and after, product by product", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Window
			Warned bool `query:"warned" doc:"Only those with a warning or trouble"`
		}) (*Body[Page[plannedProduct]], error) {
			rows, total, err := s.Store.PlanProducts(ctx, in.ID, in.Warned, in.Offset, in.Limit)
			if err != nil {
				return nil, problem(err, "plan")
			}
			items := make([]plannedProduct, 0, len(rows))
			for _, row := range rows {
				item, err := s.planned(ctx, row)
				if err != nil {
					return nil, problem(err, "plan")
				}
				items = append(items, item)
			}
			return pageOf(items, total), nil
		})
	huma.Register(api, huma.Operation{OperationID: "set-plan-product", Method: http.MethodPut, Path: "/api/v1/plans/{id}/products/{product}",
		Summary: "Give one product its own way, or leave it out", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Product int64 `path:"product"`
			Body    struct {
				Way     plan.Way `json:"way" enum:"after,before,instead,like for like," doc:"Empty for the plan's way"`
				LeftOut bool     `json:"leftOut"`
			}
		}) (*Body[store.Plan], error) {
			if err := s.Store.SetProductWay(ctx, in.ID, in.Product, in.Body.Way, in.Body.LeftOut); err != nil {
				return nil, problem(err, "plan")
			}
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
	huma.Register(api, huma.Operation{OperationID: "apply-plan", Method: http.MethodPost, Path: "/api/v1/plans/{id}/apply", Summary: "Apply a plan",
		Tags: tags, DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *struct {
			ByID
			Body asSeen
		}) (*Body[created], error) {
			id, err := s.Runner.Apply(ctx, in.ID, in.Body.Revision)
			return &Body[created]{created{id}}, problem(err, "plan")
		})
	huma.Register(api, huma.Operation{OperationID: "refresh-plan", Method: http.MethodPost, Path: "/api/v1/plans/{id}/refresh",
		Summary: "Make again what decisions or products have overtaken", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Body asSeen
		}) (*Body[store.Plan], error) {
			if err := s.Runner.Refresh(ctx, in.ID, in.Body.Revision); err != nil {
				return nil, problem(err, "plan")
			}
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
	huma.Register(api, huma.Operation{OperationID: "revert-plan", Method: http.MethodPost, Path: "/api/v1/plans/{id}/revert", Summary: "Take a plan back, whole or for one product",
		Tags: tags, DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *struct {
			ByID
			Product int64 `query:"product" doc:"0 for all of it"`
		}) (*Body[created], error) {
			id, err := s.Runner.Revert(ctx, in.ID, in.Product)
			return &Body[created]{created{id}}, problem(err, "plan")
		})
	huma.Register(api, huma.Operation{OperationID: "replan", Method: http.MethodPost, Path: "/api/v1/plans/{id}/replan",
		Summary: "Plan those products again that could not be changed, to be looked at and applied", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[store.Plan], error) {
			if err := s.Store.PlanAgain(ctx, in.ID); err != nil {
				return nil, problem(err, "plan")
			}
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
}

// asSeen is a plan as a person sees it.
type asSeen struct {
	Revision int `json:"revision" minimum:"1" doc:"Of the plan as the person saw it: another one is not touched"`
}

func (s *Server) planned(ctx context.Context, row store.PlanProduct) (plannedProduct, error) {
	item := plannedProduct{PlanProduct: row, Variants: []plannedTarget{}, Warnings: []plan.Warning{}}
	var before, after plan.Arrangement
	if err := errors.Join(json.Unmarshal(row.Before, &before), json.Unmarshal(row.After, &after), json.Unmarshal(row.Warnings, &item.Warnings)); err != nil {
		return item, err
	}
	var err error
	item.Variants, err = s.targets(ctx, row.Product, row.Code, before, after)
	return item, err
}

// targets lists a product and its variants with what they show before and
// after, where that is anything.
func (s *Server) targets(ctx context.Context, product int64, code string, before, after plan.Arrangement) ([]plannedTarget, error) {
	list := []plannedTarget{}
	variants, err := s.Store.Variants(ctx, product)
	if err != nil {
		return list, err
	}
	add := func(id int64, sku string) {
		if len(before[id])+len(after[id]) > 0 {
			list = append(list, plannedTarget{id, sku, append([]plan.Entry{}, before[id]...), append([]plan.Entry{}, after[id]...)})
		}
	}
	add(0, code)
	for _, v := range variants {
		add(v.ID, v.SKU)
	}
	return list, nil
}
