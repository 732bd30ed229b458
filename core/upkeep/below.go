package upkeep

import (
	"strings"
	"time"

	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
)

// Why a picture that stands is below the rule, the weightiest first: the first that holds is
// what it is found as.
const (
	MayNotBeShown = "restricted"
	RightsEnded   = "rights ended"
	RightsEnd     = "rights end soon"
	TooSmall      = "too small"
	Enlarged      = "enlarged"
	Padded        = "padded"
	RightsUnknown = "rights unknown"
)

// Standing is a picture that stands, as far as the rule goes.
type Standing struct {
	rights.Rights
	picturespec.Facts
	Marks picturespec.Mark
}

// Below says what of the rule a picture is below at a time; reason is empty for nothing.
// Rights are told of so many days before their end.
func Below(s Standing, now time.Time, days int) (reason, detail string) {
	var found, said []string
	add := func(reason, detail string) {
		found = append(found, reason)
		said = append(said, detail)
	}
	ends := s.Expires != nil && s.State != rights.Restricted
	switch {
	case s.State == rights.Restricted:
		_, why := s.MayBeHandedOn(now)
		add(MayNotBeShown, why)
	case ends && !now.Before(*s.Expires):
		add(RightsEnded, "on "+s.Expires.Format("2 January 2006"))
	case ends && !now.AddDate(0, 0, days).Before(*s.Expires):
		add(RightsEnd, "on "+s.Expires.Format("2 January 2006"))
	}
	for _, m := range []struct {
		mark   picturespec.Mark
		reason string
	}{{picturespec.Small, TooSmall}, {picturespec.Enlarged, Enlarged}, {picturespec.Padded, Padded}} {
		if s.Marks&m.mark != 0 {
			add(m.reason, s.Measure(m.mark))
		}
	}
	if s.State != rights.Cleared && s.State != rights.Restricted {
		add(RightsUnknown, "nobody knows whether it may be used")
	}
	if len(found) == 0 {
		return "", ""
	}
	return found[0], strings.Join(said, "; ")
}
