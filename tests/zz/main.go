package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"ambrosa/tests/browser"
)

func main() {
	p, err := browser.Open(context.Background(), browser.Options{Dark: os.Getenv("DARK") != ""})
	if err != nil {
		panic(err)
	}
	defer p.Close()
	for i := 1; i+2 < len(os.Args); i += 3 {
		fmt.Println(p.Go("http://127.0.0.1:8080" + os.Args[i]))
		time.Sleep(1500 * time.Millisecond)
		if os.Args[i+1] != "" {
			v, err := browser.Eval[string](p, "(async () => String("+os.Args[i+1]+"))()")
			fmt.Println(v, err)
			time.Sleep(1500 * time.Millisecond)
		}
		png, err := p.Screenshot()
		fmt.Println(err, os.WriteFile(os.Args[i+2], png, 0o600))
	}
}
