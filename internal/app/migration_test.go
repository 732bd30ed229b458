package app

import (
	"bufio"
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"reflect"
	"regexp"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// unpacked returns what a packed file of testdata holds.
func unpacked(t *testing.T, name string) string {
	t.Helper()
	packed, err := os.Open("testdata/" + name)
	if err != nil {
		t.Fatal(err)
	}
	defer packed.Close()
	reader, err := gzip.NewReader(packed)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(reader)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// before0019 makes a database as it was before pictures stood on targets: the
// sample data after some hundred decisions, orders, plans, changes by hand and
// steps back that were made at random through the API of that time. The file was
// written by pg_dump (PostgreSQL 15).
func before0019(t *testing.T) string {
	t.Helper()
	address := testdb.Empty(t)
	connection, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer connection.Close(context.WithoutCancel(t.Context()))
	if _, err := connection.PgConn().Exec(t.Context(), unpacked(t, "before_0019.sql.gz")).ReadAll(); err != nil {
		t.Fatal(err)
	}
	return address
}

// asNow turns what the API of that time answered into what it answers now.
func asNow(path string, body any) any {
	product := 0.0
	var turn func(v any) any
	target := func(variant any) any {
		id, _ := variant.(float64)
		to := catalog.TargetOf(int64(product), int64(id))
		return map[string]any{"kind": string(to.Kind), "id": float64(to.ID)}
	}
	turn = func(v any) any {
		switch v := v.(type) {
		case []any:
			for i := range v {
				v[i] = turn(v[i])
			}
		case map[string]any:
			_, isFile := v["verdict"]
			if v["verdict"] == "unusable" && v["why"] == "sheet" { // a spreadsheet is no picture, and no unusable file
				v["verdict"], v["why"], v["problem"] = "sheet", "", ""
			}
			if v["name"] == "lindmoor-pictures.zip" && v["setAside"] != nil { // it holds one
				v["unusable"], v["sheets"] = v["unusable"].(float64)-1, 1.0
			}
			if id, ok := v["product"].(float64); ok && !isFile { // a product of a plan
				product = id
				v["owner"] = target(nil)
				delete(v, "product")
			}
			if of, ok := v["product"].(map[string]any); ok { // a preview
				product, _ = of["id"].(float64)
				v["owner"], v["code"], v["title"] = target(nil), of["code"], of["title"]
				delete(v, "product")
				delete(v, "variants")
				ordered := v["ordered"].([]any)
				for i := range ordered {
					ordered[i] = target(ordered[i])
				}
			}
			_, isVariant := v["variant"]
			_, isWarning := v["kind"]
			if (isVariant || isWarning && v["text"] != nil) && !isFile {
				v["target"] = target(v["variant"])
				delete(v, "variant")
			}
			if sku, ok := v["sku"]; ok && v["target"] != nil { // of a target
				v["code"] = sku
				delete(v, "sku")
			}
			for key, value := range v {
				if key != "target" && key != "owner" && key != "ordered" {
					v[key] = turn(value)
				}
			}
		}
		return v
	}
	if of := regexp.MustCompile(`^/products/(\d+)$`).FindStringSubmatch(path); of != nil {
		_, _ = fmt.Sscan(of[1], &product)
	}
	return turn(body)
}

var moved = strings.NewReplacer("/products?limit", "/changes?limit")

// pathNow is where the API answers the same now.
func pathNow(path string) string {
	if strings.HasPrefix(path, "/plans/") {
		path = moved.Replace(path)
	}
	return regexp.MustCompile(`^/lots/(\d+)/products/(\d+)/preview$`).ReplaceAllString(path, "/lots/$1/product/$2/preview")
}

// within tells where now does not say what was said before: it may say more.
func within(before, now any, at string) string {
	switch b := before.(type) {
	case map[string]any:
		n, ok := now.(map[string]any)
		if !ok {
			return at
		}
		for key, value := range b {
			if wrong := within(value, n[key], at+"."+key); wrong != "" {
				return wrong
			}
		}
		return ""
	case []any:
		n, ok := now.([]any)
		if !ok || len(n) != len(b) {
			return fmt.Sprintf("%s: %d before", at, len(b))
		}
		for i := range b {
			if wrong := within(b[i], n[i], fmt.Sprintf("%s[%d]", at, i)); wrong != "" {
				return wrong
			}
		}
		return ""
	}
	if !reflect.DeepEqual(before, now) {
		return fmt.Sprintf("%s: %v before, %v now", at, before, now)
	}
	return ""
}

// readAsApplied makes of files that a plan decided on, by being applied, what they were called before: read.
func readAsApplied(v any) {
	switch v := v.(type) {
	case []any:
		for _, item := range v {
			readAsApplied(item)
		}
	case map[string]any:
		if v["decidedBy"] == "plan" {
			v["decidedBy"] = "reading"
		}
		for _, item := range v {
			readAsApplied(item)
		}
	}
}

// TestADatabaseOfBeforeReadsTheSame migrates a database that was used, and asks the
// API for every product, plan, lot, file, preview and order as it was asked then.
func TestADatabaseOfBeforeReadsTheSame(t *testing.T) {
	t.Parallel()
	l := startOn(t, before0019(t))
	answers := bufio.NewScanner(strings.NewReader(unpacked(t, "before_0019.jsonl.gz")))
	answers.Buffer(nil, 16<<20)
	asked, wrong := map[string]int{}, 0
	for answers.Scan() {
		var before struct {
			Path string
			Body any
		}
		if err := json.Unmarshal(answers.Bytes(), &before); err != nil {
			t.Fatal(err)
		}
		var now any
		l.do(l.Get(t.Context(), "/api/v1"+pathNow(before.Path), &now))
		readAsApplied(now)
		if at := within(asNow(before.Path, before.Body), now, ""); at != "" && wrong < 10 {
			wrong++
			t.Errorf("%s: %s", before.Path, at)
		}
		asked[regexp.MustCompile(`\d+`).ReplaceAllString(before.Path, "N")]++
	}
	if err := answers.Err(); err != nil {
		t.Fatal(err)
	}
	for what, least := range map[string]int{"/products/N": 100, "/plans/N": 50, "/plans/N/products?limit=N": 50,
		"/lots/N/products/N/preview": 50} {
		if asked[what] < least {
			t.Errorf("%s was asked %d times", what, asked[what])
		}
	}
	// What waited to be applied settles its files, as a plan of now does.
	const waits = `select count(*) from plan_change c join plan p on p.id = c.plan_id and p.kind = 'lot' where c.state = 'planned'`
	if all, bare := strings.TrimSpace(l.text(waits)), strings.TrimSpace(l.text(waits+` and c.settles = '[]'`)); all == "0" || bare != "0" {
		t.Errorf("%s of %s planned changes settle nothing", bare, all)
	}
	l.references("after the migration")
}

// TestTheMigrationGoesBack takes the newest migration back and forward again: what
// the API tells stays as it was.
func TestTheMigrationGoesBack(t *testing.T) {
	t.Parallel()
	address := before0019(t)
	s, err := store.Open(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, step := range []error{s.Migrate(t.Context()), s.MigrateDown(t.Context(), 18)} {
		if step != nil {
			t.Fatal(step)
		}
	}
	l := startOn(t, address)
	var plan struct{ Added int }
	l.do(l.Get(t.Context(), "/api/v1/plans/80", &plan))
	if plan.Added == 0 {
		t.Error("the draft adds nothing any more")
	}
	l.references("forth, back and forth")
}

// TestASheetJudgedBeforeRoundsStays migrates a database with a sheet that was judged when
// verdicts had no rounds: they are shown as before, and can be imported.
func TestASheetJudgedBeforeRoundsStays(t *testing.T) {
	t.Parallel()
	address := testdb.Empty(t)
	s, err := store.Open(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, step := range []error{s.Migrate(t.Context()), s.MigrateDown(t.Context(), 20)} {
		if step != nil {
			t.Fatal(step)
		}
	}
	if _, err := testdb.Pool(s).Exec(t.Context(), `insert into sheet (name, sha256, bytes, state, header, first_row, names,
		rows, mapping, revision,
			rehearsed, totals) values ('old.csv', '\x00', 1, 'open', 1, 2, '{sku,title}', 1, '{"header":1,"identity":["sku"],"columns":[
			{"column":"sku","index":0,"field":"sku","sure":true,"evidence":""},
			{"column":"title","index":1,"field":"title","sure":true,"evidence":""}]}', 2, 2, '{"verdicts":{"make":1}}');
		insert into sheet_row (sheet_id, row, cells) values (1, 2, '{OLD-1,Old}');
		insert into sheet_verdict (sheet_id, row, verdict, sku, first_row) values (1, 2, 'make', 'OLD-1', 2)`); err != nil {
		t.Fatal(err)
	}
	l := startOn(t, address)
	if got := l.rows(1, ""); len(got) != 1 || got[0] != "2 make OLD-1" {
		t.Errorf("rows: %q", got)
	}
	if i := l.imported(l.sheet(1)); i.Made != 1 {
		t.Errorf("imported: %+v", i)
	}
}
