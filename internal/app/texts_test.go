package app

import (
	"fmt"
	"net/http"
	"slices"
	"testing"

	"ambrosa/internal/testdb"
)

// texts are a report of alternative texts, as a test reads it.
type texts struct {
	Wrong    string
	Matching int
	Counts   map[string]int
	Items    []struct {
		Placement int64
		SKU, Text string
		By, To    string
		Problems  []string
	}
	Keepings []struct{ ID, Texts int }
}

// TestTextsForMany drafts texts in a language, keeps them as they were seen, hands them on, and
// takes them back; what a person wrote stays, and what changed since is not kept unseen.
func TestTextsForMany(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update placement set alt = 'Picture of a thing', alt_by = 'person' where place = 2`)
	l.do(err)
	report := func(body map[string]any) (r texts) {
		t.Helper()
		body["limit"] = 100
		l.post("/api/v1/texts/report", body, &r)
		return r
	}
	said := func(body map[string]any) (all []string) {
		t.Helper()
		for _, i := range report(body).Items {
			all = append(all, i.Text+"/"+i.By)
		}
		return all
	}
	usual := said(map[string]any{})
	if r := report(map[string]any{"only": "begins"}); r.Matching != 1 || r.Items[0].Problems[0] != "begins" {
		t.Errorf("begins: %+v", r)
	}
	german := func(template string) map[string]any {
		return map[string]any{"language": "de", "over": "missing", "templates": []map[string]any{{"view": "", "template": template}}}
	}
	if r := report(german("[nothing]")); r.Wrong == "" {
		t.Errorf("a template of nothing: %+v", r)
	}
	r := report(german("[title] aus [option Colour], Bild [place]"))
	if r.Counts["drafted"] != 3 || r.Counts["missing"] != 0 || r.Items[0].To != "Thing 0 aus amber, Bild 1" {
		t.Fatalf("drafted: %+v", r)
	}
	keep := german("[title] aus [option Colour], Bild [place]")
	keep["seen"] = 2
	l.refused(l.Post(t.Context(), "/api/v1/texts/keep", keep, nil), http.StatusConflict)
	keep["seen"], keep["edited"] = 3, []map[string]any{{"placement": r.Items[2].Placement, "text": "Ein blaues Ding"}}
	var kept struct{ ID int64 }
	l.post("/api/v1/texts/keep", keep, &kept)
	want := []string{"Thing 0 aus amber, Bild 1/draft", "Thing 0 aus amber, Bild 2/draft", "Ein blaues Ding/person"}
	if got := said(map[string]any{"language": "de"}); !slices.Equal(got, want) {
		t.Errorf("kept: %q", got)
	}
	if got := said(map[string]any{}); !slices.Equal(got, usual) {
		t.Errorf("the usual language: %q", got)
	}
	// An outlet in that language has them; drafts are drafted anew, what a person wrote is not.
	var made struct{ ID int64 }
	l.post("/api/v1/outlets", aPackage("Laden", wants(map[string]any{"language": "de"})), &made)
	if _, sheet := l.packed(l.handedOn(made.ID).ID); sheet[1][7] != "Thing 0 aus amber, Bild 1" || sheet[3][7] != "Ein blaues Ding" {
		t.Errorf("handed on in German: %q", sheet)
	}
	anew := german("Neu: [title]")
	anew["over"] = "drafts"
	if r := report(anew); r.Counts["drafted"] != 2 || r.Items[2].To != "" {
		t.Errorf("drafted anew: %+v", r)
	}
	l.do(l.Post(t.Context(), fmt.Sprintf("/api/v1/texts/keepings/%d/undo", kept.ID), map[string]any{}, nil))
	if got := said(map[string]any{"language": "de"}); !slices.Equal(got, []string{"/", "/", "/"}) {
		t.Errorf("taken back: %q", got)
	}
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/texts/keepings/%d/undo", kept.ID), map[string]any{}, nil), http.StatusConflict)
	// In the usual language: what a person wrote stays, and going back brings what was.
	own := map[string]any{"over": "drafts", "templates": []map[string]any{{"view": "", "template": "[title]: [place]"}}, "seen": 2}
	l.post("/api/v1/texts/keep", own, &kept)
	if got := said(map[string]any{}); got[0] != "Thing 0: 1/draft" || got[1] != "Picture of a thing/person" {
		t.Errorf("kept in the usual language: %q", got)
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update placement set alt = 'Mine', alt_by = 'person' where alt = 'Thing 1: 1'`)
	l.do(err)
	l.do(l.Post(t.Context(), fmt.Sprintf("/api/v1/texts/keepings/%d/undo", kept.ID), map[string]any{}, nil))
	if got := said(map[string]any{}); got[0] != usual[0] || got[2] != "Mine/person" {
		t.Errorf("taken back, but for what a person wrote since: %q", got)
	}
}
