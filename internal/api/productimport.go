package api

import (
	"context"
	"errors"
	"io"
	"os"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/legible"
	"ambrosa/internal/blob"
	"ambrosa/internal/importing"
	"ambrosa/internal/sheetfile"
)

type importInput struct {
	streamedBody
	Name string `query:"name" maxLength:"1000" default:"products.csv" doc:"The sheet that it becomes is called so"`
}

// importOperation is the import for programs: a sheet that is brought, judged and imported in one request.
func (s *Server) importOperation(api huma.API, tags resource) {
	imports := tags.post("import-products", "/products/import",
		"Create and update products and variants by SKU from a CSV, which becomes a sheet with an import that can be taken back")
	imports.MaxBodyBytes, imports.BodyReadTimeout = -1, -1 // it streams
	imports.RequestBody = &huma.RequestBody{
		Required: true,
		Content:  map[string]*huma.MediaType{"text/csv": {Schema: &huma.Schema{Type: "string", Format: "binary"}}},
	}
	huma.Register(api, imports, func(ctx context.Context, in *importInput) (*Body[importing.Taken], error) {
		taken, err := s.importProducts(ctx, in.Name, in.body)
		var refused *sheetfile.Refused
		if errors.As(err, &refused) {
			return nil, huma.Error422UnprocessableEntity(refused.Reason + " Nothing was imported.")
		}
		return &Body[importing.Taken]{taken}, err
	})
}

// importProducts keeps the bytes of a CSV that a program sends, and imports it.
func (s *Server) importProducts(ctx context.Context, name string, body io.Reader) (t importing.Taken, err error) {
	spooled, err := s.spoolSheet(ctx, body, func(path string) error {
		file, err := os.Open(path)
		if err != nil {
			return err
		}
		_, err = sheetfile.OpenCSV(file) // one that has no header to go by is not kept
		return errors.Join(err, file.Close())
	})
	if err != nil {
		return t, err
	}
	path, done, err := s.Blobs.Local(ctx, spooled.Sum)
	if err != nil {
		return t, problem(err, "sheet")
	}
	defer done()
	file, err := os.Open(path)
	if err != nil {
		return t, problem(err, "sheet")
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	rows, err := sheetfile.OpenCSV(file)
	if err != nil {
		return t, err
	}
	t, err = s.Importer.Take(ctx, s.actor(ctx), legible.Short(legible.Name(name), maxSheetName), spooled.Sum[:], spooled.Bytes, rows)
	if refused := (*sheetfile.Refused)(nil); errors.As(err, &refused) {
		return t, err
	}
	return t, sheetProblem(err)
}

// spoolSheet keeps the bytes of a sheet that look approves of.
func (s *Server) spoolSheet(ctx context.Context, body io.Reader, look func(path string) error) (blob.Spooled, error) {
	spooled, err := s.Blobs.Spool(io.LimitReader(body, maxSheet+1), 0)
	if err != nil {
		return spooled, problem(err, "sheet")
	}
	defer spooled.Remove()
	if spooled.Bytes > maxSheet {
		return spooled, huma.NewError(413, "The file is larger than 1 GiB. Nothing was kept of it.")
	}
	if err := look(spooled.Path); err != nil {
		return spooled, err
	}
	if err := s.Importer.Claim(ctx, spooled.Sum[:]); err != nil {
		return spooled, problem(err, "sheet")
	}
	return spooled, problem(s.Blobs.Keep(ctx, spooled), "sheet")
}
