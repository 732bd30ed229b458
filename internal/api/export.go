package api

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/blob"
	"ambrosa/internal/run"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// fileColumns are the columns that a lot's list may be written with, by the
// names that the interface asks for.
var fileColumns = []sheetfile.Column[store.File]{
	{Name: "path", Title: "File", Of: func(f store.File) any { return f.Path }},
	{Name: "code", Title: "SKU", Of: func(f store.File) any { return f.Code }},
	{Name: "title", Title: "Product", Of: func(f store.File) any { return f.Title }},
	{Name: "verdict", Title: "Verdict", Of: func(f store.File) any { return f.Verdict }},
	{Name: "reason", Title: "Reason", Of: func(f store.File) any { return f.Problem + f.Reason }},
	{Name: "place", Title: "Place", Of: func(f store.File) any { return f.Place }},
	{Name: "view", Title: "View", Of: func(f store.File) any { return f.View }},
	{Name: "width", Title: "Width", Of: func(f store.File) any { return f.Width }},
	{Name: "height", Title: "Height", Of: func(f store.File) any { return f.Height }},
	{Name: "bytes", Title: "Bytes", Of: func(f store.File) any { return f.Bytes }},
	{Name: "type", Title: "Type", Of: func(f store.File) any { return f.Type }},
	{Name: "marks", Title: "Marks", Of: func(f store.File) any {
		texts := make([]string, 0, len(f.Marks))
		for _, m := range f.Marks {
			texts = append(texts, m.Name+": "+m.Measure)
		}
		return strings.Join(texts, "; ")
	}},
	{Name: "rights", Title: "Rights", Of: func(f store.File) any { return f.Rights }},
	{Name: "licence", Title: "Licence", Of: func(f store.File) any { return f.Licence }},
	{Name: "credit", Title: "Credit", Of: func(f store.File) any { return f.Credit }},
	{Name: "creator", Title: "Creator", Of: func(f store.File) any { return f.Stated.Creator }},
	{Name: "notice", Title: "Copyright notice", Of: func(f store.File) any { return f.Stated.Notice }},
	{Name: "address", Title: "Address", Of: func(f store.File) any { return f.Address }},
	{Name: "sum", Title: "SHA-256", Of: func(f store.File) any { return f.Sum }},
}

// exportFiles writes a lot's files, as a filter chooses them, as CSV or as a
// workbook with thumbnails.
func (s *Server) exportFiles(c fiber.Ctx) error {
	id := fiber.Params[int64](c, "id")
	lot, err := s.Store.Lot(c.Context(), id)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such lot.")
	}
	var columns []sheetfile.Column[store.File]
	for _, name := range strings.Split(c.Query("columns", "path,code,verdict,width,height,bytes,marks,rights"), ",") {
		for _, column := range fileColumns {
			if column.Name == name {
				columns = append(columns, column)
			}
		}
	}
	if len(columns) == 0 {
		return fiber.NewError(http.StatusUnprocessableEntity, "No column is chosen.")
	}
	filter := store.FileFilter{Verdict: c.Query("verdict"), Query: c.Query("q"), Rights: c.Query("rights"), Mark: c.Query("mark"), Type: c.Query("type"), Shape: c.Query("shape"), Sort: c.Query("sort"), Down: c.Query("down") == "true", Limit: 500}
	var page []store.File
	last := false
	next := func() (store.File, bool, error) {
		if len(page) == 0 && !last {
			var err error
			if page, _, err = s.Store.Files(c.Context(), id, filter); err != nil {
				return store.File{}, false, err
			}
			filter.Offset += len(page)
			last = len(page) < filter.Limit
		}
		if len(page) == 0 {
			return store.File{}, false, nil
		}
		f := page[0]
		page = page[1:]
		return f, true, nil
	}
	var out bytes.Buffer
	kind, extension := "text/csv; charset=utf-8", "csv"
	if c.Query("format") == "xlsx" {
		kind, extension = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "xlsx"
		err = sheetfile.WriteXLSX(&out, columns, next, func(f store.File) []byte {
			sum, err := blob.ParseSum(f.Sum)
			if err != nil || f.Problem != "" {
				return nil
			}
			thumbnail, _ := s.Blobs.Rendition(c.Context(), sum, run.ThumbnailSize)
			return thumbnail
		})
	} else {
		err = sheetfile.WriteCSV(&out, columns, next)
	}
	if err != nil {
		return err
	}
	c.Set("Content-Type", kind)
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename*=UTF-8''%s.%s", url.PathEscape(lot.Name), extension))
	return c.Send(out.Bytes())
}
