// Package naming drafts texts for pictures from what the catalog knows.
package naming

import "strings"

// AltText drafts the alternative text of a picture from the product's title,
// the variant's option values and the view: "Dome smoker, amber, front". It is
// a draft: a person's own text always stands before it.
func AltText(title string, options []string, view string) string {
	parts := []string{strings.TrimSpace(title)}
	for _, value := range options {
		value = strings.TrimSpace(value)
		if value != "" && !containsWords(parts[0], value) {
			parts = append(parts, value)
		}
	}
	if view != "" {
		parts = append(parts, view)
	}
	if parts[0] == "" {
		parts = parts[1:]
	}
	return strings.Join(parts, ", ")
}

func containsWords(text, words string) bool {
	return strings.Contains(" "+strings.ToLower(text)+" ", " "+strings.ToLower(words)+" ")
}
