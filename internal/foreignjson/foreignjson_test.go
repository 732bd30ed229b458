package foreignjson

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

func TestDepth(t *testing.T) {
	for text, want := range map[string]error{
		`{"a":[1,{"b":"["}]}`:                  nil,
		strings.Repeat("[", MostDepth+1):       ErrTooDeep,
		strings.Repeat("[", 4<<20):             ErrTooDeep,
		strings.Repeat(`{"a":`, 1000):          ErrTooDeep,
		`"` + strings.Repeat("[", 100) + `"`:   nil,
		`"\"` + strings.Repeat("{", 100) + `"`: nil,
		strings.Repeat("[]", 100):              ErrNotJSON,
		"<html>":                               ErrNotJSON,
		"":                                     ErrNotJSON,
		strings.Repeat("[", 9) + strings.Repeat("]", 9): nil,
	} {
		if err := Check([]byte(text)); !errors.Is(err, want) {
			t.Errorf("%.40s: %v, expected %v", text, err, want)
		}
	}
}

// FuzzAnswer reads answers of strangers, within a budget of time and memory a byte. The standard
// library tells what is JSON (RFC 8259).
func FuzzAnswer(f *testing.F) {
	f.Add([]byte(`{"items":[{"pictures":[{"address":"https://a.example/1.jpg"}]}]}`), "items.#.pictures.#.address")
	f.Add([]byte(strings.Repeat("[", 20_000)), "#.#")
	f.Add([]byte(strings.Repeat("[", 30)+strings.Repeat(`"a",`, 10_000)+`"b"`+strings.Repeat("]", 30)), "0.0")
	f.Fuzz(func(t *testing.T, content []byte, path string) {
		if len(path) > 200 || CheckPath(path) != nil {
			return
		}
		budget.Of(len(content)).Check(t, func() {
			err := Check(content)
			if err != nil {
				return
			}
			if !json.Valid(content) {
				t.Errorf("taken for JSON: %.60q", content)
			}
			Text(content, path)
			_ = Texts(t.Context(), content, path, func(string) bool { return true })
		})
	})
}
