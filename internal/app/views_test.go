package app

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"
)

// TestAPictureThatCannotBeDecodedIsNotTriedAtEachView asks for the views of a JPEG with 60,000 segments, and of one that is damaged
// in the middle: each answers at once, and says why in plain words.
func TestAPictureThatCannotBeDecodedIsNotTriedAtEachView(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	plain := jpg(t, 1)
	segments := slices.Concat(plain[:2], bytes.Repeat([]byte("\xff\xe1\x00\x04ab"), 60_000), plain[2:])
	lot := l.gathered("hostile.zip", zipped(t, entry{"segments.jpg", segments}))
	sum := strings.TrimSpace(l.text(`select encode(sha256, 'hex') from file where path = 'segments.jpg'`))
	if f := l.file(lot.ID, "segments.jpg"); f.Verdict != "unusable" || sum == "" {
		t.Fatalf("it is %+v", f)
	}
	began := time.Now()
	for range 5 {
		for _, size := range []string{"thumb", "view"} {
			answer, err := http.Get(fmt.Sprintf("%s/media/%s/%s", l.URL, sum, size))
			l.do(err)
			said, err := io.ReadAll(answer.Body)
			l.do(err)
			l.do(answer.Body.Close())
			if answer.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(said), "segments") {
				t.Fatalf("%s answers %d: %s", size, answer.StatusCode, said)
			}
		}
	}
	if took := time.Since(began); took > 10*time.Second {
		t.Errorf("ten views took %s", took)
	}
}
