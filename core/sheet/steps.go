package sheet

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
)

// Doing is what a step does.
type Doing string

// What steps do.
const (
	Split    Doing = "split"    // at Arg, into several values
	Trim     Doing = "trim"     // blanks, and the characters of Arg, around it
	Prefix   Doing = "prefix"   // cuts Arg off the beginning
	Suffix   Doing = "suffix"   // cuts Arg off the end
	Upper    Doing = "upper"    // to upper case
	Lower    Doing = "lower"    // to lower case
	Replace  Doing = "replace"  // what matches Arg (RE2) by With
	Join     Doing = "join"     // the cells of Columns behind it, with Arg between; empty ones are left out
	Constant Doing = "constant" // Arg, whatever the cell holds
	Default  Doing = "default"  // Arg where the cell is empty
)

// CellStep changes what stands in a column's cells before it is judged.
type CellStep struct {
	Do      Doing  `json:"do" enum:"split,trim,prefix,suffix,upper,lower,replace,join,constant,default"`
	Arg     string `json:"arg,omitempty" maxLength:"1000"`
	With    string `json:"with,omitempty" maxLength:"1000" doc:"Of replace"`
	Columns []int  `json:"columns,omitempty" maxItems:"50" doc:"Of join: the columns, from 0"`
}

// Bounds of what steps make of one cell.
const (
	mostSteps  = 20
	mostParts  = 200
	mostPerRow = 50
)

// steps is a column's steps, ready.
type steps struct {
	list     []CellStep
	patterns []*regexp.Regexp // of those that replace
}

var errSteps = fmt.Errorf("a column has at most %d steps", mostSteps)

// prepare checks steps; the error says which one cannot be done.
func prepare(list []CellStep) (steps, error) {
	s := steps{list: list, patterns: make([]*regexp.Regexp, len(list))}
	if len(list) > mostSteps {
		return s, errSteps
	}
	for i, step := range list {
		switch step.Do {
		case Split:
			if step.Arg == "" {
				return s, fmt.Errorf("step %d: a separator is needed", i+1)
			}
		case Replace:
			pattern, err := regexp.Compile(step.Arg)
			if err != nil {
				return s, fmt.Errorf("step %d: the pattern cannot be read: %w", i+1, err)
			}
			s.patterns[i] = pattern
		case Trim, Prefix, Suffix, Upper, Lower, Join, Constant, Default:
		default:
			return s, fmt.Errorf("step %d: there is no step %q", i+1, step.Do)
		}
	}
	return s, nil
}

var errTooLong = errors.New("a step made it too long")

// of returns the values of a column in a row: one, or several where a step
// splits; none where there is nothing.
func (s steps) of(cells []string, column int) ([]string, error) {
	values := []string{cellOf(cells, column)}
	for i, step := range s.list {
		if step.Do == Split {
			values = splitAll(values, step.Arg)
			continue
		}
		for j, value := range values {
			values[j] = s.apply(i, value, cells)
			if len(values[j]) > MaxCell {
				return nil, errTooLong
			}
		}
	}
	kept := values[:0]
	for _, value := range values {
		if value = strings.TrimSpace(value); value != "" {
			kept = append(kept, value)
		}
	}
	return kept, nil
}

func splitAll(values []string, separator string) (parts []string) {
	for _, value := range values {
		for part := range strings.SplitSeq(value, separator) {
			if len(parts) == mostParts {
				return parts
			}
			parts = append(parts, strings.TrimSpace(part))
		}
	}
	return parts
}

// apply does one step that makes one value of one.
func (s steps) apply(i int, value string, cells []string) string {
	step := s.list[i]
	switch step.Do {
	case Trim:
		return strings.Trim(value, " \t\n"+step.Arg)
	case Prefix:
		return strings.TrimPrefix(value, step.Arg)
	case Suffix:
		return strings.TrimSuffix(value, step.Arg)
	case Upper:
		return strings.ToUpper(value)
	case Lower:
		return strings.ToLower(value)
	case Replace:
		return s.patterns[i].ReplaceAllString(value, step.With)
	case Join:
		return join(value, cells, step)
	case Constant:
		return step.Arg
	case Default:
		if value == "" {
			return step.Arg
		}
	}
	return value
}

func join(value string, cells []string, step CellStep) string {
	parts := make([]string, 0, len(step.Columns)+1)
	if value != "" {
		parts = append(parts, value)
	}
	for _, column := range step.Columns[:min(len(step.Columns), mostPerRow)] {
		if column < 0 {
			continue
		}
		if part := cellOf(cells, column); part != "" {
			parts = append(parts, part)
		}
	}
	return strings.Join(parts, step.Arg)
}
