package api

import (
	"context"
	"maps"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/gtin"
	"ambrosa/core/plan"
	"ambrosa/core/shelf"
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
	Verdict string `query:"verdict" enum:"unread,paired,contested,loose,set aside,unusable,sheet"`
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
	const tags = resource("Lots")
	huma.Register(api, tags.get("list-lots", "/lots", "Lots, the newest first"),
		func(ctx context.Context, in *struct {
			Before int64 `query:"before" minimum:"0" doc:"Only lots with a smaller number: the last of the page before"`
			Open   bool  `query:"open" doc:"Only lots that are not applied, those with undecided files first"`
			Limit  int   `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.Lot]], error) {
			if in.Open {
				items, err := s.Store.OpenLots(ctx, in.Limit)
				return pageOf(items, int64(len(items))), problem(err, "lot")
			}
			items, total, err := s.Store.Lots(ctx, in.Before, in.Limit)
			return pageOf(items, total), problem(err, "lot")
		})
	huma.Register(api, tags.get("list-given-up", "/given-up", "Lots that were given up, and can be restored"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.Lot]], error) {
			items, err := s.Store.GivenUp(ctx, shownGivenUp)
			return pageOf(items, int64(len(items))), problem(err, "lot")
		})
	huma.Register(api, tags.do("give-up-lot", "/lots/{id}/give-up", "Hide a lot that is not applied; nothing is deleted"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Receiver.GiveUp(ctx, s.actor(ctx), in.ID), "lot")
		})
	huma.Register(api, tags.do("restore-lot", "/lots/{id}/restore", "Bring a lot back that was given up"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Receiver.Restore(ctx, s.actor(ctx), in.ID), "lot")
		})
	huma.Register(api, tags.do("finish-lot", "/lots/{id}/finish", "End the work on a lot; what is undecided stays undecided"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Planner.Finish(ctx, s.actor(ctx), in.ID), "lot")
		})
	huma.Register(api, tags.do("reopen-lot", "/lots/{id}/reopen", "Open a finished lot again"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Planner.Reopen(ctx, s.actor(ctx), in.ID), "lot")
		})
	huma.Register(api, tags.create("create-lot", "/lots", "Open a lot that waits for uploads"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name    string          `json:"name" minLength:"1" maxLength:"300"`
				Uploads int             `json:"uploads" minimum:"1" maximum:"200000" doc:"How many uploads it is made of"`
				Barcode string          `json:"barcode,omitempty" maxLength:"14" doc:"That its pictures were taken of, as a scanner read it"`
				Target  *catalog.Target `json:"target,omitempty" doc:"That its pictures are put on, without asking again"`
				Shelf   *string         `json:"shelf,omitempty" maxLength:"700" doc:"Folder of the shelf that its pictures are put into"`
			}
		}) (*Body[created], error) {
			made := store.NewLot{Name: in.Body.Name, Origin: "upload", Uploads: in.Body.Uploads}
			if in.Body.Target != nil {
				made.Target = *in.Body.Target
			}
			if in.Body.Shelf != nil {
				folder, err := shelf.Folder(*in.Body.Shelf)
				if err != nil {
					return nil, shelfProblem(err)
				}
				made.Shelf = &folder
			}
			if in.Body.Barcode != "" {
				var err error
				if made.Barcode, err = gtin.Normalise(in.Body.Barcode); err != nil {
					return nil, huma.Error422UnprocessableEntity(in.Body.Barcode + " is not a GTIN: " + err.Error() + ".")
				}
			}
			id, err := s.Receiver.Open(ctx, s.actor(ctx), made)
			return &Body[created]{created{id}}, problem(err, "product")
		})
	huma.Register(api, tags.get("get-lot", "/lots/{id}", "A lot with its counts"),
		func(ctx context.Context, in *ByID) (*Body[store.Lot], error) {
			lot, err := s.Store.Lot(ctx, in.ID)
			return &Body[store.Lot]{lot}, problem(err, "lot")
		})
	huma.Register(api, tags.post("close-lot", "/lots/{id}/close", "Go on with the uploads that have arrived"),
		func(ctx context.Context, in *ByID) (*Body[store.Lot], error) {
			if err := s.Receiver.Close(ctx, s.actor(ctx), in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			lot, err := s.Store.Lot(ctx, in.ID)
			return &Body[store.Lot]{lot}, problem(err, "lot")
		})
	huma.Register(api, tags.get("list-files", "/lots/{id}/files", "A lot's files"),
		func(ctx context.Context, in *struct {
			ByID
			Window
			FilesChosen
			Sort string `query:"sort" enum:"arrival,name,bytes,pixels,shape,type,score"`
			Down bool   `query:"down" doc:"The largest first"`
		}) (*Body[Page[File]], error) {
			filter := in.filter()
			filter.Offset, filter.Limit, filter.Sort, filter.Down = in.Offset, in.Limit, in.Sort, in.Down
			items, total, err := s.Store.Files(ctx, in.ID, filter)
			return pageOf(filesOf(items), total), problem(err, "lot")
		})
	huma.Register(api, tags.get("count-marks", "/lots/{id}/marks", "A lot's files, counted by mark and by type"),
		func(ctx context.Context, in *ByID) (*Body[markCounts], error) {
			marks, err := s.Store.MarkCounts(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "lot")
			}
			types, err := s.Store.TypeCounts(ctx, in.ID)
			return &Body[markCounts]{markCounts{marks, types}}, problem(err, "lot")
		})
	huma.Register(api, tags.post("set-aside", "/lots/{id}/set-aside", "Set the files aside that a filter chooses"),
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
			done, err := s.Decider.SetAside(ctx, s.actor(ctx), in.ID, in.filter(), in.Body.Reason)
			return &Body[store.Together]{done}, problem(err, "lot")
		})
	huma.Register(api, tags.post("take-back-decision", "/decisions/{id}/take-back", "Bring files back as they were before they were "+
		"decided on"),
		func(ctx context.Context, in *ByID) (*Body[takenBack], error) {
			files, stayed, err := s.Decider.TakeBack(ctx, s.actor(ctx), in.ID)
			return &Body[takenBack]{takenBack{files, stayed}}, problem(err, "decision")
		})
	s.rightsOperations(api, tags)
	huma.Register(api, tags.start("pair-lot", "/lots/{id}/pair", "Read the files again that no person has decided on"),
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			if _, err := s.Store.Lot(ctx, in.ID); err != nil {
				return nil, problem(err, "lot")
			}
			id, err := s.Gatherer.Pair(ctx, s.actor(ctx), in.ID)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, tags.create("plan-lot", "/lots/{id}/plan", "Plan what applying the lot would change, with those that it is being "+
		"planned with"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Way plan.Way `json:"way" enum:"after,before,instead,like for like," doc:"Empty for that of its draft, else after"`
			}
		}) (*Body[created], error) {
			id, err := s.Planner.OfLot(ctx, s.actor(ctx), in.ID, in.Body.Way)
			return &Body[created]{created{id}}, problem(err, "lot")
		})
	huma.Register(api, tags.get("preview-target", "/lots/{id}/{kind}/{owner}/preview",
		"What a product with its variants, or a category, shows now, and would show with the lot's files"),
		func(ctx context.Context, in *struct {
			ByID
			ByOwner
		}) (*Body[preview], error) {
			found, err := s.preview(ctx, in.ID, in.owner())
			return &Body[preview]{found}, problem(err, "product")
		})
	huma.Register(api, tags.put("order-pictures", "/lots/{id}/order",
		"Give the pictures of a target the order in which they will stand when the lot is applied"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Target   catalog.Target `json:"target"`
				Pictures []plan.Ref     `json:"pictures" nullable:"false" maxItems:"2000" doc:"In order; none leaves it to the names"`
			}
		}) (*Body[preview], error) {
			if err := s.Decider.Order(ctx, s.actor(ctx), in.ID, in.Body.Target, in.Body.Pictures); err != nil {
				return nil, problem(err, "lot")
			}
			owner, err := store.OwnerOf(ctx, s.Store.Reader(), in.Body.Target)
			if err != nil {
				return nil, problem(err, "product")
			}
			found, err := s.preview(ctx, in.ID, owner)
			return &Body[preview]{found}, problem(err, "product")
		})
}

// ByOwner names a product, with its variants, or a category.
type ByOwner struct {
	Kind  catalog.Kind `path:"kind" enum:"product,category"`
	Owner int64        `path:"owner" minimum:"1"`
}

func (o ByOwner) owner() catalog.Target { return catalog.Target{Kind: o.Kind, ID: o.Owner} }

type takenBack struct {
	Files  []store.Seen `json:"files" nullable:"false" doc:"Those that are as they were, in the versions that they had"`
	Stayed int64        `json:"stayed" doc:"Files that somebody decided on since, which stay as they are"`
}

type changed struct {
	Files int64 `json:"files"`
}

type preview struct {
	Owner    catalog.Target   `json:"owner" doc:"The product, with its variants, or the category"`
	Code     string           `json:"code"`
	Title    string           `json:"title"`
	Named    []store.Named    `json:"named" nullable:"false" doc:"Every target of it: the product, then its variants"`
	Targets  []plannedTarget  `json:"targets" nullable:"false" doc:"Those of them where something stands or will stand"`
	Warnings []plan.Warning   `json:"warnings" nullable:"false"`
	Way      plan.Way         `json:"way" doc:"To place, as it is planned"`
	Lots     []store.PlanLot  `json:"lots" nullable:"false" doc:"Whose files it would show"`
	LeftOut  bool             `json:"leftOut" doc:"A person left it out of the plan"`
	Ordered  []catalog.Target `json:"ordered" nullable:"false" doc:"Targets whose pictures a person put into their order"`
}

func (s *Server) preview(ctx context.Context, lot int64, owner catalog.Target) (p preview, err error) {
	p = preview{Owner: owner, Warnings: []plan.Warning{}, Ordered: []catalog.Target{}}
	if p.Named, err = s.Store.Named(ctx, owner); err != nil {
		return p, err
	}
	p.Code, p.Title = p.Named[0].Code, p.Named[0].Title
	found, err := s.Planner.Preview(ctx, lot, owner)
	if err != nil {
		return p, err
	}
	p.Warnings = append(p.Warnings, found.Warnings...)
	p.Way, p.Lots, p.LeftOut = found.Way, found.Lots, found.LeftOut
	p.Ordered = slices.SortedFunc(maps.Keys(found.Orders), catalog.Target.Compare)
	if p.Ordered == nil {
		p.Ordered = []catalog.Target{}
	}
	p.Targets = shownTargets(p.Named, found.Before, found.After)
	return p, nil
}
