package api

import (
	"context"
	"io"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/legible"
	"ambrosa/core/plan"
	"ambrosa/internal/store"
)

// Body wraps an answer.
type Body[T any] struct{ Body T }

// Page is a part of a list.
type Page[T any] struct {
	Items []T   `json:"items" nullable:"false"`
	Total int64 `json:"total" doc:"How many there are in all"`
}

func pageOf[T any](items []T, total int64) *Body[Page[T]] {
	if items == nil {
		items = []T{}
	}
	return &Body[Page[T]]{Page[T]{items, total}}
}

// Window chooses a part of a list.
type Window struct {
	Offset int `query:"offset" minimum:"0" maximum:"100000000"`
	Limit  int `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

type productPage struct {
	store.Product
	Options     []string        `json:"options" nullable:"false" doc:"Names of the options that tell its variants apart"`
	VariantList []store.Variant `json:"variantList" nullable:"false"`
	PictureList []store.Shown   `json:"pictureList" nullable:"false"`
	Changes     []store.Change  `json:"changes" nullable:"false"`

	Fields       []catalog.FieldValue  `json:"fields" nullable:"false" doc:"All that the catalog says of it, and by which field change"`
	FieldChanges []store.ProductImport `json:"fieldChanges" nullable:"false" doc:"By sheets and by hand, the last first"`
}

type categoryPage struct {
	store.Category
	Shown   []store.Shown  `json:"pictureList" nullable:"false"`
	Changes []store.Change `json:"changes" nullable:"false"`

	FieldChanges []store.ProductImport `json:"fieldChanges" nullable:"false" doc:"By sheets and by hand, the last first"`
}

type categoryChange struct {
	Version     int64  `json:"version" doc:"Of the category as the person saw it"`
	Ref         string `json:"ref" maxLength:"200" doc:"Its own ID"`
	Description string `json:"description" maxLength:"20000"`
}

type arrangementChange struct {
	Version  int64           `json:"version" doc:"Of the product as the person saw it"`
	Pictures []pictureChange `json:"pictures" nullable:"false" maxItems:"5000" doc:"All pictures that shall stand, in order"`
}

type viewsSet struct {
	Plan int64 `json:"plan" doc:"That can be reverted"`
	Set  int   `json:"set" doc:"Pictures that have another view now; the others were changed since they were seen"`
}

type pictureChange struct {
	ID     int64          `json:"id" doc:"Of the placement; 0 for a copy"`
	Of     int64          `json:"of,omitempty" doc:"Of a copy: the placement that it is a copy of"`
	Target catalog.Target `json:"target" doc:"Where it shall stand"`
	View   string         `json:"view" maxLength:"40"`
	Alt    *string        `json:"alt,omitempty" maxLength:"500" doc:"A person's own text; empty asks for a draft again"`
}

// streamedBody hands the request's body to the operation as it comes.
type streamedBody struct {
	body io.Reader
}

func (b *streamedBody) Resolve(ctx huma.Context) []error {
	b.body = ctx.BodyReader()
	return nil
}

func (s *Server) productOperations(api huma.API) {
	const tags = resource("Catalog")
	huma.Register(api, tags.get("list-products", "/products", "The catalog"),
		func(ctx context.Context, in *struct {
			Window
			Query     string `query:"q" maxLength:"200" doc:"Part of a code, SKU, title or GTIN"`
			Category  string `query:"category" maxLength:"1000"`
			NoPicture bool   `query:"noPicture"`
		}) (*Body[Page[store.Product]], error) {
			items, total, err := s.Store.Products(
				ctx,
				store.ProductFilter{Query: in.Query, Category: in.Category, NoPicture: in.NoPicture, Offset: in.Offset, Limit: in.Limit},
			)
			return pageOf(items, total), problem(err, "product")
		})
	huma.Register(api, tags.get("list-categories", "/categories", "The category tree by level, or the categories that a text finds"),
		func(ctx context.Context, in *struct {
			Query  string `query:"q" maxLength:"200" doc:"Part of a path or of an own ID"`
			Path   string `query:"path" maxLength:"1000" doc:"Only the category with this path"`
			Parent int64  `query:"parent" minimum:"0" doc:"ID of the category whose categories are listed; 0 for all"`
			After  string `query:"after" maxLength:"1000" doc:"Goes on behind this path, where one level has more than fit"`
			Limit  int    `query:"limit" minimum:"1" maximum:"5000" default:"500" doc:"As many whole levels as fit are listed, and always one"`
		}) (*Body[store.CategoryList], error) {
			found, err := s.Store.Categories(ctx, store.CategoryFilter{Text: in.Query, Path: in.Path, Parent: in.Parent, After: in.After,
				Limit: in.Limit})
			found.Items = orEmpty(found.Items)
			return &Body[store.CategoryList]{found}, problem(err, "category")
		})
	huma.Register(api, tags.get("get-category", "/categories/{id}", "A category with its pictures"),
		func(ctx context.Context, in *ByID) (*Body[categoryPage], error) {
			page, err := s.category(ctx, in.ID)
			return &Body[categoryPage]{page}, problem(err, "category")
		})
	huma.Register(api, tags.put("change-category", "/categories/{id}", "Change a category's own ID and text by hand"),
		func(ctx context.Context, in *struct {
			ByID
			Body categoryChange
		}) (*Body[categoryPage], error) {
			b := in.Body
			_, err := s.Importer.WriteCategory(ctx, s.actor(ctx), in.ID, b.Version, strings.TrimSpace(b.Ref), strings.TrimSpace(b.Description))
			if err != nil {
				return nil, problem(err, "category")
			}
			page, err := s.category(ctx, in.ID)
			return &Body[categoryPage]{page}, problem(err, "category")
		})
	huma.Register(api, tags.put("arrange-category", "/categories/{id}/pictures",
		"Change the order, view and text of a category's pictures by hand"),
		func(ctx context.Context, in *struct {
			ByID
			Body arrangementChange
		}) (*Body[categoryPage], error) {
			if err := s.arrange(ctx, catalog.Category(in.ID), in.Body); err != nil {
				return nil, err
			}
			page, err := s.category(ctx, in.ID)
			return &Body[categoryPage]{page}, problem(err, "category")
		})
	huma.Register(api, tags.get("get-product", "/products/{id}", "A product with its variants and pictures"),
		func(ctx context.Context, in *struct {
			ID int64 `path:"id"`
		}) (*Body[productPage], error) {
			page, err := s.product(ctx, in.ID)
			return &Body[productPage]{page}, problem(err, "product")
		})
	huma.Register(api, tags.put("arrange-product", "/products/{id}/pictures", "Change the order, target, view and text of a product's "+
		"pictures by hand"),
		func(ctx context.Context, in *struct {
			ID   int64 `path:"id"`
			Body arrangementChange
		}) (*Body[productPage], error) {
			if err := s.arrange(ctx, catalog.Product(in.ID), in.Body); err != nil {
				return nil, err
			}
			page, err := s.product(ctx, in.ID)
			return &Body[productPage]{page}, problem(err, "product")
		})
	huma.Register(api, tags.put("set-views", "/products/views", "Set the views of pictures on products, in one plan that is applied at once"),
		func(ctx context.Context, in *struct {
			Body struct {
				Pictures []plan.ViewSet `json:"pictures" nullable:"false" minItems:"1" maxItems:"500"`
			}
		}) (*Body[viewsSet], error) {
			for i := range in.Body.Pictures {
				in.Body.Pictures[i].View = strings.ToLower(legible.Name(strings.TrimSpace(in.Body.Pictures[i].View)))
			}
			id, set, err := s.Planner.SetViews(ctx, s.actor(ctx), in.Body.Pictures)
			return &Body[viewsSet]{viewsSet{id, set}}, problem(err, "picture")
		})
	huma.Register(api, tags.post("transfer-pictures", "/pictures/transfer",
		"Move or copy pictures to another product, variant or category, in one plan that is applied at once"),
		func(ctx context.Context, in *struct {
			Body struct {
				Pictures []int64        `json:"pictures" nullable:"false" minItems:"1" maxItems:"500" doc:"Placements, in the order wanted"`
				To       catalog.Target `json:"to"`
				Copy     bool           `json:"copy,omitempty" doc:"They also stay where they are"`
			}
		}) (*Body[transferred], error) {
			id, done, err := s.Planner.Transfer(ctx, s.actor(ctx), in.Body.Pictures, in.Body.To, in.Body.Copy)
			return &Body[transferred]{transferred{id, done}}, problem(err, "picture")
		})
	s.importOperation(api, tags)
}

// transferred is what a transfer did.
type transferred struct {
	Plan int64 `json:"plan" doc:"Reverts it; 0 where nothing changed"`
	plan.Transferred
}

// shownFieldChanges is how many changes of its fields a product's page tells.
const shownFieldChanges = 200

func (s *Server) product(ctx context.Context, id int64) (page productPage, err error) {
	if page.Product, err = s.Store.Product(ctx, id); err != nil {
		return page, err
	}
	if page.VariantList, err = s.Store.Variants(ctx, id); err != nil {
		return page, err
	}
	if page.PictureList, err = s.Store.Shown(ctx, catalog.Product(id)); err != nil {
		return page, err
	}
	if page.Changes, err = s.Store.Changes(ctx, catalog.Product(id)); err != nil {
		return page, err
	}
	if page.FieldChanges, err = s.Store.FieldChanges(ctx, catalog.Product(id), shownFieldChanges); err != nil {
		return page, err
	}
	now, err := s.Store.SnapshotOf(ctx, id)
	if err != nil {
		return page, err
	}
	changed := make([]catalog.Changed, len(page.FieldChanges))
	for i, c := range page.FieldChanges {
		if c.State == "imported" {
			changed[i] = catalog.Changed{Before: c.Before, After: c.After}
		}
	}
	page.Fields = catalog.Fields(now, changed)
	page.Options = []string{}
	seen := map[string]bool{}
	for _, v := range page.VariantList {
		for _, o := range v.Options {
			if !seen[o.Name] {
				seen[o.Name] = true
				page.Options = append(page.Options, o.Name)
			}
		}
	}
	return page, err
}

func (s *Server) category(ctx context.Context, id int64) (page categoryPage, err error) {
	if page.Category, err = s.Store.Category(ctx, id); err != nil {
		return page, err
	}
	if page.Shown, err = s.Store.Shown(ctx, catalog.Category(id)); err != nil {
		return page, err
	}
	if page.Changes, err = s.Store.Changes(ctx, catalog.Category(id)); err != nil {
		return page, err
	}
	page.FieldChanges, err = s.Store.FieldChanges(ctx, catalog.Category(id), shownFieldChanges)
	return page, err
}

// arrange makes the pictures of a product, or of a category, stand as a person
// wants them.
func (s *Server) arrange(ctx context.Context, owner catalog.Target, change arrangementChange) error {
	wanted := make([]plan.Wanted, 0, len(change.Pictures))
	for _, p := range change.Pictures {
		wanted = append(wanted, plan.Wanted{ID: p.ID, Of: p.Of, Target: p.Target, View: legible.Name(p.View), Alt: p.Alt})
	}
	_, err := s.Planner.Arrange(ctx, s.actor(ctx), owner, change.Version, wanted)
	return problem(err, string(owner.Kind))
}
