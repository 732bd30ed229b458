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
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/blob"
	"ambrosa/internal/gathering"
	"ambrosa/internal/sheetfile"
)

// listing is rows that go out as a sheet: written anew, or put below what stands in a workbook
// that is handed in.
type listing[Row any] struct {
	name      string // of the file
	worksheet string
	columns   []sheetfile.Column[Row]
	each      func(ctx context.Context) func() (Row, bool, error)
	sum       func(Row) string // SHA-256 of the picture that stands in its row; empty for none
}

// The sides of pictures in cells, pixels.
const (
	usualSide = 96
	mostSide  = 320
)

// sideOf is how large the pictures are that a request asks for; 0 for none.
func sideOf(c fiber.Ctx, usual int) int {
	return max(0, min(mostSide, fiber.Query(c, "pictures", usual)))
}

// takeOut answers with the rows as CSV, or as a workbook with pictures of a side.
// A workbook whose rows have pictures takes so many of them; more come as several workbooks in a ZIP.
func takeOut[Row any](s *Server, c fiber.Ctx, l listing[Row], format export, side int) error {
	several := false
	if format == workbook && side > 0 {
		var err error
		if several, err = moreThan(l.each(c.Context()), sheetfile.MostPictures); err != nil {
			return err
		}
	}
	if several {
		format = books
	}
	return s.download(c, l.name, format, func(ctx context.Context, out io.Writer, format export) error {
		next := l.each(ctx)
		if format == table {
			return sheetfile.WriteCSV(out, l.columns, next)
		}
		if side == 0 {
			return sheetfile.WriteXLSX(out, l.worksheet, l.columns, next, nil)
		}
		thumbnail := func(row Row) ([]byte, error) { return s.thumbnailOf(ctx, l.sum(row)) }
		if several {
			return sheetfile.WriteBooks(out, l.name, l.worksheet, l.columns, next, thumbnail, side)
		}
		return sheetfile.WriteBook(out, l.worksheet, l.columns, next, thumbnail, side)
	})
}

// moreThan tells whether there are more rows than so many.
func moreThan[Row any](next func() (Row, bool, error), rows int) (bool, error) {
	for range rows + 1 {
		if _, more, err := next(); err != nil || !more {
			return false, err
		}
	}
	return true, nil
}

// thumbnailOf is the small rendition of a picture, as WebP; nil where there is none.
func (s *Server) thumbnailOf(ctx context.Context, text string) ([]byte, error) {
	sum, err := blob.ParseSum(text)
	if err != nil {
		return nil, nil
	}
	small, err := s.Blobs.Rendition(ctx, sum, gathering.ThumbnailSize)
	if errors.Is(err, blob.ErrNotFound) {
		return nil, nil
	}
	return small, err
}

// putInto puts the rows into the workbook that is the request's body, with pictures of a side, and
// answers with that workbook.
func putInto[Row any](s *Server, c fiber.Ctx, l listing[Row], side int) error {
	spec := sheetfile.Below{Worksheet: strings.Clone(c.Query("worksheet")), From: strings.Clone(c.Query("from")), Side: side}
	for _, column := range l.columns {
		spec.Header = append(spec.Header, column.Title)
	}
	return s.handBack(c, l.name, func(ctx context.Context, from, to string) (sheetfile.Put, error) {
		next := l.each(ctx)
		return sheetfile.Append(ctx, s.Readers, from, to, spec, func() (below sheetfile.BelowRow, more bool, err error) {
			row, more, err := next()
			if err != nil || !more {
				return below, false, err
			}
			for _, column := range l.columns {
				below.Cells = append(below.Cells, column.Of(row))
			}
			if side > 0 {
				small, err := s.thumbnailOf(ctx, l.sum(row))
				if err != nil {
					return below, false, err
				}
				below.Picture = sheetfile.AsJPEG(small, side)
			}
			return below, true, nil
		})
	})
}

// maxHandedIn bounds a workbook that rows are put into, bytes.
const maxHandedIn = 50 << 20

// handBack has work put rows into the workbook that is the request's body, and answers with that
// workbook. Where the rows are is said in the header Ambrosa-Put.
func (s *Server) handBack(
	c fiber.Ctx, name string, work func(ctx context.Context, from, to string) (sheetfile.Put, error),
) error {
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
	put, err := work(ctx, handedIn, out)
	var refused *sheetfile.Refused
	if errors.As(err, &refused) {
		return fiber.NewError(http.StatusUnprocessableEntity, refused.Reason)
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
	c.Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(name+".xlsx"))
	return c.SendStream(content, int(info.Size())) // which is there until it is closed, and has no name any more
}

// takeBody writes a request's body to a file.
func takeBody(c fiber.Ctx, path string) error {
	body := c.Request().BodyStream()
	if body == nil {
		return fiber.NewError(http.StatusUnprocessableEntity, "No file came.")
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
		return fiber.NewError(http.StatusRequestEntityTooLarge, fmt.Sprintf("The file is larger than %d MB.", maxHandedIn>>20))
	}
	return nil
}
