package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/naming"
	"ambrosa/core/plan"
	"ambrosa/internal/sheetfile"
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
	Options  []string        `json:"options" nullable:"false" doc:"Names of the options that tell its variants apart"`
	Variants []store.Variant `json:"variantList" nullable:"false"`
	Pictures []store.Shown   `json:"pictureList" nullable:"false"`
	Changes  []store.Change  `json:"changes" nullable:"false"`
}

type arrangementChange struct {
	Version  int64           `json:"version" doc:"Of the product as the person saw it"`
	Pictures []pictureChange `json:"pictures" nullable:"false" maxItems:"5000" doc:"All pictures that shall stand, in order"`
}

type pictureChange struct {
	ID      int64   `json:"id" doc:"Of the placement; 0 for a copy"`
	Of      int64   `json:"of,omitempty" doc:"Of a copy: the placement that it is a copy of"`
	Variant int64   `json:"variant" doc:"Where it shall stand; 0 for the product as a whole"`
	View    string  `json:"view" maxLength:"40"`
	Alt     *string `json:"alt,omitempty" maxLength:"500" doc:"A person's own text; empty asks for a draft again"`
}

type importReport struct {
	store.Imported
	Rows     int               `json:"rows" doc:"Rows read, the header left out"`
	Refused  int               `json:"refused" doc:"Rows that could not be taken"`
	Problems []catalog.Problem `json:"problems" nullable:"false" doc:"The first 1,000"`
	More     int               `json:"more" doc:"Problems that are not listed"`
}

// streamedBody hands the request's body to the operation as it comes.
type streamedBody struct {
	body io.Reader
}

func (b *streamedBody) Resolve(ctx huma.Context) []error {
	b.body = ctx.BodyReader()
	return nil
}

type importInput struct {
	streamedBody
}

func (s *Server) productOperations(api huma.API) {
	tags := []string{"Catalog"}
	huma.Register(api, huma.Operation{OperationID: "list-products", Method: http.MethodGet, Path: "/api/v1/products", Summary: "The catalog", Tags: tags},
		func(ctx context.Context, in *struct {
			Window
			Query     string `query:"q" maxLength:"200" doc:"Part of a code, SKU, title or GTIN"`
			Category  string `query:"category" maxLength:"1000"`
			NoPicture bool   `query:"noPicture"`
		}) (*Body[Page[store.Product]], error) {
			items, total, err := s.Store.Products(ctx, store.ProductFilter{Query: in.Query, Category: in.Category, NoPicture: in.NoPicture, Offset: in.Offset, Limit: in.Limit})
			return pageOf(items, total), problem(err, "product")
		})
	huma.Register(api, huma.Operation{OperationID: "list-categories", Method: http.MethodGet, Path: "/api/v1/categories", Summary: "The category tree", Tags: tags},
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.Category]], error) {
			items, err := s.Store.Categories(ctx)
			return pageOf(items, int64(len(items))), problem(err, "category")
		})
	huma.Register(api, huma.Operation{OperationID: "get-product", Method: http.MethodGet, Path: "/api/v1/products/{id}", Summary: "A product with its variants and pictures", Tags: tags},
		func(ctx context.Context, in *struct {
			ID int64 `path:"id"`
		}) (*Body[productPage], error) {
			page, err := s.product(ctx, in.ID)
			return &Body[productPage]{page}, problem(err, "product")
		})
	huma.Register(api, huma.Operation{OperationID: "arrange-product", Method: http.MethodPut, Path: "/api/v1/products/{id}/pictures",
		Summary: "Change the order, target, view and text of a product's pictures by hand", Tags: tags},
		func(ctx context.Context, in *struct {
			ID   int64 `path:"id"`
			Body arrangementChange
		}) (*Body[productPage], error) {
			if err := s.arrange(ctx, in.ID, in.Body); err != nil {
				return nil, err
			}
			page, err := s.product(ctx, in.ID)
			return &Body[productPage]{page}, problem(err, "product")
		})
	huma.Register(api, huma.Operation{OperationID: "import-products", Method: http.MethodPost, Path: "/api/v1/products/import",
		Summary: "Create and update products and variants by SKU from a CSV", Tags: tags, MaxBodyBytes: -1, BodyReadTimeout: -1,
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"text/csv": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}},
		func(ctx context.Context, in *importInput) (*Body[importReport], error) {
			report, err := s.importProducts(ctx, in.body)
			if err != nil {
				return nil, err
			}
			return &Body[importReport]{report}, nil
		})
}

func (s *Server) product(ctx context.Context, id int64) (page productPage, err error) {
	if page.Product, err = s.Store.Product(ctx, id); err != nil {
		return page, err
	}
	if page.Variants, err = s.Store.Variants(ctx, id); err != nil {
		return page, err
	}
	if page.Pictures, err = s.Store.Shown(ctx, id); err != nil {
		return page, err
	}
	page.Changes, err = s.Store.Changes(ctx, id)
	page.Options = []string{}
	seen := map[string]bool{}
	for _, v := range page.Variants {
		for _, o := range v.Options {
			if !seen[o.Name] {
				seen[o.Name] = true
				page.Options = append(page.Options, o.Name)
			}
		}
	}
	return page, err
}

// arrange makes the pictures of a product stand as a person wants them.
func (s *Server) arrange(ctx context.Context, id int64, change arrangementChange) error {
	page, err := s.product(ctx, id)
	if err != nil {
		return problem(err, "product")
	}
	variants := map[int64]store.Variant{0: {}}
	for _, v := range page.Variants {
		variants[v.ID] = v
	}
	for _, p := range change.Pictures {
		if _, known := variants[p.Variant]; !known {
			return huma.Error422UnprocessableEntity(fmt.Sprintf("The product has no variant %d.", p.Variant))
		}
	}
	_, err = s.Store.Rearrange(ctx, id, change.Version, func(standing plan.Arrangement) (plan.Arrangement, error) {
		byID := map[int64]plan.Entry{}
		for _, entries := range standing {
			for _, e := range entries {
				byID[e.ID] = e
			}
		}
		copied := maps.Clone(byID)
		wanted := plan.Arrangement{}
		for _, p := range change.Pictures {
			e, stands := byID[p.ID]
			if p.ID == 0 {
				e, stands = copied[p.Of]
				e.ID = 0
			}
			if !stands {
				return nil, store.ErrChanged
			}
			delete(byID, p.ID)
			e.View = p.View
			switch {
			case p.Alt == nil:
			case *p.Alt == "":
				e.Alt, e.AltBy = draft(page, variants[p.Variant], p.View), "draft"
			default:
				e.Alt, e.AltBy = *p.Alt, "person"
			}
			if slices.ContainsFunc(wanted[p.Variant], func(o plan.Entry) bool { return o.Sum == e.Sum }) {
				return nil, errTwice
			}
			wanted[p.Variant] = append(wanted[p.Variant], e)
		}
		return wanted, nil
	})
	if errors.Is(err, errTwice) {
		return huma.Error422UnprocessableEntity("The same picture stands there already; nothing was changed.")
	}
	return problem(err, "product")
}

var errTwice = errors.New("the same picture twice on one target")

func draft(page productPage, v store.Variant, view string) string {
	title := page.Title
	var values []string
	for _, o := range v.Options {
		values = append(values, o.Value)
	}
	if v.Title != "" {
		title = v.Title
	}
	return naming.AltText(title, values, view)
}

const (
	importBatch  = 1000
	listProblems = 1000
)

// importProducts reads a CSV as it comes and writes it in batches; rows that
// cannot be taken are reported and stop nothing.
func (s *Server) importProducts(ctx context.Context, body io.Reader) (report importReport, err error) {
	report.Problems = []catalog.Problem{}
	var batch []catalog.Row
	flush := func() error {
		done, err := s.Store.ImportRows(ctx, batch)
		batch = batch[:0]
		report.Created += done.Created
		report.Updated += done.Updated
		report.Products += done.Products
		report.Unchanged += done.Unchanged
		return problem(err, "product")
	}
	err = sheetfile.ReadCSV(body, func(row catalog.Row, problems []catalog.Problem, taken bool) error {
		report.Rows++
		for _, p := range problems {
			if len(report.Problems) < listProblems {
				report.Problems = append(report.Problems, p)
			} else {
				report.More++
			}
		}
		if !taken {
			report.Refused++
			return nil
		}
		if batch = append(batch, row); len(batch) >= importBatch {
			return flush()
		}
		return nil
	})
	var refused sheetfile.Refused
	switch {
	case err == nil:
		return report, flush()
	case asRefused(err, &refused):
		if flushErr := flush(); flushErr != nil {
			return report, flushErr
		}
		said := string(refused)
		if report.Rows > 0 {
			said += fmt.Sprintf(" What stands before it was taken: %d rows, %d refused.", report.Rows, report.Refused)
		}
		return report, huma.Error422UnprocessableEntity(said)
	}
	return report, err
}
