package catalog

// CategorySnapshot is all that a sheet, or a person by hand, can change of a category.
type CategorySnapshot struct {
	Path        string `json:"path"`
	Ref         string `json:"ref,omitempty"` // its own ID
	Description string `json:"description,omitempty"`
}

// ReverseCategory takes a change of a category back: before is nil where the change made
// it, now is what it is today. What is not any more as the change left it was changed
// since, and stays; kept says what. gone means that it shall not be.
func ReverseCategory(before *CategorySnapshot, after, now CategorySnapshot) (wanted CategorySnapshot, gone bool, kept []string) {
	if before == nil {
		if after != now {
			return now, false, []string{"the category " + now.Path}
		}
		return now, true, nil
	}
	wanted = now
	back := func(to *string, before, after, now, what string) {
		switch {
		case before == after:
		case now != after:
			kept = append(kept, what)
		default:
			*to = before
		}
	}
	back(&wanted.Ref, before.Ref, after.Ref, now.Ref, "the ID of "+now.Path)
	back(&wanted.Description, before.Description, after.Description, now.Description, "the text of "+now.Path)
	return wanted, false, kept
}
