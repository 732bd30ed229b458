package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"net/http"
	"regexp"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// keyHeader is the header under whose value something is asked for once (draft-ietf-httpapi-idempotency-key-header-07).
const keyHeader = "Idempotency-Key"

// keyForm is what a key looks like, with or without the quotes of a string in a structured header (RFC 9651).
var keyForm = regexp.MustCompile(`^"?[!#-\[\]-~]{1,200}"?$`)

// beginning tells whether an operation begins or makes something, and therefore heeds a key.
func beginning(op *huma.Operation) bool {
	_, changes := deeds[op.OperationID]
	return op.Method == http.MethodPost && changes
}

// once answers a request that bears a key as it was answered before, and does nothing then.
func (s *Server) once(api huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		text := ctx.Header(keyHeader)
		inner, ours := ctx.(*humaContext)
		if text == "" || !ours || !beginning(ctx.Operation()) {
			next(ctx)
			return
		}
		if err := s.underKey(inner, text, next); err != nil {
			var known huma.StatusError
			if errors.As(err, &known) && known.GetStatus() < http.StatusInternalServerError {
				_ = huma.WriteErr(api, ctx, known.GetStatus(), known.Error())
			} else {
				_ = huma.WriteErr(api, ctx, http.StatusInternalServerError, "", err)
			}
		}
	}
}

// underKey does what a request asks for, unless it was done under its key before.
func (s *Server) underKey(ctx *humaContext, text string, next func(huma.Context)) error {
	if !keyForm.MatchString(text) {
		return huma.Error400BadRequest("The " + keyHeader + " has 1 to 200 visible characters without quotes or backslashes.")
	}
	asked, err := s.asked(ctx)
	if err != nil {
		return err
	}
	switch before, err := s.Store.RequestKey(ctx.ctx, text); {
	case err == nil && !bytes.Equal(before.Asked, asked):
		return huma.Error422UnprocessableEntity("Something else was asked for under this " + keyHeader + ". Nothing was changed now.")
	case err == nil && before.Status == 0:
		return huma.Error409Conflict(doneBefore)
	case err == nil:
		ctx.SetStatus(before.Status)
		if len(before.Answer) > 0 {
			ctx.SetHeader("Content-Type", "application/json")
		}
		_, err = ctx.out.Write(before.Answer)
		return err
	case !errors.Is(err, store.ErrNotFound):
		return problem(err, "request")
	}
	key := &door.Key{Key: text, Asked: asked}
	ctx.ctx = door.WithKey(ctx.ctx, key)
	next(ctx)
	if !key.Done() || ctx.out.begun {
		return nil
	}
	answer := bytes.Clone(ctx.out.buffer.Bytes())
	// The answer is kept although the program is gone: it asks again for just that reason.
	return problem(s.Receiver.KeepAnswer(context.WithoutCancel(ctx.ctx), text, ctx.out.status, answer), "request")
}

// doneBefore is said where the answer is not known.
const doneBefore = "What was asked for under this " + keyHeader + " is being done, or was done and its answer was lost. Nothing was " +
	"done again. Wait a moment and ask again, or look in the record."

// asked returns the SHA-256 of what a request asks for: who, where and with what. Of a body that streams only where.
func (s *Server) asked(ctx *humaContext) ([]byte, error) {
	hash := sha256.New()
	who := s.actor(ctx.ctx)
	for _, part := range []string{string(who.Kind), who.Name, ctx.method, ctx.url.Path, ctx.url.RawQuery, ctx.Header("Content-Length")} {
		_, _ = io.WriteString(hash, part+"\n") // a hash takes all
	}
	if held, ok := ctx.body.(*bytes.Reader); ok {
		if _, err := held.WriteTo(hash); err != nil {
			return nil, err
		}
		if _, err := held.Seek(0, io.SeekStart); err != nil {
			return nil, err
		}
	}
	return hash.Sum(nil), nil
}
