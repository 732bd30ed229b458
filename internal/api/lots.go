package api

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/gtin"
	"ambrosa/core/plan"
	"ambrosa/core/rights"
	"ambrosa/internal/store"
)

// ByID names one thing by its id.
type ByID struct {
	ID int64 `path:"id"`
}

type created struct {
	ID int64 `json:"id"`
}

// FilesChosen chooses files of a lot.
type FilesChosen struct {
	Verdict string `query:"verdict" enum:"unread,paired,contested,loose,set aside,unusable"`
	Query   string `query:"q" maxLength:"200" doc:"Part of the path"`
	Rights  string `query:"rights" enum:"cleared,restricted,unknown"`
	Mark    string `query:"mark" enum:"small,padded,enlarged,same bytes,look-alike,animated,CMYK,transparent"`
	Type    string `query:"type" maxLength:"100"`
	Shape   string `query:"shape" enum:"square,upright,lying"`
	Kind    bool   `query:"kind" doc:"Only files whose verdict is of the kind that clue, rung, why and byHand tell"`
	Clue    string `query:"clue" maxLength:"40"`
	Rung    string `query:"rung" maxLength:"40"`
	Why     string `query:"why" maxLength:"100"`
	ByHand  bool   `query:"byHand"`
}

func (f FilesChosen) filter() store.FileFilter {
	chosen := store.FileFilter{Verdict: f.Verdict, Query: f.Query, Rights: f.Rights, Mark: f.Mark, Type: f.Type, Shape: f.Shape}
	if f.Kind {
		chosen.Kind = &store.Group{Clue: f.Clue, Rung: f.Rung, Why: f.Why, ByHand: f.ByHand}
	}
	return chosen
}

type markCounts struct {
	Marks map[string]int64 `json:"marks"`
	Types map[string]int64 `json:"types"`
}

// shownGivenUp is how many lots that were given up are listed.
const shownGivenUp = 200

func (s *Server) lotOperations(api huma.API) {
	tags := []string{"Lots"}
	huma.Register(api, huma.Operation{OperationID: "list-lots", Method: http.MethodGet, Path: "/api/v1/lots", Summary: "Lots, the newest first", Tags: tags},
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.Lot]], error) {
			items, err := s.Store.Lots(ctx, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "list-given-up", Method: http.MethodGet, Path: "/api/v1/given-up", Summary: "Lots that were given up, and can be restored", Tags: tags},
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.Lot]], error) {
			items, err := s.Store.GivenUp(ctx, shownGivenUp)
			return pageOf(items, int64(len(items))), problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "give-up-lot", Method: http.MethodPost, Path: "/api/v1/lots/{id}/give-up", Summary: "Hide a lot that is not applied; nothing is deleted",
		Tags: tags, DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.GiveUpLot(ctx, in.ID), "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "restore-lot", Method: http.MethodPost, Path: "/api/v1/lots/{id}/restore", Summary: "Bring a lot back that was given up", Tags: tags,
		DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Store.RestoreLot(ctx, in.ID, s.Runner.Examine), "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "create-lot", Method: http.MethodPost, Path: "/api/v1/lots", Summary: "Open a lot that waits for uploads",
		Tags: tags, DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *struct {
			Body struct {
				Name    string `json:"name" minLength:"1" maxLength:"300"`
				Uploads int    `json:"uploads" minimum:"1" maximum:"200000" doc:"How many uploads it is made of"`
				Barcode string `json:"barcode,omitempty" maxLength:"14" doc:"That its pictures were taken of, as a scanner read it"`
				Product int64  `json:"product,omitempty" doc:"That its pictures are put on, without asking again"`
				Variant int64  `json:"variant,omitempty"`
			}
		}) (*Body[created], error) {
			barcode := ""
			if in.Body.Barcode != "" {
				var err error
				if barcode, err = gtin.Normalise(in.Body.Barcode); err != nil {
					return nil, huma.Error422UnprocessableEntity(in.Body.Barcode + " is not a GTIN: " + err.Error() + ".")
				}
			}
			if in.Body.Product != 0 {
				id, err := s.Store.CreateProductLot(ctx, in.Body.Name, in.Body.Uploads, in.Body.Product, in.Body.Variant)
				return &Body[created]{created{id}}, problem(err, "product")
			}
			id, err := s.Store.CreateScanLot(ctx, in.Body.Name, barcode, in.Body.Uploads)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "get-lot", Method: http.MethodGet, Path: "/api/v1/lots/{id}", Summary: "A lot with its counts", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[store.Lot], error) {
			lot, err := s.Store.Lot(ctx, in.ID)
			return &Body[store.Lot]{lot}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "close-lot", Method: http.MethodPost, Path: "/api/v1/lots/{id}/close",
		Summary: "Go on with the uploads that have arrived", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[store.Lot], error) {
			if err := s.Store.CloseLot(ctx, in.ID, s.Runner.Examine); err != nil {
				return nil, problem(err, "lot")
			}
			lot, err := s.Store.Lot(ctx, in.ID)
			return &Body[store.Lot]{lot}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "list-files", Method: http.MethodGet, Path: "/api/v1/lots/{id}/files", Summary: "A lot's files", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Window
			FilesChosen
			Sort string `query:"sort" enum:"arrival,name,bytes,pixels,shape,type,score"`
			Down bool   `query:"down" doc:"The largest first"`
		}) (*Body[Page[store.File]], error) {
			filter := in.filter()
			filter.Offset, filter.Limit, filter.Sort, filter.Down = in.Offset, in.Limit, in.Sort, in.Down
			items, total, err := s.Store.Files(ctx, in.ID, filter)
			return pageOf(items, total), problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "count-marks", Method: http.MethodGet, Path: "/api/v1/lots/{id}/marks", Summary: "A lot's files, counted by mark and by type", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[markCounts], error) {
			marks, err := s.Store.MarkCounts(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "lot")
			}
			types, err := s.Store.TypeCounts(ctx, in.ID)
			return &Body[markCounts]{markCounts{marks, types}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "set-aside", Method: http.MethodPost, Path: "/api/v1/lots/{id}/aside", Summary: "Set the files aside that a filter chooses", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			FilesChosen
			Body struct {
				Reason string `json:"reason" minLength:"1" maxLength:"300"`
			}
		}) (*Body[store.Together], error) {
			if _, err := s.Store.Lot(ctx, in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			done, err := s.Store.SetAside(ctx, in.ID, in.filter(), in.Body.Reason)
			return &Body[store.Together]{done}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "take-back-together", Method: http.MethodPost, Path: "/api/v1/together/{id}/undo",
		Summary: "Bring files back as they were before they were decided on together", Tags: tags},
		func(ctx context.Context, in *ByID) (*Body[takenBack], error) {
			files, stayed, err := s.Store.TakeBack(ctx, in.ID)
			return &Body[takenBack]{takenBack{files, stayed}}, problem(err, "decision")
		})
	huma.Register(api, huma.Operation{OperationID: "set-rights", Method: http.MethodPut, Path: "/api/v1/lots/{id}/rights",
		Summary: "Give rights to a lot's files: to one, to those a filter chooses, or to all", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Body rightsChange
		}) (*Body[changed], error) {
			if _, err := s.Store.Lot(ctx, in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			b := in.Body
			n, err := s.Store.SetRights(ctx, in.ID, b.File, store.FileFilter{Verdict: b.Verdict, Query: b.Query, Rights: b.Of, Mark: b.Mark, Type: b.Type, Shape: b.Shape},
				rights.Rights{State: rights.State(b.Rights), Licence: b.Licence, Credit: b.Credit, Expires: b.Expires})
			return &Body[changed]{changed{n}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "pair-lot", Method: http.MethodPost, Path: "/api/v1/lots/{id}/pair",
		Summary: "Read the files again that no person has decided on", Tags: tags, DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			if _, err := s.Store.Lot(ctx, in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			id, err := s.Runner.Pair(ctx, in.ID)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "plan-lot", Method: http.MethodPost, Path: "/api/v1/lots/{id}/plan",
		Summary: "Plan what applying the lot would change, with those that it is being planned with", Tags: tags, DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Way plan.Way `json:"way" enum:"after,before,instead,like for like," doc:"Empty for that of its draft, else after"`
			}
		}) (*Body[created], error) {
			id, err := s.Store.PlanLot(ctx, in.ID, in.Body.Way)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, huma.Operation{OperationID: "preview-product", Method: http.MethodGet, Path: "/api/v1/lots/{id}/products/{product}/preview",
		Summary: "What a product shows now, and would show with the lot's files", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Product int64 `path:"product"`
		}) (*Body[preview], error) {
			found, err := s.preview(ctx, in.ID, in.Product)
			return &Body[preview]{found}, problem(err, "product")
		})
	huma.Register(api, huma.Operation{OperationID: "order-product", Method: http.MethodPut, Path: "/api/v1/lots/{id}/products/{product}/order",
		Summary: "Give a product's pictures the order in which they will stand when the lot is applied", Tags: tags},
		func(ctx context.Context, in *struct {
			ByID
			Product int64 `path:"product"`
			Body    struct {
				Variant  int64      `json:"variant" doc:"0 for the product as a whole"`
				Pictures []plan.Ref `json:"pictures" nullable:"false" maxItems:"2000" doc:"In order; none leaves it to the names"`
			}
		}) (*Body[preview], error) {
			if err := s.Store.SetOrder(ctx, in.ID, in.Product, in.Body.Variant, in.Body.Pictures); err != nil {
				return nil, problem(err, "lot")
			}
			found, err := s.preview(ctx, in.ID, in.Product)
			return &Body[preview]{found}, problem(err, "product")
		})
}

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
}

type takenBack struct {
	Files  []store.Seen `json:"files" nullable:"false" doc:"Those that are as they were, in the versions that they had"`
	Stayed int64        `json:"stayed" doc:"Files that somebody decided on since, which stay as they are"`
}

type changed struct {
	Files int64 `json:"files"`
}

type preview struct {
	Product  store.Product   `json:"product"`
	Targets  []plannedTarget `json:"targets" nullable:"false"`
	Variants []store.Variant `json:"variants" nullable:"false"`
	Warnings []plan.Warning  `json:"warnings" nullable:"false"`
	Way      plan.Way        `json:"way" doc:"To place, as it is planned"`
	Lots     []store.PlanLot `json:"lots" nullable:"false" doc:"Whose files it would show"`
	LeftOut  bool            `json:"leftOut" doc:"A person left it out of the plan"`
	Ordered  []int64         `json:"ordered" nullable:"false" doc:"Variants whose pictures a person put into their order, 0 for the product as a whole"`
}

func (s *Server) preview(ctx context.Context, lot, product int64) (p preview, err error) {
	p = preview{Targets: []plannedTarget{}, Variants: []store.Variant{}, Warnings: []plan.Warning{}, Ordered: []int64{}}
	if p.Product, err = s.Store.Product(ctx, product); err != nil {
		return p, err
	}
	if p.Variants, err = s.Store.Variants(ctx, product); err != nil {
		return p, err
	}
	found, err := s.Store.Preview(ctx, lot, product)
	if err != nil {
		return p, err
	}
	p.Warnings = append(p.Warnings, found.Warnings...)
	p.Way, p.Lots, p.LeftOut = found.Way, found.Lots, found.LeftOut
	for variant := range found.Orders {
		p.Ordered = append(p.Ordered, variant)
	}
	slices.Sort(p.Ordered)
	p.Targets, err = s.targets(ctx, product, p.Product.Code, found.Before, found.After)
	return p, err
}
