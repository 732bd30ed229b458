package api

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"path"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// examplesJSON is what operations are asked and answer, as examples of the
// description: requests by operation, answers by the name of their schema. The
// answers were recorded from the sample data, lists cut to their first entry.
//
//go:embed examples.json
var examplesJSON []byte

type examples struct {
	Requests  map[string]any `json:"requests"`
	Responses map[string]any `json:"responses"`
}

// knownExamples reads them; a test reads them too, so that they can be read.
func knownExamples() (known examples, err error) {
	if err = json.Unmarshal(examplesJSON, &known); err != nil {
		err = fmt.Errorf("read the examples: %w", err)
	}
	return known, err
}

// describe gives the operations their examples. They are a part of the program:
// one that cannot be read is a fault of it, found by its tests.
func describe(api *huma.OpenAPI) {
	known, err := knownExamples()
	if err != nil {
		panic(err)
	}
	for _, item := range api.Paths {
		for _, operation := range []*huma.Operation{item.Get, item.Post, item.Put, item.Delete} {
			if operation == nil {
				continue
			}
			if example, ok := known.Requests[operation.OperationID]; ok && operation.RequestBody != nil {
				for _, media := range operation.RequestBody.Content {
					media.Example = example
				}
			}
			for status, response := range operation.Responses {
				if !strings.HasPrefix(status, "2") {
					continue
				}
				for _, media := range response.Content {
					if media.Schema == nil {
						continue
					}
					if example, ok := known.Responses[path.Base(media.Schema.Ref)]; ok {
						media.Example = example
					}
				}
			}
		}
	}
}
