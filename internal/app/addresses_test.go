package app

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"ambrosa/core/harvest"
	"ambrosa/core/rendition"
	"ambrosa/core/sheet"
	"ambrosa/internal/store"
)

// TestTheCatalogGoesOutAndComesInAgain takes the catalog out in both formats, chosen
// columns in chosen order, and brings it in: every row is the same. One that is changed
// there is changed here, and a message tells of the import.
func TestTheCatalogGoesOutAndComesInAgain(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	first := l.imported(l.brought("more.csv", []byte("sku;product;title;gtin;farbe;warengruppe;beschreibung;auslaufartikel\r\n"+
		"0004711;0004711;=Räuchermantel;;amber;Clothing > Coats;Dick, \"warm\";ja\r\n")))
	if first.Made != 1 {
		t.Fatalf("imported: %+v", first)
	}
	var columns struct {
		Items []struct{ Name, Header string }
	}
	l.do(l.Get(t.Context(), "/api/v1/catalog/columns", &columns))
	if len(columns.Items) < 9 || columns.Items[0].Name != "sku" {
		t.Fatalf("columns: %+v", columns.Items)
	}
	out := func(query string) []byte {
		response, err := http.Get(l.Address + "/media/catalog" + query)
		l.do(err)
		content, err := io.ReadAll(response.Body)
		l.do(errors.Join(err, response.Body.Close()))
		return content
	}
	for name, query := range map[string]string{"catalog.csv": "?format=csv", "catalog.xlsx": "?format=xlsx",
		"some.csv": "?format=csv&column=title&column=gtin&column=sku&column=nothing&q=at-00", "template.xlsx": "/template"} {
		s := l.brought(name, out(query))
		rows := 7
		switch name {
		case "some.csv":
			rows = 6
		case "template.xlsx":
			rows = 1
		}
		if s.Totals.Verdicts["same"] != rows || s.Rows != rows {
			t.Errorf("%s: %+v\n%s", name, s.Totals, strings.Join(l.rows(s.ID, ""), "\n"))
		}
	}
	changed := strings.Replace(string(out("?format=csv")), "Thing 1", "Thing one", 1)
	l.imported(l.brought("changed.csv", []byte(changed)))
	if got := l.catalog(); !strings.Contains(got, "Thing one") {
		t.Errorf("nothing was changed:\n%s", got)
	}
	var messages struct{ Items []store.Message }
	l.do(l.Get(t.Context(), "/api/v1/messages", &messages))
	l.until("the import to be told of", func() bool {
		l.do(l.Get(t.Context(), "/api/v1/messages", &messages))
		return len(messages.Items) == 2
	})
	if m := messages.Items[0]; m.Title != "Imported: changed.csv, 0 made, 1 changed" || m.Sheet == 0 ||
		!strings.Contains(m.Body, "0 rows made, 1 changed, 6 the same, 0 refused") {
		t.Errorf("told: %+v", m)
	}
}

// TestPicturesByAddress fetches what a sheet names by address: a picture, one that two rows
// name, a page, nothing, and an address inside a network that nobody allowed. What came is
// paired with the rows' products; what did not says so in its cell.
func TestPicturesByAddress(t *testing.T) {
	t.Parallel()
	picture, asked, held := jpg(t, 7), make(chan string, 100), make(chan struct{})
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked <- r.URL.Path
		<-held
		switch r.URL.Path {
		case "/p/one.jpg":
			_, _ = w.Write(picture)
		case "/p/page.jpg":
			w.Header().Set("Content-Type", "text/html")
			_, _ = io.WriteString(w, "<html><body>Log in first</body></html>")
		case "/p/away.jpg":
			http.Redirect(w, r, "http://10.0.0.1/secret.jpg", http.StatusFound)
		default:
			http.NotFound(w, r)
		}
	}))
	defer site.Close()
	l := start(t, func(c *Config) { c.Allow = []string{site.Listener.Addr().String()} })
	l.products(3)
	at := func(name string) string { return site.URL + "/p/" + name }
	s := l.brought("addresses.csv", []byte("sku,Image URL\nAT-000-A,"+at("one.jpg")+"\nAT-001-A,"+at("page.jpg")+"\nAT-002-A,"+at("none.jpg")+
		"\nAT-000-B,"+at("away.jpg")+"\nAT-001-B,https://10.1.2.3/x.jpg\n"))
	kinds := func() (all []string) {
		for _, q := range l.sheet(s.ID).Totals.Questions {
			all = append(all, fmt.Sprintf("%s %d", q.Kind, q.Cells))
		}
		slices.Sort(all)
		return all
	}
	// All stand inside this machine: a person says of the site that it is theirs.
	if got := fmt.Sprint(kinds()); got != "[private address 5]" {
		t.Fatalf("in question: %s", got)
	}
	s = l.mended(s, 1, sheet.PrivateHost, sheet.Keep)
	l.until("the addresses to be judged again", func() bool { return fmt.Sprint(kinds()) == "[not fetched 5]" })
	var lot struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures/fetch", s.ID), nil, &lot)
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/sheets/%d/pictures/fetch", s.ID), nil, nil), http.StatusConflict)
	close(held)
	l.until("what came to be said in its cells", func() bool { return fmt.Sprint(kinds()) == "[no picture 4]" })
	for len(asked) > 0 {
		if strings.Contains(<-asked, "secret") {
			t.Error("a redirect into a network was followed")
		}
	}
	for _, row := range l.rows(s.ID, "") {
		if strings.HasPrefix(row, "2 ") && strings.Contains(row, "no picture") {
			t.Errorf("the picture that came: %s", row)
		}
	}
	l.until("the lot to be read", func() bool { return l.lotNow(lot.ID).State == "ready" })
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures", s.ID), nil, nil)
	l.until("the picture to be paired", func() bool {
		f := l.file(lot.ID, "AT-000-A/one.jpg")
		return f.Verdict == "paired" && f.Code == "AT-000-A" && f.Address == at("one.jpg")
	})
	// What could not be used is asked for again; what is here is not.
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures/fetch", s.ID), nil, &lot)
	l.until("the others to be tried again", func() bool { return l.lotNow(lot.ID).State == "ready" })
	if n := l.lotNow(lot.ID).Files; n != 4 {
		t.Errorf("%d files were asked for again", n)
	}
}

// TestASheetSaysViewAndText pairs pictures with the views, places and alternative texts that
// a sheet of pictures gives them, in another language; taken back, the files are as before.
func TestASheetSaysViewAndText(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("shots.zip", zipped(t, entry{"IMG_1.jpg", jpg(t, 1)}, entry{"IMG_2.jpg", jpg(t, 2)}))
	s := l.brought("shots.csv", []byte("Artikelnummer;Bild;Ansicht;Position;Alternativtext\r\n"+
		"AT-000-A;img_1.jpg;Rückseite;2;Von hinten\r\nAT-000-A;img_2;Vorderseite;1;Von vorn\r\n"))
	if s.Totals.Verdicts["same"] != 2 {
		t.Fatalf("judged: %+v\n%s", s.Totals, strings.Join(l.rows(s.ID, ""), "\n"))
	}
	before := l.file(lot.ID, "IMG_1.jpg")
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures", s.ID), nil, nil)
	l.until("both to be paired", func() bool { return l.sheet(s.ID).Paired == 2 })
	if f := l.file(lot.ID, "IMG_1.jpg"); f.View != "back" || f.Place != 2 || f.Code != "AT-000-A" {
		t.Errorf("the back: %+v", f)
	}
	id := l.planned(lot.ID, "after")
	l.applied(id)
	var page struct{ PictureList []store.Shown }
	l.do(l.Get(t.Context(), "/api/v1/products/1", &page))
	if len(page.PictureList) != 2 || page.PictureList[0].Alt != "Von vorn" || page.PictureList[0].View != "front" ||
		page.PictureList[1].Alt != "Von hinten" {
		t.Errorf("on the product: %+v", page.PictureList)
	}
	l.post(fmt.Sprintf("/api/v1/plans/%d/revert", id), nil, nil)
	l.until("reverted", func() bool { return l.plan(id).State == "reverted" })
	l.until("the lot to be open", func() bool { return l.lotNow(lot.ID).State == "ready" })
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures/take-back", s.ID), nil, nil)
	l.until("the pairs to be taken back", func() bool { return l.sheet(s.ID).Paired == 0 })
	if f := l.file(lot.ID, "IMG_1.jpg"); f.View != before.View || f.Place != before.Place || f.Verdict != before.Verdict {
		t.Errorf("before %+v\ntaken back %+v", before, f)
	}
}

// TestAPictureOfSeveralRows pairs one that variants of a product share with the product as a
// whole, and leaves one that two products name to a person.
func TestAPictureOfSeveralRows(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("shots.zip", zipped(t, entry{"IMG_1.jpg", jpg(t, 1)}, entry{"IMG_2.jpg", jpg(t, 2)}, entry{"IMG_3.jpg", jpg(t, 3)}))
	s := l.brought("shots.csv", []byte("sku;image\r\nAT-000-A;img_1.jpg\r\nAT-000-B;IMG_1.jpg\r\nAT-001-A;img_2.jpg\r\nAT-002-A;img_2.jpg\r\n"+
		"AT-002-B;img_3.jpg\r\n"))
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures", s.ID), nil, nil)
	l.until("the last to be paired", func() bool { return l.file(lot.ID, "IMG_3.jpg").Code == "AT-002-B" })
	if f := l.file(lot.ID, "IMG_1.jpg"); f.Verdict != "paired" || f.Code != "AT-000" {
		t.Errorf("shared by variants: %+v", f)
	}
	if f := l.file(lot.ID, "IMG_2.jpg"); f.Verdict == "paired" {
		t.Errorf("named for two products: %+v", f)
	}
	l.until("what became of them to be said", func() bool {
		message := ""
		for _, r := range l.runs() {
			if r.Kind == "pair by sheet" {
				message = r.Message
			}
		}
		return strings.HasPrefix(message, "2 pictures paired with their products by the sheet, 1 are contested;")
	})
}

func (l *line) lotNow(id int64) (now store.Lot) {
	l.t.Helper()
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/lots/%d", id), &now))
	return now
}

// TestTheLargestRenditionWithTheSheetsRights fetches a picture by a small rendition's address
// from a site that a page recipe is known for: its rewriting leads to a larger one, where
// there is one. The file is known by the address that the sheet names, and has the rights
// that the sheet states in words.
func TestTheLargestRenditionWithTheSheetsRights(t *testing.T) {
	t.Parallel()
	small, large := jpgOf(t, 100, 100, 1), jpgOf(t, 900, 900, 1)
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/goods":
			w.Header().Set("Content-Type", "text/html")
			_, _ = io.WriteString(w, `<html><body><a href="/goods">Goods</a><h1>Thing</h1><img src="/small/one.jpg"></body></html>`)
		case "/small/one.jpg", "/small/two.jpg":
			_, _ = w.Write(small)
		case "/large/one.jpg":
			_, _ = w.Write(large)
		case "/large/two.jpg":
			_, _ = io.WriteString(w, "<html>no such rendition</html>")
		default:
			http.NotFound(w, r)
		}
	}))
	defer site.Close()
	l := start(t, func(c *Config) { c.Allow = []string{site.Listener.Addr().String()} })
	l.products(2)
	l.origin(map[string]any{"kind": "recipe", "settings": map[string]string{}, "recipe": harvest.Recipe{
		Start: []string{site.URL + "/goods"}, Product: harvest.Pick{Selector: "a"}, Name: harvest.Pick{Selector: "h1"},
		Pictures: harvest.Pick{Selector: "img"}, Rewriting: rendition.Rewriting{{Find: "/small/", With: "/large/"}}}})
	s := l.brought("with rights.csv", []byte("sku,Image URL,Image rights\n"+
		"AT-000-A,"+site.URL+"/small/one.jpg,\"frei bis 31.12.2098, Foto: Mira Holt\"\n"+
		"AT-001-A,"+site.URL+"/small/two.jpg,nicht für Onlineshops\n"))
	s = l.mended(s, 1, sheet.PrivateHost, sheet.Keep)
	var lot struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/sheets/%d/pictures/fetch", s.ID), nil, &lot)
	l.until("the pictures to be here", func() bool { return l.lotNow(lot.ID).State == "ready" })
	one, two := l.file(lot.ID, "AT-000-A/one.jpg"), l.file(lot.ID, "AT-001-A/two.jpg")
	if one.Width != 900 || one.Address != site.URL+"/small/one.jpg" {
		t.Errorf("the one is %d wide, of %s", one.Width, one.Address)
	}
	if two.Width != 100 {
		t.Errorf("the other, of which there is no larger one, is %d wide: %s", two.Width, two.Problem)
	}
	if one.Rights != "cleared" || one.Credit != "Mira Holt" || one.Expires == nil || one.Expires.Format(time.DateOnly) != "2099-01-01" {
		t.Errorf("the one may be used: %s by %q until %v", one.Rights, one.Credit, one.Expires)
	}
	if two.Rights != "restricted" || two.Licence != "nicht für Onlineshops" {
		t.Errorf("the other may be used: %s, %q", two.Rights, two.Licence)
	}
}
