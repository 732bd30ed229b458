package api

import (
	"context"
	"io"
	"net/http"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// exportJudged writes a sheet as it was judged, for who sent it: their columns, the cells
// in question marked, the reasons behind.
func (s *Server) exportJudged(c fiber.Ctx) error {
	id := fiber.Params[int64](c, "id")
	found, err := s.Store.Sheet(c.Context(), id)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such sheet.")
	}
	name := strings.TrimSuffix(strings.TrimSuffix(found.Name, ".xlsx"), ".csv") + ", judged"
	verdict := strings.Clone(c.Query("verdict"))
	return s.download(c, name, formatOf(c), func(ctx context.Context, out io.Writer, format export) error {
		if format == table {
			return sheetfile.WriteJudgedCSV(out, found.Names, s.eachJudged(ctx, id, verdict))
		}
		return sheetfile.WriteJudgedXLSX(out, found.Names, s.eachJudged(ctx, id, verdict))
	})
}

// eachJudged gives a sheet's rows one after the other as they were judged.
func (s *Server) eachJudged(ctx context.Context, id int64, verdict string) func() (sheetfile.JudgedLine, bool, error) {
	filter := store.RowFilter{Verdict: verdict, Limit: exportPage}
	var page []sheetfile.JudgedLine
	return func() (line sheetfile.JudgedLine, more bool, err error) {
		if len(page) == 0 {
			bounded, end := context.WithTimeout(ctx, longest)
			defer end()
			rows, _, err := s.Importer.Rows(bounded, id, filter)
			if err != nil {
				return line, false, err
			}
			filter.Offset += len(rows)
			for _, r := range rows {
				one := sheetfile.JudgedLine{Cells: r.Values, Row: r.Row, Verdict: string(r.Verdict), Asked: map[int]string{}}
				for _, cell := range r.Cells {
					one.Asked[cell.Column] = strings.TrimSpace(one.Asked[cell.Column] + " " + cell.Reason)
				}
				page = append(page, one)
			}
		}
		if len(page) == 0 {
			return line, false, nil
		}
		line, page = page[0], page[1:]
		return line, true, nil
	}
}
