package app

import (
	"context"
	"flag"
	"fmt"
	"log/slog"
	"regexp"
	"slices"
	"strings"
	"sync"

	"ambrosa/core/identity"
	"ambrosa/internal/api"
	"ambrosa/internal/run"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"

	"github.com/danielgtaylor/huma/v2"
)

// heard hears which requests a server answers, by their numbers, and passes on what is said louder.
type heard struct {
	slog.Handler
	requests *sync.Map // number: method and path
}

func (heard) Enabled(context.Context, slog.Level) bool { return true }

func (h heard) Handle(ctx context.Context, record slog.Record) error {
	if record.Message == "request" {
		said := map[string]string{}
		record.Attrs(func(a slog.Attr) bool { said[a.Key] = a.Value.String(); return true })
		h.requests.Store(said["number"], said["method"]+" "+said["path"])
	}
	if !h.Handler.Enabled(ctx, record.Level) {
		return nil
	}
	return h.Handler.Handle(ctx, record)
}

func (h heard) WithAttrs(attributes []slog.Attr) slog.Handler {
	return heard{h.Handler.WithAttrs(attributes), h.requests}
}

func (h heard) WithGroup(name string) slog.Handler {
	return heard{h.Handler.WithGroup(name), h.requests}
}

// recorded are the actions that operations left in the record, in all tests of this package: method and path of a request, and the
// action.
var recorded sync.Map

// noteRecords notes what requests to a server, and its runs, left in its record.
func noteRecords(s *store.Store, requests *sync.Map) {
	noteRuns(s)
	rows, err := testdb.Pool(s).Query(context.Background(), `select request, action from record where request <> ''`)
	if err != nil {
		return // the test ended the database
	}
	defer rows.Close()
	for rows.Next() {
		var number, action string
		if rows.Scan(&number, &action) != nil {
			return
		}
		if path, known := requests.Load(number); known {
			recorded.Store(path.(string)+" "+action, true)
		}
	}
}

// noteRuns notes which kinds of runs left what in the record.
func noteRuns(s *store.Store) {
	rows, err := testdb.Pool(s).Query(context.Background(), `select distinct r.kind, e.action from record e join run r on r.id = e.run_id`)
	if err != nil {
		return
	}
	defer rows.Close()
	for rows.Next() {
		var kind, action string
		if rows.Scan(&kind, &action) != nil {
			return
		}
		recorded.Store("RUN "+kind+" "+action, true)
	}
}

// runsThatLeftNoRecord returns the kinds of runs of which no test of this package saw an entry in the record, or saw one that the table
// of actions does not have.
func runsThatLeftNoRecord() (wrong []string) {
	seen := map[string]bool{}
	recorded.Range(func(key, _ any) bool {
		if text, ran := strings.CutPrefix(key.(string), "RUN "); ran {
			at := strings.LastIndex(text, " ")
			seen[text[:at]] = true
			if !slices.Contains(identity.Actions(), identity.Action(text[at+1:])) {
				wrong = append(wrong, "the run "+text[:at]+" left "+text[at+1:]+", which is no action")
			}
		}
		return true
	})
	for _, kind := range run.Kinds() {
		if !seen[kind.Name] {
			wrong = append(wrong, "no test saw the run "+kind.Name+" leave an entry in the record")
		}
	}
	return wrong
}

// operationsThatLeftNoRecord returns the operations of which no test of this package saw the entry in the record that they are to
// leave. It looks only where all tests were run.
func operationsThatLeftNoRecord() (wrong []string) {
	if run := flag.Lookup("test.run"); run.Value.String() != "" || flag.Lookup("test.short").Value.String() == "true" {
		return nil
	}
	left := map[string]bool{} // operation and action
	var paths []*regexp.Regexp
	var names []string
	described := api.Operations().OpenAPI()
	hole := regexp.MustCompile(`\\\{[^}]*\\\}`)
	for path, item := range described.Paths {
		pattern := "/api/v1" + strings.TrimPrefix(path, "/api/v1")
		for method, name := range map[string]string{"POST": id(item.Post), "PUT": id(item.Put), "DELETE": id(item.Delete)} {
			if name != "" {
				paths = append(paths, regexp.MustCompile("^"+method+" "+hole.ReplaceAllString(regexp.QuoteMeta(pattern), "[^/ ]+")+" "))
				names = append(names, name)
			}
		}
	}
	recorded.Range(func(key, _ any) bool {
		text := key.(string)
		for i, path := range paths {
			if path.MatchString(text) {
				left[names[i]+" "+text[strings.LastIndex(text, " ")+1:]] = true
			}
		}
		return true
	})
	for name, action := range api.Deeds() {
		if !action.IsStep() && !left[name+" "+string(action)] {
			wrong = append(wrong, fmt.Sprintf("no test saw the operation %s leave %s in the record", name, action))
		}
	}
	wrong = append(wrong, runsThatLeftNoRecord()...)
	slices.Sort(wrong)
	return wrong
}

func id(o *huma.Operation) string {
	if o == nil {
		return ""
	}
	return o.OperationID
}
