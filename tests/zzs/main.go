// zzs url out.png ready [click|press:key|wait:expr|eval:js|dark ...]
package main

import (
	"context"
	"fmt"
	"os"
	"strings"

	"ambrosa/tests/browser"
)

func main() {
	dark := false
	for _, a := range os.Args {
		dark = dark || a == "dark"
	}
	p, err := browser.Open(context.Background(), browser.Options{Dark: dark})
	do(err)
	defer p.Close()
	do(p.Go(os.Args[1]))
	do(p.Until(os.Args[3]))
	for _, a := range os.Args[4:] {
		switch {
		case a == "dark":
		case strings.HasPrefix(a, "press:"):
			do(p.Press(strings.TrimPrefix(a, "press:")))
		case strings.HasPrefix(a, "wait:"):
			do(p.Until(strings.TrimPrefix(a, "wait:")))
		case strings.HasPrefix(a, "eval:"):
			_, err := browser.Eval[any](p, strings.TrimPrefix(a, "eval:"))
			do(err)
		default:
			do(p.Click(a))
		}
	}
	do(p.Shown())
	png, err := p.Screenshot()
	do(err)
	do(os.WriteFile(os.Args[2], png, 0o644))
}

func do(err error) {
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
}
