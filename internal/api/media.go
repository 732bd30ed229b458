package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"path"
	"time"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/blob"
	"ambrosa/internal/gathering"
	"ambrosa/internal/store"
)

// media serves pictures: as thumbnail, as a large rendition, and as they came.
// None of it runs in the application's origin, and a blob never changes.
func (s *Server) media() {
	s.app.Get("/media/:sum/thumb", func(c fiber.Ctx) error { return s.rendition(c, gathering.ThumbnailSize) })
	s.app.Get("/media/:sum/view", func(c fiber.Ctx) error { return s.rendition(c, blob.ViewSize) })
	s.app.Get("/media/:sum/original", s.original)
	s.app.Get("/media/origins/:id/peek", s.peek)
	s.app.Get("/media/peek", s.peekAtPicture)
	s.app.Get("/media/lots/:id/list", s.exportFiles)
	s.app.Post("/media/lots/:id/list", s.exportFiles)
	s.app.Get("/media/sheets/:id/judged", s.exportJudged)
	s.app.Get("/media/catalog", s.exportCatalog)
	s.app.Post("/media/catalog", s.exportCatalog)
	s.app.Get("/media/findings", s.exportFindings)
	s.app.Post("/media/findings", s.exportFindings)
	s.app.Get("/media/receipts/:id", s.exportReceipt)
	s.app.Get("/media/dispatches/:id", s.exportDispatch)
	s.app.Get("/media/packages/:id", s.sendPackage)
	s.app.Get("/packages/:token", s.sendLinked)
	s.app.Get("/media/requests/:id", s.exportRequest)
	s.app.Get("/media/texts", s.exportTexts)
	s.app.Post("/media/texts", s.importTexts)
	s.app.Get("/media/outlets/:id/sheet", s.exportSheet)
	s.app.Post("/media/outlets/:id/append", s.appendSheet)
	s.app.Get("/media/catalog/template", s.exportTemplate)
	s.app.Get("/media/hand-in/:token/missing.csv", s.missingSheet)
}

func foreign(c fiber.Ctx) {
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src 'self'")
	c.Set("Cache-Control", "private, max-age=31536000, immutable")
	c.Set("Cross-Origin-Resource-Policy", "same-origin")
}

func (s *Server) rendition(c fiber.Ctx, size int) error {
	sum, err := blob.ParseSum(c.Params("sum"))
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such picture.")
	}
	content, err := s.Blobs.Rendition(c.Context(), sum, size)
	if errors.Is(err, blob.ErrNotFound) {
		content, err = s.render(c, sum, size)
	}
	if err != nil {
		return err
	}
	foreign(c)
	c.Set("Content-Type", "image/webp")
	return c.Send(content)
}

// render makes a rendition when it is first asked for.
func (s *Server) render(c fiber.Ctx, sum blob.Sum, size int) ([]byte, error) {
	original, done, err := s.Blobs.Local(c.Context(), sum)
	if errors.Is(err, blob.ErrNotFound) {
		return nil, fiber.NewError(http.StatusNotFound, "There is no such picture.")
	}
	if err != nil {
		return nil, err
	}
	defer done()
	// What could not be decoded once is not tried at each view.
	known, err := s.Store.KnownBlob(c.Context(), sum[:])
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	problem := known.Problem
	if problem == "" {
		if lately, known := s.unshown.Get(sum); known && time.Since(lately.at) < retryView {
			problem = lately.problem
		}
	}
	if problem != "" {
		return nil, cannotBeShown(problem)
	}
	result, err := s.Pictures.Examine(c.Context(), original, size)
	if err != nil {
		return nil, err
	}
	if result.Problem != "" {
		s.Log.Warn("a picture cannot be shown", "sum", sum, "problem", result.Problem, "cause", result.Cause)
		s.unshown.Add(sum, unshown{result.Problem, time.Now()})
		return nil, cannotBeShown(result.Problem)
	}
	return result.Rendition, s.Blobs.PutRendition(c.Context(), sum, size, result.Rendition)
}

// unshown is why a picture could not be shown, and when that was tried.
type unshown struct {
	problem string
	at      time.Time
}

// retryView is after how long a picture that could not be shown is tried again: the machine may have been busy.
const retryView = 10 * time.Minute

func cannotBeShown(problem string) error {
	return fiber.NewError(http.StatusUnprocessableEntity, "This picture cannot be shown: "+problem)
}

// original hands a file out as it came, to be saved and never shown in place.
func (s *Server) original(c fiber.Ctx) error {
	sum, err := blob.ParseSum(c.Params("sum"))
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "There is no such file.")
	}
	known, err := s.Store.KnownBlob(c.Context(), sum[:])
	if errors.Is(err, store.ErrNotFound) {
		return fiber.NewError(http.StatusNotFound, "There is no such file.")
	}
	if err != nil {
		return err
	}
	content, size, err := s.Blobs.Open(c.Context(), sum)
	if errors.Is(err, blob.ErrNotFound) {
		return fiber.NewError(http.StatusNotFound, "The bytes of this file are missing in the object store. Upload the same file again, and it "+
			"is whole again wherever it is used; Upkeep lists it under “Damaged”.")
	}
	if err != nil {
		return err
	}
	if size != known.Bytes || known.Damage != "" {
		return errors.Join(fiber.NewError(http.StatusConflict, "The bytes of this file are damaged in the object store, so they are not "+
			"sent. Upload the same file again, and it is whole again wherever it is used; Upkeep lists it under “Damaged”."), content.Close())
	}
	content = blob.Verified(content, sum, func() {
		noting, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		if err := s.Upkeeper.NoteDamage(noting, sum.String()); err != nil {
			s.Log.Error("note that bytes are damaged", "sum", sum, "error", err)
		}
	})
	foreign(c)
	c.Set("Content-Type", known.Type)
	name := path.Base(c.Query("name", sum.String()))
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename*=UTF-8''%s", url.PathEscape(name)))
	return c.SendStream(content, int(size))
}
