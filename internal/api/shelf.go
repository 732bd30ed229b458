package api

import (
	"context"
	"errors"

	"github.com/danielgtaylor/huma/v2"

	"ambrosa/core/shelf"
	"ambrosa/internal/shelving"
	"ambrosa/internal/store"
)

// shelfPage is a page of the shelf, with its folders.
type shelfPage struct {
	Items   []store.Shelved     `json:"items" nullable:"false"`
	Total   int64               `json:"total"`
	Folders []store.ShelfFolder `json:"folders" nullable:"false" doc:"In which pictures are, whatever is asked for"`
}

// shelfUndone is what taking a change back did.
type shelfUndone struct {
	Stayed int `json:"stayed" doc:"Pictures that somebody changed since, and that stay so"`
}

func shelfProblem(err error) error {
	for _, known := range []error{shelf.ErrDeep, shelf.ErrLong, shelf.ErrMany} {
		if errors.Is(err, known) {
			return huma.Error422UnprocessableEntity("It was not kept: " + known.Error() + ".")
		}
	}
	return problem(err, "picture")
}

func (s *Server) shelfOperations(api huma.API) {
	const tags = resource("Shelf")
	huma.Register(api, tags.get("list-shelf", "/shelf", "Pictures that are saved for later, folder by folder, the newest first"),
		func(ctx context.Context, in *struct {
			Window
			Folder string  `query:"folder" maxLength:"700" doc:"That they are in, or in one of its folders"`
			Query  string  `query:"q" maxLength:"200" doc:"Parts of folder, words or path, each somewhere"`
			Files  []int64 `query:"files" maxItems:"500" doc:"Only these"`
		}) (*Body[shelfPage], error) {
			filter := store.ShelfFilter{Folder: in.Folder, Query: in.Query, Files: in.Files}
			items, total, err := s.Store.Shelf(ctx, filter, in.Offset, in.Limit)
			if err != nil {
				return nil, problem(err, "shelf")
			}
			folders, err := s.Store.ShelfFolders(ctx)
			return &Body[shelfPage]{shelfPage{orEmpty(items), total, orEmpty(folders)}}, problem(err, "shelf")
		})
	huma.Register(api, tags.post("change-shelf", "/shelf", "Save files for later, change how they are kept, or take them off"),
		func(ctx context.Context, in *struct {
			Body struct {
				Files  []int64  `json:"files" nullable:"false" minItems:"1" maxItems:"5000"`
				Folder *string  `json:"folder,omitempty" maxLength:"700" doc:"That they go to; left out: they stay where they are"`
				Add    []string `json:"add,omitempty" maxItems:"30" doc:"Words that are added"`
				Remove []string `json:"remove,omitempty" maxItems:"30" doc:"Words that are taken away, letter case aside"`
				Off    bool     `json:"off,omitempty" doc:"They come off the shelf"`
			}
		}) (*Body[shelving.ShelfChange], error) {
			change := shelf.Change{Folder: in.Body.Folder, Add: in.Body.Add, Remove: in.Body.Remove, Off: in.Body.Off}
			done, err := s.Shelver.Change(ctx, s.actor(ctx), in.Body.Files, change)
			return &Body[shelving.ShelfChange]{done}, shelfProblem(err)
		})
	huma.Register(api, tags.post("undo-shelf", "/shelf/acts/{id}/undo", "Take a change of the shelf back"),
		func(ctx context.Context, in *ByID) (*Body[shelfUndone], error) {
			stayed, err := s.Shelver.Undo(ctx, s.actor(ctx), in.ID)
			return &Body[shelfUndone]{shelfUndone{stayed}}, shelfProblem(err)
		})
}
