package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"

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
	format := table
	if to.Settings.Sheet.Format == dispatch.Workbook {
		format = workbook
	}
	return s.download(c, to.Name, format, func(ctx context.Context, out io.Writer, _ export) error {
		return s.Dispatcher.Sheet(ctx, out, to.ID, to.Settings)
	})
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

// maxHandedIn bounds a workbook that rows are put into, bytes.
const maxHandedIn = 50 << 20

// appendSheet puts the rows of an outlet's sheet into the workbook that is the request's body,
// and answers with that workbook. Where the rows are is said in the header Ambrosa-Put.
func (s *Server) appendSheet(c fiber.Ctx) error {
	to, err := s.outletOf(c)
	if err != nil {
		return err
	}
	ctx, cancel := untilGone(context.Background(), c.RequestCtx().Conn())
	defer cancel()
	folder, err := os.MkdirTemp("", "ambrosa-append-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	handedIn, out := filepath.Join(folder, "in.xlsx"), filepath.Join(folder, "out.xlsx")
	if err := takeBody(c, handedIn); err != nil {
		return err
	}
	put, err := s.Dispatcher.Append(ctx, handedIn, out, c.Query("worksheet"), c.Query("from"), to)
	var refused *sheetfile.Refused
	if errors.As(err, &refused) {
		return fiber.NewError(http.StatusUnprocessableEntity, refused.Reason)
	}
	if words, is := dispatching.Wrong(err); is {
		return fiber.NewError(http.StatusUnprocessableEntity, words)
	}
	if err != nil {
		return err
	}
	content, err := os.Open(out)
	if err != nil {
		return err
	}
	info, err := content.Stat()
	if err != nil {
		return errors.Join(err, content.Close())
	}
	c.Set("Content-Type", workbook.kind)
	c.Set("Ambrosa-Put", url.PathEscape(fmt.Sprintf("%d rows are in “%s”, from row %d on", put.Rows, put.Worksheet, put.First)))
	c.Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(to.Name+".xlsx"))
	return c.SendStream(content, int(info.Size())) // which is there until it is closed, and has no name any more
}

// takeBody writes a request's body to a file.
func takeBody(c fiber.Ctx, path string) error {
	body := c.Request().BodyStream()
	if body == nil {
		return fiber.NewError(http.StatusUnprocessableEntity, "No workbook came.")
	}
	file, err := os.Create(path)
	if err != nil {
		return err
	}
	n, err := io.Copy(file, io.LimitReader(body, maxHandedIn+1))
	if err = errors.Join(err, file.Close()); err != nil {
		return err
	}
	if n > maxHandedIn {
		return fiber.NewError(http.StatusRequestEntityTooLarge, fmt.Sprintf("The workbook is larger than %d MB.", maxHandedIn>>20))
	}
	return nil
}
