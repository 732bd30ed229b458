package naming

import "testing"

func TestAltText(t *testing.T) {
	for _, c := range []struct {
		title   string
		options []string
		view    string
		want    string
	}{
		{"Dome smoker", []string{"copper"}, "front", "Dome smoker, copper, front"},
		{"Bucket red", []string{"Red", "5 litres"}, "", "Bucket red, 5 litres"},
		{"Veil", nil, "", "Veil"},
		{"", []string{"amber"}, "top", "amber, top"},
		{"Lid", []string{"", " "}, "", "Lid"},
	} {
		if got := AltText(c.title, c.options, c.view); got != c.want {
			t.Errorf("AltText(%q, %q, %q) = %q, want %q", c.title, c.options, c.view, got, c.want)
		}
	}
}
