// Package harvest decides what is taken from the places files are fetched from:
// which files of a drive, and, of a page, which pictures in which rendition.
// Fetching itself is for internal/origin and internal/run.
package harvest

import (
	"fmt"
	"path"
	"strings"
	"time"

	"github.com/bmatcuk/doublestar/v4"
)

// Selection says which files of a drive are taken. Its zero value takes all.
type Selection struct {
	Include  []string `json:"include,omitempty" doc:"Patterns, one of which a path has to match; none means all"`
	Exclude  []string `json:"exclude,omitempty" doc:"Patterns that leave a path out"`
	Types    []string `json:"types,omitempty" doc:"Extensions without the dot; none means all"`
	MinBytes int64    `json:"minBytes,omitempty"`
	MaxBytes int64    `json:"maxBytes,omitempty"`
	Days     int      `json:"days,omitempty" doc:"Changed at most so many days ago"`
}

// NoPattern means that a text of a selection is no pattern for names.
type NoPattern struct{ Text string }

func (e NoPattern) Error() string {
	return fmt.Sprintf("%q is not a pattern: use * for any characters, ** for any folders, ? for one character, {a,b} for either", e.Text)
}

// Check returns what is wrong with a selection's patterns, a NoPattern, or nil.
func (s Selection) Check() error {
	for _, pattern := range append(append([]string{}, s.Include...), s.Exclude...) {
		if !doublestar.ValidatePattern(pattern) {
			return NoPattern{pattern}
		}
	}
	return nil
}

// Takes tells whether a file is taken. Letter case does not matter; a pattern
// without a slash is matched against the name alone, wherever it is.
func (s Selection) Takes(file string, bytes int64, modified, now time.Time) bool {
	folded := strings.ToLower(file)
	switch {
	case leftover(folded):
		return false
	case len(s.Include) > 0 && !matches(s.Include, folded):
		return false
	case matches(s.Exclude, folded):
		return false
	case len(s.Types) > 0 && !hasType(s.Types, folded):
		return false
	case bytes < s.MinBytes, s.MaxBytes > 0 && bytes > s.MaxBytes:
		return false
	case s.Days > 0 && modified.Before(now.AddDate(0, 0, -s.Days)):
		return false
	}
	return true
}

func matches(patterns []string, file string) bool {
	for _, pattern := range patterns {
		pattern = strings.ToLower(strings.TrimPrefix(pattern, "/"))
		name := file
		if !strings.Contains(pattern, "/") {
			name = path.Base(file)
		}
		if ok, err := doublestar.Match(pattern, name); ok && err == nil {
			return true
		}
	}
	return false
}

func hasType(types []string, file string) bool {
	extension := strings.TrimPrefix(path.Ext(file), ".")
	for _, t := range types {
		if strings.EqualFold(strings.TrimPrefix(t, "."), extension) {
			return true
		}
	}
	return false
}

// leftover tells whether a file is one that operating systems leave behind.
func leftover(file string) bool {
	name := path.Base(file)
	return strings.HasPrefix(name, "._") || name == ".ds_store" || name == "thumbs.db" || name == "desktop.ini"
}
