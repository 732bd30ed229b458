package api

import (
	"context"
	"errors"
	"io"
	"net/http"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/core/dispatch"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// exportSheet writes the sheet of what may go to an outlet, as the outlet is kept.
func (s *Server) exportSheet(c fiber.Ctx) error {
	to, err := s.outletOf(c)
	if err != nil {
		return err
	}
	ending, write, err := s.Dispatcher.Sheet(c.Context(), to.ID, to.Settings)
	if words, is := dispatching.Wrong(err); is {
		return fiber.NewError(http.StatusUnprocessableEntity, words)
	}
	if err != nil {
		return err
	}
	format := map[string]export{dispatch.Workbook: workbook, books.extension: books}[ending]
	if format.kind == "" {
		format = table
	}
	return s.download(c, to.Name, format, func(ctx context.Context, out io.Writer, _ export) error { return write(ctx, out) })
}

func (s *Server) outletOf(c fiber.Ctx) (store.Outlet, error) {
	to, err := s.Store.Outlet(c.Context(), fiber.Params[int64](c, "id"))
	if errors.Is(err, store.ErrNotFound) {
		return to, fiber.NewError(http.StatusNotFound, "There is no such outlet.")
	}
	if err == nil && to.Settings.Sheet.Format == dispatch.NoSheet {
		return to, fiber.NewError(http.StatusUnprocessableEntity, "No sheet goes to this outlet: choose its columns first.")
	}
	return to, err
}

// appendSheet puts the rows of an outlet's sheet into the workbook that is the request's body, and
// answers with that workbook.
func (s *Server) appendSheet(c fiber.Ctx) error {
	to, err := s.outletOf(c)
	if err != nil {
		return err
	}
	worksheet, from := strings.Clone(c.Query("worksheet")), strings.Clone(c.Query("from"))
	return s.handBack(c, to.Name, func(ctx context.Context, in, out string) (sheetfile.Put, error) {
		put, err := s.Dispatcher.Append(ctx, in, out, worksheet, from, to)
		if words, is := dispatching.Wrong(err); is {
			return put, fiber.NewError(http.StatusUnprocessableEntity, words)
		}
		return put, err
	})
}
