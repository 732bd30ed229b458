package sourcing

import (
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"ambrosa/core/identity"
	"ambrosa/core/pairing"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// TestOriginsAreChangedAsTheyWereSeen makes an origin and changes it twice as it was first; its secrets are never in the record.
func TestOriginsAreChangedAsTheyWereSeen(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	of := &Sourcer{Store: s}
	ctx, who := t.Context(), identity.Specialist
	o := store.Origin{Kind: "webdav", Name: "Drive", Settings: map[string]string{"address": "http://127.0.0.1/"}, Rights: "unknown",
		Secrets: json.RawMessage(`{"password":"swordfish"}`)}
	id, err := of.SaveOrigin(ctx, who, o)
	if err != nil {
		t.Fatal(err)
	}
	if o, err = s.Origin(ctx, id); err != nil || o.Version != 1 {
		t.Fatalf("%+v, %v", o, err)
	}
	o.Name = "Spring drive"
	if _, err := of.SaveOrigin(ctx, who, o); err != nil {
		t.Fatal(err)
	}
	o.Name = "Somebody else's"
	if _, err := of.SaveOrigin(ctx, who, o); !errors.Is(err, store.ErrChanged) {
		t.Errorf("as it was: %v", err)
	}
	if now, err := s.Origin(ctx, id); err != nil || now.Name != "Spring drive" || now.Version != 2 {
		t.Errorf("%+v, %v", now, err)
	}
	if said := testdb.One[string](t, s, `select string_agg(concat(before, after), ' ') from record`); strings.Contains(said, "swordfish") ||
		!strings.Contains(said, "Spring drive") {
		t.Errorf("the record has %s", said)
	}
	if err := of.ForgetOrigin(ctx, who, id); err != nil {
		t.Fatal(err)
	}
	if _, err := of.SaveOrigin(ctx, who, o); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("one that is gone: %v", err)
	}
	want := []identity.Action{identity.OriginRemove, identity.OriginChange, identity.OriginMake}
	if got := testdb.Recorded(t, s, 5); !slices.Equal(got, want) {
		t.Errorf("recorded: %v", got)
	}
}

// TestLinksAndListsLeaveTheirMark makes, renews and ends a link, and teaches a lot.
func TestLinksAndListsLeaveTheirMark(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	testdb.Products(t, s, 1)
	of := &Sourcer{Store: s}
	ctx, who := t.Context(), identity.Specialist
	wanted := store.SupplierLink{Supplier: "Apigrund", Category: "Goods", Expires: time.Now().Add(time.Hour), MaxFiles: 5, MaxBytes: 100,
		Rights: "unknown"}
	link, err := of.AddLink(ctx, who, wanted, []byte("token"))
	if err != nil {
		t.Fatal(err)
	}
	wanted.Category = "Nowhere"
	if _, err := of.AddLink(ctx, who, wanted, []byte("other")); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("for a category that is not there: %v", err)
	}
	later := time.Now().Add(2 * time.Hour)
	if err := errors.Join(of.RenewLink(ctx, who, link, []byte("newer"), later), of.RevokeLink(ctx, who, link)); err != nil {
		t.Fatal(err)
	}
	clues, err := of.AddClues(ctx, who, "Own", pairing.DefaultClues())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := of.AddClues(ctx, who, "own", pairing.DefaultClues()); !errors.Is(err, store.ErrNameTaken) {
		t.Errorf("a name twice: %v", err)
	}
	lot, _ := testdb.Lot(t, s, 0)
	if err := of.ReadWith(ctx, who, lot, clues, false); err != nil {
		t.Fatal(err)
	}
	want := []identity.Action{identity.LotReadWith, identity.ClueListMake, identity.LinkRevoke, identity.LinkRenew, identity.LinkMake}
	if got := testdb.Recorded(t, s, 9); !slices.Equal(got, want) {
		t.Errorf("recorded: %v", got)
	}
}
