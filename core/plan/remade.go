package plan

import "strings"

// Remade is what became different when a plan that had been shown was made
// again, on the decisions and products as they stand. As an error it says why
// the plan was not carried out.
type Remade struct {
	Changed int // products that would now show something else than was planned
	Fresh   int // products that came to the plan
	Gone    int // products that nothing arrives for any more
}

// Any tells whether anything is different.
func (r Remade) Any() bool { return r.Changed+r.Fresh+r.Gone > 0 }

// Error says what is different and what to do.
func (r Remade) Error() string {
	var parts []string
	if r.Changed > 0 {
		parts = append(parts, subject(r.Changed, "product would now show something else", "products would now show something else"))
	}
	if r.Fresh > 0 {
		parts = append(parts, subject(r.Fresh, "product is new in it", "products are new in it"))
	}
	if r.Gone > 0 {
		parts = append(parts, subject(r.Gone, "product is no longer in it", "products are no longer in it"))
	}
	return "Decisions or products changed since this plan was shown, so it was made again and nothing was applied: " +
		strings.Join(parts, ", ") + ". Look at them, then apply."
}
