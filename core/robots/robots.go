// Package robots reads what a site asks of programs that visit it: its robots.txt,
// after RFC 9309.
package robots

import (
	"net/url"
	"strconv"
	"strings"
)

// Rules are the rules of a site's robots.txt for one kind of visitor, after
// RFC 9309. The zero value allows everything. (The libraries there are match
// wildcards anywhere in a path, compare percent-encoded paths as they are
// written and give up on a file with one odd line; hence one of our own.)
type Rules struct {
	rules []rule
	None  bool    // everything is disallowed: the site could not say
	Pause float64 // seconds between requests, of the common Crawl-delay line; 0 for none
}

type rule struct {
	path  string
	allow bool
}

// maxRobots is how much of a robots.txt is read, bytes; RFC 9309 section 2.5
// asks for at least 500 KiB.
const maxRobots = 512 << 10

// Read returns the rules for a product token, as "ambrosa": those of all
// groups that name it, or else of the groups for all.
func Read(content []byte, token string) Rules {
	content = content[:min(len(content), maxRobots)]
	var mine, all Rules
	named, inMine, inAll, agents := false, false, false, false
	for line := range strings.FieldsFuncSeq(strings.TrimPrefix(string(content), "\ufeff"),
		func(r rune) bool { return r == '\n' || r == '\r' }) {
		line, _, _ = strings.Cut(line, "#")
		field, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		field, value = strings.ToLower(strings.TrimSpace(field)), strings.TrimSpace(value)
		switch field {
		case "user-agent":
			if !agents {
				inMine, inAll = false, false
			}
			agents = true
			inAll = inAll || value == "*"
			if strings.EqualFold(productToken(value), token) {
				inMine, named = true, true
			}
			continue
		case "allow", "disallow":
			rule := rule{normalPath(value), field == "allow"}
			if inMine && value != "" {
				mine.rules = append(mine.rules, rule)
			}
			if inAll && value != "" {
				all.rules = append(all.rules, rule)
			}
		case "crawl-delay":
			if seconds, err := strconv.ParseFloat(value, 64); err == nil && seconds > 0 && seconds < 3600 {
				if inMine {
					mine.Pause = seconds
				}
				if inAll {
					all.Pause = seconds
				}
			}
		default:
			continue // records of other kinds belong to no group (section 2.2.4)
		}
		agents = false
	}
	if named {
		return mine
	}
	return all
}

// productToken returns the letters, "_" and "-" that a user-agent line names.
func productToken(value string) string {
	for i, c := range value {
		if c != '_' && c != '-' && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') {
			return value[:i]
		}
	}
	return value
}

// Allow tells whether an address may be asked for: the rule that matches most
// characters counts, and Allow before Disallow (section 2.2.2).
func (r Rules) Allow(address *url.URL) bool {
	path := address.EscapedPath()
	if path == "" {
		path = "/"
	}
	if path == "/robots.txt" {
		return true
	}
	if r.None {
		return false
	}
	if address.RawQuery != "" {
		path += "?" + address.RawQuery
	}
	path = normalPath(path)
	longest, allow := -1, true
	for _, rule := range r.rules {
		if len(rule.path) < longest || len(rule.path) == longest && !rule.allow || !robotsMatch(rule.path, path) {
			continue
		}
		longest, allow = len(rule.path), rule.allow
	}
	return allow
}

// robotsMatch tells whether a rule's path matches the beginning of a path: "*"
// stands for any characters, a "$" at its end for the end (section 2.2.3).
func robotsMatch(rule, path string) bool {
	rule, whole := strings.CutSuffix(rule, "$")
	parts := strings.Split(rule, "*")
	rest, ok := strings.CutPrefix(path, parts[0])
	if !ok {
		return false
	}
	parts = parts[1:]
	for i, part := range parts {
		if whole && i == len(parts)-1 {
			return strings.HasSuffix(rest, part)
		}
		at := strings.Index(rest, part)
		if at < 0 {
			return false
		}
		rest = rest[at+len(part):]
	}
	return !whole || rest == ""
}

// normalPath writes a path so that equal ones are equal: octets outside ASCII
// percent-encoded, encoded ones that need it not (RFC 3986 section 2.3) decoded,
// hexadecimal digits large.
func normalPath(path string) string {
	const hex = "0123456789ABCDEF"
	var b strings.Builder
	for i := 0; i < len(path); i++ {
		c := path[i]
		switch {
		case c == '%' && i+2 < len(path) && isHex(path[i+1]) && isHex(path[i+2]):
			n, _ := strconv.ParseUint(path[i+1:i+3], 16, 8)
			if d := byte(n); unreserved(d) {
				b.WriteByte(d)
			} else {
				b.WriteString("%" + strings.ToUpper(path[i+1:i+3]))
			}
			i += 2
		case c >= 0x80 || c <= ' ':
			b.Write([]byte{'%', hex[c>>4], hex[c&15]})
		default:
			b.WriteByte(c)
		}
	}
	return b.String()
}

func isHex(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
}

func unreserved(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("-._~", c) >= 0
}
