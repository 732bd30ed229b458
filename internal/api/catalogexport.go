package api

import (
	"bufio"
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/core/sheet"
	"ambrosa/internal/contained"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// outColumn is a column that the catalog can go out with.
type outColumn struct {
	Name   string `json:"name" doc:"As it is asked for"`
	Header string `json:"header"`
	Always bool   `json:"always" doc:"It says which variant a row is about, and goes along always"`
}

func (s *Server) catalogOutOperations(api huma.API) {
	const tags = resource("Catalog")
	huma.Register(api, tags.get("list-catalog-columns", "/catalog/columns",
		"The columns that the catalog can go out with, in their usual order"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[outColumn]], error) {
			shape, err := s.Store.Shape(ctx)
			columns := []outColumn{}
			for _, c := range shape.Columns() {
				columns = append(columns, outColumn{c.String(), c.Header(), c.Field == sheet.SKU})
			}
			return pageOf(columns, int64(len(columns))), problem(err, "column")
		})
}

// workbook and table are the formats that lists go out in.
var (
	workbook = export{kind: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", extension: "xlsx"}
	table    = export{kind: "text/csv; charset=utf-8", extension: "csv"}
	books    = export{kind: "application/zip", extension: "zip"} // several workbooks
)

func formatOf(c fiber.Ctx) export {
	if c.Query("format") == "csv" {
		return table
	}
	return workbook
}

// exportCatalog writes the catalog, as a filter chooses it, with chosen columns in chosen
// order: brought in again unchanged, every row is the same. Posted a workbook, it puts them into that.
func (s *Server) exportCatalog(c fiber.Ctx) error {
	shape, err := s.Store.Shape(c.Context())
	if err != nil {
		return err
	}
	columns := shape.Columns()
	if asked := c.Request().URI().QueryArgs().PeekMulti("column"); len(asked) > 0 {
		columns = chosenColumns(columns, asked)
	}
	if !slices.ContainsFunc(columns, func(c sheet.OutColumn) bool { return c.Field == sheet.SKU }) {
		columns = append([]sheet.OutColumn{{Field: sheet.SKU}}, columns...)
	}
	filter := store.ProductFilter{Query: strings.Clone(c.Query("q")), Category: strings.Clone(c.Query("category")),
		NoPicture: c.Query("noPicture") == "true"}
	side := sideOf(c, 0)
	l := listing[catalogRow]{name: "catalog", worksheet: "Products", sum: func(r catalogRow) string { return r.lead },
		each: func(ctx context.Context) func() (catalogRow, bool, error) { return s.eachRow(ctx, filter, side > 0) }}
	for _, column := range columns {
		of := func(r catalogRow) any { return column.Of(&r.Item) }
		l.columns = append(l.columns, sheetfile.Column[catalogRow]{Title: column.Header(), Of: of})
	}
	if c.Method() == http.MethodPost {
		return putInto(s, c, l, side)
	}
	return takeOut(s, c, l, formatOf(c), side)
}

// catalogRow is a variant as it goes out, with its first picture where that is asked for.
type catalogRow struct {
	sheet.Item
	lead string
}

// chosenColumns returns those of all that are asked for, in the order asked.
func chosenColumns(all []sheet.OutColumn, names [][]byte) (chosen []sheet.OutColumn) {
	for _, name := range names {
		at := slices.IndexFunc(all, func(c sheet.OutColumn) bool { return c.String() == string(name) })
		if at >= 0 && !slices.Contains(chosen, all[at]) {
			chosen = append(chosen, all[at])
		}
	}
	return chosen
}

// templatePictures is for how many pictures of a variant a template has columns.
const templatePictures = 3

// exportTemplate writes a sheet to fill in, with the catalog's own columns, the values
// that they have, and a variant of the catalog as an example: left as it is, it changes
// nothing.
func (s *Server) exportTemplate(c fiber.Ctx) error {
	ctx := c.Context()
	shape, err := s.Store.Shape(ctx)
	if err != nil {
		return err
	}
	example := sheet.Template
	ids, err := s.Store.VariantIDs(ctx, store.ProductFilter{Limit: 1})
	if err != nil {
		return err
	}
	if len(ids) > 0 {
		items, err := s.Store.ItemsByID(ctx, ids[:1])
		if err != nil {
			return err
		}
		if len(items) > 0 {
			example = items[0]
		}
	}
	categories, err := s.Store.CategoryPaths(ctx)
	if err != nil {
		return err
	}
	columns := shape.Columns()
	for at := range templatePictures {
		columns = append(columns, sheet.OutColumn{Field: sheet.Picture, At: at + 1})
	}
	fillings := make([]sheetfile.Filling, len(columns))
	for i, column := range columns {
		fillings[i] = sheetfile.Filling{Header: column.Header(), Example: column.Of(&example)}
		switch column.Field {
		case sheet.Retire:
			fillings[i].Values = []string{"no", "yes"}
		case sheet.Category:
			fillings[i].Values = categories
		}
	}
	return s.download(c, "products to fill in", formatOf(c), func(_ context.Context, out io.Writer, format export) error {
		if format == table {
			return sheetfile.WriteTemplateCSV(out, fillings)
		}
		return sheetfile.WriteTemplateXLSX(out, fillings)
	})
}

// eachRow gives the variants that a filter chooses one after the other, reading a page of them at a
// time, with their pictures or without; which they are is told when it begins.
func (s *Server) eachRow(ctx context.Context, filter store.ProductFilter, pictures bool) func() (catalogRow, bool, error) {
	var page []sheet.Item
	var ids []int64
	var leads map[int64]string
	begun := false
	return func() (row catalogRow, more bool, err error) {
		bounded, end := context.WithTimeout(ctx, longest)
		defer end()
		if !begun {
			begun = true
			if ids, err = s.Store.VariantIDs(bounded, filter); err != nil {
				return row, false, err
			}
		}
		for len(page) == 0 && len(ids) > 0 {
			n := min(len(ids), exportPage)
			if page, err = s.Store.ItemsByID(bounded, ids[:n]); err != nil {
				return row, false, err
			}
			if pictures {
				if leads, err = s.Store.LeadsOf(bounded, ids[:n]); err != nil {
					return row, false, err
				}
			}
			ids = ids[n:]
		}
		if len(page) == 0 {
			return row, false, nil
		}
		row, page = catalogRow{page[0], leads[page[0].Variant]}, page[1:]
		return row, true, nil
	}
}

// download answers with a file that is written as it is sent. What breaks off in between
// breaks the connection off: what has begun must not look whole.
func (s *Server) download(c fiber.Ctx, name string, format export,
	write func(ctx context.Context, out io.Writer, format export) error) error {
	c.Set("Content-Type", format.kind)
	c.Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(name+"."+format.extension))
	number := strings.Clone(c.GetRespHeader(requestNumber))
	ctx, cancel := untilGone(context.Background(), c.RequestCtx().Conn())
	content, writer := io.Pipe()
	go func() {
		defer cancel()
		out := bufio.NewWriterSize(writer, 64<<10)
		err := contained.Safely(func() error { return errors.Join(write(ctx, out, format), out.Flush()) })()
		if err != nil && ctx.Err() == nil && !errors.Is(err, io.ErrClosedPipe) {
			s.Log.Error("export broken off", "request", number, "name", name, "error", err)
		}
		_ = writer.CloseWithError(err) // never fails, see io.Pipe
	}()
	return c.SendStream(content)
}
