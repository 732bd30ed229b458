package harvest

import (
	"strconv"
	"strings"
)

// Candidate is one picture of a srcset attribute.
type Candidate struct {
	Address string
	Width   int     // of a "w" descriptor, pixels; 0 for none
	Density float64 // of an "x" descriptor; 0 for none
}

const spaces = " \t\n\f\r"

// ReadSrcset reads a srcset attribute after the WHATWG HTML Standard, "parse a
// srcset attribute" (section 4.8.4.2.2 in 2026): candidates whose descriptors
// are not valid are left out.
func ReadSrcset(text string) (found []Candidate) {
	for at := 0; ; {
		for at < len(text) && strings.IndexByte(spaces+",", text[at]) >= 0 {
			at++
		}
		if at == len(text) {
			return found
		}
		start := at
		for at < len(text) && strings.IndexByte(spaces, text[at]) < 0 {
			at++
		}
		address := text[start:at]
		var descriptors []string
		if bare := strings.TrimRight(address, ","); bare != address {
			address = bare
		} else {
			descriptors, at = splitDescriptors(text, at)
		}
		if c, ok := describe(descriptors); ok {
			c.Address = address
			found = append(found, c)
		}
	}
}

// splitDescriptors is the standard's tokenizer with its three states: it
// returns the descriptors from at on, and where it ended.
func splitDescriptors(text string, at int) (descriptors []string, end int) {
	var current strings.Builder
	inParens := false
	flush := func() {
		if current.Len() > 0 {
			descriptors = append(descriptors, current.String())
			current.Reset()
		}
	}
	for ; at < len(text); at++ {
		c := text[at]
		space := strings.IndexByte(spaces, c) >= 0
		switch {
		case inParens:
			current.WriteByte(c)
			inParens = c != ')'
		case space:
			flush()
		case c == ',':
			flush()
			return descriptors, at + 1
		default:
			current.WriteByte(c)
			inParens = c == '('
		}
	}
	flush()
	return descriptors, at
}

// describe reads the descriptors of one candidate.
func describe(descriptors []string) (c Candidate, ok bool) {
	height := 0
	for _, d := range descriptors {
		value, kind := d[:len(d)-1], d[len(d)-1]
		switch kind {
		case 'w', 'h':
			n, valid := natural(value)
			if !valid || n == 0 || c.Density != 0 {
				return c, false
			}
			if kind == 'h' {
				if height != 0 {
					return c, false
				}
				height = n
				continue
			}
			if c.Width != 0 {
				return c, false
			}
			c.Width = n
		case 'x':
			density, valid := float(value)
			if !valid || density < 0 || c.Width != 0 || c.Density != 0 || height != 0 {
				return c, false
			}
			c.Density = density
		default:
			return c, false
		}
	}
	return c, height == 0 || c.Width != 0
}

// natural is the standard's "valid non-negative integer".
func natural(text string) (n int, ok bool) {
	if text == "" || strings.Trim(text, "0123456789") != "" {
		return 0, false
	}
	n, err := strconv.Atoi(text)
	return n, err == nil
}

// float is the standard's "valid floating-point number".
func float(text string) (value float64, ok bool) {
	if text == "" || strings.Trim(text, "0123456789.eE+-") != "" || text[0] == '+' || text[len(text)-1] == '.' {
		return 0, false
	}
	value, err := strconv.ParseFloat(text, 64)
	return value, err == nil
}
