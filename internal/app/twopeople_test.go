package app

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"ambrosa/core/coverage"
	"ambrosa/core/pairing"
	"ambrosa/internal/standin"
)

// TestTwoPeopleOnOneSetting changes each setting twice as it was first seen: the second is told who changed it and how, and what
// the first wrote stays.
func TestTwoPeopleOnOneSetting(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	ctx := t.Context()
	lot := l.gathered("two.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}))
	server, err := standin.WebDAV(ctx, "127.0.0.1:0", drive(t))
	l.do(err)
	origin := l.origin(map[string]any{"kind": "webdav", "settings": map[string]string{"address": "http://" + server.String() + "/",
		"user": standin.User, "password": standin.Password}})
	var outlet, clues struct{ ID int64 }
	l.post("/api/v1/outlets", aPackage("The shop", wants(nil)), &outlet)
	l.post("/api/v1/clue-lists", map[string]any{"name": "Own", "list": pairing.DefaultClues(), "version": 0}, &clues)
	l.do(l.Put(ctx, "/api/v1/shot-lists", map[string]any{"path": "", "version": 0,
		"shots": []coverage.Wanted{{View: "front", Count: 1}}}, nil))
	var upkeep struct{ Settings map[string]any }
	l.do(l.Get(ctx, "/api/v1/upkeep", &upkeep))
	var rights struct {
		Files, Cleared int
		Stamp          string
	}
	rightsOf := fmt.Sprintf("/api/v1/lots/%d/rights", lot.ID)
	l.do(l.Get(ctx, rightsOf+"?verdict=paired", &rights))
	if rights.Files != 2 || rights.Cleared != 2 {
		t.Errorf("rights: %+v", rights)
	}

	for _, c := range []struct {
		name, path string
		body       func(n int) map[string]any
		who        bool   // it is told who changed it
		kept       string // SQL for what the first wrote
		want       string
	}{
		{"mailing", "/api/v1/mailing", func(n int) map[string]any {
			return map[string]any{"address": fmt.Sprintf("n%d@example.com", n), "version": 1}
		}, true, "select address from mailing", "n1@example.com"},
		{"upkeep", "/api/v1/upkeep", func(n int) map[string]any {
			upkeep.Settings["holdDays"] = 40 + n
			return upkeep.Settings
		}, true, "select hold_days::text from upkeep_setting", "41"},
		{"origin", fmt.Sprintf("/api/v1/origins/%d", origin.ID), func(n int) map[string]any {
			return map[string]any{"kind": "webdav", "name": fmt.Sprintf("Drive %d", n), "settings": origin.Settings,
				"folder": "", "selection": map[string]any{}, "everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
				"version": origin.Version}
		}, true, "select name from origin", "Drive 1"},
		{"outlet", fmt.Sprintf("/api/v1/outlets/%d", outlet.ID), func(n int) map[string]any {
			body := aPackage(fmt.Sprintf("Shop %d", n), wants(nil))
			body["version"] = 1
			delete(body, "kind")
			return body
		}, true, "select name from outlet", "Shop 1"},
		{"clue list", fmt.Sprintf("/api/v1/clue-lists/%d", clues.ID), func(n int) map[string]any {
			return map[string]any{"name": fmt.Sprintf("Clues %d", n), "list": pairing.DefaultClues(), "version": 1}
		}, true, "select name from clue_list", "Clues 1"},
		{"shot list", "/api/v1/shot-lists", func(n int) map[string]any {
			return map[string]any{"path": "", "version": 1, "shots": []coverage.Wanted{{View: "front", Count: n}}}
		}, false, "select shots->0->>'count' from shot_list", "1"},
		{"rights", rightsOf, func(n int) map[string]any {
			return map[string]any{"rights": []string{"", "restricted", "unknown"}[n], "licence": "", "credit": "", "verdict": "paired",
				"stamp": rights.Stamp}
		}, true, "select distinct rights from file where verdict = 'paired'", "restricted"},
	} {
		l.do(l.Put(ctx, c.path, c.body(1), nil))
		said := l.refused(l.Put(ctx, c.path, c.body(2), nil), http.StatusConflict)
		if got := strings.TrimSpace(l.text(c.kept)); got != c.want {
			t.Errorf("%s: %q stands, not %q", c.name, got, c.want)
		}
		if !c.who {
			continue
		}
		var problem struct {
			Detail  string
			Changed struct {
				Who           struct{ Name string }
				Before, After json.RawMessage
			}
		}
		l.do(json.Unmarshal([]byte(said[strings.Index(said, "{"):]), &problem))
		if problem.Changed.Who.Name != "specialist" || !strings.Contains(problem.Detail, "specialist changed the ") ||
			len(problem.Changed.After) == 0 {
			t.Errorf("%s: %s", c.name, said)
		}
	}
}
