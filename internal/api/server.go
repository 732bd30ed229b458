// Package api is the HTTP interface: typed operations for everything the
// application does, uploads, events and pictures, and the pages that show them.
// It translates between HTTP and the packages that do the work, and holds no
// rule of its own.
package api

import (
	"context"
	"crypto/subtle"
	"errors"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	"github.com/gofiber/fiber/v3/middleware/compress"
	"github.com/gofiber/fiber/v3/middleware/recover"
	"github.com/gofiber/fiber/v3/middleware/static"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"ambrosa/core/identity"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/covering"
	"ambrosa/internal/database"
	"ambrosa/internal/deciding"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/door"
	"ambrosa/internal/drives"
	"ambrosa/internal/gathering"
	"ambrosa/internal/importing"
	"ambrosa/internal/picture"
	"ambrosa/internal/planning"
	"ambrosa/internal/reading"
	"ambrosa/internal/receiving"
	"ambrosa/internal/run"
	"ambrosa/internal/shelving"
	"ambrosa/internal/sourcing"
	"ambrosa/internal/store"
	"ambrosa/internal/texting"
	"ambrosa/internal/upkeeping"
	"ambrosa/internal/workshop"
)

// Server answers requests.
type Server struct {
	Store      *store.Store
	Blobs      *blob.Store
	Pictures   *picture.Pool
	Index      *reading.Index
	Runner     *run.Runner
	Planner    *planning.Planner
	Decider    *deciding.Decider
	Receiver   *receiving.Receiver
	Importer   *importing.Importer
	Upkeeper   *upkeeping.Upkeeper
	Coverer    *covering.Coverer
	Texter     *texting.Texter
	Sourcer    *sourcing.Sourcer
	Gatherer   *gathering.Gatherer
	Shelver    *shelving.Shelver
	Readers    contained.Program // of workbooks that are handed in
	Dispatcher *dispatching.Dispatcher
	Drives     *drives.Opener
	Workshop   *workshop.Workshop
	Dropped    *gathering.Dropped // nil when there is no drop folder
	Uploads    string             // folder of uploads under way
	Pages      fs.FS              // the built interface
	Log        *slog.Logger

	Limits  Limits
	Metrics string // token that /metrics is read with; empty for none, and no /metrics

	DropAddress string // of the drop folder
	Mailbox     string // page that shows the mails that go out, where there is one

	app      *fiber.App
	hub      hub
	unshown  *lru.Cache[blob.Sum, unshown] // pictures that could not be shown lately
	requests *prometheus.HistogramVec
}

// actor is who a request acts for: the one person, until accounts come.
func (s *Server) actor(context.Context) identity.Actor { return identity.Specialist }

// maxBody bounds a request's body that is held in memory, in bytes; bodies
// that stream are bounded where they are read.
const maxBody = 24 << 20

// Handler builds the application. It may be called once.
func (s *Server) Handler() (*fiber.App, huma.API, error) {
	s.app = fiber.New(fiber.Config{
		AppName:           "Ambrosa",
		BodyLimit:         maxBody,
		StreamRequestBody: true,
		ReadTimeout:       5 * time.Minute,
		IdleTimeout:       2 * time.Minute,
		ErrorHandler:      s.fail,
	})
	s.unshown, _ = lru.New[blob.Sum, unshown](10_000) // fails for sizes below 1
	registry := prometheus.NewRegistry()
	s.requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "ambrosa_request_seconds", Help: "Time to answer a request, by operation and status.", Buckets: prometheus.DefBuckets,
	}, []string{"operation", "status"})
	registry.MustRegister(s.requests, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))

	s.app.Use(recover.New(), s.observe, secure, admit)
	s.app.Get("/healthz", func(c fiber.Ctx) error { return c.SendString("ok\n") })
	s.app.Get("/readyz", s.ready)
	if s.Metrics != "" {
		s.app.Get("/metrics", s.withToken, adaptor.HTTPHandler(promhttp.HandlerFor(registry, promhttp.HandlerOpts{})))
	}
	s.app.Use([]string{"/api", "/assets"}, compress.New(compress.Config{Level: compress.LevelBestSpeed, Next: func(c fiber.Ctx) bool {
		return strings.HasSuffix(c.Path(), "/events")
	}}))
	operations := s.operations()
	s.app.Use([]string{"/media", "/packages"}, s.whileThere)
	s.media()
	if err := s.uploads(); err != nil {
		return nil, nil, err
	}
	if s.Pages != nil {
		s.pages()
	}
	return s.app, operations, nil
}

// Operations returns the typed interface alone, to write its description.
func Operations() huma.API {
	s := &Server{app: fiber.New()}
	return s.operations()
}

func (s *Server) operations() huma.API {
	config := huma.DefaultConfig("Ambrosa", "1.0.0")
	config.Info.Description = "Gather suppliers' pictures, pair them with products, plan, apply, and take everything back."
	config.OpenAPIPath = "/api/openapi"
	config.DocsPath = ""
	config.SchemasPath = ""
	config.CreateHooks = nil
	config.Transformers = append(config.Transformers, s.hideInside)
	api := huma.NewAPI(config, &adapter{s.app, s.Store})
	api.UseMiddleware(s.once(api))
	s.productOperations(api)
	s.catalogOutOperations(api)
	s.byHandOperations(api)
	s.sheetOperations(api)
	s.lotOperations(api)
	s.fileOperations(api)
	s.clueOperations(api)
	s.planOperations(api)
	s.runOperations(api)
	s.originOperations(api)
	s.workshopOperations(api)
	s.lookupOperations(api)
	s.dropOperations(api)
	s.linkOperations(api)
	s.scanOperations(api)
	s.overviewOperations(api)
	s.limitOperations(api)
	s.messageOperations(api)
	s.upkeepOperations(api)
	s.dispatchOperations(api)
	s.exceptionOperations(api)
	s.coverageOperations(api)
	s.textOperations(api)
	s.shelfOperations(api)
	s.recordOperations(api)
	describeRecord(api)
	describeDeeds(api)
	s.eventOperations(api)
	describeEvents(api)
	describe(api.OpenAPI())
	return api
}

// Heard passes an event on to everyone who watches.
func (s *Server) Heard(event door.Event) { s.hub.send(event) }

// observe logs and times every request.
func (s *Server) observe(c fiber.Ctx) error {
	start := time.Now()
	number := newRequestNumber()
	c.Request().Header.Set(requestNumber, number)
	c.Set(requestNumber, number)
	err := c.Next()
	if err != nil {
		if failed := s.fail(c, err); failed != nil {
			return failed
		}
	}
	took := time.Since(start)
	operation := c.Method() + " " + c.Route().Path
	status := c.Response().StatusCode()
	s.requests.WithLabelValues(operation, http.StatusText(status)).Observe(took.Seconds())
	level := slog.LevelDebug
	if status >= 500 {
		level = slog.LevelError
	}
	s.Log.Log(c.Context(), level, "request", "number", number, "method", c.Method(), "path", pathToLog(c), "status", status, "took", took)
	return nil
}

// pathToLog is a request's path, without the token that some paths have: who knows it may come in.
func pathToLog(c fiber.Ctx) string {
	for _, name := range c.Route().Params {
		if name == "token" {
			return c.Route().Path
		}
	}
	for _, with := range []string{"/packages/", "/hand-in/"} {
		if before, _, is := strings.Cut(c.Path(), with); is {
			return before + with + "…"
		}
	}
	return c.Path()
}

// secure sets what browsers need to know to keep foreign content in bounds.
func secure(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "same-origin")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	c.Set(
		"Content-Security-Policy",
		"default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; frame-ancestors 'none'; "+
			"base-uri 'none'; form-action 'self'",
	)
	return c.Next()
}

// admit is the one place that decides who may come in, and as whom. There are
// no accounts yet: everyone on this machine may, and nobody from elsewhere, be
// it through a page in a browser here that names this machine otherwise.
func admit(c fiber.Ctx) error {
	host := c.Hostname()
	if host != "localhost" && host != "127.0.0.1" && host != "::1" && host != "[::1]" {
		return fiber.NewError(http.StatusForbidden, "Ambrosa answers on this machine's own address only, http://127.0.0.1")
	}
	// What a browser loads for a page from elsewhere (Fetch Metadata Request Headers, W3C): that page may link here, no more.
	if site := c.Get("Sec-Fetch-Site"); (site == "cross-site" || site == "same-site") &&
		(c.Get("Sec-Fetch-Mode") != "navigate" || c.Method() != http.MethodGet || strings.HasPrefix(c.Path(), "/media/")) {
		return fiber.NewError(http.StatusForbidden, "a page from elsewhere may not load anything from here")
	}
	if origin := c.Get("Origin"); origin != "" && c.Method() != http.MethodGet && c.Method() != http.MethodHead &&
		origin != "http://"+c.Host() {
		return fiber.NewError(http.StatusForbidden, "a page from elsewhere may not change anything here")
	}
	return c.Next()
}

// withToken lets in who knows the metrics' token (RFC 6750).
func (s *Server) withToken(c fiber.Ctx) error {
	token := strings.TrimPrefix(c.Get("Authorization"), "Bearer ")
	if subtle.ConstantTimeCompare([]byte(token), []byte(s.Metrics)) != 1 {
		return fiber.NewError(http.StatusUnauthorized, "Metrics are read with the token that AMBROSA_METRICS_TOKEN says.")
	}
	return c.Next()
}

func (s *Server) ready(c fiber.Ctx) error {
	ctx, cancel := context.WithTimeout(c.Context(), 2*time.Second)
	defer cancel()
	if err := s.Store.Ping(ctx); err != nil {
		return fiber.NewError(http.StatusServiceUnavailable, "the database does not answer")
	}
	if err := s.Blobs.There(ctx); err != nil {
		s.Log.Error("the object store is not ready", "error", err)
		return fiber.NewError(http.StatusServiceUnavailable, "the object store is not there, or is that of another library")
	}
	return c.SendString("ready\n")
}

// longestStream is how long one answer may be sent.
const longestStream = 6 * time.Hour

// whileThere ends what an address does that is no operation when the database does not answer.
func (s *Server) whileThere(c fiber.Ctx) error {
	ctx, end := s.Store.WhileThere(c.Context())
	c.SetContext(ctx)
	err := c.Next()
	if err != nil && errors.Is(context.Cause(ctx), database.ErrAway) {
		err = away(c)
	}
	if c.Response().IsBodyStream() {
		time.AfterFunc(longestStream, end) // it is sent after this returns
		return err
	}
	end()
	return err
}

// pages serves the interface; addresses that are views of it give its page.
func (s *Server) pages() {
	s.app.Get("/api", func(c fiber.Ctx) error { return s.page(c, "api.html") })
	if assets, err := fs.Sub(s.Pages, "assets"); err == nil {
		s.app.Use("/assets", static.New("", static.Config{FS: assets, MaxAge: 31536000}))
	}
	s.app.Get("/favicon.svg", func(c fiber.Ctx) error {
		c.Set("Content-Type", "image/svg+xml")
		return s.page(c, "favicon.svg")
	})
	s.app.Get("/*", func(c fiber.Ctx) error {
		if strings.HasPrefix(c.Path(), "/api/") || strings.HasPrefix(c.Path(), "/assets/") {
			return fiber.NewError(http.StatusNotFound, "There is nothing at this address.")
		}
		return s.page(c, "index.html")
	})
}

func (s *Server) page(c fiber.Ctx, name string) error {
	content, err := fs.ReadFile(s.Pages, name)
	if err != nil {
		return fiber.NewError(http.StatusNotFound, "The interface is not built into this program: build it with make.")
	}
	if strings.HasSuffix(name, ".html") {
		c.Set("Content-Type", "text/html; charset=utf-8")
	}
	c.Set("Cache-Control", "no-cache")
	return c.Send(content)
}
