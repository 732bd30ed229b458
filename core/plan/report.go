package plan

import (
	"fmt"
	"strings"
	"time"
)

// Report is what became of a plan, for people to read when a run has ended.
type Report struct {
	Of       string // which plan, as "plan of spring.zip"
	Reverted bool   // it was taken back, not applied
	Ended    string // done, stopped, failed
	Why      string // of a run that failed

	Products int // that are as they should be
	Added    int // pictures, on these products
	Removed  int
	Moved    int
	Left     int // products that wait, of a run that stopped or failed
	LeftOut  int // products that a person left out
	NotDone  []NotDone
	More     int // products that were not done, beside those listed
	Lacking  int // products that were taken back without some pictures, which were purged
}

// NotDone is a product that a plan could not change, and why.
type NotDone struct{ Code, Why string }

// What a person needs for the same work by hand, in seconds: to find a product
// and open its pictures, and to choose, upload and place one picture. Both are
// estimates, not measured; whoever reads the report is told them.
const (
	FindSeconds  = 20
	PlaceSeconds = 12
)

// ByHand is about how long it would have taken a person to do the same.
func (r Report) ByHand() time.Duration {
	return time.Duration(r.Products*FindSeconds+(r.Added+r.Removed+r.Moved)*PlaceSeconds) * time.Second
}

// Title says in one line how it ended.
func (r Report) Title() string {
	done := map[bool]string{false: "Applied", true: "Taken back"}[r.Reverted]
	switch {
	case r.Ended == "failed":
		return fmt.Sprintf("Not finished: %s", r.Of)
	case r.Ended == "stopped":
		return fmt.Sprintf("Stopped: %s, %s done", r.Of, Products(r.Products))
	case len(r.NotDone)+r.More > 0:
		return fmt.Sprintf("%s: %s, but for %s", done, r.Of, Products(len(r.NotDone)+r.More))
	}
	return fmt.Sprintf("%s: %s, %s", done, r.Of, Products(r.Products))
}

// Text says what was done, what was not and why, and how long it would have
// taken by hand.
func (r Report) Text() string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	if r.Reverted {
		line("%s as before.", subject(r.Products, "product is", "products are"))
		if r.Lacking > 0 {
			line("%s some pictures that were purged after the term of the way back.", subject(r.Lacking, "of them lacks", "of them lack"))
		}
	} else {
		line("%s as planned: %s.", subject(r.Products, "product is", "products are"), r.changes())
	}
	if r.Left > 0 {
		line("%s still to be done. What is done stays; the run can go on, or be taken back.", subject(r.Left, "product is", "products are"))
	}
	if r.Why != "" {
		line("It ended because: %s", r.Why)
	}
	if r.LeftOut > 0 {
		line("%s left out by choice.", subject(r.LeftOut, "product was", "products were"))
	}
	if len(r.NotDone) > 0 {
		line("\nNot done:")
		for _, n := range r.NotDone {
			line("  %s: %s", n.Code, n.Why)
		}
		if r.More > 0 {
			line("  and %s", subject(r.More, "more", "more"))
		}
		line("These show what they showed before. They can be planned again as they are now.")
	}
	if hand := r.ByHand(); hand >= time.Minute && !r.Reverted {
		line(
			"\nBy hand that would have taken about %s, reckoned at %d seconds to find a product and %d for each picture.",
			spoken(hand),
			FindSeconds,
			PlaceSeconds,
		)
	}
	return strings.TrimSpace(b.String())
}

func (r Report) changes() string {
	var parts []string
	for _, c := range []struct {
		n    int
		what string
	}{{r.Added, "added"}, {r.Removed, "removed"}, {r.Moved, "moved"}} {
		if c.n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", subject(c.n, "picture", "pictures"), c.what))
		}
	}
	if len(parts) == 0 {
		return "no picture had to change"
	}
	return strings.Join(parts, ", ")
}

// Products words a number of products.
func Products(n int) string { return subject(n, "product", "products") }

func subject(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return thousands(n) + " " + many
}

// thousands writes a number with its groups of three set off.
func thousands(n int) string {
	text := fmt.Sprint(n)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + "," + text[i:]
	}
	return text
}

// spoken rounds a time to what a person would say.
func spoken(d time.Duration) string {
	minutes := int(d.Round(time.Minute) / time.Minute)
	hours := minutes / 60
	switch {
	case hours >= 10:
		return subject(int(d.Round(time.Hour)/time.Hour), "hour", "hours")
	case hours > 0:
		minutes = (minutes % 60) / 5 * 5
		if minutes == 0 {
			return subject(hours, "hour", "hours")
		}
		return subject(hours, "hour", "hours") + " " + subject(minutes, "minute", "minutes")
	}
	return subject(minutes, "minute", "minutes")
}
