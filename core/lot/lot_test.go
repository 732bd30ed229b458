package lot

import (
	"errors"
	"testing"
)

// TestWhatMayBeDoneInWhichState lists every state, with and without a plan under
// way.
func TestWhatMayBeDoneInWhichState(t *testing.T) {
	for _, c := range []struct {
		state                State
		underWay             bool
		decide, read, giveUp bool
		open                 bool
	}{
		{state: Receiving, read: true, giveUp: true, open: true},
		{state: Examining, read: true, giveUp: true, open: true},
		{state: Ready, decide: true, read: true, giveUp: true, open: true},
		{state: Ready, underWay: true, open: true},
		{state: Applied, decide: true},
		{state: Applied, underWay: true},
		{state: GivenUp, read: true},
	} {
		for _, may := range []struct {
			what string
			want bool
			got  error
		}{
			{"decided on", c.decide, c.state.Decidable(c.underWay)},
			{"planned", c.decide, c.state.Plannable(c.underWay)},
			{"read", c.read, c.state.Readable(c.underWay)},
			{"given up", c.giveUp, c.state.CanBeGivenUp(c.underWay)},
			{"finished", c.state == Ready && !c.underWay, c.state.Finishable(c.underWay)},
		} {
			if (may.got == nil) != may.want {
				t.Errorf("a lot that is %s (under way: %v) is %s: %v", c.state, c.underWay, may.what, may.got)
			}
			if applied := c.state == Applied || c.underWay; may.got != nil && errors.Is(may.got, ErrApplied) != applied {
				t.Errorf("a lot that is %s says %v", c.state, may.got)
			}
		}
		if c.state.Open() != c.open {
			t.Errorf("a lot that is %s is open: %v", c.state, c.state.Open())
		}
	}
}
