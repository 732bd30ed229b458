// Package texting is the use cases of alternative texts: they are reported on, drafted for many at
// once, and kept once they were seen. What is wrong with a text is judged in core/naming.
package texting

import (
	"context"
	"errors"
	"strings"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/naming"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// Texter is the use cases of alternative texts.
type Texter struct {
	Store   *store.Store
	Readers contained.Program // of sheets that are brought
}

// Choice is which texts, and what is drafted.
type Choice struct {
	Language  string               `json:"language,omitempty" maxLength:"20" pattern:"^[a-zA-Z-]*$" doc:"As pt-BR; none for the usual one"`
	Category  string               `json:"category,omitempty" maxLength:"1000" doc:"Path: its products and those below it"`
	Query     string               `json:"q,omitempty" maxLength:"200" doc:"Part of a code, SKU, title or GTIN"`
	Over      string               `json:"over,omitempty" enum:"missing,drafts" doc:"Missing texts are drafted, or drafts, too"`
	Templates []store.TextTemplate `json:"templates,omitempty" maxItems:"50" doc:"By view; left out where nothing is drafted"`
}

// Item is a picture's text, with what it would be.
type Item struct {
	store.PictureText
	To       string   // what it would say; empty where it stays
	Problems []string // of what it says, or would say
}

// Report is texts with what is wrong with them.
type Report struct {
	Items  []Item
	Counts map[string]int // by what is wrong; "drafted" for those that would change
}

// BadTemplate says which template cannot be read, and why.
type BadTemplate struct {
	View string
	Err  error
}

func (e BadTemplate) Error() string {
	of := "of all views"
	if e.View != "" {
		of = "of " + e.View
	}
	return "the template " + of + ", " + e.Err.Error()
}

// Drafted is what is drafted, counted with what is wrong.
const Drafted = "drafted"

// Report judges the texts of a choice, and drafts those that its templates are for. What a person
// wrote stays. The error may be a BadTemplate.
func (t *Texter) Report(ctx context.Context, c Choice) (r Report, err error) {
	templates := map[string]naming.Template{}
	for _, one := range c.Templates {
		if strings.TrimSpace(one.Template) == "" {
			continue
		}
		if templates[strings.ToLower(one.View)], err = naming.ParseText(one.Template); err != nil {
			return r, BadTemplate{one.View, err}
		}
	}
	found, err := t.Store.PictureTexts(ctx, store.ProductFilter{Category: c.Category, Query: c.Query}, c.Language)
	if err != nil {
		return r, err
	}
	r.Items, r.Counts = make([]Item, len(found)), map[string]int{}
	judged := make([]naming.Text, len(found))
	for i, p := range found {
		r.Items[i] = Item{PictureText: p, To: draft(p, templates, c.Over)}
		text := p.Text
		if r.Items[i].To != "" {
			text = r.Items[i].To
			r.Counts[Drafted]++
		}
		judged[i] = naming.Text{Text: text, SKU: p.SKU, Code: p.Code, Name: p.Name}
	}
	for i, problems := range naming.JudgeTexts(judged) {
		r.Items[i].Problems = problems
		for _, p := range problems {
			r.Counts[p]++
		}
	}
	return r, nil
}

// draft is what a picture's text would be; empty where it stays.
func draft(p store.PictureText, templates map[string]naming.Template, over string) string {
	template, of := templates[strings.ToLower(p.View)]
	if !of {
		if template, of = templates[""]; !of {
			return ""
		}
	}
	missing := strings.TrimSpace(p.Text) == ""
	if p.By == "person" && !missing || over != "drafts" && !missing {
		return ""
	}
	if text := template.Draft(p.Picture); text != p.Text {
		return text
	}
	return ""
}

// Edited is a draft that a person wrote anew.
type Edited struct {
	Placement int64  `json:"placement"`
	Text      string `json:"text" maxLength:"500"`
}

// ErrOthers means that other drafts would be kept than were seen.
var ErrOthers = errors.New("other drafts would be kept than were seen")

// Keep keeps the drafts of a choice, those that were edited as they were. seen is how many drafts
// were seen: others are ErrOthers. It returns the keeping, and how many texts it has.
func (t *Texter) Keep(ctx context.Context, who identity.Actor, c Choice, seen int, edited []Edited) (keeping, kept int64, err error) {
	r, err := t.Report(ctx, c)
	if err != nil {
		return 0, 0, err
	}
	if r.Counts[Drafted] != seen {
		return 0, 0, ErrOthers
	}
	by := make(map[int64]string, len(edited))
	for _, e := range edited {
		by[e.Placement] = strings.TrimSpace(e.Text)
	}
	var texts []store.NewText
	for _, item := range r.Items {
		if own, is := by[item.Placement]; is {
			texts = append(texts, store.NewText{PictureText: item.PictureText, To: own, By: "person"})
		} else if item.To != "" {
			texts = append(texts, store.NewText{PictureText: item.PictureText, To: item.To, By: "draft"})
		}
	}
	err = t.Store.Do(ctx, door.By(who, identity.TextsKeep), func(tx *door.Tx) error {
		if err := store.KeepTemplates(ctx, tx, c.Language, c.Templates); err != nil {
			return err
		}
		keeping, kept, err = store.KeepTexts(ctx, tx, c.Language, texts)
		tell(tx, keeping, kept, c.Language, texts)
		return err
	})
	return keeping, kept, err
}

// tell says what was kept, of which products.
func tell(tx *door.Tx, keeping, kept int64, language string, texts []store.NewText) {
	tx.About(audit.Of(identity.Texts, keeping))
	for _, t := range texts {
		tx.About(audit.Of(identity.Product, t.Product))
	}
	tx.Changed(nil, map[string]any{"language": language, "texts": kept})
}

// Undo takes texts back that were kept together, as far as they still say what they said then.
// store.ErrChanged means that they were taken back already, store.ErrNotFound that there are none.
func (t *Texter) Undo(ctx context.Context, who identity.Actor, id int64) error {
	return t.Store.Do(ctx, door.By(who, identity.TextsUndo, audit.Of(identity.Texts, id)), func(tx *door.Tx) error {
		return store.UndoTexts(ctx, tx, id)
	})
}
