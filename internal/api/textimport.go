package api

import (
	"context"
	"errors"
	"net/http"
	"os"
	"path/filepath"
	"strings"

	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/sheetfile"
	"ambrosa/internal/texting"
)

// importedTexts is what a sheet of texts would do, or did.
type importedTexts struct {
	Rows    int               `json:"rows"`
	Same    int               `json:"same"`
	Changed int               `json:"changed"`
	Items   []pictureText     `json:"items"`
	Refused []texting.Refusal `json:"refused"`
	Print   string            `json:"print"`   // tells what would change: what it is kept by
	Keeping int64             `json:"keeping"` // that takes it back; 0 where nothing was kept
}

// shownImported is how many pictures, and refused rows, of a sheet of texts are told.
const shownImported = 200

// importTexts reads the sheet of texts that is the request's body and says what it would do in a
// language; with keep, the print of what was seen to change, it keeps that.
func (s *Server) importTexts(c fiber.Ctx) error {
	language := strings.Clone(c.Query("language"))
	if !languageCode.MatchString(language) {
		return fiber.NewError(http.StatusUnprocessableEntity, "That is no language: write it as de or pt-BR.")
	}
	ctx, cancel := untilGone(context.Background(), c.RequestCtx().Conn())
	defer cancel()
	folder, err := os.MkdirTemp("", "ambrosa-texts-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	path := filepath.Join(folder, "texts")
	if err := takeBody(c, path); err != nil {
		return err
	}
	if seen := strings.Clone(c.Query("keep")); seen != "" {
		keeping, kept, err := s.Texter.KeepSheet(ctx, s.actor(ctx), path, language, seen)
		if err != nil {
			return sheetOfTexts(err)
		}
		return c.JSON(importedTexts{Changed: int(kept), Keeping: keeping, Items: []pictureText{}, Refused: []texting.Refusal{}})
	}
	read, err := s.Texter.ReadSheet(ctx, path, language)
	if err != nil {
		return sheetOfTexts(err)
	}
	told := importedTexts{Rows: read.Rows, Same: read.Same, Changed: len(read.Changed), Print: read.Print(), Items: []pictureText{},
		Refused: orEmpty(read.Refused[:min(shownImported, len(read.Refused))])}
	for _, i := range read.Changed[:min(shownImported, len(read.Changed))] {
		told.Items = append(told.Items, textOf(i))
	}
	return c.JSON(told)
}

// sheetOfTexts words what is wrong with a sheet of texts.
func sheetOfTexts(err error) error {
	var refused *sheetfile.Refused
	var none texting.NoTexts
	switch {
	case errors.As(err, &refused):
		return fiber.NewError(http.StatusUnprocessableEntity, refused.Reason)
	case errors.As(err, &none):
		return fiber.NewError(http.StatusUnprocessableEntity, "The sheet brings no texts: it needs "+none.Needs+".")
	case errors.Is(err, texting.ErrOthers):
		return fiber.NewError(http.StatusConflict, "Something changed since: other texts would be kept than were seen. Look at them again.")
	}
	return err
}
