package app

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// before0042 makes a database as it was before actors had numbers and there was a record: the sample data, with a plan that was
// reverted. The file was written by pg_dump (PostgreSQL 15).
func before0042(t *testing.T) string {
	t.Helper()
	address := testdb.Empty(t)
	connection, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer connection.Close(context.WithoutCancel(t.Context()))
	if _, err := connection.PgConn().Exec(t.Context(), unpacked(t, "before_0042.sql.gz")).ReadAll(); err != nil {
		t.Fatal(err)
	}
	return address
}

// TestActorsOfBeforeAreNumbered migrates a database that was used, asks the API what it was asked then, and reads who did what from
// the record.
func TestActorsOfBeforeAreNumbered(t *testing.T) {
	t.Parallel()
	l := startOn(t, before0042(t))
	answers := bufio.NewScanner(strings.NewReader(unpacked(t, "before_0042.jsonl.gz")))
	answers.Buffer(nil, 16<<20)
	asked := 0
	for answers.Scan() {
		var before struct {
			Path string
			Body any
		}
		l.do(json.Unmarshal(answers.Bytes(), &before))
		if strings.HasPrefix(before.Path, "/search") { // which files it names was not determined then
			continue
		}
		if before.Path == "/mailing" { // tells what this server is set to
			continue
		}
		var now any
		l.do(l.Get(t.Context(), "/api/v1"+before.Path, &now))
		readAsApplied(now)
		if wrong := within(before.Body, now, before.Path); wrong != "" {
			t.Error(wrong)
		}
		asked++
	}
	if asked < 100 {
		t.Errorf("%d answers", asked)
	}
	if got := strings.Fields(l.text(`select kind || ':' || name from actor order by id`)); fmt.Sprint(got) !=
		"[person:specialist ambrosa:Ambrosa timetable:timetable]" {
		t.Errorf("actors: %v", got)
	}
	// The plan that was applied and reverted is in the history of each product that it was on.
	for _, action := range []identity.Action{identity.PlanApplied, identity.PlanReverted} {
		lines, err := l.App.Store.Record(t.Context(), store.RecordFilter{About: audit.Of(identity.Plan, 6), Action: action, Limit: 5})
		l.do(err)
		if len(lines) != 1 || lines[0].Who.Name != "specialist" || lines[0].Abouts < 2 {
			t.Fatalf("%s of plan 6: %+v", action, lines)
		}
		product := lines[0].About[1]
		of, err := l.App.Store.Record(t.Context(), store.RecordFilter{About: audit.Of(product.Kind, product.ID), Action: action, Limit: 50})
		l.do(err)
		if len(of) == 0 || product.Kind != identity.Product || product.Name == "" {
			t.Errorf("%s in the history of %+v: %+v", action, product, of)
		}
	}
	// And back: the names stand again where they stood.
	l.do(l.App.Store.MigrateDown(t.Context(), 41))
	if n := strings.TrimSpace(l.text(`select count(*) from plan where made_by <> 'specialist'`)); n != "0" {
		t.Errorf("%s plans are nobody's", n)
	}
}
