package listpairing

import (
	"errors"
	"fmt"
	"strings"
)

// rows cuts a CSV (RFC 4180) that is in memory into rows. It gives out parts of
// the text itself instead of copies, which encoding/csv cannot: with it, reading
// the catalog alone took a third of the time that the command may take.
type rows struct {
	text string
	next int // line that the next row begins on
	line int // line that the last row began on
}

// split cuts what is left, in which no quote may stand, at line ends into at
// most n parts.
func (r *rows) split(n int) (parts []*rows) {
	text, next := r.text, r.next
	for ; n > 1; n-- {
		at := strings.IndexByte(text[len(text)/n:], '\n')
		if at < 0 {
			break
		}
		at += len(text)/n + 1
		parts = append(parts, &rows{text: text[:at], next: next})
		next += strings.Count(text[:at], "\n")
		text = text[at:]
	}
	return append(parts, &rows{text: text, next: next})
}

// LineError says on which line something is wrong with a list, and what.
type LineError struct {
	Path string // as the person gave it
	Line int    // from 1; 0 for the file as a whole
	Err  error
}

func (e *LineError) Error() string {
	if e.Line == 0 {
		return fmt.Sprintf("%s: %v", e.Path, e.Err)
	}
	return fmt.Sprintf("%s: line %d: %v", e.Path, e.Line, e.Err)
}

// Unwrap returns what is wrong there.
func (e *LineError) Unwrap() error { return e.Err }

// inFile says which file an error is about.
func inFile(path string, err error) error {
	if at := (*LineError)(nil); errors.As(err, &at) {
		at.Path = path
		return at
	}
	return &LineError{Path: path, Err: err}
}

var errOpenQuote = errors.New("a quote is opened and not closed")

// read appends the cells of the next row to cells; nil means that there is
// none. Empty lines are passed over.
func (r *rows) read(cells []string) ([]string, error) {
	for r.text != "" && (r.text[0] == '\n' || strings.HasPrefix(r.text, "\r\n")) {
		_, r.text, _ = strings.Cut(r.text, "\n")
		r.next++
	}
	if r.text == "" {
		return nil, nil
	}
	r.line = r.next
	r.next++
	for {
		cell, ended, err := r.cell()
		if err != nil {
			return nil, &LineError{Line: r.line, Err: err}
		}
		cells = append(cells, cell)
		if ended {
			return cells, nil
		}
	}
}

// cell cuts off the next cell, and tells whether the row ends with it.
func (r *rows) cell() (cell string, ended bool, err error) {
	if strings.HasPrefix(r.text, `"`) {
		return r.quoted()
	}
	for i := range len(r.text) {
		switch r.text[i] {
		case ',':
			cell, r.text = r.text[:i], r.text[i+1:]
			return cell, false, nil
		case '\n':
			cell, r.text = strings.TrimSuffix(r.text[:i], "\r"), r.text[i+1:]
			return cell, true, nil
		}
	}
	cell, r.text = r.text, ""
	return cell, true, nil
}

func (r *rows) quoted() (cell string, ended bool, err error) {
	from, doubled := 1, false
	for {
		at := strings.IndexByte(r.text[from:], '"')
		if at < 0 {
			return "", false, errOpenQuote
		}
		from += at + 1
		if !strings.HasPrefix(r.text[from:], `"`) {
			break
		}
		doubled = true
		from++
	}
	cell = r.text[1 : from-1]
	if doubled {
		cell = strings.ReplaceAll(cell, `""`, `"`)
	}
	r.next += strings.Count(cell, "\n")
	rest := r.text[from:]
	switch {
	case rest == "":
		r.text = ""
		return cell, true, nil
	case rest[0] == ',':
		r.text = rest[1:]
		return cell, false, nil
	case rest[0] == '\n':
		r.text = rest[1:]
		return cell, true, nil
	case strings.HasPrefix(rest, "\r\n"):
		r.text = rest[2:]
		return cell, true, nil
	}
	return "", false, errors.New("text stands behind a closed quote")
}
