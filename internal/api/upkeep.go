package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/internal/gathering"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
	"ambrosa/internal/upkeeping"
)

// FindingsChosen chooses findings by what is known of them.
type FindingsChosen struct {
	Kind   string    `query:"kind" json:"kind,omitempty" enum:"orphans,twice,alike,broken,below,lying"`
	Reason string    `query:"reason" json:"reason,omitempty" maxLength:"40"`
	Lot    int64     `query:"lot" json:"lot,omitempty"`
	Origin int64     `query:"origin" json:"origin,omitempty"`
	Group  int64     `query:"group" json:"group,omitempty" doc:"Of findings that belong together"`
	Query  string    `query:"q" json:"q,omitempty" maxLength:"200" doc:"Part of the path"`
	Fresh  bool      `query:"fresh" json:"fresh,omitempty" doc:"Only those that the last sweep found first"`
	Before time.Time `query:"before" json:"before,omitempty" doc:"Only those whose reason came about before"`
}

func (f FindingsChosen) filter() store.FindingFilter {
	return store.FindingFilter{Kind: f.Kind, Reason: f.Reason, Lot: f.Lot, Origin: f.Origin, Group: f.Group,
		Query: f.Query, Fresh: f.Fresh, Before: f.Before}
}

// FindingsWanted chooses findings by number, or by what they are.
type FindingsWanted struct {
	IDs   []int64         `json:"ids,omitempty" maxItems:"100000" doc:"Findings by number"`
	Where *FindingsChosen `json:"where,omitempty" doc:"Or all that are so"`
}

func (f FindingsWanted) filter() (q store.FindingFilter, err error) {
	if (len(f.IDs) > 0) == (f.Where != nil) {
		return q, huma.Error422UnprocessableEntity("Choose findings by their numbers, or by what they are.")
	}
	if f.Where != nil {
		return f.Where.filter(), nil
	}
	return store.FindingFilter{IDs: f.IDs}, nil
}

type findingPage struct {
	Items []store.SweepFinding `json:"items" nullable:"false"`
	Total int64                `json:"total"`
	Bytes int64                `json:"bytes" doc:"Of all of them"`
}

type upkeepView struct {
	Settings store.Upkeep         `json:"settings"`
	Groups   []store.FindingGroup `json:"groups" nullable:"false" doc:"Findings by kind and reason"`
	Sweeps   []store.Sweep        `json:"sweeps" nullable:"false" doc:"The newest first"`
	Waiting  store.OrphansWaiting `json:"waiting"`
}

type spaceView struct {
	upkeeping.Space
	store.Beside
}

type fileHistory struct {
	Needs []store.Reference `json:"needs" nullable:"false" doc:"Who needs it now"`
	Stood []store.Stood     `json:"stood" nullable:"false" doc:"Where it stood, the newest first"`
}

type filesCounted struct {
	Files int64 `json:"files"`
}

// upkeepProblem words what can go wrong beside the usual.
func upkeepProblem(err error, thing string) error {
	var over upkeeping.Over
	switch {
	case errors.Is(err, upkeeping.ErrUnderWay):
		return huma.Error409Conflict("Another one is under way. It can be seen among the runs.")
	case errors.Is(err, upkeeping.ErrNothingToMerge):
		return huma.Error409Conflict("Nothing that stands would be led to another: of each group, the one that stays stands alone.")
	case errors.Is(err, upkeeping.ErrStands):
		return huma.Error409Conflict("It stands there already.")
	case errors.As(err, &over):
		return huma.Error409Conflict(fmt.Sprintf("%d of %d files would go: more than the %d percent that go without being asked again.",
			over.Files, over.All, over.Share))
	}
	return problem(err, thing)
}

func (s *Server) upkeepOperations(api huma.API) {
	const tags = resource("Upkeep")
	huma.Register(api, tags.get("get-upkeep", "/upkeep", "What was found, what is held, and how upkeep goes"),
		func(ctx context.Context, _ *struct{}) (*Body[upkeepView], error) {
			view, err := s.upkeep(ctx)
			return &Body[upkeepView]{view}, problem(err, "upkeep")
		})
	huma.Register(api, tags.set("set-upkeep", "/upkeep", "Say how upkeep goes"),
		func(ctx context.Context, in *struct{ Body store.Upkeep }) (*struct{}, error) {
			err := s.Upkeeper.Set(ctx, s.actor(ctx), in.Body)
			return nil, s.overtaken(ctx, err, "upkeep settings", store.RecordFilter{Action: identity.UpkeepSet})
		})
	huma.Register(api, tags.start("sweep", "/sweeps",
		"Look for what nothing needs, is there twice, looks alike, is broken, is below the rule or lies"),
		func(ctx context.Context, in *struct {
			Body struct {
				Kinds []string `json:"kinds" nullable:"false" minItems:"1" maxItems:"6" enum:"orphans,twice,alike,broken,below,lying"`
			}
		}) (*Body[created], error) {
			id, err := s.Upkeeper.Sweep(ctx, s.actor(ctx), in.Body.Kinds)
			return &Body[created]{created{id}}, upkeepProblem(err, "sweep")
		})
	huma.Register(api, tags.get("get-space", "/space", "What the parts of the library take"),
		func(ctx context.Context, in *struct {
			By string `query:"by" enum:"origin,lot,month,kind" default:"origin"`
		}) (*Body[spaceView], error) {
			found, err := s.Upkeeper.Space(ctx, in.By)
			if err != nil {
				return nil, problem(err, "space")
			}
			found.Items = orEmpty(found.Items)
			beside, err := s.Store.Beside(ctx)
			return &Body[spaceView]{spaceView{found, beside}}, problem(err, "space")
		})
	s.findingOperations(api)
	s.remedyOperations(api)
	s.pinOperations(api)
	s.holdingOperations(api)
	s.storeOperations(api)
}

func (s *Server) findingOperations(api huma.API) {
	const tags = resource("Upkeep")
	huma.Register(api, tags.get("list-findings", "/findings", "What sweeps found, with its bytes"),
		func(ctx context.Context, in *struct {
			FindingsChosen
			By     string `query:"by" enum:"bytes,since,path,reason"`
			Offset int    `query:"offset" minimum:"0" maximum:"10000000"`
			Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[findingPage], error) {
			q := in.filter()
			items, err := s.Store.Findings(ctx, q, in.By, in.Offset, in.Limit)
			if err != nil {
				return nil, problem(err, "finding")
			}
			total, bytes, err := s.Store.CountFindings(ctx, q)
			return &Body[findingPage]{findingPage{orEmpty(items), total, bytes}}, problem(err, "finding")
		})
	huma.Register(api, tags.post("sum-findings", "/findings/sum", "How many bytes chosen findings have, and would free together"),
		func(ctx context.Context, in *struct{ Body FindingsWanted }) (*Body[store.Sums], error) {
			q, err := in.Body.filter()
			if err != nil {
				return nil, err
			}
			sums, err := s.Store.SumOf(ctx, q)
			return &Body[store.Sums]{sums}, problem(err, "finding")
		})
	huma.Register(api, tags.post("hold-findings", "/findings/hold", "Hold files that nothing needs: out of the way, and whole, for a term"),
		func(ctx context.Context, in *struct {
			Body struct {
				FindingsWanted
				Days    int    `json:"days,omitempty" minimum:"0" maximum:"3650" doc:"0 for the usual term"`
				Because string `json:"because,omitempty" maxLength:"500"`
			}
		}) (*Body[store.HeldNow], error) {
			q, err := in.Body.filter()
			if err != nil {
				return nil, err
			}
			held, err := s.Upkeeper.Hold(ctx, s.actor(ctx), q, in.Body.Days, in.Body.Because)
			if errors.Is(err, store.ErrNotFound) {
				err = huma.Error409Conflict("Nothing of it can be held any more: it is needed by now, or held.")
			}
			return &Body[store.HeldNow]{held}, upkeepProblem(err, "finding")
		})
	huma.Register(api, tags.get("get-file-history", "/files/{id}/history", "Who needs a file, and where it ever stood"),
		func(ctx context.Context, in *ByID) (*Body[fileHistory], error) {
			needs, err := s.Store.References(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "file")
			}
			stood, err := s.Store.WhereStood(ctx, in.ID)
			return &Body[fileHistory]{fileHistory{orEmpty(needs), orEmpty(stood)}}, problem(err, "file")
		})
}

// remedyOperations are what plans do about findings.
func (s *Server) remedyOperations(api huma.API) {
	const tags = resource("Upkeep")
	huma.Register(api, tags.post("merge-findings", "/findings/merge",
		"Plan that of files that are, or look, the same one stays, and has the places of the others"),
		func(ctx context.Context, in *struct {
			Body struct {
				FindingsWanted
				Kind string  `json:"kind" enum:"twice,alike" doc:"Of the findings"`
				Keep []int64 `json:"keep,omitempty" maxItems:"1000" doc:"Files that stay; left out for the one that most show, of each group"`
			}
		}) (*Body[created], error) {
			q, err := in.Body.filter()
			if err != nil {
				return nil, err
			}
			q.Kind = in.Body.Kind
			id, err := s.Upkeeper.Merge(ctx, s.actor(ctx), q, in.Body.Keep)
			return &Body[created]{created{id}}, upkeepProblem(err, "finding")
		})
	huma.Register(api, tags.post("put-file-back", "/files/{id}/put-back", "Plan that a file stands again where it was replaced"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				On      catalog.Target `json:"on" doc:"The product or category that it stood on"`
				Instead int64          `json:"instead" doc:"The file that stands there now; 0, or one that is gone, puts it behind all others"`
			}
		}) (*Body[created], error) {
			id, err := s.Upkeeper.PutBack(ctx, s.actor(ctx), in.ID, in.Body.Instead, in.Body.On)
			return &Body[created]{created{id}}, upkeepProblem(err, "file or product")
		})
}

func (s *Server) pinOperations(api huma.API) {
	const tags = resource("Upkeep")
	huma.Register(api, tags.post("pin-files", "/pins", "Keep files, because a person says so"),
		func(ctx context.Context, in *struct {
			Body struct {
				Files   []int64 `json:"files" nullable:"false" minItems:"1" maxItems:"100000"`
				Because string  `json:"because" minLength:"1" maxLength:"500"`
			}
		}) (*Body[filesCounted], error) {
			n, err := s.Upkeeper.Pin(ctx, s.actor(ctx), in.Body.Files, in.Body.Because)
			return &Body[filesCounted]{filesCounted{n}}, upkeepProblem(err, "file")
		})
	huma.Register(api, tags.get("list-pins", "/pins", "Files that are kept because a person says so, the newest first"),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"500"`
		}) (*Body[Page[store.Pinned]], error) {
			items, err := s.Store.Pins(ctx, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "pin")
		})
	huma.Register(api, tags.post("unpin-files", "/pins/remove", "Let files be judged like all others again"),
		func(ctx context.Context, in *struct {
			Body struct {
				Files []int64 `json:"files" nullable:"false" minItems:"1" maxItems:"100000"`
			}
		}) (*Body[filesCounted], error) {
			n, err := s.Upkeeper.Unpin(ctx, s.actor(ctx), in.Body.Files)
			return &Body[filesCounted]{filesCounted{n}}, upkeepProblem(err, "file")
		})
}

type storeView struct {
	store.StoreCheck
	Strays     []store.Stray `json:"strays" nullable:"false" doc:"Objects that no row names, the first of them"`
	StrayCount int64         `json:"strayCount"`
	StrayBytes int64         `json:"strayBytes"`
}

// storeOperations are of the objects, whatever files they are of.
func (s *Server) storeOperations(api huma.API) {
	const tags = resource("Upkeep")
	huma.Register(api, tags.get("check-store", "/store", "What is stored, how far it was read, and what no row names"),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"1000" default:"200"`
		}) (*Body[storeView], error) {
			check, err := s.Store.StoreCheck(ctx)
			if err != nil {
				return nil, problem(err, "store")
			}
			strays, all, bytes, err := s.Store.Strays(ctx, in.Limit)
			return &Body[storeView]{storeView{check, orEmpty(strays), all, bytes}}, problem(err, "store")
		})
	huma.Register(api, tags.post("drop-strays", "/store/drop", "Drop objects that no row names"),
		func(ctx context.Context, in *struct {
			Body struct {
				Keys []string `json:"keys" nullable:"false" minItems:"1" maxItems:"1000" doc:"Where they lie"`
			}
		}) (*Body[straysDropped], error) {
			receipt, n, err := s.Upkeeper.DropStrays(ctx, s.actor(ctx), in.Body.Keys)
			return &Body[straysDropped]{straysDropped{n, receipt}}, upkeepProblem(err, "stray object")
		})
	huma.Register(api, tags.create("take-strays-in", "/store/take-in", "Make a lot of objects that no row names"),
		func(ctx context.Context, in *struct{ Body straysTaken }) (*Body[created], error) {
			lot, err := s.Gatherer.TakeStraysIn(ctx, s.actor(ctx), in.Body.Keys)
			if errors.Is(err, gathering.ErrStrayDamaged) {
				return nil, huma.Error422UnprocessableEntity("The bytes of these objects are not those that their names tell: they are damaged. " +
					"They stay where they are.")
			}
			return &Body[created]{created{lot}}, upkeepProblem(err, "stray object")
		})
}

type straysTaken struct {
	Keys []string `json:"keys" nullable:"false" minItems:"1" maxItems:"1000" doc:"Where they lie"`
}

type straysDropped struct {
	Dropped int64 `json:"dropped" doc:"The others are named by a row by now, or gone"`
	Receipt int64 `json:"receipt"`
}

func (s *Server) holdingOperations(api huma.API) {
	const tags = resource("Upkeep")
	huma.Register(api, tags.get("list-holdings", "/holdings", "Files that are held, as they were held together, the first to end first"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.Holding]], error) {
			items, err := s.Store.Holdings(ctx)
			return pageOf(items, int64(len(items))), problem(err, "holding")
		})
	huma.Register(api, tags.get("list-held", "/holdings/{id}/files", "Files of a holding"),
		func(ctx context.Context, in *struct {
			ByID
			Offset int `query:"offset" minimum:"0" maximum:"10000000"`
			Limit  int `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.HeldFile]], error) {
			holding, err := s.Store.Holding(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "holding")
			}
			items, err := s.Store.HeldFiles(ctx, in.ID, in.Offset, in.Limit)
			return pageOf(items, holding.Held), problem(err, "holding")
		})
	huma.Register(api, tags.post("restore-held", "/holdings/{id}/restore", "Give held files back to what they were: all of them, or some"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Files []int64 `json:"files,omitempty" maxItems:"100000" doc:"Left out for all of them"`
			}
		}) (*Body[filesCounted], error) {
			n, err := s.Upkeeper.Restore(ctx, s.actor(ctx), in.ID, in.Body.Files)
			return &Body[filesCounted]{filesCounted{n}}, upkeepProblem(err, "held file")
		})
	huma.Register(api, tags.start("purge", "/purges", "Have held files go, and free their space"),
		func(ctx context.Context, in *struct {
			Body struct {
				Holdings []int64 `json:"holdings" nullable:"false" maxItems:"500" doc:"Before their term; with none, all that is past its term"`
				Files    int64   `json:"files" minimum:"1" doc:"How many the person saw that would go"`
				Much     bool    `json:"much,omitempty" doc:"Also where that is more than the set share of the library"`
			}
		}) (*Body[created], error) {
			id, err := s.Upkeeper.Purge(ctx, s.actor(ctx), in.Body.Holdings, in.Body.Files, in.Body.Much)
			if errors.Is(err, store.ErrChanged) {
				err = huma.Error409Conflict("Other files are held by now than those that you saw. Look again.")
			}
			return &Body[created]{created{id}}, upkeepProblem(err, "held file")
		})
	huma.Register(api, tags.get("list-receipts", "/receipts", "What purges did, the newest first"),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.Receipt]], error) {
			items, err := s.Store.Receipts(ctx, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "receipt")
		})
	huma.Register(api, tags.get("list-purged", "/receipts/{id}/files", "Files that a purge had go"),
		func(ctx context.Context, in *struct {
			ByID
			Behind int64 `query:"behind" minimum:"0" doc:"Behind this file, by number"`
			Limit  int   `query:"limit" minimum:"1" maximum:"500" default:"200"`
		}) (*Body[Page[store.PurgedFile]], error) {
			receipt, err := s.Store.Receipt(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "receipt")
			}
			items, err := s.Store.PurgedFiles(ctx, in.ID, in.Behind, in.Limit)
			return pageOf(items, receipt.Files), problem(err, "receipt")
		})
}

func (s *Server) upkeep(ctx context.Context) (view upkeepView, err error) {
	if view.Settings, err = s.Store.Upkeep(ctx); err != nil {
		return view, err
	}
	if view.Waiting, err = s.Store.OrphansWaiting(ctx); err != nil {
		return view, err
	}
	groups, err := s.Store.FindingGroups(ctx)
	if err != nil {
		return view, err
	}
	sweeps, err := s.Store.Sweeps(ctx, 10)
	view.Groups, view.Sweeps = orEmpty(groups), orEmpty(sweeps)
	return view, err
}

// orEmpty makes an empty list of nothing.
func orEmpty[T any](items []T) []T {
	if items == nil {
		return []T{}
	}
	return items
}

// purgedColumns are those of a purge's receipt.
var purgedColumns = []sheetfile.Column[store.PurgedFile]{
	{Title: "file", Of: func(f store.PurgedFile) any { return f.File }},
	{Title: "path", Of: func(f store.PurgedFile) any { return f.Path }},
	{Title: "lot", Of: func(f store.PurgedFile) any { return f.Lot }},
	{Title: "sha256", Of: func(f store.PurgedFile) any { return f.Sum }},
	{Title: "bytes", Of: func(f store.PurgedFile) any { return f.Bytes }},
	{Title: "freed", Of: func(f store.PurgedFile) any { return f.Freed }},
	{Title: "reason", Of: func(f store.PurgedFile) any { return f.Reason }},
	{Title: "held by", Of: func(f store.PurgedFile) any { return f.HeldBy }},
	{Title: "held at", Of: func(f store.PurgedFile) any { return f.HeldAt.UTC().Format(time.RFC3339) }},
	{Title: "because", Of: func(f store.PurgedFile) any { return f.Because }},
}

// exportReceipt writes a receipt as CSV.
func (s *Server) exportReceipt(c fiber.Ctx) error {
	id := fiber.Params[int64](c, "id")
	if _, err := s.Store.Receipt(c.Context(), id); err != nil {
		return fiber.NewError(404, "There is no such receipt.")
	}
	return s.download(c, "receipt "+strconv.FormatInt(id, 10), table, func(ctx context.Context, out io.Writer, _ export) error {
		behind := int64(0)
		return sheetfile.WriteCSV(out, purgedColumns, paged(func() ([]store.PurgedFile, error) {
			page, err := s.Store.PurgedFiles(ctx, id, behind, exportPage)
			if len(page) > 0 {
				behind = page[len(page)-1].File
			}
			return page, err
		}))
	})
}

// paged gives what pages have, one after the other; an empty page is the last.
func paged[T any](next func() ([]T, error)) func() (T, bool, error) {
	var page []T
	return func() (one T, more bool, err error) {
		if len(page) == 0 {
			if page, err = next(); err != nil || len(page) == 0 {
				return one, false, err
			}
		}
		one, page = page[0], page[1:]
		return one, true, nil
	}
}
