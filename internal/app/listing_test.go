package app

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// TestRowsGoIntoAColleaguesWorkbook takes files of a lot, products of the catalog and findings out
// with pictures in the cells, and puts them below what stands in a colleague's workbook: each in the
// column of its title, numbers as numbers, with what else stands there as it was.
func TestRowsGoIntoAColleaguesWorkbook(t *testing.T) {
	t.Parallel()
	l, lot := toHandOn(t)
	loose := l.gathered("loose.zip", zipped(t, entry{"nobody's.jpg", jpg(t, 9)}))
	l.post(fmt.Sprintf("/api/v1/lots/%d/give-up", loose.ID), nil, nil)
	l.sweeps("orphans")
	colleague := workbookOf(t, []any{"Notes", "Bytes", "File", "SKU"}, []any{"ours", 12, "theirs.jpg", "XX"})
	for _, c := range []struct {
		address string
		rows    int    // beside the header and what stood there
		file    string // in the column File of the first; "" for none
		sku     string
	}{
		{fmt.Sprintf("/media/lots/%d/list?format=xlsx&sort=name&columns=path,code,bytes", lot), 3, "AT-000-A.jpg", "AT-000-A"},
		{"/media/catalog?pictures=90&q=AT-001", 2, "", "AT-001-A"},
		{"/media/findings?kind=orphans", 1, "nobody's.jpg", ""},
	} {
		content, _ := l.taken(c.address)
		if rows, pictures := l.read(content, ""); len(rows) != c.rows+1 || pictures == 0 {
			t.Errorf("%s alone: %d rows, %d pictures", c.address, len(rows), pictures)
		}
		answer, err := http.Post(l.URL+c.address, "application/octet-stream", bytes.NewReader(colleague))
		l.do(err)
		put, err := io.ReadAll(answer.Body)
		l.do(err)
		l.do(answer.Body.Close())
		if answer.StatusCode != http.StatusOK || answer.Header.Get("Ambrosa-Put") == "" {
			t.Fatalf("%s: %d %s", c.address, answer.StatusCode, put)
		}
		rows, pictures := l.read(put, "Sheet1")
		if len(rows) != c.rows+2 || pictures == 0 {
			t.Fatalf("%s: %d rows, %d pictures: %q", c.address, len(rows), pictures, rows)
		}
		if got := strings.Join(rows[1][:4], "|"); got != "ours|12|theirs.jpg|XX" {
			t.Errorf("%s: what stood there is %s", c.address, got)
		}
		first := append(rows[2], "", "", "", "")
		if first[2] != c.file || first[3] != c.sku {
			t.Errorf("%s: the first row is %q", c.address, first)
		}
		book, err := excelize.OpenReader(bytes.NewReader(put))
		l.do(err)
		kind, err := book.GetCellType("Sheet1", "B3")
		if number := kind == excelize.CellTypeUnset || kind == excelize.CellTypeNumber; err != nil || c.file != "" && !number {
			t.Errorf("%s: the bytes are a cell of kind %v, %v", c.address, kind, err)
		}
		l.do(book.Close())
	}
	for _, wrong := range []string{"/media/findings?columns=nothing", "/media/findings?before=yesterday",
		fmt.Sprintf("/media/lots/%d/list?columns=nothing", lot)} {
		l.refused(l.Get(t.Context(), wrong, nil), http.StatusUnprocessableEntity)
	}
	l.refused(l.Call(t.Context(), http.MethodPost, "/media/catalog", "application/octet-stream", strings.NewReader("no workbook"), nil),
		http.StatusUnprocessableEntity)
}

// read returns the rows of a worksheet ("" for the first), and how many pictures stand in it.
func (l *line) read(content []byte, worksheet string) (rows [][]string, pictures int) {
	l.t.Helper()
	book, err := excelize.OpenReader(bytes.NewReader(content))
	l.do(err)
	defer book.Close()
	if worksheet == "" {
		worksheet = book.GetSheetList()[0]
	}
	rows, err = book.GetRows(worksheet)
	l.do(err)
	cells, err := book.GetPictureCells(worksheet)
	l.do(err)
	return rows, len(cells)
}
