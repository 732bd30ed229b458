package app

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"net/http"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"ambrosa/core/catalog"
	"ambrosa/core/pairing"
	"ambrosa/internal/reading"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func (l *line) readAgain(lot int64) {
	l.t.Helper()
	l.until("the lot to be read", func() (idle bool) {
		l.do(
			testdb.Pool(l.Store).QueryRow(l.t.Context(), `select not exists (select from run where lot_id = $1 and state in ('queued', 'running',
				'stopping'))`, lot).
				Scan(&idle),
		)
		return idle
	})
}

// scene draws a picture that looks like none of another number, in any size.
func scene(t *testing.T, side, n int) []byte {
	t.Helper()
	picture := image.NewRGBA(image.Rect(0, 0, side, side))
	for y := range side {
		for x := range side {
			u, v := float64(x)/float64(side), float64(y)/float64(side)
			wave := math.Sin(u*float64(3+4*n)+float64(n)) * math.Cos(v*float64(9-2*n))
			picture.Set(x, y, color.RGBA{uint8(128 + 100*wave), uint8(60 * n), uint8(128 + 100*math.Cos(u*v*float64(7*n))), 255})
		}
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, picture, &jpeg.Options{Quality: 92}); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// TestASheetThatComesWithALot reads which file shows what from a workbook in
// the archive, whatever the names say.
func TestASheetThatComesWithALot(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(5)
	book := excelize.NewFile()
	for i, row := range [][]any{{"Article number", "Image name", "Position", "Alternative text", "Shot"},
		{"AT-000-A", "sunny.JPG", 2, "A thing in the sun", "Front"},
		{"AT-001-A", "moon.jpg", "", "", ""}, {"AT-002-A", "moon.jpg", "", "", ""}, {"QQ-1", "rain.jpg", "", "", ""}, {"AT-003-A",
			"never came.jpg", "", "", ""}} {
		l.do(book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	content, err := book.WriteToBuffer()
	l.do(err)
	lot := l.gathered(
		"with-sheet.zip",
		zipped(t, entry{"pictures/Sunny.jpg", jpg(t, 1)}, entry{"pictures/moon.jpg", jpg(t, 2)}, entry{"rain.jpg", jpg(t, 3)},
			entry{"AT-004-A.jpg", jpg(t, 4)}, entry{"list.xlsx", content.Bytes()}),
	)
	for path, want := range map[string]string{
		"pictures/Sunny.jpg": "paired AT-000-A 2 front sheet-row",
		"pictures/moon.jpg":  "contested  0  sheet-row",
		"rain.jpg":           "loose  0  ",
		"AT-004-A.jpg":       "paired AT-004-A 0  same-name",
	} {
		f := l.file(lot.ID, path)
		if got := fmt.Sprintf("%s %s %d %s %s", f.Verdict, f.Code, f.Place, f.View, f.Clue); got != want {
			t.Errorf("%s: %s, expected %s: %s", path, got, want, f.Reason)
		}
	}
	for path, want := range map[string]string{
		"pictures/Sunny.jpg": "[{2 sunny.JPG AT-000-A 2 front A thing in the sun false}]",
		"pictures/moon.jpg":  "[{3 moon.jpg AT-001-A 0   false} {4 moon.jpg AT-002-A 0   false}]",
		"rain.jpg":           "[{5 rain.jpg QQ-1 0   false}]",
		"AT-004-A.jpg":       "[]",
	} {
		var detail struct{ Rows []store.SheetLine }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d", l.file(lot.ID, path).ID), &detail))
		if got := fmt.Sprint(detail.Rows); got != want {
			t.Errorf("%s: the rows are %s, not %s", path, got, want)
		}
	}
	f := l.file(lot.ID, "list.xlsx")
	if f.Verdict != "sheet" || f.Problem != "" || f.Sheet == 0 {
		t.Errorf("the sheet: %s %s %d", f.Verdict, f.Problem, f.Sheet)
	}
	var sheet struct {
		Rows, Left, Unnamed int
		Unused              []pairing.Row
		Files               []string
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/sheet", lot.ID), &sheet))
	if sheet.Rows != 5 || sheet.Left != 1 || sheet.Unused[0].File != "never came.jpg" || sheet.Unnamed != 1 ||
		sheet.Files[0] != "AT-004-A.jpg" {
		t.Errorf("%+v", sheet)
	}
	l.applied(l.planned(lot.ID, "after"))
	if standing := strings.Join(l.standing(), "\n"); !strings.Contains(standing, "A thing in the sun person") {
		t.Errorf("the sheet's text is lost:\n%s", standing)
	}
}

// TestClueListsAreTriedKeptAndUsed previews a pattern, keeps it under a name,
// reads the lot with it and ties it to the origin.
func TestClueListsAreTriedKeptAndUsed(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(4)
	lot := l.gathered(
		"coded.zip",
		zipped(t, entry{"xAT000Ay01.jpg", jpg(t, 1)}, entry{"xAT001Ay02.jpg", jpg(t, 2)}, entry{"AT-002-A.jpg", jpg(t, 3)}),
	)
	if lot.Paired != 1 || lot.Loose != 2 {
		t.Fatalf("%d paired, %d loose", lot.Paired, lot.Loose)
	}
	list := pairing.DefaultClues()
	for i := range list.Clues {
		if list.Clues[i].Clue == "pattern" {
			list.Clues[i].Patterns = []string{`^x(?P<key>AT\d+[A-Z])y(?P<place>\d+)$`}
		}
	}
	preview := func(list pairing.ClueList) (c reading.CluesChange, err error) {
		err = l.Post(t.Context(), fmt.Sprintf("/api/v1/lots/%d/clues/preview", lot.ID), list, &c)
		return c, err
	}
	c, err := preview(list)
	l.do(err)
	if c.Wins != 2 || c.Loses != 0 || c.Turns != 0 || c.Paired != 3 || c.Clues["pattern"] != 2 || len(c.Examples) != 2 ||
		!strings.Contains(fmt.Sprint(c.Examples), "AT-000-A the pattern reads") {
		t.Errorf("%+v", c)
	}
	off := pairing.ClueList{Clues: []pairing.ClueSetting{{Clue: "folder"}}}
	if c, err = preview(off); err != nil || c.Loses != 1 || c.Examples[0].How != "lose" || c.Examples[0].Was != "AT-002-A" {
		t.Errorf("%v %+v", err, c)
	}
	for pattern, want := range map[string]string{`(`: "cannot be used", `abc`: "no group named key", `(?P<key>.)\1`: "cannot be used"} {
		_, err := preview(pairing.ClueList{Clues: []pairing.ClueSetting{{Clue: "pattern", Patterns: []string{pattern}}}})
		if text := l.refused(err, http.StatusUnprocessableEntity); !strings.Contains(text, want) {
			t.Errorf("%s: %s", pattern, text)
		}
	}
	if now := l.files(lot.ID).Items; now[0].Verdict == "paired" && now[1].Verdict == "paired" && now[2].Verdict == "paired" {
		t.Error("the preview has changed the lot")
	}
	var made, run struct{ ID int64 }
	l.post("/api/v1/clue-lists", map[string]any{"name": "Coded", "list": list}, &made)
	l.refused(l.Post(t.Context(), "/api/v1/clue-lists", map[string]any{"name": "coded", "list": list}, nil), http.StatusConflict)
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/lots/%d/clues", lot.ID), map[string]any{"list": made.ID, "always": false}, &run))
	l.readAgain(lot.ID)
	f := l.file(lot.ID, "xAT001Ay02.jpg")
	if f.Verdict != "paired" || f.Code != "AT-001-A" || f.Place != 2 || f.Clue != "pattern" {
		t.Errorf("%+v", f)
	}
	// A list that somebody else changed is not written over.
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/clue-lists/%d", made.ID), map[string]any{"name": "Coded", "list": off, "version": 1}, nil))
	l.refused(
		l.Put(t.Context(), fmt.Sprintf("/api/v1/clue-lists/%d", made.ID), map[string]any{"name": "Coded", "list": list, "version": 1}, nil),
		http.StatusConflict,
	)
}

// TestACorrectionClearsItsSiblings pairs one file by hand, is told what it
// teaches, and takes it.
func TestACorrectionClearsItsSiblings(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(6)
	lot := l.gathered(
		"prefixed.zip",
		zipped(
			t,
			entry{"zAT-000-A_1.jpg", jpg(t, 1)},
			entry{"zAT-001-B_1.jpg", jpg(t, 2)},
			entry{"zAT-002-A_2.jpg", jpg(t, 3)},
			entry{"meadow.jpg", jpg(t, 4)},
			entry{"sky.jpg", jpg(t, 5)},
			entry{"sun.jpg", jpg(t, 6)},
			entry{"rain.jpg", jpg(t, 7)},
		),
	)
	if lot.Loose != 7 {
		t.Fatalf("%d loose", lot.Loose)
	}
	f := l.file(lot.ID, "zAT-000-A_1.jpg")
	var product, variant int64
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select product_id, id from variant where sku = 'AT-000-A'`).Scan(&product, &variant))
	l.post(
		fmt.Sprintf("/api/v1/files/%d/decision", f.ID),
		map[string]any{"verdict": "paired", "target": catalog.TargetOf(product, variant), "place": 1, "version": f.Version},
		nil,
	)
	var lessons struct {
		Items []struct {
			Step     pairing.Step
			Says     string
			Files    int
			Examples []struct{ Path, Code string }
		}
	}
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/files/%d/lessons", f.ID), &lessons))
	if len(lessons.Items) == 0 || lessons.Items[0].Step != (pairing.Step{Kind: "drop-prefix", Text: "z"}) || lessons.Items[0].Files != 2 ||
		len(lessons.Items[0].Examples) != 2 {
		t.Fatalf("%+v", lessons)
	}
	if l.file(lot.ID, "zAT-001-B_1.jpg").Verdict != "loose" {
		t.Error("it was applied unasked")
	}
	l.post(fmt.Sprintf("/api/v1/lots/%d/lessons", lot.ID), lessons.Items[0].Step, nil)
	l.readAgain(lot.ID)
	for path, want := range map[string]string{"zAT-000-A_1.jpg": "AT-000-A 1", "zAT-001-B_1.jpg": "AT-001-B 1",
		"zAT-002-A_2.jpg": "AT-002-A 2", "meadow.jpg": " 0"} {
		if f := l.file(lot.ID, path); fmt.Sprintf("%s %d", f.Code, f.Place) != want {
			t.Errorf("%s: %s at %d, %s", path, f.Code, f.Place, f.Reason)
		}
	}
	if f := l.file(lot.ID, "zAT-001-B_1.jpg"); !strings.Contains(f.Reason, `learned: drop "z"`) {
		t.Errorf("says %s", f.Reason)
	}
}

// TestLookAlikesAreProposedAndTakenTogether proposes products by pictures that
// stand on them, accepts them together and takes that back.
func TestLookAlikesAreProposedAndTakenTogether(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	first := l.gathered("first.zip", zipped(t, entry{"AT-000-A.jpg", scene(t, 300, 4)}, entry{"AT-001-A.jpg", scene(t, 300, 5)}))
	l.applied(l.planned(first.ID, "after"))
	lot := l.gathered(
		"second.zip",
		zipped(
			t,
			entry{"IMG_0001.jpg", scene(t, 420, 4)},
			entry{"IMG_0002.jpg", scene(t, 300, 5)},
			entry{"IMG_0003.jpg", scene(t, 300, 6)},
		),
	)
	for path, want := range map[string]string{"IMG_0001.jpg": "looks like AT-000-A.jpg of AT-000-A",
		"IMG_0002.jpg": "looks like AT-001-A.jpg of AT-001-A", "IMG_0003.jpg": "only noise in the name: camera counter"} {
		if f := l.file(lot.ID, path); f.Verdict != "loose" || f.Reason != want {
			t.Errorf("%s: %s, %s", path, f.Verdict, f.Reason)
		}
	}
	var groups struct{ Items []store.Group }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d/groups", lot.ID), &groups))
	if len(groups.Items) != 2 || groups.Items[0].Clue != "look-alike" || groups.Items[0].Files != 2 || groups.Items[0].Sure != 2 {
		t.Fatalf("%+v", groups)
	}
	var done store.Together
	l.post(
		fmt.Sprintf("/api/v1/lots/%d/accept?verdict=loose&kind=true&clue=look-alike&why=looks+like+a+product's+picture", lot.ID),
		nil,
		&done,
	)
	if len(done.Files) != 2 || l.file(lot.ID, "IMG_0001.jpg").Code != "AT-000-A" {
		t.Errorf("%+v", done)
	}
	// The larger one of the same look takes the place of the smaller.
	plan := l.planned(lot.ID, "like for like")
	warned := ""
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select string_agg(after::text, ' ') from plan_change where plan_id =
		$1`, plan).Scan(&warned))
	if large := l.file(lot.ID, "IMG_0001.jpg"); !strings.Contains(warned, large.Sum) {
		t.Errorf("the plan: %s", warned)
	}
	l.post(fmt.Sprintf("/api/v1/decisions/%d/take-back", done.ID), nil, nil)
	if f := l.file(lot.ID, "IMG_0001.jpg"); f.Verdict != "loose" || f.Why == "" {
		t.Errorf("taken back: %+v", f)
	}
}
