package api

import (
	"context"
	"math"
	"net/http"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// findingColumns are the columns that findings may be written with, by the names that the interface
// asks for.
var findingColumns = []sheetfile.Column[store.SweepFinding]{
	{Name: "path", Title: "File", Of: func(f store.SweepFinding) any { return f.Path }},
	{Name: "reason", Title: "Found as", Of: func(f store.SweepFinding) any { return f.Reason }},
	{Name: "detail", Title: "What of it", Of: func(f store.SweepFinding) any { return f.Detail }},
	{Name: "since", Title: "Since", Of: func(f store.SweepFinding) any { return moment(&f.Since) }},
	{Name: "code", Title: "Product", Of: func(f store.SweepFinding) any { return f.Code }},
	{Name: "title", Title: "Title", Of: func(f store.SweepFinding) any { return f.Title }},
	{Name: "lot", Title: "Lot", Of: func(f store.SweepFinding) any { return f.LotName }},
	{Name: "origin", Title: "From", Of: func(f store.SweepFinding) any { return f.Origin }},
	{Name: "width", Title: "Width", Of: func(f store.SweepFinding) any { return f.Width }},
	{Name: "height", Title: "Height", Of: func(f store.SweepFinding) any { return f.Height }},
	{Name: "bytes", Title: "Bytes", Of: func(f store.SweepFinding) any { return f.Bytes }},
	{Name: "frees", Title: "Would free, bytes", Of: func(f store.SweepFinding) any { return f.Frees }},
	{Name: "sum", Title: "SHA-256", Of: func(f store.SweepFinding) any { return f.Sum }},
}

// usualFindingColumns are those that findings are written with where nobody says otherwise.
const usualFindingColumns = "path,reason,detail,since,code,lot,bytes"

// exportFindings writes findings, as a filter chooses them, as CSV or as a workbook with pictures;
// posted a workbook, it puts them into that.
func (s *Server) exportFindings(c fiber.Ctx) error {
	query := func(name string) string { return strings.Clone(c.Query(name)) }
	filter := store.FindingFilter{Kind: query("kind"), Reason: query("reason"), Query: query("q"), Lot: fiber.Query[int64](c, "lot"),
		Origin: fiber.Query[int64](c, "origin"), Group: fiber.Query[int64](c, "group"), Fresh: c.Query("fresh") == "true"}
	if before := query("before"); before != "" {
		at, err := time.Parse(time.RFC3339, before)
		if err != nil {
			return fiber.NewError(http.StatusUnprocessableEntity, "Before which time is not told as times are (RFC 3339).")
		}
		filter.Before = at
	}
	columns := namedColumns(findingColumns, c.Query("columns", usualFindingColumns))
	if len(columns) == 0 {
		return fiber.NewError(http.StatusUnprocessableEntity, "No column is chosen.")
	}
	l := listing[store.SweepFinding]{name: strings.TrimSpace("findings " + filter.Kind), worksheet: "Findings", columns: columns,
		each: func(ctx context.Context) func() (store.SweepFinding, bool, error) {
			last := store.SweepFinding{Group: math.MinInt64}
			return paged(func() ([]store.SweepFinding, error) {
				page, err := s.Store.FindingsBehind(ctx, filter, last, exportPage)
				if len(page) > 0 {
					last = page[len(page)-1]
				}
				return page, err
			})
		},
		sum: func(f store.SweepFinding) string {
			if f.Problem != "" {
				return ""
			}
			return f.Sum
		}}
	if c.Method() == http.MethodPost {
		return putInto(s, c, l, sideOf(c, usualSide))
	}
	return takeOut(s, c, l, formatOf(c), sideOf(c, usualSide))
}

// namedColumns are those of all that a list of names has, in the order of the list.
func namedColumns[Row any](all []sheetfile.Column[Row], names string) (chosen []sheetfile.Column[Row]) {
	for name := range strings.SplitSeq(names, ",") {
		for _, column := range all {
			if column.Name == name {
				chosen = append(chosen, column)
			}
		}
	}
	return chosen
}
