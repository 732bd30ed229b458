package api

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/internal/dropfolder"
	"ambrosa/internal/store"
)

type dropFolder struct {
	Address      string       `json:"address" doc:"What a file manager mounts; empty when it is not switched on"`
	QuietSeconds int          `json:"quietSeconds" doc:"How long nothing has to change before a lot is made"`
	People       []dropPerson `json:"people" nullable:"false"`
}

type dropPerson struct {
	Name    string    `json:"name"`
	Files   int       `json:"files" doc:"Waiting to become a lot"`
	Bytes   int64     `json:"bytes"`
	Changed time.Time `json:"changed"`
}

type dropPassword struct {
	Name     string `json:"name"`
	Password string `json:"password" doc:"Shown this once"`
}

type byName struct {
	Name string `path:"name" maxLength:"60"`
}

func (s *Server) dropOperations(api huma.API) {
	const tags = resource("Drop folder")
	huma.Register(api, tags.get("get-drop-folder", "/drop-folder", "The drop folder and who uses it"),
		func(ctx context.Context, _ *struct{}) (*Body[dropFolder], error) {
			found, err := s.dropFolder(ctx)
			return &Body[dropFolder]{found}, problem(err, "drop folder")
		})
	huma.Register(api, tags.create("add-drop-person", "/drop-folder/people", "Let someone drop files; the password is shown once"),
		func(ctx context.Context, in *struct {
			Body struct {
				Name string `json:"name" minLength:"1" maxLength:"60" pattern:"^[^:]+$" patternDescription:"a name without a colon"`
			}
		}) (*Body[dropPassword], error) {
			made := dropPassword{strings.TrimSpace(in.Body.Name), strings.ToLower(rand.Text())}
			if made.Name == "" {
				return nil, huma.Error422UnprocessableEntity("The name is empty.")
			}
			sum := sha256.Sum256([]byte(made.Password))
			err := s.Sourcer.AddDropPerson(ctx, s.actor(ctx), made.Name, sum[:])
			if errors.Is(err, store.ErrChanged) {
				return nil, huma.Error409Conflict("There is a person of that name already.")
			}
			return &Body[dropPassword]{made}, problem(err, "person")
		})
	huma.Register(api, tags.remove("remove-drop-person", "/drop-folder/people/{name}", "Do not let someone drop files any more"),
		func(ctx context.Context, in *byName) (*struct{}, error) {
			if s.Dropped != nil {
				if waiting, err := s.Dropped.Server.Waiting(in.Name); err == nil && waiting.Files > 0 {
					return nil, huma.Error409Conflict(
						"There are files of this person that have not become a lot yet. Make a lot of them first; nothing was changed.",
					)
				}
			}
			return nil, problem(s.Sourcer.RemoveDropPerson(ctx, s.actor(ctx), in.Name), "person")
		})
	huma.Register(api, tags.create("take-dropped", "/drop-folder/people/{name}/lot", "Make a lot of what someone dropped, now"),
		func(ctx context.Context, in *byName) (*Body[created], error) {
			if s.Dropped == nil {
				return nil, huma.Error409Conflict("The drop folder is not switched on.")
			}
			lot, err := s.Dropped.TakeNow(ctx, s.actor(ctx), in.Name)
			switch {
			case errors.Is(err, dropfolder.ErrBusy):
				return nil, huma.Error409Conflict("Something is being written just now. Try again when it is done.")
			case errors.Is(err, store.ErrNotFound):
				return nil, huma.Error409Conflict("Nothing is waiting.")
			}
			return &Body[created]{created{lot}}, problem(err, "person")
		})
}

func (s *Server) dropFolder(ctx context.Context) (found dropFolder, err error) {
	found.People = []dropPerson{}
	if s.Dropped == nil {
		return found, nil
	}
	found.Address, found.QuietSeconds = s.DropAddress, int(s.Dropped.Quiet.Seconds())
	people, err := s.Store.DropPeople(ctx)
	if err != nil {
		return found, err
	}
	for _, name := range people {
		waiting, err := s.Dropped.Server.Waiting(name)
		if err != nil {
			return found, err
		}
		found.People = append(found.People, dropPerson{name, waiting.Files, waiting.Bytes, waiting.Changed})
	}
	return found, nil
}
