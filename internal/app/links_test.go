package app

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"path"
	"strings"
	"testing"

	"ambrosa/internal/testdb"
)

type asked struct {
	State, Asker, Message string
	Files                 int
	Bytes                 int64
	Wanted                int64
	Missing               []struct{ SKU, Title string }
}

func (l *line) link(change map[string]any) (id int64, token string) {
	l.t.Helper()
	body := map[string]any{
		"supplier": "Weidenau", "asker": "Mara of the shop", "message": "Please send what is missing.", "category": "",
		"days": 7, "maxFiles": 2,
		"maxBytes": 1_000_000,
		"rights":   "cleared",
		"licence":  "by contract",
		"credit":   "",
	}
	for name, value := range change {
		body[name] = value
	}
	var made struct {
		ID      int64
		Address string
	}
	l.post("/api/v1/supplier-links", body, &made)
	return made.ID, path.Base(made.Address)
}

// TestASupplierHandsIn opens a link as a supplier does: sees what is missing,
// hands files in, and meets the link's limits.
func TestASupplierHandsIn(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	id, token := l.link(nil)
	see := func() (a asked) {
		l.do(l.Get(t.Context(), "/api/v1/hand-in/"+token, &a))
		return a
	}
	if a := see(); a.State != "open" || a.Wanted != 6 || len(a.Missing) != 6 || a.Missing[0].SKU != "AT-000-A" ||
		!strings.Contains(a.Missing[0].Title, "amber") ||
		a.Message == "" ||
		a.Asker == "" {
		t.Errorf("the supplier sees %+v", a)
	}
	response, err := http.Get(l.Address + "/media/hand-in/" + token + "/missing.csv")
	l.do(err)
	sheet, err := io.ReadAll(response.Body)
	l.do(err)
	_ = response.Body.Close()
	if lines := strings.Split(string(sheet), "\r\n"); len(lines) != 8 || lines[0] != "\ufeffsku,title,gtin,file" ||
		!strings.HasPrefix(lines[1], "AT-000-A,") {
		t.Errorf("the spreadsheet: %q", lines)
	}

	var lot struct{ ID int64 }
	open := func(n int) error {
		return l.Post(t.Context(), "/api/v1/hand-in/"+token+"/lots", map[string]int{"uploads": n}, &lot)
	}
	if text := l.refused(open(3), http.StatusConflict); !strings.Contains(text, "2 more files") {
		t.Errorf("three files: %s", text)
	}
	l.do(open(1))
	content := jpg(t, 1)
	l.do(l.HandIn(t.Context(), token, lot.ID, "AT-000-A.jpg", bytes.NewReader(content), int64(len(content))))
	l.until("the lot to be read", func() bool {
		var state struct{ State, Name string }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", lot.ID), &state))
		return state.State == "ready" && strings.HasPrefix(state.Name, "Weidenau ")
	})
	if files := l.files(lot.ID).Items; len(files) != 1 || files[0].Code != "AT-000-A" || files[0].Rights != "cleared" ||
		files[0].Licence != "by contract" {
		t.Errorf("handed in: %+v", files)
	}
	if a := see(); a.Files != 1 || a.Bytes != int64(len(content)) {
		t.Errorf("counted: %+v", a)
	}

	// Too large, into somebody else's lot, by a wrong address: refused, and not counted.
	l.do(open(1))
	if text := l.refused(l.HandIn(t.Context(), token, lot.ID, "big.tif", nil, 2_000_000), http.StatusConflict); !strings.Contains(
		text,
		"too large",
	) {
		t.Errorf("too large: %s", text)
	}
	var other struct{ ID int64 }
	l.post("/api/v1/lots", map[string]any{"name": "ours", "uploads": 1}, &other)
	l.refused(l.HandIn(t.Context(), token, other.ID, "x.jpg", bytes.NewReader(content), int64(len(content))), http.StatusConflict)
	l.refused(
		l.HandIn(t.Context(), strings.Repeat("a", 26), lot.ID, "x.jpg", bytes.NewReader(content), int64(len(content))),
		http.StatusConflict,
	)
	if a := see(); a.Files != 1 {
		t.Errorf("refused files are counted: %+v", a)
	}

	// Full, closed, and renewed.
	l.do(l.HandIn(t.Context(), token, lot.ID, "AT-001-A.jpg", bytes.NewReader(content), int64(len(content))))
	if a := see(); a.State != "full" {
		t.Errorf("after the last file: %s", a.State)
	}
	l.refused(open(1), http.StatusConflict)
	l.do(l.Call(t.Context(), http.MethodDelete, fmt.Sprintf("/api/v1/supplier-links/%d", id), "", nil, nil))
	if a := see(); a.State != "revoked" || len(a.Missing) != 0 {
		t.Errorf("closed: %+v", a)
	}
	var renewed struct{ Address string }
	l.post(fmt.Sprintf("/api/v1/supplier-links/%d/address", id), map[string]int{"days": 3}, &renewed)
	l.refused(l.Get(t.Context(), "/api/v1/hand-in/"+token, nil), http.StatusNotFound)
	token = path.Base(renewed.Address)
	if a := see(); a.State != "full" {
		t.Errorf("renewed: %+v", a)
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update supplier_link set expires_at = now() - interval '1 day'`)
	l.do(err)
	if a := see(); a.State != "expired" {
		t.Errorf("after its end: %s", a.State)
	}
}
