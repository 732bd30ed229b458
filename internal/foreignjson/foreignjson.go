// Package foreignjson reads JSON (RFC 8259) that strangers answer: bounded in depth before anything is
// parsed, so that the time and memory it takes grow with its length alone.
package foreignjson

import (
	"context"
	"errors"
	"strings"

	"github.com/tidwall/gjson"
)

// MostDepth is how deep arrays and objects may lie in each other.
const MostDepth = 32

// What is wrong with an answer.
var (
	ErrNotJSON = errors.New("the answer is not JSON")
	ErrTooDeep = errors.New("the answer has more than 32 arrays and objects in each other")
)

// ErrModifier is of a path that would turn a value into another one: some ways of it parse the value
// again and again.
var ErrModifier = errors.New("a path names fields, numbers and #, as items.#.address; but no modifiers that begin with @ or ! are taken")

// CheckPath tells whether a path that a person wrote only leads to values: nil or ErrModifier.
func CheckPath(path string) error {
	if strings.ContainsAny(path, "@!") {
		return ErrModifier
	}
	return nil
}

// Check tells whether content is JSON that can be read: nil, ErrNotJSON or ErrTooDeep.
func Check(content []byte) error {
	depth, inText := 0, false
	for i := 0; i < len(content); i++ {
		switch c := content[i]; {
		case inText && c == '\\':
			i++
		case c == '"':
			inText = !inText
		case inText:
		case c == '[' || c == '{':
			if depth++; depth > MostDepth {
				return ErrTooDeep
			}
		case c == ']' || c == '}':
			depth--
		}
	}
	if !gjson.ValidBytes(content) {
		return ErrNotJSON
	}
	return nil
}

// Text returns the text, number or truth at a path of content that Check passed; empty where there is
// none.
func Text(content []byte, path string) string { return gjson.GetBytes(content, path).String() }

// Texts calls each with the texts at a path of content that Check passed, those in arrays too, until it
// returns false or ctx ends.
func Texts(ctx context.Context, content []byte, path string, each func(text string) bool) error {
	var walk func(r gjson.Result) bool
	walk = func(r gjson.Result) bool {
		if ctx.Err() != nil {
			return false
		}
		if !r.IsArray() {
			return r.Type != gjson.String || each(r.String())
		}
		on := true
		r.ForEach(func(_, one gjson.Result) bool { on = walk(one); return on })
		return on
	}
	walk(gjson.GetBytes(content, path))
	return ctx.Err()
}
