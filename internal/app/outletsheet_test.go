package app

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/dispatch"
)

// TestTheWorkbookGoesToAColleague: a workbook with the pictures in its cells is taken alone, and
// its rows are put below what stands in one that is handed in; one that cannot be used says why.
func TestTheWorkbookGoesToAColleague(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	sheet := dispatch.SheetSettings{Format: dispatch.Workbook, Separator: "comma", Rows: dispatch.RowSKU, Size: 90, Between: "|",
		Columns: []dispatch.SheetColumn{{Header: "SKU", Value: "[sku]", Many: dispatch.FirstOnly},
			{Header: "Place", Value: "[place]", Many: dispatch.InColumns}, {Header: "For", Value: "spring", Many: dispatch.FirstOnly}}}
	var made struct{ ID int64 }
	l.post("/api/v1/outlets", aPackage("Colleague", wants(map[string]any{"sheet": sheet})), &made)
	answered := func(answer *http.Response, err error) ([]byte, int) {
		t.Helper()
		l.do(err)
		defer answer.Body.Close()
		content, err := io.ReadAll(answer.Body)
		l.do(err)
		return content, answer.StatusCode
	}
	read := func(content []byte) (rows [][]string, pictures int) {
		t.Helper()
		book, err := excelize.OpenReader(bytes.NewReader(content))
		l.do(err)
		defer book.Close()
		rows, err = book.GetRows("Pictures")
		l.do(err)
		for n := range rows {
			found, err := book.GetPictures("Pictures", fmt.Sprintf("A%d", n+1))
			l.do(err)
			pictures += len(found)
		}
		return rows, pictures
	}
	alone, code := answered(http.Get(fmt.Sprintf("%s/media/outlets/%d/sheet", l.URL, made.ID)))
	rows, pictures := read(alone)
	if want := "[[ SKU Place 1 Place 2 For] [ AT-000-A 1 2 spring] [ AT-001-A 1  spring]]"; fmt.Sprint(rows) != want || pictures != 2 {
		t.Errorf("%d: %v with %d pictures", code, rows, pictures)
	}
	append := func(content []byte) ([]byte, int) {
		to := fmt.Sprintf("%s/media/outlets/%d/append", l.URL, made.ID)
		return answered(http.Post(to, "application/octet-stream", bytes.NewReader(content)))
	}
	below, code := append(alone)
	if code != http.StatusOK {
		t.Fatalf("%d: %s", code, below)
	}
	if rows, _ := read(below); len(rows) != 5 || rows[4][1] != "AT-001-A" || rows[1][1] != "AT-000-A" {
		t.Errorf("below what stands: %v", rows)
	}
	if said, code := append([]byte("no workbook")); code != http.StatusUnprocessableEntity || !strings.Contains(string(said), "no workbook") {
		t.Errorf("%d: %s", code, said)
	}
	if said, code := append(make([]byte, 51<<20)); code != http.StatusRequestEntityTooLarge {
		t.Errorf("51 MB: %d: %s", code, said)
	}
}
