package journeys

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"ambrosa/tests/browser"
)

// visitor is a person at a browser in front of the sample data.
type visitor struct {
	*instance
	page *browser.Page
}

func visit(t *testing.T, o browser.Options) *visitor {
	t.Helper()
	t.Parallel() // each has a program, a database and a browser of its own
	i := newSeeded(t)
	page, err := browser.Open(context.WithoutCancel(t.Context()), o) // lives until the page was read in Cleanup
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if t.Failed() {
			text, _ := browser.Eval[string](page, "location.href + ': ' + document.body.innerText.slice(0, 3000)")
			t.Logf("the page says: %s", text)
		}
		page.Close()
	})
	return &visitor{i, page}
}

// do fails the test at the first error.
func (v *visitor) do(errs ...error) {
	v.t.Helper()
	for _, err := range errs {
		if err != nil {
			v.t.Fatal(err)
		}
	}
}

// open goes to a view. On the bench it waits for the picture: nothing is decided on one that is not shown.
func (v *visitor) open(path string) {
	v.t.Helper()
	v.do(v.page.Go(v.url() + path))
	if strings.HasPrefix(path, "/pair/") {
		v.sees(pictureShown)
	}
}

// pictureShown tells that the bench shows the picture of the file at hand, or says why there is none.
const pictureShown = `(document.querySelector('.stage .none') || document.querySelector('.bench .empty, .empty') ||
	document.querySelector('.stage .mat')?.ariaBusy === 'false')`

func (v *visitor) sees(expression string) { v.t.Helper(); v.do(v.page.Until(expression)) }

func (v *visitor) says(text string) {
	v.t.Helper()
	v.sees(fmt.Sprintf("document.body.innerText.includes(%q)", text))
}

// click presses the button or link whose text begins so, when it is there: in the
// dialog that is open, else on the page.
func (v *visitor) click(text string) {
	v.t.Helper()
	v.clickIn(`(document.querySelector('[role=dialog]') ?? document)`, text)
}

// confirm presses a button of a dialog, when that has opened: the button behind it,
// which opened it, may begin with the same word.
func (v *visitor) confirm(text string) {
	v.t.Helper()
	v.clickIn(`(document.querySelector('[role=dialog]') ?? document.createElement('div'))`, text)
}

// clickIn finds and presses in one look, so that nothing changes in between.
func (v *visitor) clickIn(where, text string) {
	v.t.Helper()
	v.sees(fmt.Sprintf(`(() => {
		const found = [...%s.querySelectorAll('button, a')].find(b => b.innerText.trim().startsWith(%q) && !b.disabled && !b.dataset.loading)
		found?.click()
		return found !== undefined
	})()`, where, text))
}

func (v *visitor) value(expression string) string {
	v.t.Helper()
	text, err := browser.Eval[string](v.page, "(async () => String("+expression+"))()")
	v.do(err)
	return text
}

func (v *visitor) number(n int) string { return fmt.Sprint(n) }
