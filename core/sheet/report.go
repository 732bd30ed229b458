package sheet

import (
	"fmt"
	"strings"
)

// Report is what became of an import, for people to read when its run has ended.
type Report struct {
	Sheet    string // its name
	Reverted bool   // it was taken back
	Ended    string // done, stopped, failed
	Why      string // of a run that failed

	Made, Changed, Same, Refused, Skipped int // rows
	Overtaken                             int // rows that the catalog had overtaken
	Products                              int // products and categories that it made or changed
	Standing                              int // those of them that are not taken back
	Pictures, Missing, Contested          int // that rows name
}

// Title says in one line how it ended.
func (r Report) Title() string {
	switch {
	case r.Ended == "failed":
		return "Not finished: import of " + r.Sheet
	case r.Ended == "stopped":
		return "Stopped: import of " + r.Sheet
	case r.Reverted:
		return "Taken back: import of " + r.Sheet
	}
	return fmt.Sprintf("Imported: %s, %d made, %d changed", r.Sheet, r.Made, r.Changed)
}

// Text says what was done, what was not, and what of its pictures is there.
func (r Report) Text() string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	if r.Reverted {
		line("%d of the %d products and categories that it made or changed are as they were before.", r.Products-r.Standing, r.Products)
	} else {
		line("%d rows made, %d changed, %d the same, %d refused, %d left out.", r.Made, r.Changed, r.Same, r.Refused, r.Skipped)
	}
	if r.Overtaken > 0 {
		line("For %d rows nothing was done: the catalog was changed after they were judged. They are shown anew.", r.Overtaken)
	}
	if r.Pictures > 0 && !r.Reverted {
		line("Its rows name %d pictures: %d are not in any lot, %d stand for several files. The others can be paired from the sheet.",
			r.Pictures, r.Missing, r.Contested)
	}
	if r.Ended != "done" {
		line("What is done stays; the run can go on, or the import be taken back.")
	}
	if r.Why != "" {
		line("It ended because: %s", r.Why)
	}
	return b.String()
}
