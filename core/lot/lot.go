// Package lot says what may be done with a lot in which state.
package lot

import (
	"errors"
	"fmt"
)

// State is how far a lot is.
type State string

// The states of a lot, in the order in which it goes through them; it may be
// given up in each of the first three.
const (
	Receiving State = "receiving" // it waits for uploads
	Examining State = "examining" // what came is looked at
	Ready     State = "ready"     // it can be decided on and planned
	Applied   State = "applied"   // it is finished: nothing of it waits for anybody
	GivenUp   State = "given up"  // hidden, and restorable
)

// ErrApplied means that a lot is finished, or that a plan of it is being applied or reverted, so that this cannot be done
// with it.
var ErrApplied = errors.New("the lot is finished, or a plan of it is being applied or reverted")

// NotReady means that a lot is in a state in which that is not done with it.
type NotReady struct{ State State }

func (e NotReady) Error() string { return fmt.Sprintf("the lot is %s", e.State) }

// Decidable tells whether decisions on a lot's files may be made or taken back;
// underWay says that a plan of it is being applied or reverted. A decision on a
// finished lot is a correction, and opens it again. The error is ErrApplied or a
// NotReady.
func (s State) Decidable(underWay bool) error {
	switch {
	case underWay:
		return ErrApplied
	case s != Ready && s != Applied:
		return NotReady{s}
	}
	return nil
}

// Readable tells whether the engine may write what it reads of a lot's files:
// as long as they can be decided on, and before that.
func (s State) Readable(underWay bool) error {
	if s == Applied || underWay {
		return ErrApplied
	}
	return nil
}

// Plannable tells whether a plan may be made of a lot.
func (s State) Plannable(underWay bool) error { return s.Decidable(underWay) }

// Finishable tells whether the work on a lot can be ended.
func (s State) Finishable(underWay bool) error {
	switch {
	case underWay || s == Applied:
		return ErrApplied
	case s != Ready:
		return NotReady{s}
	}
	return nil
}

// CanBeGivenUp tells whether a lot may be hidden.
func (s State) CanBeGivenUp(underWay bool) error {
	switch {
	case s == Applied || underWay:
		return ErrApplied
	case s == GivenUp:
		return NotReady{s}
	}
	return nil
}

// Open tells whether files of a lot are needed because somebody still works on
// it.
func (s State) Open() bool { return s == Receiving || s == Examining || s == Ready }
