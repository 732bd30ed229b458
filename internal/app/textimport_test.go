package app

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"ambrosa/internal/testdb"
)

// textsFrom has a sheet of texts read, and (keep) kept.
func (l *line) textsFrom(language string, keep string, sheet []byte) (status int, said struct {
	Rows, Same, Changed int
	Items               []struct{ SKU, Text, To string }
	Refused             []struct {
		Row int
		Why string
	}
	Print   string
	Keeping int64
	Detail  string
}) {
	l.t.Helper()
	address := fmt.Sprintf("%s/media/texts?language=%s&keep=%s", l.URL, language, keep)
	answer, err := http.Post(address, "application/octet-stream", bytes.NewReader(sheet))
	l.do(err)
	defer answer.Body.Close()
	content, err := io.ReadAll(answer.Body)
	l.do(err)
	if err := json.Unmarshal(content, &said); err != nil {
		l.t.Fatalf("%s: %v", content, err)
	}
	return answer.StatusCode, said
}

// TestTextsGoOutAndComeBack takes texts out as a sheet, has a colleague change some, and brings it
// back: what would change is seen, kept as a person's, and taken back together.
func TestTextsGoOutAndComeBack(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	workbook, _ := l.taken("/media/texts")
	if _, said := l.textsFrom("", "", workbook); said.Rows != 3 || said.Same != 3 {
		t.Errorf("the workbook brought back: %+v", said)
	}
	out, _ := l.taken("/media/texts?format=csv")
	rows, err := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(out, []byte("\ufeff")))).ReadAll()
	l.do(err)
	if len(rows) != 4 {
		t.Fatalf("%d rows", len(rows))
	}
	if _, said := l.textsFrom("", "", out); said.Rows != 3 || said.Same != 3 || said.Changed != 0 {
		t.Fatalf("brought back as it went out: %+v", said)
	}
	at := func(title string) int {
		for i, h := range rows[0] {
			if h == title {
				return i
			}
		}
		t.Fatalf("no column %s in %q", title, rows[0])
		return -1
	}
	rows[1][at("Alternative text")] = "Ein Ding, von vorn"
	rows[2][at("SKU")] = "XX-9"
	rows[3][at("Alternative text")] = ""
	var edited bytes.Buffer
	l.do(csv.NewWriter(&edited).WriteAll(rows))
	for _, language := range []string{"", "de"} {
		_, said := l.textsFrom(language, "", edited.Bytes())
		if said.Changed != 1 || len(said.Items) != 1 || said.Items[0].To != "Ein Ding, von vorn" || len(said.Refused) != 1 ||
			said.Refused[0].Row != 3 || !strings.Contains(said.Refused[0].Why, "do not go together") {
			t.Fatalf("%q: %+v", language, said)
		}
		// Somebody writes another text in between: as many would change, and it is not what was seen.
		change := `insert into alt_text (product_id, variant_id, sha256, language, text, by)
			select p.product_id, coalesce(p.variant_id, 0), f.sha256, 'de', 'In between', 'person' from placement p join file f on f.id = p.file_id`
		if language == "" {
			change = `update placement set alt = 'In between', alt_by = 'person'`
		}
		seen := said.Print
		_, err := testdb.Pool(l.Store).Exec(t.Context(), change)
		l.do(err)
		if status, said := l.textsFrom(language, seen, edited.Bytes()); status != http.StatusConflict {
			t.Errorf("kept unseen: %d %+v", status, said)
		}
		_, said = l.textsFrom(language, "", edited.Bytes())
		_, kept := l.textsFrom(language, said.Print, edited.Bytes())
		if kept.Keeping == 0 || kept.Changed != 1 {
			t.Fatalf("kept: %+v", kept)
		}
		if _, said := l.textsFrom(language, "", edited.Bytes()); said.Changed != 0 || said.Same != 1 {
			t.Errorf("kept, it would change %+v", said)
		}
		l.post(fmt.Sprintf("/api/v1/texts/keepings/%d/undo", kept.Keeping), nil, nil)
		if _, said := l.textsFrom(language, "", edited.Bytes()); said.Changed != 1 {
			t.Errorf("taken back, it would change %+v", said)
		}
	}
	for sheet, want := range map[string]string{
		"SKU,Note\nAT-000-A,x\n": "Alternative text",
		"":                       "",
		"PK\x03\x04 no workbook": "",
	} {
		status, said := l.textsFrom("", "", []byte(sheet))
		if status != http.StatusUnprocessableEntity || !strings.Contains(said.Detail, want) {
			t.Errorf("%q: %d %q", sheet, status, said.Detail)
		}
	}
	if status, _ := l.textsFrom("d%20e", "", out); status != http.StatusUnprocessableEntity {
		t.Errorf("no language: %d", status)
	}
}
