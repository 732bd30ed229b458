// Package rendition finds the address of a larger picture from that of a smaller
// one: how addresses of one picture differ is learned where both are known, and
// tried where only the small one is.
package rendition

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// longest is how long an address may be, bytes: longer ones are not rewritten.
const longest = 8 << 10

// Rewrite turns the address of a rendition into that of a larger one.
type Rewrite struct {
	Find    string `json:"find" maxLength:"1000"`
	With    string `json:"with" maxLength:"1000"`
	Pattern bool   `json:"pattern" doc:"Find is an RE2 pattern, and With may name its groups: $1"`
}

// NoPattern means that a rewrite's text is no pattern, and why.
type NoPattern struct {
	At   int // which rewrite of the list, from 1
	Text string
	Err  error
}

func (e *NoPattern) Error() string { return fmt.Sprintf("%q is not a pattern: %v", e.Text, e.Err) }

// Unwrap returns what the pattern's parser says.
func (e *NoPattern) Unwrap() error { return e.Err }

// Rewriting is a list of rewrites, done one after the other.
type Rewriting []Rewrite

// Compile returns what does a rewriting, or a *NoPattern. The result
// may be used side by side.
func (l Rewriting) Compile() (func(address string) string, error) {
	steps := make([]func(string) string, 0, len(l))
	for i, r := range l {
		if r.Find == "" {
			continue
		}
		if !r.Pattern {
			steps = append(steps, strings.NewReplacer(r.Find, r.With).Replace)
			continue
		}
		pattern, err := regexp.Compile(r.Find)
		if err != nil {
			return nil, &NoPattern{i + 1, r.Find, err}
		}
		steps = append(steps, func(address string) string { return pattern.ReplaceAllString(address, r.With) })
	}
	return func(address string) string {
		for _, step := range steps {
			if address = step(address); len(address) > longest {
				return ""
			}
		}
		return address
	}, nil
}

// Learn returns the rewritings that turn the first address into the second,
// the narrowest first: with the very characters that differ, then with any
// number where a number differs. Which of them is right, only other addresses
// can prove. There is none where the two are the same or too unlike.
func Learn(small, large string) (found []Rewriting) {
	if small == large || len(small) > longest || len(large) > longest {
		return nil
	}
	a, b := tokens(small), tokens(large)
	if len(a) > maxTokens || len(b) > maxTokens {
		return nil
	}
	hunks := differences(a, b)
	for _, general := range []bool{false, true} {
		var rewriting Rewriting
		for _, h := range hunks {
			rewriting = append(rewriting, h.rewrite(a, b, general))
		}
		if apply, err := rewriting.Compile(); err != nil || apply(small) != large {
			continue
		}
		if !slices.ContainsFunc(found, func(known Rewriting) bool { return slices.Equal(known, rewriting) }) {
			found = append(found, rewriting)
		}
	}
	return found
}

const maxTokens = 600

// tokens splits an address into runs of digits, runs of letters and single
// other characters.
func tokens(address string) (list []string) {
	class := func(c byte) int {
		switch {
		case c >= '0' && c <= '9':
			return 1
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80:
			return 2
		}
		return 0
	}
	for at := 0; at < len(address); {
		end := at + 1
		for c := class(address[at]); c != 0 && end < len(address) && class(address[end]) == c; end++ {
		}
		list = append(list, address[at:end])
		at = end
	}
	return list
}

// hunk is a place where two lists of tokens differ: a[from:to] became b[at:end].
type hunk struct{ from, to, at, end int }

// differences aligns two lists of tokens by their longest common subsequence.
func differences(a, b []string) (hunks []hunk) {
	longest := make([][]int, len(a)+1)
	for i := range longest {
		longest[i] = make([]int, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if a[i] == b[j] {
				longest[i][j] = longest[i+1][j+1] + 1
			} else {
				longest[i][j] = max(longest[i+1][j], longest[i][j+1])
			}
		}
	}
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		if i < len(a) && j < len(b) && a[i] == b[j] {
			i, j = i+1, j+1
			continue
		}
		h := hunk{i, i, j, j}
		for i < len(a) || j < len(b) {
			if i < len(a) && j < len(b) && a[i] == b[j] {
				break
			}
			if j == len(b) || i < len(a) && longest[i+1][j] >= longest[i][j+1] {
				i++
			} else {
				j++
			}
		}
		h.to, h.end = i, j
		// A lone separator between two differences belongs to them.
		if n := len(hunks); n > 0 && h.from-hunks[n-1].to == 1 && isSeparator(a[hunks[n-1].to]) {
			hunks[n-1].to, hunks[n-1].end = h.to, h.end
			continue
		}
		hunks = append(hunks, h)
	}
	return hunks
}

func isSeparator(token string) bool {
	return len(token) == 1 && strings.Contains("/?&=_-.,~@:%+ ", token)
}

// rewrite makes a rewrite of a hunk with as much beside it as keeps it from
// striking elsewhere.
func (h hunk) rewrite(a, b []string, general bool) Rewrite {
	left := h.from
	if left > 0 && isSeparator(a[left-1]) {
		left--
		if a[left] == "=" && left > 0 { // the parameter's name
			left--
			if left > 0 && isSeparator(a[left-1]) {
				left--
			}
		} else if h.from == h.to && left > 0 {
			left-- // the word before what is put in
			if left > 0 && isSeparator(a[left-1]) {
				left--
			}
		}
	}
	right := h.to
	if right < len(a) && isSeparator(a[right]) {
		right++
	}
	before, after := strings.Join(a[left:h.from], ""), strings.Join(a[h.to:right], "")
	was, becomes := strings.Join(a[h.from:h.to], ""), strings.Join(b[h.at:h.end], "")
	if !general && was+before+after != "" && h.from != h.to {
		return Rewrite{Find: before + was + after, With: before + becomes + after}
	}
	var pattern strings.Builder
	for _, token := range a[h.from:h.to] {
		if token[0] >= '0' && token[0] <= '9' {
			pattern.WriteString(`\d+`)
		} else {
			pattern.WriteString(regexp.QuoteMeta(token))
		}
	}
	find, with := regexp.QuoteMeta(before)+pattern.String()+regexp.QuoteMeta(after), literal(before+becomes+after)
	if h.from == h.to && after == "." { // put in before the extension
		find, with = `\.(\w+)(\?.*)?$`, literal(becomes)+".$1$2"
	}
	return Rewrite{Find: find, With: with, Pattern: true}
}

// literal keeps a replacement from being read as naming groups.
func literal(text string) string { return strings.ReplaceAll(text, "$", "$$") }
