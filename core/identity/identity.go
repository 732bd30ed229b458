// Package identity says who acts, and what they may do. Every change names its actor and its action;
// whether the one may do the other is one table (actions.go).
package identity

// Actor is who acts. Its ID is the number under which all that it did is kept; 0 as long as it did
// nothing.
type Actor struct {
	ID   int64  `json:"id"`
	Kind Kind   `json:"kind" enum:"person,supplier,drop person,timetable,ambrosa"`
	Name string `json:"name" doc:"For people to read; two actors of one kind have two names"`
}

// Kind is what an actor is.
type Kind string

// The kinds of actors.
const (
	Person     Kind = "person"      // who works at a screen
	Supplier   Kind = "supplier"    // who hands files in through a link
	DropPerson Kind = "drop person" // who puts files into the drop folder
	Timetable  Kind = "timetable"   // what begins because its time has come
	Program    Kind = "ambrosa"     // what Ambrosa does of itself
)

// Kinds are all kinds of actors.
var Kinds = []Kind{Person, Supplier, DropPerson, Timetable, Program}

// Specialist is the one person that there is until accounts come.
var Specialist = Actor{Kind: Person, Name: "specialist"}

// Ambrosa acts where nobody pressed a key: it keeps what is there in order.
var Ambrosa = Actor{Kind: Program, Name: "Ambrosa"}

// Due acts where the time for something has come.
var Due = Actor{Kind: Timetable, Name: "timetable"}
