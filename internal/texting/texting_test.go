package texting

import (
	"errors"
	"testing"

	"ambrosa/core/identity"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestTextsAreKeptAsTheyWereSeen drafts the texts of two pictures, keeps one as a person wrote it, and takes both back.
func TestTextsAreKeptAsTheyWereSeen(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 2)
	_, files := testdb.Lot(t, s, 1, 2)
	for i, file := range files {
		testdb.Exec(t, s, `insert into placement (product_id, file_id, place) values ($1, $2, 1)`, i+1, file)
	}
	of := &Texter{Store: s}
	ctx, who := t.Context(), identity.Specialist
	choice := Choice{Over: "missing", Templates: []store.TextTemplate{{Template: "[title] in use"}}}
	r, err := of.Report(ctx, choice)
	if err != nil || r.Counts[Drafted] != 2 || r.Items[0].To != "Thing 1 in use" {
		t.Fatalf("%+v, %v", r, err)
	}
	if _, _, err := of.Keep(ctx, who, choice, 1, nil); !errors.Is(err, ErrOthers) {
		t.Errorf("others than were seen: %v", err)
	}
	text := func(id int64) string {
		return testdb.One[string](t, s, `select coalesce(alt, '') || ' by ' || coalesce(alt_by, '') from placement where id = $1`, id)
	}
	was := text(1)
	keeping, kept, err := of.Keep(ctx, who, choice, 2, []Edited{{Placement: r.Items[1].Placement, Text: " A lamp on a desk "}})
	if err != nil || kept != 2 || text(1) != "Thing 1 in use by draft" || text(2) != "A lamp on a desk by person" {
		t.Errorf("%d kept, %v: %s, %s", kept, err, text(1), text(2))
	}
	if err := of.Undo(ctx, who, keeping); err != nil || text(1) != was {
		t.Errorf("%v: %s", err, text(1))
	}
	if err := of.Undo(ctx, who, keeping); !errors.Is(err, store.ErrChanged) {
		t.Errorf("twice: %v", err)
	}
	var bad BadTemplate
	choice.Templates[0].Template = "[title"
	if _, err := of.Report(ctx, choice); !errors.As(err, &bad) {
		t.Errorf("a template that cannot be read: %v", err)
	}
}
