package catalog

import (
	"os"
	"regexp"
	"slices"
	"testing"
)

// TestTheInterfaceHasTheSameViews reads the interface's list of views.
func TestTheInterfaceHasTheSameViews(t *testing.T) {
	source, err := os.ReadFile("../../ui/src/shared/shotViews.ts")
	if err != nil {
		t.Fatal(err)
	}
	var views []string
	for _, found := range regexp.MustCompile(`'([a-z ]+)',`).FindAllSubmatch(source, -1) {
		views = append(views, string(found[1]))
	}
	if !slices.Equal(views, Views) {
		t.Errorf("the interface has %q, the rules have %q", views, Views)
	}
	if !IsView("In Use") || IsView("frontal") || IsView("") {
		t.Error("a view is one of the list, in any case")
	}
}
