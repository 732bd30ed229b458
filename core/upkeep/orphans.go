package upkeep

import "time"

// Reason is why nothing needs a file.
type Reason string

// The reasons, the strongest first: the first that holds is the file's.
const (
	Replaced    Reason = "replaced"        // a plan took it from where it stood
	SetAside    Reason = "set aside"       // a person said that it is not wanted
	Retired     Reason = "product retired" // what it was paired with is
	GivenUp     Reason = "lot given up"
	LeftOut     Reason = "lot applied" // it was paired, and its lot applied without it
	CannotUse   Reason = "cannot be used"
	NeverPaired Reason = "never paired"
)

// Reasons are all of them.
var Reasons = []Reason{Replaced, SetAside, Retired, GivenUp, LeftOut, CannotUse, NeverPaired}

// Left is what is known of a file that nothing needs.
type Left struct {
	Verdict string    // as its lot has it
	GivenUp bool      // its lot is
	Retired bool      // what it is paired with is
	Arrived time.Time // when it came
	Decided time.Time // when it was decided on; zero for never
	Applied time.Time // when its lot was; zero for never
	Removed time.Time // when a plan took it from where it stood; zero for never
}

// Why says why nothing needs a file, and since when.
func Why(l Left) (reason Reason, since time.Time) {
	lot := later(l.Arrived, l.Applied)
	switch {
	case !l.Removed.IsZero():
		return Replaced, l.Removed
	case l.Verdict == "set aside":
		return SetAside, later(l.Arrived, l.Decided)
	case l.Retired:
		return Retired, later(lot, l.Decided)
	case l.GivenUp:
		return GivenUp, later(l.Arrived, l.Decided)
	case l.Verdict == "paired":
		return LeftOut, lot
	case l.Verdict == "unusable":
		return CannotUse, l.Arrived
	}
	return NeverPaired, lot
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// Ages are the days that a file has to be needed by nothing before it counts as an orphan,
// by reason; a reason that is not there needs none.
type Ages map[Reason]int

// Ripe tells whether a file that nothing needs for a reason since a time counts at another.
func (a Ages) Ripe(reason Reason, since, now time.Time) bool {
	return !since.AddDate(0, 0, a[reason]).After(now)
}
