package app

import (
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"ambrosa/internal/testdb"
)

// under sends a request under a key, and returns status and answer.
func (l *line) under(key, path, body string) (int, string) {
	l.t.Helper()
	request, err := http.NewRequestWithContext(l.t.Context(), http.MethodPost, l.Address+"/api/v1"+path, strings.NewReader(body))
	l.do(err)
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Idempotency-Key", key)
	response, err := http.DefaultClient.Do(request)
	l.do(err)
	defer response.Body.Close()
	said, err := io.ReadAll(response.Body)
	l.do(err)
	return response.StatusCode, string(said)
}

// TestOneKeyOneDeed asks for the same under one key, one after the other and side by side: it is done once, and answered as it was
// answered first (draft-ietf-httpapi-idempotency-key-header-07, section 2.6).
func TestOneKeyOneDeed(t *testing.T) {
	t.Parallel()
	l := start(t)
	const body = `{"name":"Once","uploads":1}`
	status, first := l.under("6f1c", "/lots", body)
	if status != http.StatusCreated {
		t.Fatalf("%d %s", status, first)
	}
	if again, text := l.under("6f1c", "/lots", body); again != status || text != first {
		t.Errorf("again: %d %s, first %s", again, text, first)
	}
	if status, text := l.under("6f1c", "/lots", `{"name":"Other","uploads":1}`); status != http.StatusUnprocessableEntity {
		t.Errorf("something else: %d %s", status, text)
	}
	if status, text := l.under("a b", "/lots", body); status != http.StatusBadRequest {
		t.Errorf("no key: %d %s", status, text)
	}
	if _, text := l.under("7f1c", "/lots", body); text == first {
		t.Errorf("another key: %s", text)
	}

	var group sync.WaitGroup
	answers := make([]string, 12)
	for i := range answers {
		group.Go(func() {
			status, text := l.under("side", "/lots", body)
			if status == http.StatusConflict { // it was being done
				text = ""
			}
			answers[i] = text
		})
	}
	group.Wait()
	_, kept := l.under("side", "/lots", body)
	for _, text := range answers {
		if text != "" && text != kept {
			t.Errorf("side by side: %s, then %s", text, kept)
		}
	}
	if n := strings.TrimSpace(l.text("select count(*)::text from lot")); n != "3" {
		t.Errorf("%s lots, expected 3", n)
	}

	// What was refused was not done, and may be asked for again.
	if status, _ := l.under("bad", "/lots", `{"name":"","uploads":1}`); status != http.StatusUnprocessableEntity {
		t.Errorf("refused: %d", status)
	}
	if status, text := l.under("bad", "/lots", body); status != http.StatusCreated {
		t.Errorf("then right: %d %s", status, text)
	}

	// A day later the key is as good as new.
	_, err := testdb.Pool(l.Store).Exec(t.Context(), "update request_key set at = now() - interval '25 hours' where key = '6f1c'")
	l.do(err)
	if status, text := l.under("6f1c", "/lots", body); status != http.StatusCreated || text == first {
		t.Errorf("a day later: %d %s", status, text)
	}

	// The process ended between what was done and its answer: it is not done again.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), "update request_key set status = null, answer = null where key = 'side'")
	l.do(err)
	if status, text := l.under("side", "/lots", body); status != http.StatusConflict || !strings.Contains(text, "Nothing was done twice") {
		t.Errorf("without an answer: %d %s", status, text)
	}
}
