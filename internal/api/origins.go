package api

import (
	"context"
	"errors"
	"io"
	"net/http"
	"path"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"golang.org/x/sync/errgroup"

	"ambrosa/core/audit"
	"ambrosa/core/harvest"
	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/core/picturespec"
	"ambrosa/internal/contained"
	"ambrosa/internal/gathering"
	"ambrosa/internal/origin"
	"ambrosa/internal/origin/kinds"
	"ambrosa/internal/origin/lookup"
	"ambrosa/internal/store"
)

// originInput is what a person enters about an origin.
type originInput struct {
	Kind         string            `json:"kind" doc:"Of a new origin; it stays"`
	Name         string            `json:"name" minLength:"1" maxLength:"200"`
	Settings     map[string]string `json:"settings" doc:"By field of the kind; a secret that is empty stays as it was"`
	Folder       string            `json:"folder" maxLength:"4000"`
	Selection    harvest.Selection `json:"selection"`
	Recipe       *harvest.Recipe   `json:"recipe,omitempty" doc:"Of a page recipe"`
	EveryMinutes int               `json:"everyMinutes" minimum:"0" maximum:"44640"`
	Rights       string            `json:"rights" enum:"cleared,restricted,unknown"`
	Licence      string            `json:"licence" maxLength:"500"`
	Credit       string            `json:"credit" maxLength:"500"`
	Expires      *time.Time        `json:"expires,omitempty"`
	Version      int               `json:"version,omitempty" doc:"Of an origin that is changed: as it was seen"`
}

type originKind struct {
	Name   string         `json:"name"`
	Label  string         `json:"label"`
	Fields []origin.Field `json:"fields" nullable:"false"`
}

type folderView struct {
	Path     string       `json:"path"`
	Folders  []subfolder  `json:"folders" nullable:"false"`
	Files    []remoteFile `json:"files" nullable:"false"`
	Pictures int          `json:"pictures" doc:"Files here that look like pictures by name"`
}

type subfolder struct {
	Path  string `json:"path"`
	Name  string `json:"name"`
	Files int    `json:"files" doc:"Files right in it; -1 where that was not counted"`
}

type remoteFile struct {
	Path     string    `json:"path"`
	Name     string    `json:"name"`
	Bytes    int64     `json:"bytes"`
	Modified time.Time `json:"modified"`
	Taken    bool      `json:"taken" doc:"The origin takes it"`
}

func (s *Server) originOperations(api huma.API) {
	const tags = resource("Origins")
	huma.Register(api, tags.get("list-origin-kinds", "/origin-kinds", "Kinds of origins and what they ask for"),
		func(context.Context, *struct{}) (*Body[Page[originKind]], error) {
			var list []originKind
			for _, kind := range kinds.All {
				list = append(list, originKind{kind.Name, kind.Label, kind.Fields})
			}
			return pageOf(list, int64(len(list))), nil
		})
	huma.Register(api, tags.get("list-origins", "/origins", "Origins"),
		func(ctx context.Context, _ *struct{}) (*Body[Page[store.Origin]], error) {
			list, err := s.Store.Origins(ctx)
			return pageOf(list, int64(len(list))), problem(err, "origin")
		})
	huma.Register(api, tags.get("get-origin", "/origins/{id}", "An origin"),
		func(ctx context.Context, in *ByID) (*Body[store.Origin], error) {
			found, err := s.Store.Origin(ctx, in.ID)
			return &Body[store.Origin]{found}, problem(err, "origin")
		})
	huma.Register(api, tags.create("create-origin", "/origins", "Test an origin, and keep it when it can be used"),
		func(ctx context.Context, in *struct{ Body originInput }) (*Body[store.Origin], error) {
			found, err := s.saveOrigin(ctx, store.Origin{Kind: in.Body.Kind}, in.Body)
			return &Body[store.Origin]{found}, err
		})
	huma.Register(api, tags.put("update-origin", "/origins/{id}", "Change an origin; it is tested first"),
		func(ctx context.Context, in *struct {
			ByID
			Body originInput
		}) (*Body[store.Origin], error) {
			before, err := s.Store.Origin(ctx, in.ID)
			if err != nil {
				return nil, problem(err, "origin")
			}
			if before.Version != in.Body.Version { // nothing is tested in vain
				return nil, s.originOvertaken(ctx, store.ErrChanged, in.ID)
			}
			found, err := s.saveOrigin(ctx, before, in.Body)
			return &Body[store.Origin]{found}, err
		})
	huma.Register(api, tags.remove("delete-origin", "/origins/{id}", "Forget an origin; what it brought stays"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Sourcer.ForgetOrigin(ctx, s.actor(ctx), in.ID), "origin")
		})
	huma.Register(api, tags.get("browse-origin", "/origins/{id}/folders", "What is in a folder of a drive"),
		func(ctx context.Context, in *struct {
			ByID
			Folder string `query:"folder" maxLength:"4000"`
		}) (*Body[folderView], error) {
			view, err := s.browse(ctx, in.ID, in.Folder)
			return &Body[folderView]{view}, err
		})
	huma.Register(api, tags.start("fetch-origin", "/origins/{id}/fetch", "Fetch what is new or changed, as a lot"),
		func(ctx context.Context, in *ByID) (*Body[created], error) {
			id, err := s.Gatherer.Fetch(ctx, s.actor(ctx), in.ID)
			if errors.Is(err, store.ErrChanged) {
				return nil, huma.Error409Conflict("A fetch from this origin is under way already.")
			}
			return &Body[created]{created{id}}, problem(err, "origin")
		})
}

func (s *Server) originOvertaken(ctx context.Context, err error, id int64) error {
	return s.overtaken(ctx, err, "origin", store.RecordFilter{About: audit.Of(identity.Origin, id), Action: identity.OriginChange})
}

// faulty answers what is wrong with an origin in its own words.
func faulty(err error) error {
	var fault *origin.Fault
	if errors.As(err, &fault) {
		return huma.Error422UnprocessableEntity(strings.ToUpper(fault.Reason[:1]) + fault.Reason[1:] + ".")
	}
	return problem(err, "origin")
}

// testTime bounds how long an origin may take to answer a person.
const testTime = 40 * time.Second

func (s *Server) saveOrigin(ctx context.Context, o store.Origin, in originInput) (store.Origin, error) {
	ctx, cancel := context.WithTimeout(ctx, testTime)
	defer cancel()
	o.Name, o.Folder, o.Selection, o.EveryMinutes = strings.TrimSpace(in.Name), cleanFolder(in.Folder), in.Selection, in.EveryMinutes
	o.Rights, o.Licence, o.Credit, o.Expires, o.Version = in.Rights, in.Licence, in.Credit, in.Expires, in.Version
	if err := o.Selection.Check(); err != nil {
		return o, huma.Error422UnprocessableEntity(err.Error())
	}
	if err := s.testOrigin(ctx, &o, in); err != nil {
		return o, workshopFault(err)
	}
	var err error
	if o.ID, err = s.Sourcer.SaveOrigin(ctx, s.actor(ctx), o); err != nil {
		return o, s.originOvertaken(ctx, err, o.ID)
	}
	found, err := s.Store.Origin(ctx, o.ID)
	return found, problem(err, "origin")
}

// testOrigin takes the settings of an origin's kind, and tries whether it can be
// used. What is wrong is an origin.Fault or a harvest.Problem.
func (s *Server) testOrigin(ctx context.Context, o *store.Origin, in originInput) error {
	o.Recipe = nil
	switch o.Kind {
	case store.RecipeKind:
		o.Settings = map[string]string{}
		if in.Recipe == nil {
			return origin.Faulty("there is no recipe", false, nil)
		}
		o.Recipe = in.Recipe
		return s.Workshop.Check(ctx, *in.Recipe)
	case store.PagesKind:
		o.Settings = map[string]string{}
		return nil
	}
	if err := s.Drives.Take(o, in.Settings); err != nil {
		return err
	}
	if o.Kind == store.LookupKind {
		return s.testService(ctx, *o)
	}
	drive, err := s.Drives.Open(ctx, *o)
	if err != nil {
		return err
	}
	defer drive.Close()
	if _, err := drive.List(ctx, o.Folder); err != nil {
		return err
	}
	o.Pinned = drive.Pinned()
	return nil
}

// testService asks a service for a barcode of the catalog; that it does not know
// it is no fault.
func (s *Server) testService(ctx context.Context, o store.Origin) error {
	settings, err := s.Drives.Settings(o)
	if err != nil {
		return err
	}
	service, err := lookup.Open(settings, s.Drives.Guard)
	if err != nil {
		return err
	}
	defer service.Close()
	code, err := s.Store.SomeBarcode(ctx)
	if err != nil || code == "" {
		return err
	}
	_, err = service.Ask(ctx, code)
	return err
}

func cleanFolder(folder string) string {
	return strings.Trim(path.Clean("/"+folder), "/")
}

func (s *Server) openDrive(ctx context.Context, id int64) (store.Origin, origin.Drive, error) {
	o, err := s.Store.Origin(ctx, id)
	if err != nil {
		return o, nil, problem(err, "origin")
	}
	drive, err := s.Drives.Open(ctx, o)
	return o, drive, faulty(err)
}

// counted is how many subfolders are looked into to tell how much they hold.
const counted = 40

func (s *Server) browse(ctx context.Context, id int64, folder string) (view folderView, err error) {
	ctx, cancel := context.WithTimeout(ctx, testTime)
	defer cancel()
	o, drive, err := s.openDrive(ctx, id)
	if err != nil {
		return view, err
	}
	defer drive.Close()
	folder = cleanFolder(legible.FromKey(folder))
	view = folderView{Path: legible.Key(folder), Folders: []subfolder{}, Files: []remoteFile{}}
	entries, err := drive.List(ctx, folder)
	if err != nil {
		return view, faulty(err)
	}
	now := time.Now()
	for _, e := range entries {
		name := path.Base(e.Path)
		if e.Folder {
			view.Folders = append(view.Folders, subfolder{legible.Key(e.Path), legible.Name(name), -1})
			continue
		}
		file := remoteFile{
			legible.Key(e.Path),
			legible.Name(name),
			e.Bytes,
			e.Modified,
			within(o.Folder, e.Path) && o.Selection.Takes(e.Path, e.Bytes, e.Modified, now),
		}
		if view.Files = append(view.Files, file); looksLikePicture(name) {
			view.Pictures++
		}
	}
	slices.SortFunc(view.Folders, func(a, b subfolder) int { return strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name)) })
	slices.SortFunc(view.Files, func(a, b remoteFile) int { return strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name)) })
	group, listing := errgroup.WithContext(ctx)
	group.SetLimit(4)
	for i := range view.Folders[:min(len(view.Folders), counted)] {
		group.Go(contained.Safely(func() error {
			below, err := drive.List(listing, legible.FromKey(view.Folders[i].Path))
			if err != nil {
				s.Log.Debug("a folder is not counted", "origin", id, "error", err)
				return nil // opening it will say why
			}
			view.Folders[i].Files = 0
			for _, e := range below {
				if !e.Folder {
					view.Folders[i].Files++
				}
			}
			return nil
		}))
	}
	return view, group.Wait()
}

// within tells whether a path lies in a folder; "" is the top.
func within(folder, path string) bool { return folder == "" || strings.HasPrefix(path, folder+"/") }

func looksLikePicture(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".jpg", ".jpeg", ".png", ".webp", ".tif", ".tiff", ".gif", ".heic", ".avif":
		return true
	}
	return false
}

// maxPeek bounds what is fetched only to be looked at, bytes.
const maxPeek = 64 << 20

// peek shows a file of a drive, small, before it is fetched.
func (s *Server) peek(c fiber.Ctx) error {
	ctx, cancel := context.WithTimeout(c.Context(), testTime)
	defer cancel()
	id := fiber.Params[int64](c, "id")
	_, drive, err := s.openDrive(ctx, id)
	if err != nil {
		return notToSee(err)
	}
	defer drive.Close()
	content, err := drive.Read(ctx, cleanFolder(legible.FromKey(c.Query("path"))))
	if err != nil {
		return notToSee(err)
	}
	defer content.Close()
	return s.sendSmall(ctx, c, content)
}

// sendSmall answers with a small rendering of a picture that is read.
func (s *Server) sendSmall(ctx context.Context, c fiber.Ctx, content io.ReadCloser) error {
	file, err := s.Blobs.Spool(http.MaxBytesReader(nil, content, maxPeek), picturespec.HeadBytes)
	if err != nil {
		return notToSee(err)
	}
	defer file.Remove()
	result, err := s.Pictures.Examine(ctx, file.Path, gathering.ThumbnailSize)
	if err != nil {
		return err
	}
	if result.Problem != "" {
		return fiber.NewError(http.StatusUnprocessableEntity, "This picture cannot be shown: "+result.Problem)
	}
	foreign(c)
	c.Set("Cache-Control", "private, max-age=600")
	c.Set("Content-Type", "image/webp")
	return c.Send(result.Rendition)
}

// notToSee says why a picture is not shown: what is wrong with the other side, or
// with the picture.
func notToSee(err error) error {
	var fault *origin.Fault
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &fault):
		return fiber.NewError(http.StatusUnprocessableEntity, "This picture cannot be shown: "+fault.Reason)
	case errors.As(err, &large):
		return fiber.NewError(http.StatusUnprocessableEntity, "This picture cannot be shown: it is larger than 64 MB.")
	case errors.Is(err, store.ErrNotFound):
		return fiber.NewError(http.StatusNotFound, "There is no such origin.")
	}
	return problem(err, "origin")
}
