// Package audit is what is kept of a change: who did what, to what, and what became of it.
package audit

import "ambrosa/core/identity"

// Subject is something that a change was made to.
type Subject struct {
	Kind identity.Thing `json:"kind"`
	ID   int64          `json:"id"`
}

// Of is a subject of a kind.
func Of(kind identity.Thing, id int64) Subject { return Subject{kind, id} }

// All are the subjects of a kind with these numbers.
func All(kind identity.Thing, ids []int64) []Subject {
	all := make([]Subject, len(ids))
	for i, id := range ids {
		all[i] = Subject{kind, id}
	}
	return all
}

// Entry is one line of the record.
type Entry struct {
	Who    identity.Actor
	Action identity.Action
	// About is what the change was made to, what matters most first.
	About []Subject
	// Run is the run that made the change, 0 for none.
	Run int64
	// Request is the number of the request that made it, as the log has it.
	Request string
	// Before and After are what was changed, in short: values that become JSON, nil where the action
	// says all.
	Before, After any
}

// Longest is how many bytes the JSON of a value before or after may have in the record; of longer ones
// only that they changed is kept.
const Longest = 4000
