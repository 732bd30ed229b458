// Package acting says who acts. Every use case takes an Actor, and what it
// writes says who did it. There is one person until accounts come; what a role
// may do will be judged here.
package acting

// Actor is who acts: a person, or Ambrosa itself where a run does what nobody
// pressed a key for.
type Actor struct {
	Name string `json:"name"`
}

// Specialist is the one person that there is until accounts come.
var Specialist = Actor{Name: "specialist"}

// Ambrosa acts where a run or a timetable does.
var Ambrosa = Actor{Name: "Ambrosa"}
