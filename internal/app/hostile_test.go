package app

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// blobs counts what is stored.
func (l *line) blobs() (n int) {
	l.t.Helper()
	l.do(testdb.Pool(l.Store).QueryRow(l.t.Context(), `select count(*) from blob`).Scan(&n))
	return n
}

// TestAnArchiveThatKillsItsReaderCostsItself hands in 45 bytes that crash what
// reads them, beside a good archive in the same lot.
func TestAnArchiveThatKillsItsReaderCostsItself(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	deadly, err := base64.StdEncoding.DecodeString("N3q8ryccAAReXwaPAAAAAAAAAAANAAAAAAAAAA1SGm0BBf8AAAAAAAEAAAAA")
	l.do(err)
	var made struct{ ID int64 }
	l.post("/api/v1/lots", map[string]any{"name": "two archives", "uploads": 2}, &made)
	good := zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"inner.7z", deadly})
	for name, content := range map[string][]byte{"a deadly.7z": deadly, "good.zip": good} {
		l.do(l.Upload(t.Context(), made.ID, name, bytes.NewReader(content), int64(len(content))))
	}
	var lot store.Lot
	l.until("the lot to be read", func() bool {
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), &lot))
		return lot.State == "ready"
	})
	if lot.Paired != 1 || len(lot.Problems) != 1 || !strings.Contains(lot.Problems[0], "deadly.7z: reading the archive needs more memory") {
		t.Errorf("%+v", lot)
	}
	if f := l.file(lot.ID, "inner.7z"); f.Verdict != "unusable" || !strings.Contains(f.Problem, "reading the archive") {
		t.Errorf("%s: %s", f.Verdict, f.Problem)
	}
}

// TestAnUploadThatEndsTheProgramIsGivenUp begins with an upload during which the
// process ended twice.
func TestAnUploadThatEndsTheProgramIsGivenUp(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	content := zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})
	var made struct{ ID int64 }
	l.post("/api/v1/lots", map[string]any{"name": "deadly", "uploads": 1}, &made)
	location, err := l.Begin(t.Context(), made.ID, "deadly.zip", int64(len(content)))
	l.do(err)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update upload set attempts = 2, attempted_at = 0`)
	l.do(err)
	l.do(l.Append(t.Context(), location, 0, content))
	var lot store.Lot
	l.until("the lot to be read", func() bool {
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), &lot))
		return lot.State == "ready"
	})
	if len(lot.Problems) != 1 || !strings.Contains(lot.Problems[0], "ended the program twice") || lot.Files != 0 {
		t.Errorf("%+v", lot)
	}
}

// TestARunThatDoesNotGetOnIsGivenUp begins with a run during which the process
// ended again and again; a person may have it go on.
func TestARunThatDoesNotGetOnIsGivenUp(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `alter table run alter column deaths set default 3`)
	l.do(err)
	var made struct{ ID int64 }
	l.post(fmt.Sprintf("/api/v1/lots/%d/pair", lot.ID), nil, &made)
	run := func() (r store.Run) {
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/runs/%d", made.ID), &r))
		return r
	}
	l.until("the run to fail", func() bool { return run().State == "failed" })
	if m := run().Message; !strings.Contains(m, "ended 3 times") {
		t.Error(m)
	}
	l.post(fmt.Sprintf("/api/v1/runs/%d/resume", made.ID), nil, nil)
	l.until("the run to be done", func() bool { return run().State == "done" })
}

// TestALinkTakesNoMoreThanItSays hands in a small archive that unpacks to more
// than its link takes: nothing of it beyond that is stored, and nothing kept.
func TestALinkTakesNoMoreThanItSays(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	_, token := l.link(map[string]any{"maxFiles": 1, "maxBytes": 1_000_000})
	content := zipped(
		t,
		entry{"AT-000-A.jpg", jpg(t, 1)},
		entry{"AT-001-A.jpg", append(jpg(t, 2), make([]byte, 1_500_000)...)},
		entry{"AT-001-B.jpg", jpg(t, 3)},
	)
	lot := l.handedIn(token, "bomb.zip", content)
	if lot.Files != 1 || len(lot.Problems) != 1 || !strings.Contains(lot.Problems[0], "1.0 MB") || l.blobs() != 1 {
		t.Errorf("%+v, %d blobs", lot, l.blobs())
	}
	if left, err := os.ReadDir(l.config.Data + "/uploads"); err != nil || len(left) != 0 {
		t.Errorf("%d files are kept of what was refused, %v", len(left), err)
	}
}

// handedIn hands a file in through a link and waits until its lot is read.
func (l *line) handedIn(token, name string, content []byte) (lot store.Lot) {
	l.t.Helper()
	var made struct{ ID int64 }
	l.post("/api/v1/hand-in/"+token+"/lots", map[string]int{"uploads": 1}, &made)
	l.do(l.HandIn(l.t.Context(), token, made.ID, name, bytes.NewReader(content), int64(len(content))))
	l.until(name+" to be read", func() bool {
		l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), &lot))
		return lot.State == "ready"
	})
	return lot
}

// TestWhatShowsNothingIsNotStored brings everything but pictures and sheets.
func TestWhatShowsNothingIsNotStored(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	lot := l.gathered(
		"mixed.zip",
		zipped(
			t,
			entry{"AT-000-A.jpg", jpg(t, 1)},
			entry{"read me.txt", []byte("hello")},
			entry{"page.html", []byte("<!doctype html><script>alert(1)</script>")},
			entry{
				"run.exe",
				[]byte("MZ\x00\x01"),
			},
			entry{"list.csv", []byte("file,sku\nAT-000-A.jpg,AT-000-A\n")},
			entry{"drawing.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg"/>`)},
		),
	)
	if lot.Files != 6 || l.blobs() != 3 {
		t.Errorf("%d files, %d of them stored: the picture, the sheet and the drawing are meant", lot.Files, l.blobs())
	}
	if f := l.file(lot.ID, "page.html"); f.Sum != "" || f.Problem != "a web page, not a picture" {
		t.Errorf("%+v", f)
	}
}

// TestASheetOfEndlessRows reads a workbook whose one row says that it is the two
// hundred millionth.
func TestASheetOfEndlessRows(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(1)
	begun := time.Now()
	lot := l.gathered(
		"endless.zip",
		zipped(
			t,
			entry{"AT-000-A.jpg", jpg(t, 1)},
			entry{"list.xlsx", workbookWith(t, `<row r="200000000"><c r="A200000000" t="inlineStr"><is><t>file</t></is></c></row>`)},
		),
	)
	if f := l.file(lot.ID, "list.xlsx"); !strings.Contains(f.Problem, "at most 1048576 rows") || lot.Paired != 1 {
		t.Errorf("%s, after %v", f.Problem, time.Since(begun))
	}
}

// workbookWith is the least workbook (ECMA-376) with some rows.
func workbookWith(t *testing.T, rows string) []byte {
	t.Helper()
	const (
		main   = `xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"`
		office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
		format = "application/vnd.openxmlformats-officedocument.spreadsheetml"
	)
	return zipped(
		t,
		entry{
			"[Content_Types].xml",
			[]byte(
				`<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">` +
					`<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>` +
					`<Default Extension="xml" ContentType="application/xml"/>` +
					`<Override PartName="/xl/workbook.xml" ContentType="` + format + `.sheet.main+xml"/>` +
					`<Override PartName="/xl/worksheets/sheet1.xml" ContentType="` + format + `.worksheet+xml"/></Types>`,
			),
		},
		entry{
			"_rels/.rels",
			[]byte(
				`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">` +
					`<Relationship Id="r1" Type="` + office + `/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
			),
		},
		entry{
			"xl/workbook.xml",
			[]byte(
				`<workbook ` + main + ` xmlns:r="` + office + `"><sheets>` +
					`<sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>`,
			),
		},
		entry{
			"xl/_rels/workbook.xml.rels",
			[]byte(
				`<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">` +
					`<Relationship Id="r1" Type="` + office + `/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`,
			),
		},
		entry{
			"xl/worksheets/sheet1.xml",
			[]byte(
				`<worksheet ` + main + `><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>file</t></is></c><c r="B1" t="inlineStr"><is>` +
					`<t>sku</t></is></c></row>` + rows + `</sheetData></worksheet>`,
			),
		},
	)
}
