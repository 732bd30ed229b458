package plan

import (
	"encoding/json"
	"testing"

	"ambrosa/core/catalog"
)

// TestAnArrangementIsReadAsItWasWritten writes what products and categories show
// and reads it; targets that show nothing are not written.
func TestAnArrangementIsReadAsItWasWritten(t *testing.T) {
	shows := Arrangement{
		catalog.Variant(7):  {entry(3, "front")},
		catalog.Product(2):  {entry(1, ""), entry(2, "back")},
		catalog.Category(9): {entry(4, "")},
		catalog.Variant(8):  {},
	}
	text, err := json.Marshal(shows)
	if err != nil {
		t.Fatal(err)
	}
	var read Arrangement
	if err := json.Unmarshal(text, &read); err != nil {
		t.Fatal(err)
	}
	if !read.Equal(shows) || len(read) != 3 {
		t.Errorf("%s is read as %+v", text, read)
	}
	again, err := json.Marshal(read)
	if err != nil || string(again) != string(text) {
		t.Errorf("%s is written as %s, %v", text, again, err)
	}
	if err := json.Unmarshal([]byte(`{"0":[]}`), &read); err == nil {
		t.Error("something else is taken for an arrangement")
	}
}
