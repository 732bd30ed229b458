package api

import (
	"context"
	"crypto/rand"
	"errors"
	"io"
	"net/http"
	"os"
	"path"
	"regexp"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	"github.com/tus/tusd/v2/pkg/filestore"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/tus/tusd/v2/pkg/memorylocker"
	"golang.org/x/exp/slog"

	"ambrosa/core/legible"
	"ambrosa/internal/receiving"
	"ambrosa/internal/store"
)

// MaxUpload bounds one upload, in bytes.
const MaxUpload = 4 << 30

// uploads takes files in chunks by the tus protocol (1.0), so that a broken
// connection or a closed page loses nothing that was acknowledged. The
// metadata "lot" and "path" say where a file belongs. What suppliers hand in
// through a link comes by an address of its own, with the metadata "link".
func (s *Server) uploads() error {
	if err := os.MkdirAll(s.Uploads, 0o700); err != nil {
		return err
	}
	composer := handler.NewStoreComposer()
	filestore.New(s.Uploads).UseIn(composer)
	memorylocker.New().UseIn(composer)
	for _, at := range []uploadAddress{
		{"/uploads/",
			func(event handler.HookEvent, u store.Upload) error {
				return s.Receiver.Begin(event.Context, s.actor(event.Context), u)
			},
			s.Store.UploadOpen},
		{"/hand-in/uploads/",
			func(event handler.HookEvent, u store.Upload) error {
				return s.Receiver.BeginHandIn(event.Context, sumOf(event.Upload.MetaData["link"]), u)
			},
			s.Receiver.HandInGoesOn},
	} {
		if err := s.takeUploads(at, composer); err != nil {
			return err
		}
	}
	return nil
}

// uploadAddress is an address that uploads come in at.
type uploadAddress struct {
	base  string
	begin func(handler.HookEvent, store.Upload) error    // records one, or says why not
	open  func(ctx context.Context, upload string) error // tells whether one may go on
}

func (s *Server) takeUploads(at uploadAddress, composer *handler.StoreComposer) error {
	tus, err := handler.NewHandler(handler.Config{
		BasePath: at.base, StoreComposer: composer, MaxSize: MaxUpload, DisableDownload: true, DisableTermination: true,
		Cors:   &handler.CorsConfig{Disable: true},
		Logger: slog.New(slog.NewTextHandler(io.Discard, nil)), PreFinishResponseCallback: s.finishUpload,
		PreUploadCreateCallback: func(event handler.HookEvent) (handler.HTTPResponse, handler.FileInfoChanges, error) {
			changes, err := beginUpload(event, at.begin)
			return handler.HTTPResponse{}, changes, err
		},
	})
	if err != nil {
		return err
	}
	serve := adaptor.HTTPHandler(untilAnswered(http.StripPrefix(at.base, tus)))
	for _, pattern := range []string{at.base, at.base + ":id"} {
		s.app.All(pattern, func(c fiber.Ctx) error {
			if err := at.admit(c); err != nil {
				// What was sent along is not read: the next request begins on another connection.
				c.RequestCtx().SetConnectionClose()
				return err
			}
			return serve(c)
		})
	}
	return nil
}

// admit looks at a request before its body is read into memory: only a chunk of
// an upload that may go on has one, and says how large it is.
func (d uploadAddress) admit(c fiber.Ctx) error {
	if id := c.Params("id"); id != "" && !uploadID.MatchString(id) {
		return fiber.NewError(http.StatusNotFound, "There is no such upload. Drop the file again.")
	}
	// A method in a header would be another one than what was looked at here.
	c.Request().Header.Del("X-HTTP-Method-Override")
	length := c.Request().Header.ContentLength()
	if c.Method() != http.MethodPatch {
		if length != 0 && length != emptyBody {
			return fiber.NewError(http.StatusRequestEntityTooLarge, "An upload is sent in chunks, by PATCH.")
		}
		return nil
	}
	switch {
	case length < 0:
		return fiber.NewError(http.StatusLengthRequired, "A chunk says how large it is.")
	case length > maxBody:
		return fiber.NewError(http.StatusRequestEntityTooLarge, "Send uploads in chunks of at most 16 MB.")
	}
	err := d.open(c.Context(), c.Params("id"))
	var closed receiving.LinkClosed
	switch {
	case errors.As(err, &closed):
		return fiber.NewError(http.StatusConflict, closed.Reason)
	case errors.Is(err, store.ErrNotFound):
		return fiber.NewError(http.StatusNotFound, "There is no such upload any more. Drop the file again.")
	}
	return err
}

// uploadID is what beginUpload names uploads.
var uploadID = regexp.MustCompile(`^[A-Za-z0-9-]{1,64}$`)

// emptyBody is what fasthttp says of a request without a body.
const emptyBody = -2

// untilAnswered gives each request a context that ends when it is answered, as
// net/http does and handlers rely on. The server's own ends with the server
// only, and is not fit to be watched after that.
func untilAnswered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, cancel := context.WithCancel(context.Background())
		defer cancel()
		next.ServeHTTP(w, r.WithContext(ctx))
	})
}

func refuseUpload(status int, text string) error {
	return handler.NewError("ERR_AMBROSA", text, status)
}

func beginUpload(event handler.HookEvent, begin func(handler.HookEvent, store.Upload) error) (changes handler.FileInfoChanges, err error) {
	lot, err := strconv.ParseInt(event.Upload.MetaData["lot"], 10, 64)
	if err != nil {
		return changes, refuseUpload(http.StatusUnprocessableEntity, "The upload does not say which lot it belongs to.")
	}
	name := strings.TrimLeft(path.Clean("/"+legible.Name(strings.ReplaceAll(event.Upload.MetaData["path"], "\\", "/"))), "/")
	if name == "" || len(name) > 4096 {
		return changes, refuseUpload(http.StatusUnprocessableEntity, "The upload has no name.")
	}
	if event.Upload.SizeIsDeferred {
		return changes, refuseUpload(http.StatusUnprocessableEntity, "The upload does not say how large it is.")
	}
	changes.ID = rand.Text()
	// A link's token is kept nowhere, and this is written beside the upload.
	changes.MetaData = handler.MetaData{"lot": event.Upload.MetaData["lot"], "path": name}
	err = begin(event, store.Upload{ID: changes.ID, LotID: lot, Path: name, Bytes: event.Upload.Size})
	var closed receiving.LinkClosed
	if errors.As(err, &closed) {
		return changes, refuseUpload(http.StatusConflict, closed.Reason)
	}
	if errors.Is(err, receiving.ErrTooMuch) {
		return changes, refuseUpload(
			http.StatusInsufficientStorage,
			"More is on its way already than there is room for. Wait until it has arrived, or give up what will not.",
		)
	}
	if errors.Is(err, store.ErrNotFound) {
		return changes, refuseUpload(http.StatusConflict, "The lot does not wait for files any more. Drop them again to make a new lot.")
	}
	return changes, err
}

func (s *Server) finishUpload(event handler.HookEvent) (handler.HTTPResponse, error) {
	return handler.HTTPResponse{}, s.finish(event.Context, event.Upload.ID)
}

// finish records that an upload is complete, by whom it came from.
func (s *Server) finish(ctx context.Context, upload string) error {
	who, err := s.Receiver.Uploader(ctx, upload, s.actor(ctx))
	if err != nil {
		return err
	}
	return s.Receiver.Finish(ctx, who, upload)
}

// FinishUploads records uploads whose last byte was written just before the
// process died; it is called at the start.
func (s *Server) FinishUploads(ctx context.Context) error {
	open, err := s.Store.UnfinishedUploads(ctx)
	if err != nil {
		return err
	}
	for _, u := range open {
		info, err := os.Stat(s.Uploads + "/" + u.ID)
		if err != nil || info.Size() != u.Bytes {
			continue
		}
		if err := s.finish(ctx, u.ID); err != nil {
			return err
		}
	}
	return nil
}
