package api

import (
	"context"
	"errors"
	"io"
	"os"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/legible"
	"ambrosa/core/sheet"
	"ambrosa/internal/gathering"
	"ambrosa/internal/importing"
	"ambrosa/internal/store"
)

// maxSheet bounds a spreadsheet that is brought, bytes.
const maxSheet = 1 << 30

// maxSheetName bounds its name, bytes.
const maxSheetName = 200

type bringInput struct {
	streamedBody
	Name string `query:"name" minLength:"1" maxLength:"1000" doc:"Of the file"`
}

type sheetPage struct {
	store.Sheet
	Imports []store.Import   `json:"imports" nullable:"false" doc:"The newest first"`
	ToPlan  []int64          `json:"toPlan" nullable:"false" doc:"Open lots in which it paired pictures"`
	Lots    []store.SheetLot `json:"lots" nullable:"false" doc:"That it came with, or that were fetched for it, the newest first"`
}

type mappingChange struct {
	Revision int           `json:"revision" minimum:"1" doc:"Of the sheet as the person saw it"`
	Mapping  sheet.Mapping `json:"mapping"`
	Choices  sheet.Choices `json:"choices"`
}

type rowEdits struct {
	Was   []sheet.CellEdit `json:"was" nullable:"false" maxItems:"2000" doc:"What had been done to the row as the person saw it"`
	Edits []sheet.CellEdit `json:"edits" nullable:"false" maxItems:"2000" doc:"All that is done to it from now on"`
}

type mended struct {
	Rows int `json:"rows" doc:"In which a cell was mended"`
}

// retiring is which variants are retired that a sheet does not name.
type retiring struct {
	Variants []int64 `json:"variants" nullable:"false" minItems:"1" maxItems:"5000" doc:"As list-gone gave them"`
}

type columnEffects struct {
	Column  int            `json:"column" doc:"From 0"`
	Effects []sheet.Effect `json:"effects" nullable:"false"`
}

func (s *Server) sheetOperations(api huma.API) {
	const tags = resource("Sheets")
	bring := tags.create("bring-sheet", "/sheets", "Bring a spreadsheet, to be read and rehearsed")
	bring.MaxBodyBytes, bring.BodyReadTimeout = -1, -1 // it streams
	bring.RequestBody = &huma.RequestBody{Required: true,
		Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: "string", Format: "binary"}}}}
	huma.Register(api, bring, func(ctx context.Context, in *bringInput) (*Body[created], error) {
		id, err := s.bringSheet(ctx, in.Name, in.body)
		return &Body[created]{created{id}}, err
	})
	huma.Register(api, tags.get("list-sheets", "/sheets", "Sheets that came, the newest first"),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*Body[Page[store.Sheet]], error) {
			items, err := s.Store.Sheets(ctx, in.Limit)
			return pageOf(items, int64(len(items))), problem(err, "sheet")
		})
	huma.Register(api, tags.get("get-sheet", "/sheets/{id}", "A sheet with its mapping, and what its rehearsal found"),
		func(ctx context.Context, in *ByID) (*Body[sheetPage], error) {
			page, err := s.sheet(ctx, in.ID)
			return &Body[sheetPage]{page}, err
		})
	huma.Register(api, tags.do("read-sheet-again", "/sheets/{id}/read", "Read another worksheet, or take another row for the header"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Worksheet string `json:"worksheet" maxLength:"100"`
				Header    int    `json:"header" minimum:"0" doc:"Row of the header; 0 for the one that is found"`
			}
		}) (*struct{}, error) {
			return nil, sheetProblem(s.Importer.ReadAgain(ctx, s.actor(ctx), in.ID, in.Body.Worksheet, in.Body.Header))
		})
	huma.Register(api, tags.put("map-sheet", "/sheets/{id}/mapping", "Say what a sheet's columns mean, and what an import shall do"),
		func(ctx context.Context, in *struct {
			ByID
			Body mappingChange
		}) (*Body[sheetPage], error) {
			err := s.Importer.Map(ctx, s.actor(ctx), in.ID, in.Body.Revision, in.Body.Mapping, in.Body.Choices)
			if err != nil {
				return nil, sheetProblem(err)
			}
			page, err := s.sheet(ctx, in.ID)
			return &Body[sheetPage]{page}, err
		})
	huma.Register(api, tags.post("try-column", "/sheets/{id}/columns", "What columns hold, and what steps make of that"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Columns []sheet.Column `json:"columns" nullable:"false" maxItems:"20000"`
			}
		}) (*Body[Page[columnEffects]], error) {
			items, err := s.effects(ctx, in.ID, in.Body.Columns)
			return pageOf(items, int64(len(items))), err
		})
	huma.Register(api, tags.do("keep-mapping", "/sheets/{id}/keep", "Keep a sheet's mapping by name, for sheets with the same headers"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Name string `json:"name" minLength:"1" maxLength:"200"`
			}
		}) (*struct{}, error) {
			return nil, problem(s.Importer.Keep(ctx, s.actor(ctx), in.ID, in.Body.Name), "sheet")
		})
	huma.Register(api, tags.get("list-mappings", "/mappings", "Mappings that were kept by name"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.KeptMapping]], error) {
			items, err := s.Store.KeptMappings(ctx)
			return pageOf(items, int64(len(items))), problem(err, "mapping")
		})
	huma.Register(api, tags.do("give-up-sheet", "/sheets/{id}/give-up", "Hide a sheet; what it imported stays"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Importer.Discard(ctx, s.actor(ctx), in.ID), "sheet")
		})
	huma.Register(api, tags.do("restore-sheet", "/sheets/{id}/restore", "Bring a sheet back that was given up"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Importer.Restore(ctx, s.actor(ctx), in.ID), "sheet")
		})
	s.rehearsalOperations(api, tags)
}

func (s *Server) rehearsalOperations(api huma.API, tags resource) {
	huma.Register(api, tags.do("rehearse-sheet", "/sheets/{id}/rehearse", "Judge every row again, as the catalog is now"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Importer.Rehearse(ctx, s.actor(ctx), in.ID), "sheet")
		})
	huma.Register(api, tags.get("list-sheet-rows", "/sheets/{id}/rows", "Rows of a sheet as they were judged"),
		func(ctx context.Context, in *struct {
			ByID
			Window
			Verdict string       `query:"verdict" enum:"make,change,same,refused,skipped"`
			Column  int          `query:"column" minimum:"-2" default:"-2" doc:"With a cell of this column in question; -2 for any"`
			Kind    sheet.Matter `query:"judgement" maxLength:"40" doc:"With which this is the matter"`
			Query   string       `query:"q" maxLength:"200" doc:"Part of a cell"`
		}) (*Body[Page[importing.JudgedRow]], error) {
			f := store.RowFilter{Verdict: in.Verdict, Kind: in.Kind, Query: in.Query, Offset: in.Offset, Limit: in.Limit}
			if in.Column > -2 {
				f.Column = &in.Column
			}
			items, total, err := s.Importer.Rows(ctx, in.ID, f)
			return pageOf(items, total), problem(err, "sheet")
		})
	huma.Register(api, tags.put("edit-sheet-row", "/sheets/{id}/rows/{row}", "Change cells of a row in place; the file stays as it came"),
		func(ctx context.Context, in *struct {
			ByID
			Row  int `path:"row" minimum:"1"`
			Body rowEdits
		}) (*Body[importing.JudgedRow], error) {
			row, err := s.Importer.Edit(ctx, s.actor(ctx), in.ID, in.Row, in.Body.Was, in.Body.Edits)
			return &Body[importing.JudgedRow]{row}, sheetProblem(err)
		})
	huma.Register(api, tags.post("mend-sheet", "/sheets/{id}/remedies",
		"Do what the remedies say for all cells with which the same is the matter"),
		func(ctx context.Context, in *struct {
			ByID
			Body struct {
				Revision int          `json:"revision" minimum:"1" doc:"Of the sheet as the person saw it judged"`
				Column   int          `json:"column" minimum:"-1"`
				Kind     sheet.Matter `json:"judgement" maxLength:"40"`
				Do       sheet.Deed   `json:"do" enum:"take,empty,keep,leave"`
			}
		}) (*Body[mended], error) {
			rows, err := s.Importer.Remedy(ctx, s.actor(ctx), in.ID, in.Body.Revision, in.Body.Column, in.Body.Kind, in.Body.Do)
			return &Body[mended]{mended{rows}}, sheetProblem(err)
		})
	huma.Register(api, tags.start("import-sheet", "/sheets/{id}/import", "Import a sheet as it was rehearsed"),
		func(ctx context.Context, in *struct {
			ByID
			Body asSeen
		}) (*Body[created], error) {
			run, err := s.Importer.Import(ctx, s.actor(ctx), in.ID, in.Body.Revision)
			return &Body[created]{created{run}}, sheetProblem(err)
		})
	huma.Register(api, tags.start("pair-by-sheet", "/sheets/{id}/pictures",
		"Pair the pictures that a sheet names, in lots that are open, with its products"),
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			run, err := s.Importer.Pair(ctx, s.actor(ctx), in.ID)
			return &Body[created]{created{run}}, problem(err, "sheet")
		})
	huma.Register(api, tags.start("fetch-sheet-pictures", "/sheets/{id}/pictures/fetch",
		"Fetch the pictures that a sheet names by address, as a lot"),
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			found, err := s.Store.Sheet(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "sheet")
			}
			items, err := s.Importer.Addresses(ctx, found)
			if err != nil {
				return nil, sheetProblem(err)
			}
			if len(items) == 0 {
				return nil, huma.Error422UnprocessableEntity("Every picture that this sheet names by address is here.")
			}
			lot, err := s.Gatherer.TakeForSheet(ctx, s.actor(ctx), found, items)
			if errors.Is(err, gathering.ErrFetching) {
				return nil, huma.Error409Conflict("Its pictures are being fetched already.")
			}
			return &Body[created]{created{lot}}, problem(err, "sheet")
		})
	huma.Register(api, tags.get("list-unnamed-files", "/sheets/{id}/unnamed",
		"Files of the lots that a sheet came with which none of its rows names"),
		func(ctx context.Context, in *struct {
			ByID
			Limit int `query:"limit" minimum:"1" maximum:"1000" default:"200"`
		}) (*Body[Page[store.LotFile]], error) {
			items, err := s.Importer.Unnamed(ctx, in.ID)
			return pageOf(items[:min(len(items), in.Limit)], int64(len(items))), problem(err, "sheet")
		})
	huma.Register(api, tags.get("list-gone", "/sheets/{id}/gone", "Variants that a sheet does not name, as its choices say"),
		func(ctx context.Context, in *struct {
			ByID
			Limit int `query:"limit" minimum:"1" maximum:"5000" default:"5000"`
		}) (*Body[store.Gone], error) {
			found, err := s.Importer.Gone(ctx, in.ID, in.Limit)
			found.Items = append([]store.GoneVariant{}, found.Items...)
			return &Body[store.Gone]{found}, problem(err, "sheet")
		})
	huma.Register(api, tags.post("retire-gone", "/sheets/{id}/gone/retire",
		"Retire the variants that a sheet does not name; taken back as an import is"),
		func(ctx context.Context, in *struct {
			ByID
			Body retiring
		}) (*Body[written], error) {
			id, err := s.Importer.RetireGone(ctx, s.actor(ctx), in.ID, in.Body.Variants)
			return &Body[written]{written{id}}, sheetProblem(err)
		})
	huma.Register(api, tags.start("unpair-sheet", "/sheets/{id}/pictures/take-back",
		"Take back what a sheet paired; what was decided on since stays"),
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			run, err := s.Importer.Unpair(ctx, s.actor(ctx), in.ID)
			return &Body[created]{created{run}}, problem(err, "sheet")
		})
	huma.Register(api, tags.start("revert-import", "/imports/{id}/revert", "Take an import back, whole or for one product or category"),
		func(ctx context.Context, in *struct {
			ByID
			Product  int64 `query:"product" minimum:"0" doc:"The one to take back; 0 for all"`
			Category int64 `query:"category" minimum:"0" doc:"The one to take back; 0 for all"`
		}) (*Body[created], error) {
			alone := catalog.Target{}
			switch {
			case in.Product != 0:
				alone = catalog.Product(in.Product)
			case in.Category != 0:
				alone = catalog.Category(in.Category)
			}
			run, err := s.Importer.Revert(ctx, s.actor(ctx), in.ID, alone)
			return &Body[created]{created{run}}, problem(err, "import")
		})
	huma.Register(api, tags.get("list-imported", "/imports/{id}/products", "What an import made or changed, those without a picture first"),
		func(ctx context.Context, in *struct {
			ByID
			Window
		}) (*Body[Page[store.ImportedProduct]], error) {
			items, total, err := s.Store.ImportedProducts(ctx, in.ID, in.Offset, in.Limit)
			return pageOf(items, total), problem(err, "import")
		})
}

// sheetProblem is problem for what is said of sheets alone.
func sheetProblem(err error) error {
	var wrong *importing.MappingError
	if errors.As(err, &wrong) {
		return huma.Error422UnprocessableEntity(wrong.Why)
	}
	if errors.Is(err, importing.ErrImporting) {
		return huma.Error409Conflict("An import of this sheet is under way. Let it end, or take it back, first; nothing was changed now.")
	}
	return problem(err, "sheet")
}

// bringSheet keeps a spreadsheet's bytes as they come.
func (s *Server) bringSheet(ctx context.Context, name string, body io.Reader) (int64, error) {
	spooled, err := s.spoolSheet(ctx, body, func(path string) error {
		if info, err := os.Stat(path); err != nil || info.Size() > 0 {
			return err
		}
		return huma.Error422UnprocessableEntity("The file is empty.")
	})
	if err != nil {
		return 0, err
	}
	id, err := s.Importer.Bring(ctx, s.actor(ctx), legible.Short(legible.Name(name), maxSheetName), spooled.Sum[:], spooled.Bytes)
	return id, problem(err, "sheet")
}

func (s *Server) sheet(ctx context.Context, id int64) (page sheetPage, err error) {
	if page.Sheet, err = s.Store.Sheet(ctx, id); err != nil {
		return page, problem(err, "sheet")
	}
	if page.Lots, err = s.Store.SheetLots(ctx, id); err != nil {
		return page, problem(err, "sheet")
	}
	if page.ToPlan, err = s.Store.LotsToPlan(ctx, id); err != nil {
		return page, problem(err, "sheet")
	}
	page.Imports, err = s.Store.Imports(ctx, id)
	return page, problem(err, "sheet")
}

// Of a column so many values are shown, of so many rows.
const (
	shownValues = 5
	triedRows   = 200
)

func (s *Server) effects(ctx context.Context, id int64, columns []sheet.Column) (items []columnEffects, err error) {
	found, err := s.Store.Sheet(ctx, id)
	if err != nil {
		return nil, problem(err, "sheet")
	}
	rows, err := store.RowsBehind(ctx, s.Store.Reader(), id, found.FirstRow-1, triedRows)
	if err != nil {
		return nil, problem(err, "sheet")
	}
	cells := make([][]string, len(rows))
	for i, r := range rows {
		cells[i] = r.Cells
	}
	for _, c := range columns {
		effects, err := sheet.Effects(c, cells, shownValues)
		if err != nil {
			return nil, huma.Error422UnprocessableEntity("The column's " + err.Error() + ".")
		}
		items = append(items, columnEffects{c.Index, effects})
	}
	return items, nil
}
