package decoder

import (
	"os"
	"testing"

	"github.com/davidbyttow/govips/v2/vips"

	"ambrosa/internal/codephoto"
)

// TestCodesAgainstZbarimg reads photographs of codes that zint drew, and expects
// to read no fewer than zbarimg does, and none wrong.
func TestCodesAgainstZbarimg(t *testing.T) {
	photos, err := codephoto.Draw(t.TempDir(), 24, 5)
	if err != nil {
		t.Fatal(err)
	}
	vips.LoggingSettings(func(string, vips.LogLevel, string) {}, vips.LogLevelError)
	vips.Startup(&vips.Config{ConcurrencyLevel: 1})
	ours, theirs := 0, 0
	for _, p := range photos {
		content, err := os.ReadFile(p.Path)
		if err != nil {
			t.Fatal(err)
		}
		found, err := readCodes(content)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range found {
			text := c.Text
			if c.Format == "upc-a" {
				text = "0" + text
			}
			if text != p.Text {
				t.Errorf("%s: read %s as %s, it says %s", p.Path, c.Text, c.Format, p.Text)
				continue
			}
			ours++
			for _, at := range c.Points {
				if at[0] < -0.1 || at[0] > 1.1 || at[1] < -0.1 || at[1] > 1.1 {
					t.Errorf("%s: %s stands at %v", p.Path, c.Text, c.Points)
					break
				}
			}
		}
		if codephoto.Zbar(p.Path) == p.Text {
			theirs++
		}
	}
	t.Logf("of %d: %d, zbarimg %d", len(photos), ours, theirs)
	if ours < theirs || ours == 0 {
		t.Errorf("of %d photographs %d are read, zbarimg reads %d", len(photos), ours, theirs)
	}
}

func TestNoCodeInAPlainPicture(t *testing.T) {
	vips.LoggingSettings(func(string, vips.LogLevel, string) {}, vips.LogLevelError)
	vips.Startup(&vips.Config{ConcurrencyLevel: 1})
	image, err := vips.Black(300, 200)
	if err != nil {
		t.Fatal(err)
	}
	content, _, err := image.ExportPng(vips.NewPngExportParams())
	if err != nil {
		t.Fatal(err)
	}
	if found, err := readCodes(content); err != nil || len(found) != 0 {
		t.Errorf("%v, %v", found, err)
	}
}
