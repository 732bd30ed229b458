package rights

import (
	"testing"
	"time"
)

func TestWhatMayBeHandedOn(t *testing.T) {
	end := time.Date(2026, 7, 1, 0, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		name string
		r    Rights
		at   time.Time
		ok   bool
		why  string
	}{
		{"cleared", Rights{State: Cleared}, end, true, ""},
		{"restricted", Rights{State: Restricted}, end, false, "its use is restricted"},
		{"restricted, with a licence", Rights{State: Restricted, Licence: "print only"}, end, false, "its use is restricted: print only"},
		{"unknown", Rights{State: Unknown}, end, false, "nobody knows whether it may be used"},
		{"never said", Rights{}, end, false, "nobody knows whether it may be used"},
		{"before its end", Rights{State: Cleared, Expires: &end}, end.Add(-time.Second), true, ""},
		{"at its end", Rights{State: Cleared, Expires: &end}, end, false, "its rights ended on 1 July 2026"},
		{"restricted and ended", Rights{State: Restricted, Expires: &end}, end.AddDate(1, 0, 0), false, "its use is restricted"},
	} {
		if ok, why := c.r.MayBeHandedOn(c.at); ok != c.ok || why != c.why {
			t.Errorf("%s: %v %q", c.name, ok, why)
		}
	}
}
