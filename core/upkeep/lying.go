package upkeep

import "time"

// What is left lying.
const (
	LotLying       = "lot left lying"
	WithoutPicture = "without a picture"
	RetiredShowing = "retired, still shown"
)

// Untouched tells whether what was touched last at a time counts as left lying at another,
// after so many days.
func Untouched(last, now time.Time, days int) bool { return !last.AddDate(0, 0, days).After(now) }
