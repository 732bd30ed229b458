package api

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/core/lot"
	"ambrosa/core/plan"
	"ambrosa/internal/blob"
	"ambrosa/internal/database"
	"ambrosa/internal/deciding"
	"ambrosa/internal/door"
	"ambrosa/internal/importing"
	"ambrosa/internal/planning"
	"ambrosa/internal/receiving"
	"ambrosa/internal/store"
)

// requestNumber is the header that names a request, in the answer and in the
// log.
const requestNumber = "X-Request-Number"

func newRequestNumber() string { return rand.Text()[:10] }

// inside is what went wrong in Ambrosa itself. Its cause goes to the log, under
// the request's number; the client gets the number alone.
type inside struct {
	status  int
	message string // for people; may be empty
	cause   error
}

func (e *inside) Error() string  { return http.StatusText(e.status) }
func (e *inside) Unwrap() error  { return e.cause }
func (e *inside) GetStatus() int { return e.status }

// ContentType is that of a problem.
func (e *inside) ContentType(asked string) string { return (&huma.ErrorModel{}).ContentType(asked) }

// said is what the client is told of it.
func (e *inside) said(number string) *Problem {
	text := e.message
	if text == "" {
		text = "Something went wrong inside Ambrosa. Nothing is lost; try again. In its log this is request " + number + "."
	}
	return newProblem(e.status, text)
}

// Problem is what operations answer where something is wrong (RFC 9457).
type Problem struct {
	huma.ErrorModel
	Changed *lastChange `json:"changed,omitempty" doc:"Where somebody changed it since it was seen: who, when and what"`
}

// lastChange is what somebody else did.
type lastChange struct {
	Who    identity.Actor  `json:"who"`
	At     time.Time       `json:"at"`
	Action identity.Action `json:"action"`
	Before json.RawMessage `json:"before,omitempty" doc:"How it was, in short"`
	After  json.RawMessage `json:"after,omitempty" doc:"How it was from then on"`
}

func newProblem(status int, detail string) *Problem {
	return &Problem{ErrorModel: huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail}}
}

// overtaken answers an error as problem does; where somebody changed the thing since it was seen, it says who, by the newest
// line of the record that by chooses.
func (s *Server) overtaken(ctx context.Context, err error, what string, by store.RecordFilter) error {
	if !errors.Is(err, store.ErrChanged) {
		return problem(err, what)
	}
	by.Limit = 1
	lines, recordErr := s.Store.Record(ctx, by)
	if recordErr != nil || len(lines) == 0 {
		return problem(errors.Join(err, recordErr), what)
	}
	last := lines[0]
	answer := newProblem(http.StatusConflict, fmt.Sprintf("%s changed the %s in the meantime. Nothing was saved. Look at the current "+
		"version, then make your change again.", last.Who.Name, what))
	answer.Changed = &lastChange{Who: last.Who, At: last.At, Action: last.Action, Before: last.Before, After: last.After}
	return answer
}

func init() { huma.NewError = newError }

// newError makes every problem that operations answer (RFC 9457). Where input was
// refused it says where and why, but never repeats the input: it may be a
// password.
func newError(status int, message string, causes ...error) huma.StatusError {
	if status >= http.StatusInternalServerError {
		if len(causes) > 0 {
			message = ""
		}
		return &inside{status, message, errors.Join(causes...)}
	}
	model := newProblem(status, message)
	for _, cause := range causes {
		var detailed huma.ErrorDetailer
		switch {
		case cause == nil:
		case errors.As(cause, &detailed):
			detail := detailed.ErrorDetail()
			model.Errors = append(model.Errors, &huma.ErrorDetail{Message: detail.Message, Location: detail.Location})
		default:
			model.Errors = append(model.Errors, &huma.ErrorDetail{Message: cause.Error()})
		}
	}
	return model
}

// hideInside logs the cause of what went wrong inside and answers without it.
func (s *Server) hideInside(ctx huma.Context, _ string, v any) (any, error) {
	e, ok := v.(*inside)
	if !ok {
		return v, nil
	}
	number := ctx.Header(requestNumber)
	s.Log.Error("request failed", "request", number, "operation", ctx.Operation().OperationID, "error", e.cause)
	return e.said(number), nil
}

// problem turns an error of the packages below into an answer.
func problem(err error, what string) error {
	var remade plan.Remade
	var known huma.StatusError
	var noTarget planning.NoTarget
	var closed receiving.LinkClosed
	var notTaken *importing.NotTaken
	var mayNot identity.Refused
	switch {
	case err == nil:
		return nil
	case errors.As(err, &mayNot):
		return huma.Error403Forbidden(mayNot.Who.Name + " may not do this. Nothing was changed. A steward can do it, or give you the role.")
	case errors.As(err, &known):
		return known
	case errors.As(err, &remade):
		return huma.Error409Conflict(remade.Error())
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("There is no such " + what + ".")
	case errors.Is(err, lot.ErrApplied):
		return huma.Error409Conflict(
			"This lot is finished, or a plan of it is being applied or reverted. Nothing was changed. Wait for the plan, or reopen the lot.",
		)
	case errors.Is(err, door.ErrDoneBefore):
		return huma.Error409Conflict(doneBefore)
	case errors.Is(err, store.ErrChanged):
		return huma.Error409Conflict("This " + what + " was changed in between. Look at it again; nothing was changed now.")
	case errors.Is(err, planning.ErrTooMany):
		return huma.Error422UnprocessableEntity("These products have too many pictures to change at once. Select pictures of fewer products; " +
			"nothing was changed.")
	case errors.Is(err, store.ErrPurged):
		return huma.Error409Conflict("All files of this " + what + " were purged, so that it cannot be brought back. The receipts in " +
			"Upkeep say what went, when, and by whom.")
	case errors.Is(err, store.ErrTaken):
		return huma.Error422UnprocessableEntity("Another " + what + " has this ID. Nothing was changed.")
	case errors.Is(err, store.ErrTooDeep):
		return huma.Error422UnprocessableEntity(fmt.Sprintf("A category lies at most %d levels deep, and its path has at most %d characters. "+
			"Nothing was changed.", catalog.MostDepth, catalog.MostPath))
	case errors.Is(err, deciding.ErrOtherBarcode):
		return huma.Error422UnprocessableEntity(
			"This picture was looked up for the barcode of another product; it cannot be put on this one.",
		)
	case errors.Is(err, deciding.ErrNoTarget):
		return huma.Error422UnprocessableEntity("A pair needs a product, a variant or a category.")
	case errors.As(err, &notTaken):
		return huma.Error422UnprocessableEntity(notTaken.Why)
	case errors.As(err, &closed):
		return huma.Error409Conflict(closed.Reason)
	case errors.Is(err, plan.ErrTwice):
		return huma.Error422UnprocessableEntity("The same picture stands there already; nothing was changed.")
	case errors.As(err, &noTarget):
		return huma.Error422UnprocessableEntity(fmt.Sprintf("There is no %s to put a picture on; nothing was changed.", noTarget.Target))
	case blob.IsFull(err):
		return &inside{http.StatusInsufficientStorage, "The disk of the server is full, so nothing was changed. Nothing is lost. Whoever runs " +
			"Ambrosa has to make room; then try again.", err}
	case errors.Is(err, blob.ErrElsewhere):
		return &inside{http.StatusServiceUnavailable, "The object store is not there, or is that of another library: a disk may not be " +
			"mounted. Nothing was changed, and nothing is lost. Whoever runs Ambrosa has to bring it back; then try again.", err}
	case database.IsAway(err):
		return &inside{http.StatusServiceUnavailable, awayText, err}
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was given up.")
	case database.WentMeanwhile(err):
		return huma.Error409Conflict("Something of this " + what + " is gone meanwhile. Look at it again; nothing was changed now.")
	case database.Unfit(err):
		return huma.Error422UnprocessableEntity("A value cannot be kept: a text holds a character that is not Unicode or is NUL, or a " +
			"number is too large. Nothing was changed.")
	case database.IsTransient(err):
		return &inside{http.StatusServiceUnavailable, "Others were changing the same at this moment; nothing was changed. Try again.", err}
	case database.TookTooLong(err):
		return &inside{
			http.StatusServiceUnavailable,
			"This took too long and was given up; nothing was changed. Ask for less at a time.",
			err,
		}
	}
	return &inside{http.StatusInternalServerError, "", err}
}

// awayText says that the database does not answer.
const awayText = "The database does not answer at the moment, so nothing could be read or changed. Nothing is lost. Ambrosa tries to " +
	"reach it again every second: try again in a moment."

// away answers that the database does not answer.
func away(c fiber.Ctx) error {
	c.Set("Retry-After", "2")
	return fiber.NewError(http.StatusServiceUnavailable, awayText)
}

// fail answers an error that no operation answered, as a problem of RFC 9457.
func (s *Server) fail(c fiber.Ctx, err error) error {
	model := newProblem(http.StatusInternalServerError, "")
	var known *fiber.Error
	if !errors.As(err, &known) && !database.IsAway(err) {
		var refused huma.StatusError
		if err = problem(err, "thing at this address"); errors.As(err, &refused) && refused.GetStatus() < http.StatusInternalServerError {
			err = fiber.NewError(refused.GetStatus(), refused.Error())
		}
	}
	var hidden *inside
	switch number := c.GetRespHeader(requestNumber); {
	case database.IsAway(err):
		s.Log.Error("request failed", "request", number, "path", pathToLog(c), "error", err)
		model.Status, model.Detail = http.StatusServiceUnavailable, awayText
		c.Set("Retry-After", "2")
	case errors.As(err, &known):
		model.Status, model.Detail = known.Code, known.Message
	case errors.As(err, &hidden):
		s.Log.Error("request failed", "request", number, "path", pathToLog(c), "error", hidden.cause)
		model = hidden.said(number)
	default:
		s.Log.Error("request failed", "request", number, "path", pathToLog(c), "error", err)
		model = (&inside{status: model.Status}).said(number)
	}
	model.Title = http.StatusText(model.Status)
	c.Status(model.Status)
	return c.JSON(model, "application/problem+json")
}
