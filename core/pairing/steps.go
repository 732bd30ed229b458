package pairing

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Step is something to do to a name that stays loose before it is read once
// more: what a person's correction taught.
type Step struct {
	Kind  string `json:"kind" enum:"drop-prefix,drop-suffix,separator,pad,code" doc:"What is done to a loose name before it is read again"`
	Text  string `json:"text,omitempty" doc:"What is dropped, what separates, or the code"`
	Width int    `json:"width,omitempty" doc:"Digits that a number is filled up to with zeros"`
	SKU   string `json:"sku,omitempty" doc:"Of the item that the code belongs to"`
}

// String says in words what the step does.
func (s Step) String() string {
	switch s.Kind {
	case "drop-prefix":
		return fmt.Sprintf("drop %q before a key", s.Text)
	case "drop-suffix":
		return fmt.Sprintf("drop %q behind a key", s.Text)
	case "separator":
		return fmt.Sprintf("take %q as a separator", s.Text)
	case "pad":
		return fmt.Sprintf("fill numbers up to %d digits with zeros", s.Width)
	case "code":
		return fmt.Sprintf("take %q as a code of %s", s.Text, s.SKU)
	}
	return s.Kind
}

func (s Step) check() error {
	switch {
	case !slices.Contains([]string{"drop-prefix", "drop-suffix", "separator", "pad", "code"}, s.Kind):
		return fmt.Errorf("%q is not a step; there are drop-prefix, drop-suffix, separator, pad and code", s.Kind)
	case s.Kind == "pad" && (s.Width < 2 || s.Width > 20):
		return fmt.Errorf("the step pad needs a width from 2 to 20")
	case s.Kind != "pad" && (s.Text == "" || len(s.Text) > maxKey):
		return fmt.Errorf("the step %s needs a text of at most %d bytes", s.Kind, maxKey)
	case s.Kind == "code" && s.SKU == "":
		return fmt.Errorf("the step code needs a SKU")
	}
	return nil
}

// rewritten is a path that a step has changed; from tells for each of its bytes
// where it comes from in the path as it was, and where that ends.
type rewritten struct {
	path string
	from []int32
}

func unchanged(path string) rewritten {
	w := rewritten{path, make([]int32, len(path)+1)}
	for i := range w.from {
		w.from[i] = int32(i)
	}
	return w
}

// replace puts text in the place of the bytes [lo, hi).
func (w rewritten) replace(lo, hi int, text string) rewritten {
	from := slices.Clone(w.from[:lo])
	for range len(text) {
		from = append(from, w.from[lo])
	}
	return rewritten{w.path[:lo] + text + w.path[hi:], append(from, w.from[hi:]...)}
}

// apply does the step to a path's base name; ok is false where there is nothing
// to do.
func (s Step) apply(path string) (w rewritten, ok bool) {
	base := strings.LastIndexByte(path, '/') + 1
	end := len(path)
	if dot := strings.LastIndexByte(path, '.'); dot > base {
		end = dot
	}
	switch s.Kind {
	case "drop-prefix":
		for at := base; at+len(s.Text) < end; at++ {
			if strings.EqualFold(path[at:at+len(s.Text)], s.Text) && (at == base || isSeparator(path, at)) {
				return unchanged(path).replace(at, at+len(s.Text), ""), true
			}
		}
	case "drop-suffix":
		for at := end - len(s.Text); at > base; at-- {
			if to := at + len(s.Text); strings.EqualFold(path[at:to], s.Text) && (to == end || separates(path, to)) {
				return unchanged(path).replace(at, to, ""), true
			}
		}
	case "separator":
		w = unchanged(path)
		for at := end - len(s.Text); at >= base; at-- {
			if strings.EqualFold(w.path[at:at+len(s.Text)], s.Text) {
				w, ok = w.replace(at, at+len(s.Text), "-"), true
				at -= len(s.Text) - 1 // what is replaced is not read once more
			}
		}
		return w, ok
	case "pad":
		for _, t := range wordsOf(path, base, end) {
			if digits := path[t[0]:t[1]]; allDigits(digits) && len(digits) < s.Width && len(digits) > 1 {
				return unchanged(path).replace(t[0], t[0], strings.Repeat("0", s.Width-len(digits))), true
			}
		}
	case "code":
		for at := base; at+len(s.Text) <= end; at++ {
			if to := at + len(s.Text); strings.EqualFold(path[at:to], s.Text) && (at == base || isSeparator(path, at)) &&
				(to == end || separates(path, to)) {
				return unchanged(path).replace(at, to, s.SKU), true
			}
		}
	}
	return w, false
}

// isSeparator tells whether a separator stands right before an offset.
func isSeparator(path string, at int) bool {
	r, _ := utf8.DecodeLastRuneInString(path[:at])
	return !unicode.IsLetter(r) && !unicode.IsNumber(r)
}

// separates tells whether a separator stands at an offset.
func separates(path string, at int) bool {
	r, _ := utf8.DecodeRuneInString(path[at:])
	return !unicode.IsLetter(r) && !unicode.IsNumber(r)
}

// wordsOf returns the runs of letters and digits within [lo, hi).
func wordsOf(path string, lo, hi int) (words [][2]int) {
	start := -1
	for at := lo; at < hi; {
		r, size := utf8.DecodeRuneInString(path[at:])
		if unicode.IsLetter(r) || unicode.IsNumber(r) {
			if start < 0 {
				start = at
			}
		} else if start >= 0 {
			words = append(words, [2]int{start, at})
			start = -1
		}
		at += size
	}
	if start >= 0 {
		words = append(words, [2]int{start, hi})
	}
	return words
}

// readStepped reads a name that stayed loose with each learned step; it is
// paired when the steps that pair it agree.
func (r *reader) readStepped(path string, v *Verdict) {
	var paired Verdict
	for _, step := range r.list.steps {
		w, ok := step.apply(path)
		if !ok {
			continue
		}
		var again Verdict
		r.readName(w.path, &again)
		if again.Kind != Paired {
			continue
		}
		if paired.Kind == Paired {
			if paired.Target != again.Target {
				return
			}
			continue
		}
		again.Reason += " (learned: " + step.String() + ")"
		again.Spans = w.back(path, again.Spans)
		paired = again
	}
	if paired.Kind == Paired {
		*v = paired
	}
}

// back turns spans of the changed path into spans of the path as it was.
func (w rewritten) back(path string, spans []Span) (all []Span) {
	if len(spans) == 0 {
		return nil
	}
	at := 0
	for _, s := range spans {
		s.Start, s.End = int(w.from[s.Start]), int(w.from[s.End])
		if s.Start > at {
			all = append(all, Span{Start: at, End: s.Start, Kind: NoiseSpan, What: "learned to leave out"})
		}
		if s.Start = max(s.Start, at); s.End > s.Start {
			all = append(all, s)
			at = s.End
		}
	}
	if at < len(path) {
		all = append(all, Span{Start: at, End: len(path), Kind: NoiseSpan, What: "learned to leave out"})
	}
	return all
}

// Proposal is a step that would have paired a file as a person did by hand.
type Proposal struct {
	Step     Step
	Files    int       // other loose files that it would pair
	Examples []Example // some of them
}

// Example is a file that a step would pair, and with what.
type Example struct {
	Path   string
	Target Target
}

// proposals and examples bound what is offered.
const (
	maxProposals = 5
	maxExamples  = 6
)

// Learn works out which steps would have paired a path with the target that a
// person paired it with, and how many of the loose paths each would pair. The
// step that pairs most comes first. Nothing is changed.
func Learn(c *Catalog, list ClueList, path string, target Target, loose []string) ([]Proposal, error) {
	with, err := list.compile()
	if err != nil {
		return nil, err
	}
	habits, words := findHabits(append([]string{path}, loose...)), vocabulary(list.Languages)
	reads := func(path string, step Step) (v Verdict) {
		if w, ok := step.apply(path); ok {
			once := *with
			once.steps = nil
			newReader(c, habits, &once, words, false).readName(w.path, &v)
		}
		return v
	}
	var found []Proposal
	for _, step := range c.steps(path, target) {
		v := reads(path, step)
		if v.Kind != Paired || v.Product != target.Product || (target.Item >= 0 && v.Item != target.Item) ||
			slices.Contains(with.steps, step) {
			continue
		}
		p := Proposal{Step: step}
		for _, other := range loose {
			if other == path {
				continue
			}
			if v := reads(other, step); v.Kind == Paired {
				p.Files++
				if len(p.Examples) < maxExamples {
					p.Examples = append(p.Examples, Example{other, v.Target})
				}
			}
		}
		found = append(found, p)
	}
	slices.SortStableFunc(found, func(a, b Proposal) int { return b.Files - a.Files })
	return found[:min(len(found), maxProposals)], nil
}

// steps returns what may have kept a path from being paired with a target.
func (c *Catalog) steps(path string, target Target) (steps []Step) {
	add := func(s Step) {
		if s.check() == nil && !slices.Contains(steps, s) {
			steps = append(steps, s)
		}
	}
	base := strings.LastIndexByte(path, '/') + 1
	end := len(path)
	if dot := strings.LastIndexByte(path, '.'); dot > base {
		end = dot
	}
	words := wordsOf(path, base, end)
	for _, text := range c.keysOf(target) {
		for _, form := range []string{text, strings.Join(tokensOf(text), ""), strings.Join(tokensOf(text), "-"),
			strings.Join(tokensOf(text), "_"), strings.Join(tokensOf(text), " ")} {
			at := indexFold(path[base:end], form)
			if at < 0 {
				continue
			}
			lo, hi := base+at, base+at+len(form)
			for _, w := range words {
				if w[0] < lo && lo < w[1] {
					add(Step{Kind: "drop-prefix", Text: path[w[0]:lo]})
				}
				if w[0] < hi && hi < w[1] {
					add(Step{Kind: "drop-suffix", Text: path[hi:w[1]]})
				}
			}
		}
		for _, digits := range tokensOf(text) {
			if allDigits(digits) && digits[0] == '0' {
				add(Step{Kind: "pad", Width: len(digits)})
			}
		}
		if parts := tokensOf(text); len(parts) > 1 {
			first, second := indexFold(path[base:end], parts[0]), -1
			if first >= 0 {
				second = indexFold(path[base+first+len(parts[0]):end], parts[1])
			}
			if second > 0 && second <= 3 {
				add(Step{Kind: "separator", Text: path[base+first+len(parts[0]) : base+first+len(parts[0])+second]})
			}
		}
	}
	sku := ""
	if target.Item >= 0 {
		sku = c.SKU(target.Item)
	} else if target.Product >= 0 {
		sku = c.ProductCode(target.Product)
	}
	// The longest word with a digit, else the longest, may be a code.
	slices.SortStableFunc(words, func(a, b [2]int) int {
		score := func(w [2]int) int {
			n := w[1] - w[0]
			if strings.ContainsAny(path[w[0]:w[1]], "0123456789") {
				n += 100
			}
			return n
		}
		return score(b) - score(a)
	})
	if len(words) > 0 && words[0][1]-words[0][0] >= 3 {
		add(Step{Kind: "code", Text: path[words[0][0]:words[0][1]], SKU: sku})
	}
	return steps
}

// keysOf returns a target's keys as they are written.
func (c *Catalog) keysOf(t Target) (texts []string) {
	if t.Item >= 0 {
		texts = append(append(texts, c.items[t.Item].SKU), c.items[t.Item].Codes...)
	}
	if t.Product >= 0 {
		texts = append(texts, c.products[t.Product].code)
	}
	return slices.DeleteFunc(texts, func(text string) bool { return text == "" || len(text) > maxKey })
}

func tokensOf(text string) (tokens []string) {
	for _, w := range wordsOf(text, 0, len(text)) {
		tokens = append(tokens, text[w[0]:w[1]])
	}
	return tokens
}

func indexFold(text, part string) int {
	for i := 0; len(part) > 0 && i+len(part) <= len(text); i++ {
		if strings.EqualFold(text[i:i+len(part)], part) {
			return i
		}
	}
	return -1
}
