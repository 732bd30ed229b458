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

// keyHeader is the header with which a program makes sure that a request is carried out once
// (draft-ietf-httpapi-idempotency-key-header-07).
const keyHeader = "Idempotency-Key"

// keyForm is what a key looks like, with or without the quotes of a string in a structured header (RFC 9651).
var keyForm = regexp.MustCompile(`^"?[!#-\[\]-~]{1,200}"?$`)

// takesKey reports whether an operation supports the header: every POST that changes something does.
func takesKey(op *huma.Operation) bool {
	_, changes := deeds[op.OperationID]
	return op.Method == http.MethodPost && changes
}

// once is a middleware: a request whose key was used before gets the first answer again, and changes nothing.
func (s *Server) once(api huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		text := ctx.Header(keyHeader)
		inner, ours := ctx.(*humaContext)
		if text == "" || !ours || !takesKey(ctx.Operation()) {
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

// underKey carries out a request unless its key was used before, and stores its answer.
func (s *Server) underKey(ctx *humaContext, text string, next func(huma.Context)) error {
	if !keyForm.MatchString(text) {
		return huma.Error400BadRequest("The " + keyHeader + " must have 1 to 200 visible ASCII characters, without quotes or backslashes.")
	}
	asked, err := s.asked(ctx)
	if err != nil {
		return err
	}
	switch before, err := s.Store.RequestKey(ctx.ctx, text); {
	case err == nil && !bytes.Equal(before.Asked, asked):
		return huma.Error422UnprocessableEntity("This " + keyHeader + " was used for a different request. Nothing was changed. Use a new key " +
			"for each request.")
	case err == nil && before.Status == 0:
		return huma.Error409Conflict(doneBefore)
	case err == nil:
		ctx.SetStatus(before.Status)
		switch {
		case before.Status >= http.StatusBadRequest:
			ctx.SetHeader("Content-Type", "application/problem+json")
		case len(before.Answer) > 0:
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
	// A fault of the server is no answer to give again.
	if !key.Done() || ctx.out.begun || ctx.out.status >= http.StatusInternalServerError {
		return nil
	}
	answer := bytes.Clone(ctx.out.buffer.Bytes())
	// The program may be gone: it will send the request again and expects this answer.
	return problem(s.Receiver.KeepAnswer(context.WithoutCancel(ctx.ctx), text, ctx.out.status, answer), "request")
}

// doneBefore is the message for a key whose answer is not known.
const doneBefore = "A request with this " + keyHeader + " is still running, or was carried out and its answer was lost. Nothing was " +
	"done twice. Try again in a moment, or check the record."

// asked returns the SHA-256 of a request: actor, method, address, length and body. A streamed body is not read for it.
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
