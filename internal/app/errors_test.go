package app

import (
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestWhatGoesWrongInside takes a table away: the client gets a number and
// nothing of the database, the log gets the cause under that number.
func TestWhatGoesWrongInside(t *testing.T) {
	t.Parallel()
	l := start(t)
	if _, err := testdb.Pool(l.Store).Exec(t.Context(), `alter table message rename to gone`); err != nil {
		t.Fatal(err)
	}
	said := l.refused(l.Get(t.Context(), "/api/v1/messages", nil), http.StatusInternalServerError)
	for _, inner := range []string{"SQLSTATE", "relation", "select", "store."} {
		if strings.Contains(said, inner) {
			t.Errorf("the client is told %q: %s", inner, said)
		}
	}
	if _, headers, _ := l.asks(http.MethodGet, "/api/v1/messages", nil, nil); headers.Get("Content-Type") != "application/problem+json" ||
		headers.Get("X-Request-Number") == "" {
		t.Errorf("the answer's headers: %v", headers)
	}
	number := regexp.MustCompile("this is request ([A-Z0-9]{10})").FindStringSubmatch(said)
	if number == nil || !strings.Contains(l.log.String(), "request="+number[1]) || !strings.Contains(l.log.String(), "SQLSTATE") {
		t.Errorf("%q; the log has: %s", said, l.log)
	}
}

// TestRefusedInputIsNotRepeated sends a password where something else in the
// same input is wrong.
func TestRefusedInputIsNotRepeated(t *testing.T) {
	t.Parallel()
	l := start(t)
	for _, body := range []map[string]any{
		{"kind": "webdav", "name": "", "settings": map[string]string{"address": "https://example.com"},
			"secrets": map[string]any{"password": []string{"s3cret-thing"}}},
		{"kind": "webdav", "name": strings.Repeat("x", 900), "secrets": map[string]string{"password": "s3cret-thing"}},
		{"kind": "s3cret-thing"},
	} {
		said := l.refused(l.Post(t.Context(), "/api/v1/origins", body, nil), http.StatusUnprocessableEntity)
		if strings.Contains(said, "s3cret-thing") {
			t.Errorf("the answer repeats it: %s", said)
		}
	}
}

// TestAFailedRunTellsNothingFromInside lets a run fail on the database.
func TestAFailedRunTellsNothingFromInside(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	id := l.planned(l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})).ID, "after")
	if _, err := testdb.Pool(l.Store).Exec(t.Context(), `alter table placement rename column alt_by to gone`); err != nil {
		t.Fatal(err)
	}
	failed := func() (run store.Run) {
		var runs struct{ Items []store.Run }
		l.do(l.Get(t.Context(), "/api/v1/runs", &runs))
		return runs.Items[0]
	}
	err := l.Apply(t.Context(), id)
	said := fmt.Sprint(err)
	if err == nil {
		l.until("the run to end", func() bool { return l.idle(id) })
		said = failed().Message
	}
	if strings.Contains(said, "SQLSTATE") || strings.Contains(said, "alt_by") {
		t.Errorf("it says %q", said)
	}
}
