package api

import (
	"context"
	"errors"
	"net/url"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/core/harvest"
	"ambrosa/internal/store"
	"ambrosa/internal/workshop"
)

type addressed struct {
	Address string `json:"address" minLength:"1" maxLength:"8000"`
}

type pageView struct {
	Address string `json:"address" doc:"After redirects"`
	Title   string `json:"title"`
	HTML    string `json:"html" doc:"A rendering without scripts, styles and addresses; each element has its number"`
}

type pagePictures struct {
	Address  string             `json:"address"`
	Title    string             `json:"title"`
	Pictures []workshop.Picture `json:"pictures" nullable:"false"`
}

type chosenPicture struct {
	Address string `json:"address" minLength:"1" maxLength:"8000"`
	Name    string `json:"name" minLength:"1" maxLength:"400" doc:"Of the file, with folders"`
}

func (s *Server) workshopOperations(api huma.API) {
	const tags = resource("Workshop")
	huma.Register(api, tags.post("look-at-page", "/workshop/page", "A page, rendered safely"),
		func(ctx context.Context, in *struct{ Body addressed }) (*Body[pageView], error) {
			read, err := s.Workshop.Page(ctx, in.Body.Address)
			if err != nil {
				return nil, workshopFault(err)
			}
			return &Body[pageView]{pageView{read.Address.String(), read.Title, read.Safe(peekAt)}}, nil
		})
	huma.Register(api, tags.post("try-recipe", "/workshop/try", "What each step of a recipe finds on a page"),
		func(ctx context.Context, in *struct {
			Body struct {
				Address string         `json:"address" minLength:"1" maxLength:"8000"`
				Recipe  harvest.Recipe `json:"recipe"`
			}
		}) (*Body[workshop.Trial], error) {
			trial, err := s.Workshop.Try(ctx, in.Body.Address, in.Body.Recipe)
			return &Body[workshop.Trial]{trial}, workshopFault(err)
		})
	huma.Register(api, tags.post("propose-selectors", "/workshop/selectors", "Selectors that find an element of a page"),
		func(ctx context.Context, in *struct {
			Body struct {
				Address string `json:"address" minLength:"1" maxLength:"8000"`
				Element int    `json:"element" minimum:"1"`
				Many    bool   `json:"many" doc:"Find others of its kind too"`
			}
		}) (*Body[Page[harvest.Proposal]], error) {
			read, err := s.Workshop.Page(ctx, in.Body.Address)
			if err != nil {
				return nil, workshopFault(err)
			}
			list := read.Propose(in.Body.Element, in.Body.Many)
			return pageOf(list, int64(len(list))), nil
		})
	huma.Register(api, tags.post("measure-pictures", "/workshop/measure", "Sizes of pictures, from their first bytes"),
		func(ctx context.Context, in *struct {
			Body struct {
				Addresses []string `json:"addresses" maxItems:"60" nullable:"false"`
			}
		}) (*Body[Page[workshop.Measure]], error) {
			list, err := s.Workshop.Measure(ctx, in.Body.Addresses)
			return pageOf(list, int64(len(list))), workshopFault(err)
		})
	huma.Register(api, tags.post("learn-rewriting", "/workshop/learn", "Rewritings from one pair of addresses, proved on others"),
		func(ctx context.Context, in *struct {
			Body struct {
				Small  string   `json:"small" minLength:"1" maxLength:"8000"`
				Large  string   `json:"large" minLength:"1" maxLength:"8000"`
				Others []string `json:"others" maxItems:"200" nullable:"false"`
			}
		}) (*Body[Page[workshop.Lesson]], error) {
			list, err := s.Workshop.Learn(ctx, in.Body.Small, in.Body.Large, in.Body.Others)
			return pageOf(list, int64(len(list))), workshopFault(err)
		})
	huma.Register(api, tags.post("page-pictures", "/pages/pictures", "Every picture that a page knows, its renditions measured, the "+
		"largest first"),
		func(ctx context.Context, in *struct{ Body addressed }) (*Body[pagePictures], error) {
			read, pictures, err := s.Workshop.Pictures(ctx, in.Body.Address)
			if err != nil {
				return nil, workshopFault(err)
			}
			return &Body[pagePictures]{pagePictures{read.Address.String(), read.Title, pictures}}, nil
		})
	huma.Register(api, tags.start("take-pictures", "/pages/take", "Fetch chosen pictures of a page, as a lot"),
		func(ctx context.Context, in *struct {
			Body struct {
				Address  string          `json:"address" minLength:"1" maxLength:"8000"`
				Title    string          `json:"title" maxLength:"500"`
				Pictures []chosenPicture `json:"pictures" minItems:"1" maxItems:"2000" nullable:"false"`
			}
		}) (*Body[created], error) {
			items := make([]store.FetchItem, 0, len(in.Body.Pictures))
			for _, p := range in.Body.Pictures {
				items = append(
					items,
					store.FetchItem{
						Path:    harvest.NameFor(p.Name, nil, len(items)+1, harvest.ExtensionOf(p.Address)),
						Address: p.Address,
						Page:    in.Body.Address,
						Said:    map[string]string{"address": in.Body.Address, "page": in.Body.Title},
					},
				)
			}
			lot, err := s.Gatherer.TakePictures(ctx, s.actor(ctx), in.Body.Address, in.Body.Title, items)
			return &Body[created]{created{lot}}, problem(err, "lot")
		})
}

func peekAt(address string) string { return "/media/peek?address=" + url.QueryEscape(address) }

// workshopFault answers what is wrong with a page or a recipe in its own words.
func workshopFault(err error) error {
	var step *harvest.Problem
	if errors.As(err, &step) {
		return huma.Error422UnprocessableEntity("The step “" + step.Step + "” cannot be used: " + step.Reason + ".")
	}
	return faulty(err)
}

// peekAtPicture shows a picture of a page, small, before it is fetched.
func (s *Server) peekAtPicture(c fiber.Ctx) error {
	ctx, cancel := context.WithTimeout(c.Context(), testTime)
	defer cancel()
	content, err := s.Workshop.Read(ctx, c.Query("address"))
	if err != nil {
		return notToSee(err)
	}
	defer content.Close()
	return s.sendSmall(ctx, c, content)
}
