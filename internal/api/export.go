package api

import (
	"context"
	"net/http"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// fileColumns are the columns that a lot's list may be written with, by the
// names that the interface asks for.
var fileColumns = []sheetfile.Column[File]{
	{Name: "path", Title: "File", Of: func(f File) any { return f.Path }},
	{Name: "code", Title: "SKU", Of: func(f File) any { return f.Code }},
	{Name: "title", Title: "Product", Of: func(f File) any { return f.Title }},
	{Name: "verdict", Title: "Verdict", Of: func(f File) any { return f.Verdict }},
	{Name: "reason", Title: "Reason", Of: func(f File) any { return f.Problem + f.Reason }},
	{Name: "place", Title: "Place", Of: func(f File) any { return f.Place }},
	{Name: "view", Title: "View", Of: func(f File) any { return f.View }},
	{Name: "width", Title: "Width", Of: func(f File) any { return f.Width }},
	{Name: "height", Title: "Height", Of: func(f File) any { return f.Height }},
	{Name: "bytes", Title: "Bytes", Of: func(f File) any { return f.Bytes }},
	{Name: "type", Title: "Type", Of: func(f File) any { return f.Type }},
	{Name: "marks", Title: "Marks", Of: func(f File) any {
		texts := make([]string, 0, len(f.Marks))
		for _, m := range f.Marks {
			texts = append(texts, m.Name+": "+m.Measure)
		}
		return strings.Join(texts, "; ")
	}},
	{Name: "rights", Title: "Rights", Of: func(f File) any { return f.Rights }},
	{Name: "licence", Title: "Licence", Of: func(f File) any { return f.Licence }},
	{Name: "credit", Title: "Credit", Of: func(f File) any { return f.Credit }},
	{Name: "creator", Title: "Creator", Of: func(f File) any { return f.Stated.Creator }},
	{Name: "notice", Title: "Copyright notice", Of: func(f File) any { return f.Stated.Notice }},
	{Name: "address", Title: "Address", Of: func(f File) any { return f.Address }},
	{Name: "sum", Title: "SHA-256", Of: func(f File) any { return f.Sum }},
}

// exportFiles writes a lot's files, as a filter chooses them, as CSV or as a
// workbook with thumbnails; posted a workbook, it puts them into that.
func (s *Server) exportFiles(c fiber.Ctx) error {
	id := fiber.Params[int64](c, "id")
	lot, err := s.Store.Lot(c.Context(), id)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such lot.")
	}
	columns := namedColumns(fileColumns, c.Query("columns", "path,code,verdict,width,height,bytes,marks,rights"))
	if len(columns) == 0 {
		return fiber.NewError(http.StatusUnprocessableEntity, "No column is chosen.")
	}
	filter := store.FileFilter{
		Verdict: c.Query("verdict"),
		Query:   c.Query("q"),
		Rights:  c.Query("rights"),
		Mark:    c.Query("mark"),
		Type:    c.Query("type"),
		Shape:   c.Query("shape"),
		Sort:    c.Query("sort"),
		Down:    c.Query("down") == "true",
	}
	l := listing[File]{name: lot.Name, worksheet: "Files", columns: columns, sum: pictureOf,
		each: func(ctx context.Context) func() (File, bool, error) { return s.eachFile(ctx, id, filter) }}
	if c.Method() == http.MethodPost {
		return putInto(s, c, l, sideOf(c, usualSide))
	}
	format := table
	if c.Query("format") == "xlsx" {
		format = workbook
	}
	return takeOut(s, c, l, format, sideOf(c, usualSide))
}

// pictureOf is what shows a file; empty where nothing does.
func pictureOf(f File) string {
	if f.Problem != "" {
		return ""
	}
	return f.Sum
}

// export is a format that a list goes out in: its media type, and how such files end.
type export struct{ kind, extension string }

// exportPage is how many files are read at a time.
const exportPage = 500

// eachFile gives a lot's files one after the other, reading a page of them at a
// time; which they are is told when it begins.
func (s *Server) eachFile(ctx context.Context, lot int64, filter store.FileFilter) func() (File, bool, error) {
	var page []store.File
	var ids []int64
	begun := false
	return func() (f File, more bool, err error) {
		bounded, end := context.WithTimeout(ctx, longest)
		defer end()
		if !begun {
			begun = true
			if ids, err = s.Store.FileIDs(bounded, lot, filter); err != nil {
				return f, false, err
			}
		}
		for len(page) == 0 && len(ids) > 0 {
			n := min(len(ids), exportPage)
			if page, err = s.Store.FilesByID(bounded, ids[:n]); err != nil {
				return f, false, err
			}
			ids = ids[n:]
		}
		if len(page) == 0 {
			return f, false, nil
		}
		f, page = fileOf(page[0]), page[1:]
		return f, true, nil
	}
}
