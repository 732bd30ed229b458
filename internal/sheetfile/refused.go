package sheetfile

import "fmt"

// Kind is what is wrong with a sheet that is refused.
type Kind string

// The kinds.
const (
	Empty      Kind = "empty"
	NoHeader   Kind = "no header" // or one in which what is needed is missing or stands twice
	NoWorkbook Kind = "no workbook"
	Unreadable Kind = "unreadable row"
	TooMany    Kind = "too many rows"
	Damaged    Kind = "damaged" // its reader failed, or needed more memory or time than it may have
)

// Refused says why a sheet as a whole cannot be read, or not from a row on.
type Refused struct {
	Kind   Kind   `json:"kind"`
	Row    int    `json:"row,omitempty"` // as spreadsheets count; 0 where it is about the whole sheet
	Reason string `json:"reason"`        // in the user's words
	Err    error  `json:"-"`             // what it comes from, where it does
}

func (r *Refused) Error() string { return r.Reason }

// Unwrap returns what the refusal comes from.
func (r *Refused) Unwrap() error { return r.Err }

func refuse(kind Kind, reason string) *Refused { return &Refused{Kind: kind, Reason: reason} }

func unreadable(row int, err error) *Refused {
	return &Refused{Kind: Unreadable, Row: row, Err: err, Reason: fmt.Sprintf("Row %d cannot be read: %s.", row, reason(err))}
}
