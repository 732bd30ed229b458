package api

import (
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/sheet"
	"ambrosa/internal/importing"
)

// handRows are variants as a person wants them.
type handRows struct {
	// Columns are as list-catalog-columns names them.
	Columns []string   `json:"columns" nullable:"false" minItems:"2" maxItems:"200" doc:"With sku, or product for products as a whole"`
	Rows    [][]string `json:"rows" nullable:"false" minItems:"1" maxItems:"500" doc:"A cell for each column; an empty one clears"`
	Was     [][]string `json:"was,omitempty" maxItems:"500" doc:"What stood in each cell as the person saw it"`
	New     bool       `json:"new,omitempty" doc:"They are to be made; else they are there"`
}

// handField is one field, changed for many products.
type handField struct {
	Products []int64 `json:"products" nullable:"false" minItems:"1" maxItems:"5000"`
	Column   string  `json:"column" maxLength:"300" doc:"As list-catalog-columns names it"`
	Value    string  `json:"value" maxLength:"10000" doc:"Empty clears"`
}

// written is the import that takes a change by hand back; 0 where nothing changed.
type written struct {
	Import int64 `json:"import"`
}

func (s *Server) byHandOperations(api huma.API) {
	const tags = resource("Catalog")
	huma.Register(api, tags.post("write-variants", "/catalog/variants",
		"Make or change variants by hand; judged as rows of a sheet are, and taken back as an import is"),
		func(ctx context.Context, in *struct{ Body handRows }) (*Body[written], error) {
			columns, err := parseColumns(in.Body.Columns)
			if err != nil {
				return nil, err
			}
			id, err := s.Importer.Write(ctx, s.actor(ctx),
				importing.ByHand{Columns: columns, Rows: in.Body.Rows, Was: in.Body.Was, New: in.Body.New})
			return &Body[written]{written{id}}, problem(err, "variant")
		})
	huma.Register(api, tags.post("change-products", "/catalog/products/change",
		"Change one field for all variants of some products; taken back as an import is"),
		func(ctx context.Context, in *struct{ Body handField }) (*Body[written], error) {
			columns, err := parseColumns([]string{"sku", in.Body.Column})
			if err != nil {
				return nil, err
			}
			skus, err := s.Store.SKUsOf(ctx, in.Body.Products)
			if err != nil {
				return nil, problem(err, "product")
			}
			rows := make([][]string, len(skus))
			for i, sku := range skus {
				rows[i] = []string{sku, in.Body.Value}
			}
			if len(rows) == 0 {
				return nil, huma.Error404NotFound("None of these products has a variant any more.")
			}
			id, err := s.Importer.Write(ctx, s.actor(ctx), importing.ByHand{Columns: columns, Rows: rows})
			return &Body[written]{written{id}}, problem(err, "product")
		})
}

// parseColumns reads columns as they are named in addresses.
func parseColumns(names []string) ([]sheet.OutColumn, error) {
	columns := make([]sheet.OutColumn, 0, len(names))
	for _, name := range names {
		column, known := sheet.ParseOut(name)
		if !known || slices.Contains(columns, column) {
			return nil, huma.Error422UnprocessableEntity("There is no column " + sheet.Clip(name) + ", or it is named twice.")
		}
		columns = append(columns, column)
	}
	return columns, nil
}
