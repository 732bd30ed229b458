package api

import (
	"context"
	"errors"
	"io"
	"net/http"
	"regexp"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
	"ambrosa/internal/texting"
)

// pictureText is a picture's alternative text, and what it would be.
type pictureText struct {
	Placement int64    `json:"placement"`
	Product   int64    `json:"product"`
	SKU       string   `json:"sku"`
	Title     string   `json:"title"`
	View      string   `json:"view"`
	Place     int      `json:"place"`
	Sum       string   `json:"sum"`
	Text      string   `json:"text" doc:"As it is"`
	By        string   `json:"by" enum:",draft,person"`
	To        string   `json:"to" doc:"What is drafted; empty where it stays"`
	Problems  []string `json:"problems" nullable:"false" doc:"missing, same, long, begins, code"`
}

type textsView struct {
	Wrong     string               `json:"wrong" doc:"What is wrong with a template; then nothing is drafted"`
	Pictures  int                  `json:"pictures"`
	Counts    map[string]int       `json:"counts" doc:"By what is wrong; drafted for those that would change"`
	Matching  int                  `json:"matching" doc:"How many there are of those asked for"`
	Items     []pictureText        `json:"items" nullable:"false"`
	Templates []store.TextTemplate `json:"templates" nullable:"false" doc:"That were used last in this language"`
	Keepings  []store.TextKeeping  `json:"keepings" nullable:"false" doc:"Drafts that were kept together, the newest first"`
}

func textProblem(err error, thing string) error {
	var bad texting.BadTemplate
	switch {
	case errors.As(err, &bad):
		return huma.Error422UnprocessableEntity("It cannot be read: " + bad.Error() + ".")
	case errors.Is(err, texting.ErrOthers):
		return huma.Error409Conflict("Something changed since: other drafts would be kept than were seen. Look at them again.")
	}
	return problem(err, thing)
}

func (s *Server) textOperations(api huma.API) {
	const tags = resource("Texts")
	huma.Register(api, tags.post("report-texts", "/texts/report", "Alternative texts with what is wrong with them, and what is drafted"),
		func(ctx context.Context, in *struct {
			Body struct {
				texting.Choice
				Only   string `json:"only,omitempty" enum:"missing,same,long,begins,code,drafted" doc:"What is listed; left out for all"`
				Offset int    `json:"offset,omitempty" minimum:"0" maximum:"10000000"`
				Limit  int    `json:"limit,omitempty" minimum:"0" maximum:"500"`
			}
		}) (*Body[textsView], error) {
			view, err := s.textsView(ctx, in.Body.Choice, in.Body.Only, in.Body.Offset, in.Body.Limit)
			return &Body[textsView]{view}, textProblem(err, "text")
		})
	huma.Register(api, tags.create("keep-texts", "/texts/keep", "Keep what is drafted, as it was seen"),
		func(ctx context.Context, in *struct {
			Body struct {
				texting.Choice
				Seen   int              `json:"seen" minimum:"0" doc:"How many drafts were seen"`
				Edited []texting.Edited `json:"edited,omitempty" maxItems:"5000" doc:"What a person wrote instead"`
			}
		}) (*Body[created], error) {
			id, _, err := s.Texter.Keep(ctx, s.actor(ctx), in.Body.Choice, in.Body.Seen, in.Body.Edited)
			return &Body[created]{created{id}}, textProblem(err, "text")
		})
	huma.Register(api, tags.post("undo-texts", "/texts/keepings/{id}/undo", "Take back texts that were kept together"),
		func(ctx context.Context, in *ByID) (*struct{}, error) {
			return nil, problem(s.Texter.Undo(ctx, s.actor(ctx), in.ID), "texts")
		})
}

func (s *Server) textsView(ctx context.Context, c texting.Choice, only string, offset, limit int) (view textsView, err error) {
	view = textsView{Counts: map[string]int{}, Items: []pictureText{}}
	r, err := s.Texter.Report(ctx, c)
	var bad texting.BadTemplate
	if errors.As(err, &bad) {
		view.Wrong, err = "It cannot be read: "+bad.Error()+".", nil
	}
	if err != nil {
		return view, err
	}
	view.list(r, only, offset, limit)
	templates, err := s.Store.TextTemplates(ctx, c.Language)
	if err != nil {
		return view, err
	}
	keepings, err := s.Store.TextKeepings(ctx, c.Language, 20)
	view.Templates, view.Keepings = orEmpty(templates), orEmpty(keepings)
	return view, err
}

// list puts some of a report into the view.
func (v *textsView) list(r texting.Report, only string, offset, limit int) {
	v.Pictures = len(r.Items)
	if r.Counts != nil {
		v.Counts = r.Counts
	}
	for _, i := range r.Items {
		asked := only == "" || only == texting.Drafted && i.To != ""
		for _, p := range i.Problems {
			asked = asked || p == only
		}
		if !asked {
			continue
		}
		if v.Matching >= offset && len(v.Items) < limit {
			v.Items = append(v.Items, textOf(i))
		}
		v.Matching++
	}
}

func textOf(i texting.Item) pictureText {
	return pictureText{Placement: i.Placement, Product: i.Product, SKU: i.SKU, Title: i.Title, View: i.View, Place: i.Place, Sum: i.Sum,
		Text: i.Text, By: i.By, To: i.To, Problems: orEmpty(i.Problems)}
}

// textColumns are those of the sheet of texts.
var textColumns = []sheetfile.Column[texting.Item]{
	{Title: "SKU", Of: func(i texting.Item) any { return i.SKU }},
	{Title: "Product", Of: func(i texting.Item) any { return i.Title }},
	{Title: "Place", Of: func(i texting.Item) any { return i.Place }},
	{Title: "View", Of: func(i texting.Item) any { return i.View }},
	{Title: "File", Of: func(i texting.Item) any { return i.Name }},
	{Title: "Alternative text", Of: func(i texting.Item) any { return i.Text }},
	{Title: "Written by", Of: func(i texting.Item) any { return i.By }},
	{Title: "To look at", Of: func(i texting.Item) any { return strings.Join(i.Problems, ", ") }},
}

var languageCode = regexp.MustCompile(`^[a-zA-Z-]{0,20}$`)

// exportTexts writes the texts of a language, as a filter chooses them.
func (s *Server) exportTexts(c fiber.Ctx) error {
	choice := texting.Choice{Language: strings.Clone(c.Query("language")), Category: strings.Clone(c.Query("category")),
		Query: strings.Clone(c.Query("q"))}
	if !languageCode.MatchString(choice.Language) {
		return fiber.NewError(http.StatusUnprocessableEntity, "That is no language: write it as de or pt-BR.")
	}
	return s.download(c, strings.TrimSpace("alternative texts "+choice.Language), formatOf(c),
		func(ctx context.Context, out io.Writer, format export) error {
			r, err := s.Texter.Report(ctx, choice)
			if err != nil {
				return err
			}
			next := func() (i texting.Item, more bool, err error) {
				if len(r.Items) == 0 {
					return i, false, nil
				}
				i, r.Items = r.Items[0], r.Items[1:]
				return i, true, nil
			}
			if format == table {
				return sheetfile.WriteCSV(out, textColumns, next)
			}
			return sheetfile.WriteXLSX(out, "Texts", textColumns, next, nil)
		})
}
