package bench

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/gtin"
	"ambrosa/internal/client"
)

// benchRows and benchColumns are the size of the sheet that the contract is about.
const benchRows, benchColumns = 100_000, 20

// sheetRow is a row of an ERP's export: two variants a product, what a shop wants to know
// of each, and many attributes.
func sheetRow(n int) []string {
	digits := fmt.Sprintf("29%010d", n)
	row := []string{fmt.Sprintf("PX-%05d-%c", n/2, 'A'+n%2), fmt.Sprintf("PX-%05d", n/2), fmt.Sprintf("Product number %d of a range", n/2),
		fmt.Sprintf("What product %d is made of, how it is used and kept.", n), digits + string(gtin.CheckDigit(digits)),
		fmt.Sprintf("Range %d > Part %d", n/2%40, n/2%400)}
	for len(row) < benchColumns {
		row = append(row, fmt.Sprintf("value %d", n%(7+len(row))))
	}
	return row
}

func sheetHeader() []string {
	header := []string{"SKU", "Parent SKU", "Title", "Description", "EAN", "Category"}
	for len(header) < benchColumns {
		header = append(header, fmt.Sprintf("Attribute %d", len(header)-5))
	}
	return header
}

func sheetCSV(b *testing.B) []byte {
	var out bytes.Buffer
	rows := csv.NewWriter(&out)
	must(b, rows.Write(sheetHeader()))
	for n := range benchRows {
		must(b, rows.Write(sheetRow(n)))
	}
	rows.Flush()
	must(b, rows.Error())
	return out.Bytes()
}

func sheetXLSX(b *testing.B) []byte {
	book := excelize.NewFile()
	rows, err := book.NewStreamWriter("Sheet1")
	must(b, err)
	for n := -1; n < benchRows; n++ {
		row := sheetHeader()
		if n >= 0 {
			row = sheetRow(n)
		}
		cells := make([]any, len(row))
		for i, text := range row {
			cells[i] = text
		}
		at, err := excelize.CoordinatesToCellName(1, n+2)
		must(b, err)
		must(b, rows.SetRow(at, cells))
	}
	must(b, rows.Flush())
	var out bytes.Buffer
	must(b, book.Write(&out))
	must(b, book.Close())
	return out.Bytes()
}

// upsert is what psql does with the same rows: a copy into a table of texts, and one upsert
// of products and of variants, the rest as attributes.
func upsert(b *testing.B, p *program, content []byte) time.Duration {
	file := filepath.Join(b.TempDir(), "rows.csv")
	must(b, os.WriteFile(file, content, 0o600))
	columns, attributes := make([]string, benchColumns), []string{}
	for i := range columns {
		columns[i] = fmt.Sprintf("c%d text", i)
		if i > 5 {
			attributes = append(attributes, fmt.Sprintf("jsonb_build_object('name', 'Attribute %d', 'value', c%d)", i-5, i))
		}
	}
	script := fmt.Sprintf(`create temp table b (%s);
\copy b from '%s' with (format csv, header)
begin;
insert into category (name, path) select distinct c5, c5 from b on conflict (path) do nothing;
insert into product (code, title, category_id) select distinct on (lower(c1)) c1, c2, g.id from b join category g on g.path = c5
	on conflict (lower(code)) do update set title = excluded.title, category_id = excluded.category_id;
insert into variant (product_id, sku, title, description, gtin, attributes)
	select p.id, c0, '', c3, lpad(c4, 14, '0'), jsonb_build_array(%s) from b join product p on lower(p.code) = lower(c1)
	on conflict (lower(sku)) do update set description = excluded.description, attributes = excluded.attributes;
commit;
`, strings.Join(columns, ", "), file, strings.Join(attributes, ", "))
	begin := time.Now()
	command := exec.Command("psql", "-q", "-v", "ON_ERROR_STOP=1", p.database)
	command.Stdin = strings.NewReader(script)
	if out, err := command.CombinedOutput(); err != nil {
		b.Fatalf("psql: %v: %s", err, out)
	}
	return time.Since(begin)
}

// BenchmarkSheet brings, rehearses, changes and imports 100,000 rows of 20 columns as CSV
// and as XLSX, and compares the import with psql, which copies and upserts the same rows
// into the same tables of another database.
func BenchmarkSheet(b *testing.B) {
	for _, kind := range []string{"csv", "xlsx"} {
		b.Run(kind, func(b *testing.B) {
			rows := sheetCSV(b)
			before := upsert(b, start(b), rows)
			content := rows
			if kind == "xlsx" {
				content = sheetXLSX(b)
			}
			p := start(b)
			for b.Loop() {
				imported := benchSheet(b, p, "bench."+kind, content)
				// A machine is not as fast at all times: what psql takes is taken on both sides.
				theirs := (before + upsert(b, start(b), rows)) / 2
				b.ReportMetric(theirs.Seconds(), "s-psql")
				b.ReportMetric(imported.Seconds()/theirs.Seconds(), "import/psql(max3)")
			}
		})
	}
}

// benchSheet returns how long the import took.
func benchSheet(b *testing.B, p *program, name string, content []byte) time.Duration {
	c, ctx := client.Client{Address: p.address}, context.Background()
	most, ended := int64(0), make(chan struct{})
	watched := make(chan struct{})
	go func() {
		defer close(watched)
		for {
			select {
			case <-ended:
				return
			case <-time.After(100 * time.Millisecond):
				most = max(most, resident(p.process.Process.Pid))
			}
		}
	}()
	var sheet struct {
		ID                  int64
		State, Problem      string
		Revision, Rehearsed int
		Imports             []struct{ State string }
	}
	look := func() { must(b, c.Get(ctx, fmt.Sprintf("/api/v1/sheets/%d", sheet.ID), &sheet)) }
	begin := time.Now()
	must(b, c.Call(ctx, "POST", "/api/v1/sheets?name="+name, "application/octet-stream", bytes.NewReader(content), &sheet))
	p.until("the sheet to be read", func() bool { look(); return sheet.State == "open" })
	read := time.Since(begin)
	begin = time.Now()
	p.until("the rehearsal", func() bool { look(); return sheet.Rehearsed == sheet.Revision })
	rehearsal := time.Since(begin)
	page := worstOf(b, fmt.Sprintf("%s/api/v1/sheets/%d/rows?limit=100", p.address, sheet.ID))
	cell := time.Duration(0)
	for i := range 20 {
		begin := time.Now()
		value := fmt.Sprintf("Changed %d", i)
		must(b, c.Put(ctx, fmt.Sprintf("/api/v1/sheets/%d/rows/%d", sheet.ID, 500*i+7),
			map[string]any{"was": []any{}, "edits": []map[string]any{{"column": 2, "value": value}}}, nil))
		cell = max(cell, time.Since(begin))
	}
	p.until("the changed cells to be judged with all", func() bool { look(); return sheet.Rehearsed == sheet.Revision })
	begin = time.Now()
	must(b, c.Post(ctx, fmt.Sprintf("/api/v1/sheets/%d/import", sheet.ID), map[string]int{"revision": sheet.Revision}, nil))
	p.until("the import", func() bool { look(); return len(sheet.Imports) > 0 && sheet.Imports[0].State == "imported" })
	imported := time.Since(begin)
	close(ended)
	<-watched
	stored := 0
	p.query(`select count(*) from variant`, &stored)
	if stored != benchRows {
		b.Fatalf("%d variants of %d are there", stored, benchRows)
	}
	b.ReportMetric(read.Seconds(), "s-read")
	b.ReportMetric(rehearsal.Seconds(), "s-rehearsal")
	b.ReportMetric(imported.Seconds(), "s-import")
	b.ReportMetric(rehearsal.Seconds()/imported.Seconds(), "rehearsal/import(max1)")
	b.ReportMetric(page, "ms-page(max1000)")
	b.ReportMetric(float64(cell.Milliseconds()), "ms-cell(max100)")
	b.ReportMetric(float64(most>>20), "MiB(max300)")
	return imported
}

// worstOf asks for a page a few times, and returns the longest, milliseconds.
func worstOf(b *testing.B, address string) float64 {
	most := time.Duration(0)
	for range 8 {
		begin := time.Now()
		response, err := http.Get(address)
		must(b, err)
		_, err = io.Copy(io.Discard, response.Body)
		must(b, err)
		_ = response.Body.Close()
		if response.StatusCode != http.StatusOK {
			b.Fatalf("%s: %s", address, response.Status)
		}
		most = max(most, time.Since(begin))
	}
	return float64(most.Microseconds()) / 1000
}

// BenchmarkAddresses fetches 1,000 pictures of 200 kB that a sheet names by address, and
// compares the rate with four curls side by side from the same server.
func BenchmarkAddresses(b *testing.B) {
	const files, size = 1_000, 200_000
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		sum := sha256.Sum256([]byte(r.URL.Path))
		_, _ = w.Write(append([]byte("BM"), bytes.Repeat(sum[:], size/len(sum))...)) // kept, and not decoded: fetching is measured
	}))
	defer site.Close()
	var sheet, list strings.Builder
	sheet.WriteString("sku,Image URL\n")
	for n := range files {
		address := site.URL + "/p/" + strconv.Itoa(n) + ".bmp"
		fmt.Fprintf(&sheet, "AD-%04d,%s\n", n, address)
		fmt.Fprintf(&list, "%s\n", address)
	}
	curl := func() time.Duration {
		begin := time.Now()
		command := exec.Command("xargs", "-P4", "-n1", "curl", "-s", "-f", "--remote-name", "--output-dir", b.TempDir())
		command.Stdin = strings.NewReader(list.String())
		if out, err := command.CombinedOutput(); err != nil {
			b.Fatalf("curl: %v: %s", err, out)
		}
		return time.Since(begin)
	}
	curl() // warms up
	theirs := curl()
	p := start(b)
	c, ctx := client.Client{Address: p.address}, context.Background()
	var made struct{ ID int64 }
	must(b, c.Call(ctx, "POST", "/api/v1/sheets?name=addresses.csv", "application/octet-stream", strings.NewReader(sheet.String()), &made))
	revision := 0
	p.until("the sheet", func() bool {
		p.query(fmt.Sprintf(`select case when rehearsed = revision and state = 'open' then revision else 0 end from sheet where id = %d`,
			made.ID), &revision)
		return revision > 0
	})
	must(b, c.Post(ctx, fmt.Sprintf("/api/v1/sheets/%d/remedies", made.ID),
		map[string]any{"revision": revision, "column": 1, "judgement": "private address", "do": "keep"}, nil))
	var ours time.Duration
	for b.Loop() {
		begin := time.Now()
		must(b, c.Post(ctx, fmt.Sprintf("/api/v1/sheets/%d/pictures/fetch", made.ID), nil, nil))
		p.until("the fetch", func() bool {
			state := ""
			p.query(`select state from run where kind = 'fetch' order by id desc limit 1`, &state)
			return state == "done" || state == "failed"
		})
		ours = time.Since(begin)
	}
	stored := 0
	p.query(`select count(*) from file where sha256 is not null`, &stored)
	if stored != files {
		b.Fatalf("%d files of %d are stored", stored, files)
	}
	b.ReportMetric(ours.Seconds(), "s/1000")
	b.ReportMetric(theirs.Seconds(), "s/1000-curl")
	b.ReportMetric(theirs.Seconds()/ours.Seconds(), "speed(min0.8)")
}
