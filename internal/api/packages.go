package api

import (
	"context"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/blob"
	"ambrosa/internal/store"
)

// sendPackage sends a part of the package of a dispatch, the first unless another is asked for.
func (s *Server) sendPackage(c fiber.Ctx) error {
	found, err := s.Store.Dispatch(c.Context(), fiber.Params[int64](c, "id"))
	if err != nil || found.EndedAt == nil {
		return fiber.NewError(http.StatusNotFound, "There is no such package (yet).")
	}
	return s.send(c, found, fiber.Query(c, "part", 1))
}

// sendLinked sends a package to whoever has a link to it, until that ends: one of several parts as
// a page that lists them.
func (s *Server) sendLinked(c fiber.Ctx) error {
	token := strings.Clone(c.Params("token"))
	found, err := s.Store.LinkedDispatch(c.Context(), token)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "This link leads to no package: it may have ended. Ask who gave it to you for another.")
	}
	part := fiber.Query(c, "part", 0)
	if part == 0 && found.Parts > 1 {
		c.Set("Content-Type", "text/html; charset=utf-8")
		return partsPage.Execute(c, found)
	}
	return s.send(c, found, max(1, part))
}

// partsPage lists the parts of a package to somebody who is no user.
var partsPage = template.Must(template.New("parts").Funcs(template.FuncMap{
	"parts": func(n int) []int {
		list := make([]int, n)
		for i := range list {
			list[i] = i + 1
		}
		return list
	},
}).Parse(`<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{{.Outlet}}</title>
<body><h1>{{.Outlet}}</h1>
<p>{{.Pictures}} pictures of {{.Products}} products, in {{.Parts}} parts:</p>
<ol>{{range parts .Parts}}<li><a href="?part={{.}}">Part {{.}}</a></li>{{end}}</ol>
</body></html>
`))

func (s *Server) send(c fiber.Ctx, found store.Dispatch, part int) error {
	if part < 1 || part > found.Parts {
		return fiber.NewError(http.StatusNotFound, fmt.Sprintf("The package has no part %d.", part))
	}
	ending := found.Settings.Package.Ending()
	gone := fiber.NewError(http.StatusNotFound, "The package is not there any more; its receipt is.")
	size, err := s.Blobs.PackageSize(c.Context(), found.ID, part, ending)
	if errors.Is(err, blob.ErrNotFound) {
		return gone
	}
	if err != nil {
		return err
	}
	from, length, err := rangeOf(c.Get("Range"), size)
	if err != nil {
		c.Set("Content-Range", fmt.Sprintf("bytes */%d", size))
		return err
	}
	ctx, cancel := untilGone(context.Background(), c.RequestCtx().Conn())
	content, err := s.Blobs.Package(ctx, found.ID, part, ending, from, length)
	if err != nil {
		cancel()
		if errors.Is(err, blob.ErrNotFound) {
			return gone
		}
		return err
	}
	c.Set("Content-Type", blob.PackageType(ending))
	c.Set("Accept-Ranges", "bytes")
	c.Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(packageName(found, part)+"."+ending))
	if length < size {
		c.Status(http.StatusPartialContent)
		c.Set("Content-Range", fmt.Sprintf("bytes %d-%d/%d", from, from+length-1, size))
	}
	return c.SendStream(endsWith{content, cancel}, int(length))
}

// rangeOf reads which bytes of so many a request asks for (RFC 9110, section 14.1.2): one range, all where
// none, several or something else is asked for. A range behind the end is 416.
func rangeOf(header string, size int64) (from, length int64, err error) {
	asked, is := strings.CutPrefix(header, "bytes=")
	first, last, whole := strings.Cut(asked, "-")
	if !is || !whole || strings.Contains(asked, ",") {
		return 0, size, nil
	}
	begin, beginErr := strconv.ParseInt(strings.TrimSpace(first), 10, 64)
	end, endErr := strconv.ParseInt(strings.TrimSpace(last), 10, 64)
	switch {
	case first == "" && endErr == nil && end > 0: // so many last ones
		end = min(end, size)
		return size - end, end, nil
	case beginErr != nil || begin < 0 || last != "" && (endErr != nil || end < begin):
		return 0, size, nil
	case begin >= size:
		return 0, 0, fiber.NewError(http.StatusRequestedRangeNotSatisfiable, fmt.Sprintf("The package has only %d bytes.", size))
	case last == "":
		end = size - 1
	}
	return begin, min(end, size-1) - begin + 1, nil
}

// packageName is how a part of a package is called where it is kept, without its ending.
func packageName(of store.Dispatch, part int) string {
	name := strings.Map(func(r rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, r) || r < ' ' {
			return '-'
		}
		return r
	}, of.Outlet)
	name = fmt.Sprintf("%s %s %d", name, of.At.UTC().Format("2006-01-02"), of.ID)
	if of.Parts > 1 {
		name += fmt.Sprintf(" part %d of %d", part, of.Parts)
	}
	return name
}

// endsWith is a stream that ends something when it is closed.
type endsWith struct {
	io.ReadCloser
	end func()
}

func (e endsWith) Close() error {
	defer e.end()
	return e.ReadCloser.Close()
}
