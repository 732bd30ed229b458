package upkeep

import (
	"fmt"
	"strings"
)

// Fresh is how many of a kind and reason a sweep found that were not found before.
type Fresh struct {
	Kind   string
	Reason string
	N      int64
	Frees  int64 // bytes
}

// Report is what a sweep of the timetable found that is new, for people to read.
type Report struct {
	Found []Fresh
	Why   string // the sweep failed
}

// Tells tells whether there is anything to be said.
func (r Report) Tells() bool { return r.Why != "" || len(r.Found) > 0 }

// kindWords are the kinds as a sentence has them.
var kindWords = map[string]string{
	"orphans": "needed by nothing", "twice": "there twice", "alike": "look alike", "broken": "broken", "below": "below the rule",
	"lying": "left lying",
}

// Title says in one line what is new.
func (r Report) Title() string {
	if r.Why != "" {
		return "The sweep was not finished"
	}
	n, broken := int64(0), int64(0)
	for _, f := range r.Found {
		n += f.N
		if f.Kind == "broken" {
			broken += f.N
		}
	}
	title := fmt.Sprintf("The sweep found %d new", n)
	if broken > 0 {
		title += fmt.Sprintf(", %d of them broken", broken)
	}
	return title
}

// Text says it by kind and reason, a line each.
func (r Report) Text() string {
	if r.Why != "" {
		return r.Why
	}
	var b strings.Builder
	for _, f := range r.Found {
		fmt.Fprintf(&b, "%d %s: %s", f.N, kindWords[f.Kind], f.Reason)
		if f.Frees > 0 {
			fmt.Fprintf(&b, ", %.1f MB could be freed", float64(f.Frees)/1e6)
		}
		b.WriteByte('\n')
	}
	b.WriteString("Nothing was changed by it.")
	return b.String()
}
