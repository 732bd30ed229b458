package sheet

// Effect is what a column's steps make of a value.
type Effect struct {
	Before string   `json:"before"`
	After  []string `json:"after" nullable:"false"`
}

// Effects returns what a column's steps make of its first distinct values in rows, as
// many as most. The error says which step cannot be done.
func Effects(c Column, rows [][]string, most int) ([]Effect, error) {
	ready, err := prepare(c.Steps)
	if err != nil {
		return nil, err
	}
	found := []Effect{}
	seen := map[string]bool{}
	for _, cells := range rows {
		before := cellOf(cells, c.Index)
		if before == "" || seen[before] {
			continue
		}
		if len(found) == most {
			break
		}
		seen[before] = true
		after, err := ready.of(cells, c.Index)
		if err != nil {
			return nil, err
		}
		found = append(found, Effect{Clip(before), append([]string{}, after...)})
	}
	return found, nil
}
