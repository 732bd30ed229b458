package api

import (
	"cmp"
	"context"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
)

type plannedChange struct {
	store.PlanChange
	Targets []plannedTarget `json:"targets" nullable:"false" doc:"The owner as a whole, then its variants, with pictures"`
}

type plannedTarget struct {
	store.Named
	Before []plan.Entry `json:"before" nullable:"false"`
	After  []plan.Entry `json:"after" nullable:"false"`
}

func (s *Server) planOperations(api huma.API) {
	const tags = resource("Plans")
	huma.Register(api, tags.get("get-plan", "/plans/{id}", "A plan with its totals"),
		func(ctx context.Context, in *ByID) (*Body[store.Plan], error) {
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
	huma.Register(api, tags.get("get-plan-undo", "/plans/{id}/undo", "How far an applied plan can be reverted"),
		func(ctx context.Context, in *ByID) (*Body[store.Undo], error) {
			found, err := s.Store.Undo(ctx, in.ID)
			return &Body[store.Undo]{found}, problem(err, "plan")
		})
	huma.Register(api, tags.create("make-plan", "/plans", "Plan what applying lots together would change"),
		func(ctx context.Context, in *struct {
			Body struct {
				Lots []int64  `json:"lots" nullable:"false" minItems:"1" maxItems:"200"`
				Way  plan.Way `json:"way" enum:"after,before,instead,like for like"`
			}
		}) (*Body[created], error) {
			id, err := s.Planner.Make(ctx, s.actor(ctx), in.Body.Lots, in.Body.Way)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, tags.post("spread-picture", "/plans/spread", "Plan to put one picture on many products and categories"),
		func(ctx context.Context, in *struct {
			Body struct {
				File int64            `json:"file"`
				On   []catalog.Target `json:"on" nullable:"false" minItems:"1" maxItems:"5000" doc:"Products as a whole, and categories"`
				Way  plan.Way         `json:"way" enum:"after,before,instead,like for like"`
			}
		}) (*Body[created], error) {
			for _, t := range in.Body.On {
				if t.Kind == catalog.KindVariant {
					return nil, huma.Error422UnprocessableEntity("A picture goes on products as a whole, and on categories.")
				}
			}
			id, err := s.Planner.Spread(ctx, s.actor(ctx), in.Body.File, in.Body.On, in.Body.Way)
			return &Body[created]{created{id}}, problem(err, "picture")
		})
	huma.Register(api, tags.get("list-plan-changes", "/plans/{id}/changes", "Before and after, product by product and category by category"),
		func(ctx context.Context, in *struct {
			ByID
			Window
			Warned bool `query:"warned" doc:"Only those with a warning or trouble"`
		}) (*Body[Page[plannedChange]], error) {
			rows, total, err := s.Store.PlanChanges(ctx, in.ID, in.Warned, in.Offset, in.Limit)
			if err != nil {
				return nil, problem(err, "plan")
			}
			items := make([]plannedChange, 0, len(rows))
			for _, row := range rows {
				named, err := s.Store.Named(ctx, row.Owner)
				if err != nil {
					return nil, problem(err, "plan")
				}
				items = append(items, plannedChange{row, shownTargets(named, row.Before, row.After)})
			}
			return pageOf(items, total), nil
		})
	huma.Register(api, tags.put("set-plan-change", "/plans/{id}/changes/{kind}/{owner}",
		"Give one product or category its own way, or leave it out"),
		func(ctx context.Context, in *struct {
			ByID
			ByOwner
			Body struct {
				Way     plan.Way `json:"way" enum:"after,before,instead,like for like," doc:"Empty for the plan's way"`
				LeftOut bool     `json:"leftOut"`
			}
		}) (*Body[store.Plan], error) {
			if err := s.Planner.SetWay(ctx, s.actor(ctx), in.ID, in.owner(), in.Body.Way, in.Body.LeftOut); err != nil {
				return nil, problem(err, "plan")
			}
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
	huma.Register(api, tags.post("set-aside-of-plan", "/plans/{id}/set-aside", "Set files aside that a draft would place, and plan it "+
		"again, in one step"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Files  []int64 `json:"files" nullable:"false" minItems:"1" maxItems:"20000"`
				Reason string  `json:"reason" minLength:"1" maxLength:"300"`
			}
		}) (*Body[setAside], error) {
			decisions, err := s.Planner.SetAside(ctx, s.actor(ctx), in.ID, in.Body.Files, in.Body.Reason)
			return &Body[setAside]{setAside{decisions}}, problem(err, "plan")
		})
	huma.Register(api, tags.start("apply-plan", "/plans/{id}/apply", "Apply a plan"),
		func(ctx context.Context, in *struct {
			ByID
			Body asSeen
		}) (*Body[created], error) {
			id, err := s.Planner.Apply(ctx, s.actor(ctx), in.ID, in.Body.Revision)
			return &Body[created]{created{id}}, problem(err, "plan")
		})
	huma.Register(api, tags.post("refresh-plan", "/plans/{id}/refresh", "Make again what decisions or products have overtaken"),
		func(ctx context.Context, in *struct {
			ByID
			Body asSeen
		}) (*Body[store.Plan], error) {
			if err := s.Planner.Refresh(ctx, s.actor(ctx), in.ID, in.Body.Revision); err != nil {
				return nil, problem(err, "plan")
			}
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
	huma.Register(api, tags.start("revert-plan", "/plans/{id}/revert", "Take a plan back, whole or for one product or category"),
		func(ctx context.Context, in *struct {
			ByID
			Kind  catalog.Kind `query:"kind" enum:"product,category" doc:"Of the one to take back; left out for all of it"`
			Owner int64        `query:"owner" minimum:"0"`
		}) (*Body[created], error) {
			var owner catalog.Target
			if in.Owner != 0 {
				owner = catalog.Target{Kind: cmp.Or(in.Kind, catalog.KindProduct), ID: in.Owner}
			}
			id, err := s.Planner.Revert(ctx, s.actor(ctx), in.ID, owner)
			return &Body[created]{created{id}}, problem(err, "plan")
		})
	huma.Register(api, tags.post("replan", "/plans/{id}/replan", "Plan those products again that could not be changed, to be looked at "+
		"and applied"),
		func(ctx context.Context, in *ByID) (*Body[store.Plan], error) {
			if err := s.Planner.Again(ctx, s.actor(ctx), in.ID); err != nil {
				return nil, problem(err, "plan")
			}
			found, err := s.Store.Plan(ctx, in.ID)
			return &Body[store.Plan]{found}, problem(err, "plan")
		})
}

// setAside is what was set aside.
type setAside struct {
	Decisions []int64 `json:"decisions" nullable:"false" doc:"Each takes back what was set aside of one lot"`
}

// asSeen is a plan as a person sees it.
type asSeen struct {
	Revision int `json:"revision" minimum:"1" doc:"Of the plan as the person saw it: another one is not touched"`
}

// shownTargets lists a product and its variants, or a category, with what they
// show before and after, where that is anything.
func shownTargets(named []store.Named, before, after plan.Arrangement) []plannedTarget {
	list := []plannedTarget{}
	for _, n := range named {
		if len(before[n.Target])+len(after[n.Target]) > 0 {
			list = append(list, plannedTarget{n, append([]plan.Entry{}, before[n.Target]...), append([]plan.Entry{}, after[n.Target]...)})
		}
	}
	return list
}
