package api

import (
	"path"
	"testing"

	"github.com/danielgtaylor/huma/v2"
)

// TestExamplesAreWhatOperationsTake holds every example against the schema of what
// it is an example of, and sees that none is of something that is not there.
func TestExamplesAreWhatOperationsTake(t *testing.T) {
	known, err := knownExamples()
	if err != nil {
		t.Fatal(err)
	}
	api := Operations().OpenAPI()
	used := map[string]bool{}
	check := func(name string, schema *huma.Schema, mode huma.ValidateMode, example any) {
		result := &huma.ValidateResult{}
		huma.Validate(api.Components.Schemas, schema, huma.NewPathBuffer(nil, 0), mode, example, result)
		for _, err := range result.Errors {
			t.Errorf("%s: %v", name, err)
		}
	}
	answers, shown := 0, 0
	for _, item := range api.Paths {
		for _, operation := range []*huma.Operation{item.Get, item.Post, item.Put, item.Delete} {
			if operation == nil {
				continue
			}
			if operation.RequestBody != nil {
				for kind, media := range operation.RequestBody.Content {
					if media.Example == nil && kind != "application/json" {
						continue // a sheet
					}
					if media.Example == nil {
						t.Errorf("%s has no example of what it is asked", operation.OperationID)
						continue
					}
					used[operation.OperationID] = true
					check(operation.OperationID, media.Schema, huma.ModeWriteToServer, media.Example)
				}
			}
			for _, response := range operation.Responses {
				media := response.Content["application/json"]
				if media == nil || media.Schema == nil {
					continue
				}
				answers++
				if media.Example != nil {
					shown++
					used[path.Base(media.Schema.Ref)] = true
					check(operation.OperationID, media.Schema, huma.ModeReadFromServer, media.Example)
				}
			}
		}
	}
	for name := range known.Requests {
		if !used[name] {
			t.Errorf("an example is of the operation %s, which does not take it", name)
		}
	}
	for name := range known.Responses {
		if !used[name] {
			t.Errorf("an example is of %s, which nothing answers", name)
		}
	}
	if shown < answers {
		t.Errorf("%d of %d answers have an example", shown, answers)
	}
}
