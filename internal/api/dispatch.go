package api

import (
	"context"
	"crypto/rand"
	"errors"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/core/audit"
	"ambrosa/core/dispatch"
	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/core/naming"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/origin"
	"ambrosa/internal/outlet/kinds"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// OutletWanted is an outlet as a person wants it.
type OutletWanted dispatching.Wanted

// outletKind is a kind of outlet, as it is offered.
type outletKind struct {
	Name   string         `json:"name"`
	Label  string         `json:"label"`
	Packed bool           `json:"packed" doc:"Pictures are packed for it, in the stead of being put somewhere"`
	Fields []origin.Field `json:"fields" nullable:"false"`
}

// packageLink is where a package is taken by whoever has it.
type packageLink struct {
	Path string `json:"path" doc:"Behind the address of this Ambrosa; it is told this once"`
}

// rehearsedPicture is a picture as it would go.
type rehearsedPicture struct {
	Product  int64    `json:"product" doc:"0 for a picture of a category"`
	Of       int64    `json:"category" doc:"That shows it; 0 for a picture of a product"`
	Code     string   `json:"code"`
	SKU      string   `json:"sku"`
	Sum      string   `json:"sum"`
	Path     string   `json:"path" doc:"As it came"`
	Name     string   `json:"name" doc:"That it goes under"`
	Problems []string `json:"problems" nullable:"false" doc:"What is wrong with the name: collision, too long, forbidden, reserved, empty"`
	Held     string   `json:"held" doc:"Why it does not go; empty for those that do"`
	ByRights bool     `json:"byRights" doc:"That is for its rights: an exception lets it through"`
	Because  string   `json:"because" doc:"It goes by an exception: who gave it, and the reason"`
	Was      string   `json:"was" doc:"The name that it had there; empty where it is new"`
	Same     bool     `json:"same" doc:"It is there just so"`
	Located  bool     `json:"located" doc:"It goes with where it was taken (GPS)"`
	Serial   bool     `json:"serial" doc:"It goes with the serial number of its camera or lens"`
	Form     string   `json:"form" doc:"The form that it goes in, as far as that is known before it is made"`
}

type rehearsedView struct {
	dispatch.Totals
	Fields   []string           `json:"fields" nullable:"false" doc:"That a template can name"`
	Wrong    string             `json:"wrong" doc:"What is wrong with the template; then nothing is rehearsed"`
	Items    []rehearsedPicture `json:"items" nullable:"false" doc:"Those asked for"`
	Matching int                `json:"matching" doc:"How many there are of those asked for"`
	Massive  bool               `json:"massive" doc:"So much of what stands there is gone that it is to be said that it is meant"`
	Renaming bool               `json:"renaming" doc:"So many pictures get new names there that a person is asked first"`
	Header   []string           `json:"header" nullable:"false" doc:"Of the sheet that goes along, where that is asked for"`
	Rows     [][]string         `json:"rows" nullable:"false" doc:"The first of its rows"`
}

// dispatchProblem words what can go wrong beside the usual.
func dispatchProblem(err error, thing string) error {
	if words, is := dispatching.Wrong(err); is {
		return huma.Error422UnprocessableEntity(words)
	}
	switch {
	case errors.Is(err, dispatching.ErrUnderWay):
		return huma.Error409Conflict("Another dispatch to this outlet is under way. It can be seen among the runs.")
	case errors.Is(err, store.ErrTaken):
		return huma.Error409Conflict("Another outlet has that name.")
	}
	return problem(err, thing)
}

func (s *Server) dispatchOperations(api huma.API) {
	const tags = resource("Dispatch")
	huma.Register(api, tags.get("list-outlets", "/outlets", "Where pictures are handed on to, by name"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.Outlet]], error) {
			items, err := s.Store.Outlets(ctx)
			return pageOf(items, int64(len(items))), problem(err, "outlet")
		})
	huma.Register(api, tags.get("get-outlet", "/outlets/{id}", "One outlet"),
		func(ctx context.Context, in *ByID) (*Body[store.Outlet], error) {
			found, err := s.Store.Outlet(ctx, in.ID)
			return &Body[store.Outlet]{found}, problem(err, "outlet")
		})
	huma.Register(api, tags.get("list-outlet-kinds", "/outlet-kinds", "Kinds of outlets, and what each asks for"),
		func(context.Context, *struct{}) (*Body[Page[outletKind]], error) {
			items := make([]outletKind, len(kinds.All))
			for i, kind := range kinds.All {
				items[i] = outletKind{kind.Name, kind.Label, kind.Packed, orEmpty(kind.Fields)}
			}
			return pageOf(items, int64(len(items))), nil
		})
	huma.Register(api, tags.create("make-outlet", "/outlets", "Make an outlet; one that is connected to is tried first"),
		func(ctx context.Context, in *struct {
			Body struct {
				OutletWanted
				Kind string `json:"kind" maxLength:"40" doc:"As list-outlet-kinds has them"`
			}
		}) (*Body[created], error) {
			id, err := s.Dispatcher.Make(ctx, s.actor(ctx), in.Body.Kind, dispatching.Wanted(in.Body.OutletWanted))
			return &Body[created]{created{id}}, dispatchProblem(err, "outlet")
		})
	huma.Register(api, tags.set("set-outlet", "/outlets/{id}", "Change an outlet, as it was seen"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				OutletWanted
				Version int `json:"version" doc:"Of the outlet as it was seen"`
			}
		}) (*struct{}, error) {
			wanted := dispatching.Wanted(in.Body.OutletWanted)
			err := s.Dispatcher.Change(ctx, s.actor(ctx), in.ID, in.Body.Version, wanted)
			if errors.Is(err, store.ErrChanged) {
				return nil, s.overtaken(ctx, err, "outlet",
					store.RecordFilter{About: audit.Of(identity.Outlet, in.ID), Action: identity.OutletChange})
			}
			return nil, dispatchProblem(err, "outlet")
		})
	huma.Register(api, tags.post("try-outlet", "/outlets/{id}/try", "Connect to an outlet, and tell whether pictures could be put there"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, dispatchProblem(s.Dispatcher.Try(ctx, in.ID), "outlet")
		})
	huma.Register(api, tags.remove("remove-outlet", "/outlets/{id}", "Forget an outlet; its receipts stay"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Dispatcher.Forget(ctx, s.actor(ctx), in.ID), "outlet")
		})
	huma.Register(api, tags.post("rehearse-dispatch", "/outlets/rehearse", "What would go by settings, under which names, and what would not"),
		func(ctx context.Context, in *struct {
			Body struct {
				Settings dispatch.Settings `json:"settings"`
				Outlet   int64             `json:"outlet,omitempty" doc:"What went there before is known; left out for a new one"`
				Only     string            `json:"only,omitempty" enum:"goes,held,rights,excepted,problems,reveals,same,gone,sheet"`
				Offset   int               `json:"offset,omitempty" minimum:"0" maximum:"10000000"`
				Limit    int               `json:"limit,omitempty" minimum:"0" maximum:"500"`
			}
		}) (*Body[rehearsedView], error) {
			r, err := s.Dispatcher.Rehearse(ctx, in.Body.Outlet, in.Body.Settings)
			view := rehearsedView{Totals: r.Totals, Massive: r.Massive, Renaming: r.Renaming, Fields: naming.Fields(), Items: []rehearsedPicture{},
				Header: []string{}, Rows: [][]string{}}
			if words, is := dispatching.Wrong(err); is {
				view.Wrong, view.Problems = words, map[string]int{}
				return &Body[rehearsedView]{view}, nil
			}
			switch in.Body.Only {
			case "gone":
				view.listGone(r.Gone, in.Body.Offset, in.Body.Limit)
			case "sheet":
				err := view.listRows(ctx, r.Outcomes, r.Settings, in.Body.Limit)
				if words, is := dispatching.Wrong(err); is {
					view.Wrong, view.Rows = words, [][]string{}
				} else if err != nil {
					return nil, problem(err, "outlet")
				}
			default:
				view.list(r.Outcomes, r.Settings, in.Body.Only, in.Body.Offset, in.Body.Limit)
			}
			return &Body[rehearsedView]{view}, problem(err, "outlet")
		})
	huma.Register(api, tags.start("dispatch", "/outlets/{id}/dispatch", "Hand on what an outlet wants"),
		func(ctx context.Context, in *struct {
			ByID
			Body dispatching.Going
		}) (*Body[created], error) {
			id, err := s.Dispatcher.Dispatch(ctx, s.actor(ctx), in.ID, in.Body)
			return &Body[created]{created{id}}, dispatchProblem(err, "outlet")
		})
	huma.Register(api, tags.get("list-dispatches", "/dispatches", "What was handed on, the newest first"),
		func(ctx context.Context, in *struct {
			Outlet int64 `query:"outlet" doc:"Only to this one"`
			Limit  int   `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.Dispatch]], error) {
			items, err := s.Store.Dispatches(ctx, in.Outlet, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "dispatch")
		})
	huma.Register(api, tags.post("give-package-link", "/dispatches/{id}/link", "Give out a link to a package, in the stead of one before"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Days int `json:"days" minimum:"1" maximum:"30" doc:"How long it leads there"`
			}
		}) (*Body[packageLink], error) {
			token := rand.Text()
			err := s.Dispatcher.GiveLink(ctx, s.actor(ctx), in.ID, token, in.Body.Days)
			return &Body[packageLink]{packageLink{"/packages/" + token}}, problem(err, "package")
		})
	huma.Register(api, tags.remove("end-package-link", "/dispatches/{id}/link", "End the link to a package"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Dispatcher.EndLink(ctx, s.actor(ctx), in.ID), "link")
		})
	huma.Register(api, tags.get("list-handed-on", "/handed-on", "What of a product, or of a file, went to outlets, the newest first"),
		func(ctx context.Context, in *struct {
			Product int64 `query:"product" doc:"One of the two"`
			File    int64 `query:"file"`
			Limit   int   `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.HandedOn]], error) {
			items, err := s.Store.HandedOn(ctx, in.Product, in.File, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "dispatch")
		})
	huma.Register(api, tags.get("list-dispatched", "/dispatches/{id}/pictures", "Pictures of a dispatch, by product: a receipt"),
		func(ctx context.Context, in *struct {
			ByID
			Query  string `query:"query" maxLength:"200" doc:"Part of a name, there or as it came, a SKU, or a product's code or title"`
			Only   string `query:"only" enum:"went,held,removed" doc:"What became of them; left out for all"`
			Behind int    `query:"behind" minimum:"0" doc:"Behind this one, by number"`
			Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"200"`
		}) (*Body[Page[store.DispatchedPicture]], error) {
			if _, err := s.Store.Dispatch(ctx, in.ID); err != nil {
				return nil, problem(err, "dispatch")
			}
			filter := store.ReceiptFilter{Query: in.Query, Only: in.Only}
			total, err := s.Store.CountDispatched(ctx, in.ID, filter)
			if err != nil {
				return nil, problem(err, "dispatch")
			}
			items, err := s.Store.DispatchedPictures(ctx, in.ID, filter, in.Behind, in.Limit)
			return pageOf(items, total), problem(err, "dispatch")
		})
}

// list puts some of the outcomes into the view.
func (v *rehearsedView) list(outcomes []dispatch.Outcome, s dispatch.Settings, only string, offset, limit int) {
	asked := map[string]func(o dispatch.Outcome) bool{
		"":         func(dispatch.Outcome) bool { return true },
		"goes":     func(o dispatch.Outcome) bool { return o.Goes(s) },
		"held":     func(o dispatch.Outcome) bool { return o.Held != "" },
		"rights":   func(o dispatch.Outcome) bool { return o.ByRights },
		"excepted": func(o dispatch.Outcome) bool { return o.Because != "" && o.Goes(s) },
		"problems": func(o dispatch.Outcome) bool { return len(o.Problems) > 0 },
		"reveals":  func(o dispatch.Outcome) bool { return (o.Located || o.Serial) && o.Goes(s) },
		"same":     func(o dispatch.Outcome) bool { return o.Same },
	}[only]
	for _, o := range outcomes {
		if !asked(o) {
			continue
		}
		if v.Matching >= offset && len(v.Items) < limit {
			v.Items = append(v.Items, rehearsedPicture{Product: o.Product, Of: o.Of, Code: o.Code, SKU: o.SKU, Sum: o.Sum,
				Path: o.Picture.Name, Name: o.Name, Problems: orEmpty(o.Problems), Held: o.Held, ByRights: o.ByRights,
				Because: o.Because, Was: o.Was, Same: o.Same, Located: o.Located, Serial: o.Serial, Form: o.Form})
		}
		v.Matching++
	}
}

// The bounds of a preview of a sheet: characters of a cell, and bytes of all.
const (
	previewCell = 300
	previewAll  = 1 << 20
)

// listRows puts the first rows of the sheet that goes along into the view: those asked for, as far as
// they fit.
func (v *rehearsedView) listRows(ctx context.Context, outcomes []dispatch.Outcome, s dispatch.Settings, limit int) error {
	table, err := s.Sheet.Table()
	if err != nil {
		return err
	}
	rows, err := table.Rows(outcomes)
	if err != nil {
		return err
	}
	v.Header, v.Matching = orEmpty(rows.Header), rows.Count
	for size := 0; len(v.Rows) < limit && size < previewAll; {
		if err := ctx.Err(); err != nil {
			return err
		}
		row, more, err := rows.Next()
		if err != nil || !more {
			return err
		}
		for i, cell := range row.Cells {
			row.Cells[i] = legible.Short(cell, previewCell)
			size += len(row.Cells[i]) + 4
		}
		v.Rows = append(v.Rows, orEmpty(row.Cells))
	}
	return nil
}

// listGone puts some of what stands there and is not wanted any more into the view.
func (v *rehearsedView) listGone(gone []dispatch.Sent, offset, limit int) {
	v.Matching = len(gone)
	for _, g := range gone[min(offset, len(gone)):min(offset+limit, len(gone))] {
		v.Items = append(v.Items, rehearsedPicture{Product: g.Product, Of: g.Category, Code: g.Code, SKU: g.SKU, Sum: g.Sum,
			Name: g.Name, Problems: []string{}})
	}
}

// dispatchedColumns are those of a dispatch's receipt.
var dispatchedColumns = []sheetfile.Column[store.DispatchedPicture]{
	{Title: "name there", Of: func(p store.DispatchedPicture) any { return p.Name }},
	{Title: "name before", Of: func(p store.DispatchedPicture) any { return p.Was }},
	{Title: "held back", Of: func(p store.DispatchedPicture) any { return p.Held }},
	{Title: "SKU", Of: func(p store.DispatchedPicture) any { return p.SKU }},
	{Title: "product", Of: func(p store.DispatchedPicture) any { return p.Code }},
	{Title: "place", Of: func(p store.DispatchedPicture) any { return p.Place }},
	{Title: "view", Of: func(p store.DispatchedPicture) any { return p.View }},
	{Title: "alternative text", Of: func(p store.DispatchedPicture) any { return p.Alt }},
	{Title: "as it came", Of: func(p store.DispatchedPicture) any { return p.Path }},
	{Title: "sha256", Of: func(p store.DispatchedPicture) any { return p.Sum }},
	{Title: "bytes", Of: func(p store.DispatchedPicture) any { return p.Bytes }},
	{Title: "form", Of: func(p store.DispatchedPicture) any { return p.Form }},
	{Title: "sha256 there", Of: func(p store.DispatchedPicture) any { return p.Sent }},
	{Title: "bytes there", Of: func(p store.DispatchedPicture) any { return p.SentBytes }},
	{Title: "at", Of: func(p store.DispatchedPicture) any { return moment(p.SentAt) }},
	{Title: "removed", Of: func(p store.DispatchedPicture) any { return map[bool]string{true: "removed"}[p.Removed] }},
	{Title: "answer", Of: func(p store.DispatchedPicture) any { return p.Answer }},
	{Title: "let through", Of: func(p store.DispatchedPicture) any { return p.Exception }},
}

// moment is a time as receipts have it (RFC 3339, UTC); empty for none.
func moment(at *time.Time) string {
	if at == nil {
		return ""
	}
	return at.UTC().Format(time.RFC3339)
}

// exportDispatch writes the receipt of a dispatch as CSV.
func (s *Server) exportDispatch(c fiber.Ctx) error {
	id := fiber.Params[int64](c, "id")
	found, err := s.Store.Dispatch(c.Context(), id)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such dispatch.")
	}
	return s.download(c, found.Outlet+" receipt "+strconv.FormatInt(id, 10), table, func(ctx context.Context, out io.Writer, _ export) error {
		behind := 0
		return sheetfile.WriteCSV(out, dispatchedColumns, paged(func() ([]store.DispatchedPicture, error) {
			page, err := s.Store.DispatchedPictures(ctx, id, store.ReceiptFilter{}, behind, exportPage)
			if len(page) > 0 {
				behind = page[len(page)-1].N
			}
			return page, err
		}))
	})
}
