// Package rights says whether a file may be handed on. Where rights come from
// (an origin, a person) and where they are kept is for others.
package rights

import "time"

// State is what is known of the right to use a file.
type State string

// The states.
const (
	Cleared    State = "cleared"
	Restricted State = "restricted"
	Unknown    State = "unknown"
)

// Rights of a file.
type Rights struct {
	State   State      `json:"rights"`
	Licence string     `json:"licence"`
	Credit  string     `json:"credit"`  // who is named beside the picture
	Expires *time.Time `json:"expires"` // the first day that it may not be used any more, at midnight UTC; nil for none
}

// MayBeHandedOn tells whether a file with these rights may leave the house at a
// time; why says in the user's words what stands against it.
func (r Rights) MayBeHandedOn(at time.Time) (ok bool, why string) {
	switch {
	case r.State == Restricted:
		return false, "its use is restricted" + of(r.Licence)
	case r.State != Cleared:
		return false, "nobody knows whether it may be used"
	case r.Expires != nil && !at.Before(*r.Expires):
		return false, "its rights ended on " + r.Expires.Format("2 January 2006")
	}
	return true, ""
}

func of(licence string) string {
	if licence == "" {
		return ""
	}
	return ": " + licence
}
